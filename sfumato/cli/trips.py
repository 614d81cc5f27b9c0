"""Commands of round trips: carrier, recover."""

from __future__ import annotations

import itertools
import json
import sys
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import (
    PathArgument,
    force_option,
    format_option,
    guarded,
    json_option,
    one_line,
    reading_option,
    said,
    told,
)


@click.command()
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--hald", type=click.IntRange(2, 16), help="A HALD of this level; 8 when nothing is said."
)
@click.option(
    "--strip", type=click.IntRange(2, 129), help="A strip or tiles of so many points a side."
)
@click.option(
    "--layout",
    default="",
    help="Of a strip: row, column or square, each also with ', green up', ', upside down', ', mirrored'.",
)
@click.option(
    "--bits",
    type=click.Choice(["8", "16", "16f", "32"]),
    help="Depth, where OUT has a choice; 16f is half float, 32 is float.",
)
@click.option("--frame", type=PathArgument, help="A picture beside which the nodes are set.")
@click.option(
    "--profile",
    default="",
    help="The encoding that the file says it is in, or none; beside a frame usually the frame's.",
)
@click.option(
    "--cell", type=click.IntRange(1, 16), default=4, help="Pixels a side of a node beside a frame."
)
@force_option
@guarded
def carrier(
    target: Path,
    hald: int | None,
    strip: int | None,
    layout: str,
    bits: str | None,
    frame: Path | None,
    profile: str,
    cell: int,
    force: bool,
) -> None:
    """Write a neutral picture that goes through another program and brings its look back.

    OUT is PNG, TIFF, JPEG or EXR. Let the other program apply its look to it, and nothing else: no
    sharpening, grain, vignette, noise reduction, lens correction, crop or resize. Then `recover`.
    """
    from sfumato.core.carrier.arrange import HALD, LAYOUTS, ROW
    from sfumato.core.carrier.frame import WRAPPED
    from sfumato.work.frames import open_still
    from sfumato.work.trip.carriers import Carrier, write_carrier

    if hald is not None and strip is not None:
        raise click.UsageError("--hald or --strip, not both")
    if layout and strip is None:
        raise click.UsageError("--layout goes with --strip")
    if layout and layout not in LAYOUTS:
        raise click.BadParameter(", ".join(LAYOUTS), param_hint="--layout")
    if hald is None and (strip is not None or frame is not None):
        points, name = strip or 33, layout or (WRAPPED if frame is not None else ROW)
    else:
        points, name = (hald or 8) ** 2, HALD
    still = None if frame is None else open_still(frame)
    if not profile and still is not None:
        profile = still.facts.encoding or ""
    profile = "" if profile == "none" else profile
    made = Carrier(points, name, cell, {"32": "32f"}.get(bits or "", bits or ""), profile)
    sent = write_carrier(target, made, None if still is None else still.as_float(), force=force)
    said(target, sent.remarks)
    width, height = sent.size
    click.echo(one_line(f"{target}: {width} × {height} pixels, {sent.bytes / 1e3:,.0f} kB"))


