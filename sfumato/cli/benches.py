"""Commands that measure looks in the stand-ins of devices: bench monitor, engine, find."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import PathArgument, force_option, guarded, json_option, one_line


@click.group()
def bench() -> None:
    """Measure a look in simulated devices, without a window."""


@bench.command()
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--device",
    default="usual",
    show_default=True,
    help="generous, usual, stubborn, one of yours, or the folder of one.",
)
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
    from sfumato.work.bench.devices import monitor_named
    from sfumato.work.files import Sources
    from sfumato.work.results.stills import kind_for, rounded, write_still

    load_kernels()
    Sources.of([lut, picture]).check(target)
    found = monitors.screened(monitor_named(device), lut, picture, use)
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
    click.echo(_off_words(off))
    for name, share in proof.shares:
        click.echo(f"  {name}: {share:+.2f}")


def _import_options(run: Callable[..., Any]) -> Callable[..., Any]:
    for option in (
        click.option(
            "--texture",
            type=click.Choice(("strip", "tiles", "3d")),
            default="strip",
            show_default=True,
            help="How the lattice lies in the texture.",
        ),
        click.option(
            "--points",
            type=click.IntRange(8, 64),
            default=32,
            show_default=True,
            help="A side of it.",
        ),
        click.option(
            "--depth",
            type=click.Choice(("8", "16f")),
            default="8",
            show_default=True,
            help="8 bit, or half floats.",
        ),
    ):
        run = option(run)
    return run


def _settings(texture: str, points: int, depth: str) -> Any:
    from sfumato.core.bench import engine

    layout = {"strip": engine.STRIP, "tiles": engine.TILES, "3d": engine.VOLUME}[texture]
    return engine.Import(
        layout=layout, points=points, depth=engine.EIGHT if depth == "8" else engine.HALF
    )


@bench.command()
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option("--lut", required=True, type=PathArgument, help="The LUT file that is taken in.")
@click.option(
    "--on", "picture", required=True, type=PathArgument, help="A picture of display codes."
)
@_import_options
@click.option(
    "--fault",
    "faults",
    multiple=True,
    type=click.Choice(("srgb", "mips", "bc1", "bc7", "nearest", "half-texel", "green")),
    help="Something that is wrong with the import; may be given again.",
)
@click.option("--strength", type=click.FloatRange(0, 100), default=100.0, help="0 to 100 percent.")
@force_option
@json_option
@guarded
def engine(
    target: Path,
    lut: Path,
    picture: Path,
    texture: str,
    points: int,
    depth: str,
    faults: tuple[str, ...],
    strength: float,
    force: bool,
    as_json: bool,
) -> None:
    """Draw a picture as a real-time engine does that takes the LUT in as a texture.

    A GL driver draws where one runs; else that is simulated, and said. The picture's codes enter as they are.
    """
    from sfumato.core.bench.engine import FAULT_KEYS, imported, with_faults
    from sfumato.core.compiled import load_kernels
    from sfumato.work.bench import engines
    from sfumato.work.bench.gl_engine import GlEngine
    from sfumato.work.files import Sources
    from sfumato.work.frames import open_still
    from sfumato.work.luts.lut_files import display_of, read_lut
    from sfumato.work.results.stills import kind_for, write_still

    load_kernels()
    Sources.of([lut, picture]).check(target)
    exact = read_lut(lut).transform
    settings = with_faults(_settings(texture, points, depth), [FAULT_KEYS[f] for f in faults])
    taken = engines.Taken(
        lut.stem, exact, imported(engines.table_of(exact, settings.points), settings)
    )
    frame = engines.as_frame(open_still(picture).pixels)
    kind_for(target)
    with GlEngine() as gl:
        drawn = engines.draw(gl, frame, [taken], [strength / 100])
        ms = engines.frame_time(gl, [taken], [strength / 100])
    write_still(drawn.codes, target, force=force)
    off = engines.off_by(
        drawn.codes, engines.exactly(frame, [taken], [strength / 100]), frame, display_of(exact)
    )
    if as_json:
        answer = {
            "out": str(target),
            "driver": drawn.driver,
            "ms_at_1080p": ms,
            "faults": list(faults),
            "from_look": {"mean": off.mean, "p99": off.p99, "worst": off.worst},
        }
        click.echo(json.dumps(answer))
        return
    click.echo(one_line(f"drawn by {drawn.driver}"))
    if ms is not None:
        click.echo(f"the shader takes {ms:.1f} ms at 1920 x 1080 here")
    click.echo(_off_words(off))


@bench.command()
@click.argument("screenshot", type=PathArgument)
@click.option("--lut", required=True, type=PathArgument, help="The LUT file that was taken in.")
@click.option(
    "--on", "picture", required=True, type=PathArgument, help="The picture that was put through."
)
@_import_options
@json_option
@guarded
def find(
    screenshot: Path,
    lut: Path,
    picture: Path,
    texture: str,
    points: int,
    depth: str,
    as_json: bool,
) -> None:
    """Say from a SCREENSHOT of an engine what was done to the LUT on its way into it."""
    from sfumato.core.bench.engine import FAULT_KEYS
    from sfumato.core.compiled import load_kernels
    from sfumato.work.bench import engines, finder
    from sfumato.work.frames import open_still
    from sfumato.work.luts.lut_files import display_of, read_lut

    load_kernels()
    exact = read_lut(lut).transform
    settings = _settings(texture, points, depth)
    found = finder.find(
        [(engines.table_of(exact, settings.points), 1.0)],
        settings,
        engines.as_frame(open_still(picture).pixels),
        open_still(screenshot).pixels,
        display_of(exact),
    )
    if as_json:
        keys = {words: key for key, words in FAULT_KEYS.items()}
        answer = {
            "explained": found.explained,
            "as_if": found.best.words,
            "faults": [keys[f] for f in found.best.faults],
            "before": found.before,
            "left": found.best.left,
            "guesses": [{"words": g.words, "left": g.left} for g in found.guesses],
        }
        click.echo(json.dumps(answer))
        return
    click.echo(found.says)


def _off_words(off: Any) -> str:
    return f"against the exact look: mean {off.mean:.2f}, 99 % under {off.p99:.2f}, worst {off.worst:.2f} ΔE"


COMMANDS = (bench,)
