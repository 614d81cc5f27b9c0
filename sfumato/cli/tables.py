"""Commands that make LUTs of LUTs: formats, convert, invert, chain, blend, split."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import (
    PathArgument,
    bits_option,
    fitted_option,
    force_option,
    format_option,
    grid_option,
    guarded,
    json_option,
    layout_option,
    one_line,
    pair,
    printing_of,
    reading_option,
    said,
    strength_option,
    title_option,
    told,
)
from sfumato.cli.profiles import profile_options, write_profile


@click.command()
@json_option
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


@click.command()
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--format",
    "keys",
    multiple=True,
    help="Name of the format; the suffix decides otherwise. May repeat when IN and OUT are folders.",
)
@grid_option
@bits_option
@layout_option
@title_option
@strength_option
@click.option(
    "--shaper", type=click.IntRange(2, 65536), help="Entries of a 1D table before the 3D."
)
@fitted_option
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
@reading_option
@click.option("--names", default="{name}", help="Naming pattern for a folder of files.")
@profile_options
@force_option
@guarded
def convert(source: Path, target: Path, keys: tuple[str, ...], **wishes: Any) -> None:
    """Write the LUT file IN as OUT: another format, grid, depth, shaper, range, title or Strength.

    With a folder as IN, all its LUT files go into the folder OUT, in every --format.
    """
    how = printing_of(wishes)
    if wishes["kind"]:
        write_profile(source, target, how, wishes)
        return
    from sfumato.work.files import Sources, is_folder
    from sfumato.work.luts.batch import Recipe, made_by_recipe, repaired_read
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
    if is_folder(source):
        _convert_folder(source, target, keys, recipe, wishes)
        return
    if len(keys) > 1:
        raise click.UsageError("several formats need a folder as IN and as OUT")
    found = repaired_read(source, wishes["reading"], recipe.repairs)
    said(source, found.remarks)
    (made,) = made_by_recipe(source.stem, found.transform, recipe)
    held = write_lut(
        made.transform,
        target,
        format=keys[0] if keys else None,
        grid=wishes["grid"],
        bits=wishes["bits"],
        layout=wishes["layout"],
        shaper=wishes["shaper"],
        fitted=wishes["fitted"],
        domain=pair(wishes["domain"], "--domain"),
        force=wishes["force"],
        sources=Sources.of([source]),
    )
    said(target, held.said)


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
            domain=pair(wishes["domain"], "--domain"),
        )
        for key in keys
    )
    found = lut_files([source])
    if found.left_out:
        told(found.words())
    existing = EXISTING[2 if wishes["force"] else 1]
    batch = Batch(found.files, targets, target, wishes["names"], existing, recipe)

    def on_row(row: Any) -> None:
        if row.error:
            told(f"{row.source}: {row.error}")
        elif row.skipped:
            told(f"{row.source}: a result is there already; use --force")
        else:
            loss = row.loss
            words = [
                *([f"{loss.mean:.3f} mean, {loss.worst:.2f} worst ΔE"] if loss else []),
                *row.notes,
            ]
            click.echo(one_line(f"{row.source} -> {row.target_file}  {'; '.join(words)}"))

    load_kernels()
    rows = run(batch, on_row=on_row)
    if not any(r.target_file for r in rows):
        told("nothing was written")
    if any(r.error for r in rows) or not any(r.target_file for r in rows):
        sys.exit(1)


@click.command()
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@grid_option
@format_option
@bits_option
@reading_option
@force_option
@json_option
@guarded
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
    from sfumato.work.files import Sources
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import display_of, read_lut
    from sfumato.work.luts.target import format_for

    load_kernels()
    format_for(target, key)
    found = read_lut(source, reading).transform
    result, where = inverted(found, grid or 33, display_of(found))
    sources = Sources.of([source])
    held = write_lut(result, target, format=key, grid=grid, bits=bits, force=force, sources=sources)
    if as_json:
        shown = attrs.asdict(where, filter=lambda a, _v: a.name != "reached")
        click.echo(json.dumps({**shown, "said": list(held.said)}))
        return
    said(target, held.said)
    for words in where.words():
        click.echo(words)


@click.command()
@click.argument("paths", metavar="LUT LUT... OUT", nargs=-1, required=True, type=PathArgument)
@grid_option
@format_option
@bits_option
@title_option
@fitted_option
@force_option
@guarded
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
    from sfumato.core.compiled import load_for
    from sfumato.core.lut.recast import chained
    from sfumato.work.files import Sources
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import read_lut

    load_for((grid or 33) ** 3)
    *sources, target = paths
    whole = chained([read_lut(p).transform for p in sources])
    held = write_lut(
        whole,
        target,
        format=key,
        grid=grid,
        bits=bits,
        fitted=fitted,
        title=title,
        force=force,
        sources=Sources.of(sources),
    )
    said(target, held.said)


@click.command()
@click.argument("a", metavar="A", type=PathArgument)
@click.argument("b", metavar="B", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--share", type=click.FloatRange(0, 100), default=50.0, help="How much of B, in percent."
)
@grid_option
@format_option
@bits_option
@title_option
@force_option
@guarded
def blend(a: Path, b: Path, target: Path, share: float, key: str | None, **wishes: Any) -> None:
    """Write a LUT between A and B."""
    from sfumato.core.compiled import load_for
    from sfumato.core.lut.recast import blended
    from sfumato.work.files import Sources
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import read_lut

    load_for((wishes["grid"] or 33) ** 3)
    mixed = blended(read_lut(a).transform, read_lut(b).transform, share / 100)
    made = write_lut(mixed, target, format=key, sources=Sources.of([a, b]), **wishes)
    said(target, made.said)


@click.command("split")
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("tone", metavar="TONE", type=PathArgument)
@click.argument("colour", metavar="COLOUR", type=PathArgument)
@grid_option
@force_option
@guarded
def split_(source: Path, tone: Path, colour: Path, grid: int | None, force: bool) -> None:
    """Write the tone of IN as the 1D LUT TONE and the rest as the 3D LUT COLOUR, to be used after it."""
    from sfumato.core.compiled import load_for
    from sfumato.core.lut.difference import cube_colours, difference
    from sfumato.core.lut.recast import chained, split
    from sfumato.work.files import Sources
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.luts.lut_files import display_of, read_lut

    load_for((grid or 33) ** 3)
    whole = read_lut(source).transform
    parts = split(whole, grid or 33)
    if tone.resolve() == colour.resolve():
        raise click.UsageError("TONE and COLOUR are two files")
    for part, path in zip(parts, (tone, colour), strict=True):
        said(path, write_lut(part, path, force=force, sources=Sources.of([source])).said)
    found = difference(whole, chained(list(parts)), cube_colours(), display_of(whole))
    click.echo(
        f"together: {found.mean:.3f} mean, {found.p99:.2f} at 99 %, {found.worst:.2f} worst ΔE"
    )


COMMANDS: tuple[click.Command, ...] = (
    formats,
    convert,
    invert,
    chain,
    blend,
    split_,
)
