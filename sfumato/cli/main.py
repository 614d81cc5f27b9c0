"""The command `sfumato`: stable verbs, one line on stderr when input is refused, never a traceback.

Exit status: 0 done; 1 input refused; 2 the command itself is wrong.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable, Sequence
from functools import wraps
from pathlib import Path
from typing import Any

import click

from sfumato._version import VERSION

PathArgument = click.Path(path_type=Path)
_force = click.option("--force", is_flag=True, help="Replace OUT when it exists.")
_json = click.option(
    "--json", "as_json", is_flag=True, help="Print one JSON object and nothing else."
)
_grid = click.option("--grid", type=click.IntRange(2, 129), help="Points a side, 2 to 129.")
_title = click.option("--title", help="The title that the file carries.")
_format = click.option("--format", "key", help="Name of the format; the suffix decides otherwise.")
_strength = click.option(
    "--strength", type=click.FloatRange(0, 200), default=100.0, help="0 to 200 percent."
)


def _guarded(run: Callable[..., Any]) -> Callable[..., Any]:
    """Turn refusals into one line and status 1."""

    @wraps(run)
    def guarded(*args: Any, **values: Any) -> Any:
        from sfumato.core.errors import SfumatoError
        from sfumato.work.stores.encoding_store import load_library

        for fault in load_library():
            click.echo(f"sfumato: {fault.sentence()}", err=True)
        try:
            return run(*args, **values)
        except SfumatoError as error:
            click.echo(f"sfumato: {error.sentence()}", err=True)
            sys.exit(1)
        except MemoryError:
            click.echo("sfumato: there is not enough memory for this; use smaller files", err=True)
            sys.exit(1)

    return guarded


class _Commands(click.Group):
    """A group whose first word may also be a study: `sfumato film.sfumato` opens the window."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and not args[0].startswith("-"):
            return "open", _open, args
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(VERSION, prog_name="sfumato", message="%(prog)s %(version)s")
@click.pass_context
def cli(ctx: click.Context) -> None:
    """Builds 3D LUTs from colour grades, converts them, and proves what they do.

    Without a command, opens the window; with a STUDY, opens the window on it.
    """
    if ctx.invoked_subcommand is None:
        from sfumato.cli.window import open_window

        sys.exit(open_window(None))


@click.command(hidden=True)
@click.argument("study", type=PathArgument)
@_guarded
def _open(study: Path) -> None:
    from sfumato.cli.window import open_window
    from sfumato.work.stores.study_store import open_study

    if not study.suffix and not study.exists():
        raise click.UsageError(f"there is no command or study named {study}; see sfumato --help")
    open_study(study)
    sys.exit(open_window(study))


@cli.command()
@click.option(
    "--picture",
    type=PathArgument,
    help="Save a picture of the window when the first shot is shown, and quit.",
)
@_guarded
def demo(picture: Path | None) -> None:
    """Open the window with the demo study."""
    from sfumato.cli.window import open_window
    from sfumato.core.errors import StudyError
    from sfumato.work.stores.study_store import demo_study

    study = demo_study()
    if study is None:
        raise StudyError(
            "the demo study is not installed",
            hint="install the program again",
        )
    sys.exit(open_window(study, picture))


@cli.command()
@click.argument("what", type=click.Choice(["install", "remove"]))
@_guarded
def desktop(what: str) -> None:
    """Put Sfumato among the applications of the desktop, for this user, or take it out again."""
    from sfumato.work import desktop_entry

    done = desktop_entry.install() if what == "install" else desktop_entry.remove()
    for file in done:
        click.echo(file)
    if not done:
        click.echo("sfumato: nothing was there", err=True)


