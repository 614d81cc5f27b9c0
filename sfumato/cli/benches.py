"""Commands that measure looks in the stand-ins of devices: bench monitor."""

from __future__ import annotations

import json
from pathlib import Path

import click

from sfumato.cli.options import PathArgument, force_option, guarded, json_option, one_line


@click.group()
def bench() -> None:
    """Measure a look in simulated devices, without a window."""


@bench.command()
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option("--device", default="usual", show_default=True, help="generous, usual or stubborn.")
@click.option("--lut", required=True, type=PathArgument, help="The LUT file that is loaded.")
@click.option(
    "--on", "picture", required=True, type=PathArgument, help="A picture, or a clip's first frame."
)
@click.option(
    "--use",
    type=click.Choice(("recording", "screen", "half")),
    default="screen",
    show_default=True,
    help="Whether the look is in the recording, on the screen only, or on half of it.",
)
@force_option
@json_option
@guarded
def monitor(
    target: Path, device: str, lut: Path, picture: Path, use: str, force: bool, as_json: bool
) -> None:
    """Show a picture on a simulated camera monitor: OUT is what its screen shows, or what it records.

    The picture's codes enter as they are, as 10-bit legal-range 4:2:2. A file that the device does not take
    is refused in the device's own words, and leaves the picture natural.
    """
    from sfumato.core.compiled import load_kernels
    from sfumato.work.bench import monitors
    from sfumato.work.files import Sources
    from sfumato.work.results.stills import kind_for, rounded, write_still

    load_kernels()
    Sources.of([lut, picture]).check(target)
    found = monitors.screened(monitors.monitor(device), lut, picture, use)
    pixels = found.recorder if use == "recording" else found.screen
    kind = kind_for(target)
    held = [int(depth.split()[0]) for depth in kind.depths]
    bits = 16 if 16 in held else max(held)
    write_still(rounded(pixels, bits, kind), target, force=force)
    proof = found.proof
    if as_json:
        answer = {
            "out": str(target),
            "use": use,
            "refused": None if found.refused is None else found.refused.word,
            "why": None if found.refused is None else found.refused.why,
            "from_look": None
            if proof is None
            else {"mean": proof.off.mean, "p99": proof.off.p99, "worst": proof.off.worst},
            "shares": {} if proof is None else dict(proof.shares),
        }
        click.echo(json.dumps(answer))
        return
    if found.refused is not None:
        click.echo(one_line(f"{lut.name}: {found.refused.word}. {found.refused.why}"))
        return
    assert proof is not None
    off = proof.off
    click.echo(
        f"against the exact look: mean {off.mean:.2f}, 99 % under {off.p99:.2f}, worst {off.worst:.2f} ΔE"
    )
    for name, share in proof.shares:
        click.echo(f"  {name}: {share:+.2f}")


COMMANDS = (bench,)
