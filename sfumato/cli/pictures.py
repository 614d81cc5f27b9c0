"""Commands that bake a study, and apply LUTs and studies to pictures."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import (
    PathArgument,
    bits_option,
    bytes_of,
    fitted_option,
    force_option,
    format_option,
    grid_option,
    guarded,
    print_options,
    printing_of,
    said,
    strength_option,
    title_option,
)


@click.command()
@click.argument("study", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@grid_option
@format_option
@title_option
@bits_option
@fitted_option
@click.option("--span", help="What the LUT takes and gives, as IN:OUT, two names of encodings.")
@force_option
@guarded
def bake(
    study: Path,
    target: Path,
    grid: int | None,
    key: str | None,
    title: str | None,
    bits: str | None,
    fitted: bool,
    span: str | None,
    force: bool,
) -> None:
    """Bake the Look of STUDY into the LUT file OUT."""
    import attrs

    from sfumato.core.path.span import Joint, Span
    from sfumato.work.files import Sources
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.proof import span_words
    from sfumato.work.stores.study_store import open_study

    opened = open_study(study)
    ends = _span(span)
    if ends is None and opened.span.with_ground:
        opened = attrs.evolve(opened, span=Span(Joint.GROUND, opened.span.end))
    transform = opened.transform(ends)
    comments = span_words(opened) if ends is None else _named(ends)
    transform = attrs.evolve(transform, comments=comments)
    held = write_lut(
        transform,
        target,
        format=key,
        grid=grid or (opened.grid if key is None and target.suffix == ".cube" else None),
        bits=bits,
        fitted=fitted,
        title=title,
        force=force,
        is_look=True,
        sources=Sources.of([study]),
    )
    said(target, [w for w in held.said if not w.startswith("baked")])


def _span(text: str | None) -> tuple[str, str] | None:
    if text is None:
        return None
    from sfumato.core.colour.encodings import encoding

    parts = text.split(":")
    if len(parts) != 2:
        raise click.BadParameter("give two encodings as IN:OUT", param_hint="--span")
    return encoding(parts[0]).name, encoding(parts[1]).name


def _named(ends: tuple[str, str]) -> tuple[str, ...]:
    from sfumato.core.colour.span_note import written

    return (written(*ends),)


@click.command("apply")
@click.argument("paths", metavar="LUT... IN OUT", nargs=-1, required=True, type=PathArgument)
@strength_option
@click.option(
    "--interp",
    type=click.Choice(["tetrahedral", "trilinear"]),
    default="tetrahedral",
    help="How to interpolate in 3D tables.",
)
@click.option("--from", "from_", metavar="ENC", help="Encoding of the picture IN.")
@click.option("--to", metavar="ENC", help="Encoding for the picture OUT.")
@click.option("--bits", type=click.Choice(["8", "16", "32"]), help="Depth of OUT; 32 is float.")
@click.option("--codec", help="Codec of a clip: ffv1, prores, dnxhr, h264 or hevc.")
@click.option(
    "--quality",
    type=click.IntRange(0, 51),
    default=16,
    show_default=True,
    help="Of H.264 and HEVC: less is better and larger.",
)
@click.option(
    "--effort",
    type=click.Choice(["quick", "thorough"]),
    default="quick",
    show_default=True,
    help="Of H.264 and HEVC: thorough takes about three times as long for smaller files.",
)
@click.option(
    "--jpeg-quality",
    type=click.IntRange(1, 100),
    default=95,
    show_default=True,
    help="Of a JPEG: more is better and larger.",
)
@click.option(
    "--sampling",
    type=click.Choice(["4:4:4", "4:2:2", "4:2:0"]),
    default="4:4:4",
    show_default=True,
    help="How a JPEG samples its chroma.",
)
@click.option(
    "--damaged", is_flag=True, help="Write clips even when the source is short or damaged."
)
@print_options
@click.option(
    "--press",
    metavar="PROFILE",
    type=PathArgument,
    help="The profile that a CMYK picture without one is taken to be of.",
)
@force_option
@guarded
def apply_(
    paths: tuple[Path, ...],
    strength: float,
    interp: str,
    from_: str | None,
    to: str | None,
    bits: str | None,
    codec: str | None,
    quality: int,
    effort: str,
    jpeg_quality: int,
    sampling: str,
    damaged: bool,
    press: Path | None,
    force: bool,
    **inks: Any,
) -> None:
    """Apply one or more LUT files, in order, to the picture or clip IN and write OUT."""
    if len(paths) < 3:
        raise click.UsageError("give at least one LUT, then IN, then OUT")
    from sfumato.core.colour.encodings import encoding
    from sfumato.core.compiled import load_for, load_kernels
    from sfumato.media.parts.contract import Saving
    from sfumato.media.parts.printed import guessed
    from sfumato.media.parts.registry import by_suffix
    from sfumato.work.files import Sources
    from sfumato.work.frames import open_still
    from sfumato.work.luts.lut_files import read_lut
    from sfumato.work.results import plated
    from sfumato.work.results.stills import applied, default_bits, kind_for, write_still

    *luts, source, target = paths
    kind = by_suffix(source.name)
    is_clip = kind is not None and kind.key == "clip" and by_suffix(target.name) is kind
    if not is_clip:
        kind_for(target)
    Sources.of([source, *luts]).check(target)
    transforms = [read_lut(p).transform for p in luts]
    if strength != 100:
        transforms = [t.at_strength(strength / 100) for t in transforms]
    names = {
        "from_encoding": encoding(from_).name if from_ else None,
        "to_encoding": encoding(to).name if to else None,
    }
    if is_clip:
        load_kernels()
        from sfumato.work.results.clip_line import ClipWish

        wish = ClipWish(codec or "", quality, effort, damaged=damaged)
        _clip(transforms, source, target, interp, names, wish, force)
        return
    load_for(bytes_of([source]))  # compressed, a colour takes a byte or more
    still = open_still(source, 0, None if press is None else str(press))
    how, asked = printing_of(inks), to is not None or bits is not None
    made = plated.linked(transforms, still) if plated.holds_inks(target) and not asked else None
    off = None
    if (
        made is None
        and still.plates is not None
        and plated.keeps_plates(still, target)
        and not asked
    ):
        run, display = plated.through(transforms, interp, names["from_encoding"])
        made, off = plated.regraded(still.plates, run, display, how, over=True)
    remarks, facts = guessed(still), still.facts
    if made is not None:
        del still  # what was read is not needed any more, and is as large as what is written
        plated.write_plates(made, facts, target, force=force, quality=jpeg_quality)
        said(target, [*remarks, *plated.words(made, off)])
        return
    pixels, gives = applied(
        transforms,
        still,
        bits=int(bits) if bits else default_bits(still, target.suffix),
        interp=interp,
        kind=kind_for(target),
        **names,
    )
    facts = still.facts
    keep = facts.profile if from_ is None and to is None else b""
    saving = Saving(gives, keep, facts.exif, facts.xmp, jpeg_quality, sampling)
    said(target, list(write_still(pixels, target, saving, force=force)))


def _clip(
    transforms: list[Any],
    source: Path,
    target: Path,
    interp: str,
    names: dict[str, Any],
    wish: Any,
    force: bool,
) -> None:
    """Grade a clip; says how fast while it works, when somebody looks."""
    from sfumato.work.results.clips import graded_clip
    from sfumato.work.results.stills import chain_of

    colour = chain_of(transforms, interp, **names)

    def progress(share: float, words: str) -> None:
        if sys.stderr.isatty():
            click.echo(f"\r{share:4.0%} {words:40}", err=True, nl=False)

    made = graded_clip(source, target, colour, wish, force=force, progress=progress)
    if sys.stderr.isatty():
        click.echo("", err=True)
    said(target, [f"{made.frames} frames, {made.format}", *made.remarks])


@click.command("again")
@click.argument("record", metavar="RECORD", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@force_option
@guarded
def again_(record: Path, target: Path, force: bool) -> None:
    """Do once more what RECORD, the .applied.json beside a result, says; write OUT."""
    from sfumato.core.compiled import load_kernels
    from sfumato.work.results.apply import again

    load_kernels()
    done = again(record, target, force=force)
    said(target, [done.proof.words(), *done.remarks])


COMMANDS: tuple[click.Command, ...] = (
    bake,
    apply_,
    again_,
)