@cli.command()
@_json
def formats(as_json: bool) -> None:
    """List what can be read and written, with limits."""
    from sfumato.formats.parts.registry import formats as tables
    from sfumato.media.parts.registry import media

    luts: list[dict[str, Any]] = [
        {
            "key": f.key,
            "title": f.title,
            "suffixes": list(f.suffixes),
            "reads": True,
            "writes": f.write is not None,
            "depths": list(f.depths),
            "layouts": list(f.layouts),
            "limits": f.limits,
        }
        for f in tables().values()
    ]
    pictures: list[dict[str, Any]] = [
        {
            "key": m.key,
            "title": m.title,
            "suffixes": list(m.suffixes),
            "reads": True,
            "writes": m.write is not None,
            "depths": list(m.depths),
        }
        for m in media().values()
    ]
    if as_json:
        click.echo(json.dumps({"luts": luts, "pictures": pictures}))
        return
    for heading, rows in (("LUTs", luts), ("Pictures and clips", pictures)):
        click.echo(heading)
        for row in rows:
            does = "read, write" if row["writes"] else "read"
            limits = row.get("limits") or {"depths": ", ".join(row.get("depths", []))}
            words = "; ".join(f"{k} {v}" for k, v in limits.items() if v)
            click.echo(f"  {row['key']:<6} {' '.join(row['suffixes']):<24} {does:<12} {words}")


_bits = click.option(
    "--bits",
    type=click.Choice(["8", "10", "12", "16", "16f", "32"]),
    help="Depth of the numbers, where OUT has a choice; 16f is half float, 32 is float.",
)
_reading = click.option(
    "--as",
    "reading",
    default="",
    help="How to take IN where there are several ways; `sfumato assay` lists them.",
)
_fitted = click.option(
    "--fitted", is_flag=True, help="Fit the grid to colours between its nodes; kept only if better."
)
_layout = click.option("--layout", default="", help="Arrangement, where OUT has a choice.")


def _said(path: Path, words: Sequence[str]) -> None:
    """Print remarks on stderr, one a line."""
    for each in words:
        click.echo(f"sfumato: {path}: {each}", err=True)


def _pair(text: str | None, option: str) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        low, high = (float(v) for v in text.split(":"))
    except ValueError:
        raise click.BadParameter("give two numbers as LO:HI", param_hint=option) from None
    return low, high


@cli.command()
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--format",
    "keys",
    multiple=True,
    help="Name of the format; the suffix decides otherwise. May repeat when IN and OUT are folders.",
)
@_grid
@_bits
@_layout
@_title
@_strength
@click.option(
    "--shaper", type=click.IntRange(2, 65536), help="Entries of a 1D table before the 3D."
)
@_fitted
@click.option("--domain", metavar="LO:HI", help="Inputs that the table covers.")
@click.option(
    "--range",
    "range_",
    type=click.Choice(["legal in", "full in", "legal out", "full out"]),
    help="Make it take or give the other range.",
)
@click.option(
    "--part",
    type=click.Choice(["tone", "colour", "curves"]),
    help="Keep the tone only, the colour only, or a 1D LUT of what it does to greys.",
)
@click.option("--limit", is_flag=True, help="Hold results within 0 to 1.")
@click.option("--repair", "repairs", multiple=True, help="A repair that `sfumato assay` offers.")
@_reading
@click.option("--names", default="{name}", help="Naming pattern for a folder of files.")
@_force
@_guarded
def convert(source: Path, target: Path, keys: tuple[str, ...], **wishes: Any) -> None:
    """Write the LUT file IN as OUT: another format, grid, depth, shaper, range, title or Strength.

    With a folder as IN, all its LUT files go into the folder OUT, in every --format.
    """
    from sfumato.work.luts.batch import Recipe, cooked, repaired_read
    from sfumato.work.luts.deliver import write_lut

    recipe = Recipe(
        repairs=wishes["repairs"],
        strength=wishes["strength"] / 100,
        range=wishes["range_"] or "",
        part=wishes["part"] or "",
        limit=wishes["limit"],
        title=wishes["title"] or "",
        grid=wishes["grid"] or 33,
    )
    if source.is_dir():
        _convert_folder(source, target, keys, recipe, wishes)
        return
    if len(keys) > 1:
        raise click.UsageError("several formats need a folder as IN and as OUT")
    found = repaired_read(source, wishes["reading"], recipe.repairs)
    _said(source, found.remarks)
    (made,) = cooked(source.stem, found.transform, recipe)
    held = write_lut(
        made.transform,
        target,
        format=keys[0] if keys else None,
        grid=wishes["grid"],
        bits=wishes["bits"],
        layout=wishes["layout"],
        shaper=wishes["shaper"],
        fitted=wishes["fitted"],
        domain=_pair(wishes["domain"], "--domain"),
        force=wishes["force"],
    )
    _said(target, held.said)


