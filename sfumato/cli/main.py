"""The command `sfumato`: stable verbs, one line on stderr when input is refused, never a traceback.

Exit status: 0 done; 1 input refused; 2 the command itself is wrong.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
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
    from sfumato.work.study_store import open_study

    if not study.suffix and not study.exists():
        raise click.UsageError(f"there is no command or study named {study}; see sfumato --help")
    open_study(study)
    sys.exit(open_window(study))


@cli.command()
@_guarded
def demo() -> None:
    """Open the window with the demo study."""
    from sfumato.cli.window import open_window
    from sfumato.core.errors import StudyError
    from sfumato.work.study_store import demo_study

    study = demo_study()
    if study is None:
        raise StudyError("the demo study is not installed", hint="run it from a checkout")
    sys.exit(open_window(study))


@cli.command()
@_json
def formats(as_json: bool) -> None:
    """List what can be read and written, with limits."""
    from sfumato.formats.registry import formats as tables
    from sfumato.media.registry import media

    luts: list[dict[str, Any]] = [
        {
            "key": f.key,
            "title": f.title,
            "suffixes": list(f.suffixes),
            "reads": True,
            "writes": f.write is not None,
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


@cli.command()
@click.argument("source", metavar="IN", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@_format
@_grid
@_title
@_strength
@_force
@_guarded
def convert(
    source: Path,
    target: Path,
    key: str | None,
    grid: int | None,
    title: str | None,
    strength: float,
    force: bool,
) -> None:
    """Write the LUT file IN as OUT: another grid, title, Strength or format."""
    from sfumato.work.luts import format_for, read_lut, write_lut

    found = read_lut(source)
    for remark in found.remarks:
        click.echo(f"sfumato: {source}: {remark}", err=True)
    transform = found.transform.at_strength(strength / 100)
    held = write_lut(transform, target, format=key, grid=grid, title=title, force=force)
    for loss in format_for(target, key).not_kept(held):
        click.echo(f"sfumato: {target}: {loss}", err=True)


@cli.command()
@click.argument("study", type=PathArgument)
@click.argument("target", metavar="OUT", type=PathArgument)
@_grid
@_format
@_title
@click.option("--span", help="What the LUT takes and gives, as IN:OUT, two names of encodings.")
@_force
@_guarded
def bake(
    study: Path,
    target: Path,
    grid: int | None,
    key: str | None,
    title: str | None,
    span: str | None,
    force: bool,
) -> None:
    """Bake the Look of STUDY into the LUT file OUT."""
    import attrs

    from sfumato.core.study import Joint, Span
    from sfumato.work.luts import write_lut
    from sfumato.work.proof import span_words
    from sfumato.work.study_store import open_study

    opened = open_study(study)
    ends = _span(span)
    if ends is None and opened.span.with_ground:
        opened = attrs.evolve(opened, span=Span(Joint.GROUND, opened.span.end))
    transform = opened.transform(ends)
    comments = span_words(opened) if ends is None else _named(ends)
    transform = attrs.evolve(transform, comments=comments)
    write_lut(transform, target, format=key, grid=grid or opened.grid, title=title, force=force)


def _span(text: str | None) -> tuple[str, str] | None:
    if text is None:
        return None
    from sfumato.core.encodings import encoding

    parts = text.split(":")
    if len(parts) != 2:
        raise click.BadParameter("give two encodings as IN:OUT", param_hint="--span")
    return encoding(parts[0]).name, encoding(parts[1]).name


def _named(ends: tuple[str, str]) -> tuple[str, ...]:
    from sfumato.core.encodings import encoding

    a, b = (encoding(e) for e in ends)
    return (f"expects {a.name} ({a.title}), gives {b.name} ({b.title})",)


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
@_force
@_guarded
def apply_(
    paths: tuple[Path, ...],
    strength: float,
    interp: str,
    from_: str | None,
    to: str | None,
    bits: str | None,
    force: bool,
) -> None:
    """Apply one or more LUT files, in order, to the picture IN and write OUT."""
    if len(paths) < 3:
        raise click.UsageError("give at least one LUT, then IN, then OUT")
    from sfumato.core.encodings import encoding
    from sfumato.core.sample import load_kernels
    from sfumato.work.frames import open_still
    from sfumato.work.luts import read_lut
    from sfumato.work.stills import applied, default_bits, kind_for, write_still

    *luts, source, target = paths
    kind_for(target)
    transforms = [read_lut(p).transform for p in luts]
    if strength != 100:
        transforms = [t.at_strength(strength / 100) for t in transforms]
    still = open_still(source)
    load_kernels()
    pixels = applied(
        transforms,
        still,
        bits=int(bits) if bits else default_bits(still, target.suffix),
        interp=interp,
        from_encoding=encoding(from_).name if from_ else None,
        to_encoding=encoding(to).name if to else None,
    )
    keep = still.facts.profile if from_ is None and to is None else b""
    write_still(pixels, target, profile=keep, force=force)


def _transform(path: Path) -> Any:
    """Read a LUT file, or the exact path of a study."""
    from sfumato.work.luts import read_lut
    from sfumato.work.study_store import SUFFIX, open_study

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

    from sfumato.core.encodings import encoding
    from sfumato.core.measure import cube_colours, difference
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