@click.command()
@click.argument("files", metavar="RETURNED... OUT", nargs=-1, required=True, type=PathArgument)
@click.option("--of", "original", type=PathArgument, help="The carrier that went out.")
@click.option("--grid", type=click.IntRange(2, 129), help="Points a side, 2 to 129.")
@click.option(
    "--corners",
    nargs=4,
    metavar="X,Y X,Y X,Y X,Y",
    help="Of the block of nodes in pixels, clockwise from the top left, where it is not found.",
)
@format_option
@reading_option
@force_option
@json_option
@guarded
def recover(
    files: tuple[Path, ...],
    original: Path | None,
    grid: int | None,
    corners: tuple[str, ...] | None,
    key: str | None,
    reading: str,
    force: bool,
    as_json: bool,
) -> None:
    """Make LUTs of carriers that came back, and say what was done to them on the way.

    OUT is a LUT file, or a folder, in which each LUT is named by its picture. What was sent (HALD,
    strip, tiles, or a frame with tiles) is found from the pictures themselves; with --of, a frame
    carrier also proves the LUT on its frame, and a converted profile is taken back.
    """
    if len(files) < 2:
        raise click.UsageError("give the pictures that came back, then the LUT file or folder")
    *sources, target = files
    from sfumato.core.carrier.corners import of_words
    from sfumato.core.compiled import load_kernels
    from sfumato.core.errors import SfumatoError
    from sfumato.work.files import Sources, is_folder, make_folder
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.trip.returns import read_original, read_return, recover_all
    from sfumato.work.trip.returns import recover as recover_one

    load_kernels()
    suffix = target.suffix
    is_many = len(sources) > 1 or not suffix or is_folder(target)
    if is_many and suffix and not is_folder(target):
        raise click.UsageError("several pictures need a folder as OUT")
    sent = None if original is None else read_original(original)
    if is_many:
        make_folder(target)
    kept = Sources.of([*sources, *([original] if original is not None else [])])
    answers: list[dict[str, Any]] = []
    taken: set[Path] = set()
    failed = 0

    at = of_words(" ".join(corners or ()))

    def one(file: Path) -> Any:
        return recover_one(read_return(file), sent, grid=grid or 0, reading=reading, corners=at)

    for file, found in recover_all(sources, one):
        if isinstance(found, SfumatoError):
            failed += 1
            told(found.sentence())
            answers.append({"file": str(file), "error": found.sentence()})
            continue
        out = _free(target, file.stem, taken) if is_many else target
        try:
            written = write_lut(
                found.transform, out, format=key, title=file.stem, force=force, sources=kept
            )
        except SfumatoError as error:
            failed += 1
            told(error.sentence())
            answers.append({"file": str(file), "error": error.sentence()})
            continue
        said(out, written.said)
        answers.append(_answer(file, out, found))
        if not as_json:
            _print(file, out, found)
    if as_json:
        click.echo(json.dumps({"results": answers}))
    if failed:
        sys.exit(1)


def _free(folder: Path, stem: str, taken: set[Path]) -> Path:
    """Return where the LUT of a picture goes; pictures of one name from several folders get numbers."""
    names = (f"{stem} {i}.cube" if i > 1 else f"{stem}.cube" for i in itertools.count(1))
    place = next(folder / n for n in names if folder / n not in taken)
    taken.add(place)
    return place


def _answer(file: Path, out: Path, found: Any) -> dict[str, Any]:
    witness = found.witness and found.witness.difference
    return {
        "file": str(file),
        "out": str(out),
        "kind": found.kind,
        "layout": found.reading,
        "points": found.points,
        "bits": found.depth,
        "faults": [
            {
                "key": f.key,
                "amount": f.amount,
                "unit": f.unit,
                "words": f.words,
                "avoid": f.avoid,
                "mended": f.mended,
            }
            for f in found.faults
        ],
        "covered": found.covered,
        "witness": {"mean": witness.mean, "p99": witness.p99, "worst": witness.worst}
        if witness
        else None,
        "remarks": list(found.remarks),
    }


def _print(file: Path, out: Path, found: Any) -> None:
    kind = {"hald": "HALD", "strip": "strip", "frame": "frame carrier"}[found.kind]
    click.echo(one_line(f"{file}: {kind} of {found.points} points -> {out}"))
    for fault in found.faults:
        mended = " (made good here, as far as that goes)" if fault.mended else ""
        click.echo(one_line(f"  {fault.key}: {fault.words}{mended} {fault.avoid}"))
    if not found.faults:
        click.echo("  came back clean")
    if found.witness:
        d = found.witness.difference
        click.echo(
            f"  on the frame: mean {d.mean:.2f}, 99 % under {d.p99:.2f}, worst {d.worst:.2f} ΔE"
        )
    for remark in found.remarks:
        click.echo(one_line(f"  {remark}"))


COMMANDS = (carrier, recover)