def _convert_folder(
    source: Path, target: Path, keys: tuple[str, ...], recipe: Any, wishes: dict[str, Any]
) -> None:
    from sfumato.core.compiled import load_kernels
    from sfumato.work.luts.batch import EXISTING, Batch, lut_files, run
    from sfumato.work.luts.target import Target, format_for

    if not keys:
        raise click.UsageError("a folder needs at least one --format")
    bits = {"32": "32f"}.get(wishes["bits"], wishes["bits"] or "")
    targets = tuple(
        Target(
            format_for(target, key).key,
            wishes["grid"],
            bits,
            wishes["layout"],
            wishes["shaper"],
            wishes["fitted"],
            domain=_pair(wishes["domain"], "--domain"),
        )
        for key in keys
    )
    files = tuple(lut_files([source]))
    existing = EXISTING[2 if wishes["force"] else 1]
    batch = Batch(files, targets, target, wishes["names"], existing, recipe)

    def told(row: Any) -> None:
        if row.error:
            click.echo(f"sfumato: {row.error}", err=True)
        elif row.skipped:
            click.echo(f"sfumato: {row.source}: a result is there already; use --force", err=True)
        else:
            worst = f"{row.loss.mean:.3f} mean, {row.loss.worst:.2f} worst ΔE" if row.loss else ""
            click.echo(f"{row.source} -> {row.written}  {worst}")

    load_kernels()
    rows = run(batch, on_row=told)
    if not any(r.written for r in rows):
        click.echo("sfumato: nothing was written", err=True)
        sys.exit(1)


@cli.command("assay")
@click.argument("files", metavar="FILE...", nargs=-1, required=True, type=PathArgument)
@_reading
@_json
@_guarded
def assay_(files: tuple[Path, ...], reading: str, as_json: bool) -> None:
    """Say what LUT files are and what is wrong with them."""
    from sfumato.core.compiled import load_kernels
    from sfumato.core.errors import SfumatoError
    from sfumato.core.measure.assay import assay
    from sfumato.core.measure.checks.repairs import REPAIRS
    from sfumato.work.luts.batch import stored_of
    from sfumato.work.luts.lut_files import display_of, read_lut

    load_kernels()
    told: list[dict[str, Any]] = []
    failed = 0
    for file in files:
        try:
            found = read_lut(file, reading)
            result = assay(found.transform, display_of(found.transform), stored_of(found))
        except SfumatoError as error:
            failed += 1
            told.append({"file": str(file), "error": error.sentence()})
            click.echo(f"sfumato: {error.sentence()}", err=True)
            continue
        facts = {
            "file": str(file),
            "format": found.key,
            "kind": result.kind,
            "title": found.transform.title,
            "depth": found.depth,
            "reading": found.reading,
            "readings": list(found.readings),
            "remarks": list(found.remarks),
            "verdict": result.worst().value,
            "findings": [
                {
                    "key": f.key,
                    "level": f.level.value,
                    "title": f.title,
                    "sentence": f.sentence,
                    "figure": f.figure,
                    "repair": f.repair,
                }
                for f in result.findings
            ],
        }
        told.append(facts)
        if not as_json:
            title = f" “{found.transform.title}”" if found.transform.title else ""
            click.echo(f"{file}: {found.key}, {result.kind}{title}")
            for words in found.remarks:
                click.echo(f"  remark   {words}")
            for f in result.findings:
                offered = f.repair in (*result.repairs(), "limit")
                mend = f" [--repair {f.repair!r}: {REPAIRS[f.repair].title}]" if offered else ""
                click.echo(f"  {f.level.value:<8} {f.title}. {f.sentence}{mend}")
            if len(found.readings) > 1:
                click.echo(f"  read as  {found.reading}; also: {'; '.join(found.readings[:12])}")
    if as_json:
        click.echo(json.dumps({"files": told}))
    if failed == len(files):
        sys.exit(1)


@cli.command()
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@_grid
@_format
@_bits
@_reading
@_force
@_json
@_guarded
def invert(
    source: Path,
    target: Path,
    grid: int | None,
    key: str | None,
    bits: str | None,
    reading: str,
    force: bool,
    as_json: bool,
) -> None:
    """Write the LUT that undoes IN, and say where nothing can undo it."""
    import attrs

    from sfumato.core.compiled import load_kernels
    from sfumato.core.lut.invert import inverted
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import display_of, read_lut
    from sfumato.work.luts.target import format_for

    load_kernels()
    format_for(target, key)
    found = read_lut(source, reading).transform
    result, where = inverted(found, grid or 33, display_of(found))
    held = write_lut(result, target, format=key, grid=grid, bits=bits, force=force)
    if as_json:
        shown = attrs.asdict(where, filter=lambda a, _v: a.name != "reached")
        click.echo(json.dumps({**shown, "said": list(held.said)}))
        return
    _said(target, held.said)
    for words in where.words():
        click.echo(words)


@cli.command()
@click.argument("paths", metavar="LUT LUT... OUT", nargs=-1, required=True, type=PathArgument)
@_grid
@_format
@_bits
@_title
@_fitted
@_force
@_guarded
def chain(
    paths: tuple[Path, ...],
    grid: int | None,
    key: str | None,
    bits: str | None,
    title: str | None,
    fitted: bool,
    force: bool,
) -> None:
    """Write one LUT that does all LUT files, first to last."""
    if len(paths) < 3:
        raise click.UsageError("give two or more LUTs, then OUT")
    from sfumato.core.compiled import load_kernels
    from sfumato.core.lut.recast import chained
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import read_lut

    load_kernels()
    *sources, target = paths
    whole = chained([read_lut(p).transform for p in sources])
    held = write_lut(
        whole, target, format=key, grid=grid, bits=bits, fitted=fitted, title=title, force=force
    )
    _said(target, held.said)


@cli.command()
@click.argument("a", metavar="A", type=PathArgument)
@click.argument("b", metavar="B", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--share", type=click.FloatRange(0, 100), default=50.0, help="How much of B, in percent."
)
@_grid
@_format
@_bits
@_title
@_force
@_guarded
def blend(a: Path, b: Path, target: Path, share: float, key: str | None, **wishes: Any) -> None:
    """Write a LUT between A and B."""
    from sfumato.core.compiled import load_kernels
    from sfumato.core.lut.recast import blended
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import read_lut

    load_kernels()
    mixed = blended(read_lut(a).transform, read_lut(b).transform, share / 100)
    _said(target, write_lut(mixed, target, format=key, **wishes).said)


@cli.command("split")
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("tone", metavar="TONE", type=PathArgument)
@click.argument("colour", metavar="COLOUR", type=PathArgument)
@_grid
@_force
@_guarded
def split_(source: Path, tone: Path, colour: Path, grid: int | None, force: bool) -> None:
    """Write the tone of IN as the 1D LUT TONE and the rest as the 3D LUT COLOUR, to be used after it."""
    from sfumato.core.compiled import load_kernels
    from sfumato.core.lut.difference import cube_colours, difference
    from sfumato.core.lut.recast import chained, split
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import display_of, read_lut

    load_kernels()
    whole = read_lut(source).transform
    parts = split(whole, grid or 33)
    for part, path in zip(parts, (tone, colour), strict=True):
        _said(path, write_lut(part, path, force=force).said)
    found = difference(whole, chained(list(parts)), cube_colours(), display_of(whole))
    click.echo(
        f"together: {found.mean:.3f} mean, {found.p99:.2f} at 99 %, {found.worst:.2f} worst ΔE"
    )


@cli.command()
@click.argument("study", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@_grid
@_format
@_title
@_bits
@_fitted
@click.option("--span", help="What the LUT takes and gives, as IN:OUT, two names of encodings.")
@_force
@_guarded
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
    )
    _said(target, [w for w in held.said if not w.startswith("baked")])


def _span(text: str | None) -> tuple[str, str] | None:
    if text is None:
        return None
    from sfumato.core.colour.encodings import encoding

    parts = text.split(":")
    if len(parts) != 2:
        raise click.BadParameter("give two encodings as IN:OUT", param_hint="--span")
    return encoding(parts[0]).name, encoding(parts[1]).name


def _named(ends: tuple[str, str]) -> tuple[str, ...]:
    from sfumato.core.path.span_note import written

    return (written(*ends),)


@cli.command("apply")
@click.argument("paths", metavar="LUT... IN OUT", nargs=-1, required=True, type=PathArgument)
@_strength
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
@_force
@_guarded
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
    force: bool,
) -> None:
    """Apply one or more LUT files, in order, to the picture or clip IN and write OUT."""
    if len(paths) < 3:
        raise click.UsageError("give at least one LUT, then IN, then OUT")
    from sfumato.core.colour.encodings import encoding
    from sfumato.core.compiled import load_kernels
    from sfumato.media.parts.contract import Saving
    from sfumato.media.parts.registry import by_suffix
    from sfumato.work.frames import open_still
    from sfumato.work.luts.lut_files import read_lut
    from sfumato.work.results.stills import applied, default_bits, kind_for, write_still

    *luts, source, target = paths
    kind = by_suffix(source.name)
    is_clip = kind is not None and kind.key == "clip" and by_suffix(target.name) is kind
    if not is_clip:
        kind_for(target)
    transforms = [read_lut(p).transform for p in luts]
    if strength != 100:
        transforms = [t.at_strength(strength / 100) for t in transforms]
    names = {
        "from_encoding": encoding(from_).name if from_ else None,
        "to_encoding": encoding(to).name if to else None,
    }
    load_kernels()
    if is_clip:
        from sfumato.work.results.clips import ClipWish

        _clip(
            transforms, source, target, interp, names, ClipWish(codec or "", quality, effort), force
        )
        return
    still = open_still(source)
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
    _said(target, list(write_still(pixels, target, saving, force=force)))


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
    _said(target, [f"{made.frames} frames, {made.format}", *made.remarks])


@cli.command("again")
@click.argument("record", metavar="RECORD", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@_force
@_guarded
def again_(record: Path, target: Path, force: bool) -> None:
    """Do once more what RECORD, the .applied.json beside a result, says; write OUT."""
    from sfumato.core.compiled import load_kernels
    from sfumato.work.results.apply import again

    load_kernels()
    done = again(record, target, force=force)
    _said(target, [done.proof.words(), *done.remarks])


def _transform(path: Path) -> Any:
    """Read a LUT file, or the exact path of a study."""
    from sfumato.work.luts.lut_files import read_lut
    from sfumato.work.stores.study_store import SUFFIX, open_study

    if path.suffix == SUFFIX:
        return open_study(path).transform()
    return read_lut(path).transform


@cli.command()
@click.argument("a", type=PathArgument)
@click.argument("b", type=PathArgument)
@click.option("--on", "pictures", multiple=True, type=PathArgument, help="A picture; may repeat.")
@click.option("--display", default="BT.1886", show_default=True, help="How results are shown.")
@_json
@_guarded
def proof(a: Path, b: Path, pictures: tuple[Path, ...], display: str, as_json: bool) -> None:
    """Measure the difference of two transforms: LUT files or studies."""
    import attrs
    import numpy as np

    from sfumato.core.colour.encodings import encoding
    from sfumato.core.lut.difference import cube_colours, difference
    from sfumato.work.frames import open_still

    first, second = _transform(a), _transform(b)
    if pictures:
        colours = np.concatenate([open_still(p).as_float().reshape(-1, 3)[::7] for p in pictures])
    else:
        colours = cube_colours()
    found = difference(first, second, colours, encoding(display))
    if as_json:
        values = attrs.asdict(found)
        values["worst_at"] = list(found.worst_at)
        click.echo(json.dumps({"display": encoding(display).name, **values}))
        return
    click.echo(
        f"mean {found.mean:.4f} ΔE, 99 % {found.p99:.4f}, worst {found.worst:.4f} "
        f"at {' '.join(f'{v:.4f}' for v in found.worst_at)}; "
        f"largest code difference {found.code_value_worst:.6f}; {found.count} colours"
    )


def _bug(kind: type[BaseException], error: BaseException, trace: Any) -> None:
    """Say a fault of ours in one line; SFUMATO_TRACE=1 shows where it happened."""
    if os.environ.get("SFUMATO_TRACE"):
        sys.__excepthook__(kind, error, trace)
    what = f"{kind.__name__}: {error}".splitlines()[0][:200]
    print(f"sfumato: a fault inside Sfumato ({what}); please report it", file=sys.stderr)


def run() -> None:
    """The entry point: runs the command and turns every outcome into an exit status."""
    from sfumato.work.warm import choose_cache

    choose_cache()
    sys.excepthook = _bug
    try:
        cli.main(prog_name="sfumato", standalone_mode=True)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
