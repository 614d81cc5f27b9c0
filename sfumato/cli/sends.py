"""Commands that bring looks to their targets: outlets, send, accord, pack."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import PathArgument, guarded, json_option, one_line, told

study_argument = click.argument("study_file", metavar="STUDY", type=PathArgument)
outlet_option = click.option(
    "--outlet", "keys", multiple=True, metavar="KEY", help="An outlet; may repeat."
)
folder_option = click.option(
    "--folder",
    type=PathArgument,
    help="Where outlets write that have no folder; made when missing.",
)


@click.command("outlets")
@click.argument("study_file", metavar="[STUDY]", required=False, type=PathArgument)
@json_option
@guarded
def outlets_(study_file: Path | None, as_json: bool) -> None:
    """List outlets: those of a study first, then those that ship."""
    from sfumato.core import controls
    from sfumato.work.outlets.templates import outlets_of
    from sfumato.work.stores.study_store import open_study

    study = None if study_file is None else open_study(study_file)
    found = outlets_of(study)
    if as_json:
        plain = [
            {"key": o.key, "kind": o.target, "bits": o.depth, **controls.dump(o)}
            for o in found.values()
        ]
        click.echo(json.dumps({"outlets": plain}))
        return
    for o in found.values():
        where = f" -> {o.folder}" if o.folder else ""
        click.echo(one_line(f"{o.key:<16} {o.title}: {o.says}{where}"))


def _chosen(study: Any, keys: tuple[str, ...], folder: Path | None) -> list[Any]:
    """Return the outlets that were named, or all of the study's, with a folder each."""
    import attrs

    from sfumato.core.errors import ValueRefused
    from sfumato.work.files import make_folder
    from sfumato.work.outlets.templates import named_outlets

    found = named_outlets(study, keys) if keys else study.outlets
    if not found:
        raise ValueRefused(
            "the study has no outlets", hint="name some with --outlet; `sfumato outlets` lists them"
        )
    if folder is not None:
        make_folder(folder)
        found = tuple(
            o if o.folder else attrs.evolve(o, folder=str(folder.absolute())) for o in found
        )
    return list(found)


@click.command("send")
@study_argument
@outlet_option
@click.option(
    "--look",
    "names",
    multiple=True,
    metavar="NAME|FILE",
    help="A look; may repeat. Else the study's.",
)
@folder_option
@click.option("--force", is_flag=True, help="Replace files that were not sent from this study.")
@click.option("--remember", is_flag=True, help="Write into the study what was sent.")
@json_option
@guarded
def send_(
    study_file: Path,
    keys: tuple[str, ...],
    names: tuple[str, ...],
    folder: Path | None,
    force: bool,
    remember: bool,
    as_json: bool,
) -> None:
    """Write looks of a study to outlets, a file or folder each; without --outlet to all of the study's.

    A row that is refused leaves the others unharmed; then the exit status is 1.
    """
    from sfumato.core.compiled import load_kernels
    from sfumato.work.frames import Frames
    from sfumato.work.luts.deliver import REFUSE, REPLACE
    from sfumato.work.outlets.looks import named_looks, of_study
    from sfumato.work.outlets.sending import REFUSED, send, with_sent
    from sfumato.work.stores.study_store import open_study, save_study
    from sfumato.work.trip.arrivals import now

    load_kernels()
    study = open_study(study_file)
    to = _chosen(study, keys, folder)
    looks = named_looks(study, names) if names else [of_study(study, next(iter(study.shots), None))]
    when, rows = now(), []
    for row, look in send(
        looks, to, Frames(), when, existing=lambda _o, _f: REPLACE if force else REFUSE
    ):
        rows.append((row, look))
        if not as_json:
            _print(row)
    if remember:
        save_study(with_sent(study, rows, when), study_file)
    if as_json:
        click.echo(json.dumps({"rows": [_answer(row) for row, _look in rows]}))
    if any(row.state == REFUSED for row, _look in rows):
        sys.exit(1)


def _answer(row: Any) -> dict[str, Any]:
    return {
        "look": row.look,
        "outlet": row.outlet.key,
        "file": str(row.files[0]) if row.files else None,
        "files": [str(f) for f in row.files],
        "bytes": row.size,
        "mean": row.mean,
        "p99": row.p99,
        "worst": row.worst,
        "readers": list(row.readers),
        "warnings": list(row.warnings),
        "state": row.state,
        "words": row.words,
    }


def _print(row: Any) -> None:
    from sfumato.work.outlets.sending import REFUSED

    if row.state == REFUSED:
        told(f"{row.look} to {row.outlet.key}: {row.words}")
        return
    measured = f"mean {row.mean:.2f}, worst {row.worst:.2f} ΔE" if row.mean is not None else ""
    readers = f"read by {', '.join(row.readers)}" if row.readers else "no other reader"
    words = "; ".join(filter(None, (row.state, measured, readers, row.words)))
    click.echo(one_line(f"{row.look} to {row.outlet.key}: {row.files[0]}: {words}"))
    for warning in row.warnings:
        click.echo(one_line(f"  {warning}"))


@click.command("accord")
@study_argument
@outlet_option
@json_option
@guarded
def accord_(study_file: Path, keys: tuple[str, ...], as_json: bool) -> None:
    """Measure how far the pictures that targets make of a study's Look lie from it, and from one another.

    Nothing is sent: files are made beside, and read as each target reads them. Without --outlet, the
    targets are the study's outlets, or all that ship when it has none.
    """
    from sfumato.core.compiled import load_kernels
    from sfumato.work.frames import Frames
    from sfumato.work.outlets.accord import accord, answer
    from sfumato.work.outlets.templates import TEMPLATES, named_outlets
    from sfumato.work.stores.study_store import open_study

    load_kernels()
    study = open_study(study_file)
    to = named_outlets(study, keys) if keys else study.outlets or tuple(TEMPLATES.values())
    found = accord(study, to, Frames(), next(iter(study.shots), None))
    if as_json:
        click.echo(json.dumps(answer(found)))
    else:
        _print_accord(found)
    for failed in found.failed:
        told(f"{failed.key}: {failed.fault}")
    if found.failed:
        sys.exit(1)


def _print_accord(found: Any) -> None:
    shots = f"{len(found.shots)} shots" if len(found.shots) != 1 else "1 shot"
    click.echo(one_line(f"{found.look}, on {shots}: ΔE mean, 99 %, worst"))
    for target in found.targets:
        d, worst = target.from_look, target.worst
        itp = " ITP" if d.in_itp else ""
        where = f" at {worst.name}" + (f" in {worst.shot}" if worst.shot else "")
        click.echo(
            one_line(
                f"{target.key:<16} {d.mean:6.2f} {d.p99:6.2f} {d.worst:6.2f}{itp}{where}; {target.engine}"
            )
        )
    apart = [
        (found.pair(i, j).mean, found.targets[i].key, found.targets[j].key)
        for i, j in found.between
    ]
    if apart:
        mean, one, two = max(apart)
        click.echo(one_line(f"farthest from one another: {one} and {two}, mean {mean:.2f} ΔE"))


@click.command("pack")
@click.argument("files", metavar="STUDY|LOOK... OUT", nargs=-1, required=True, type=PathArgument)
@outlet_option
@click.option("--name", help="What the pack is called; else the name of OUT.")
@click.option(
    "--licence", type=PathArgument, help="A text file that says what may be done with it."
)
@click.option("--on", "picture", type=PathArgument, help="The picture it is shown on.")
@click.option("--force", is_flag=True, help="Replace OUT when it exists.")
@json_option
@guarded
def pack_(
    files: tuple[Path, ...],
    keys: tuple[str, ...],
    name: str | None,
    licence: Path | None,
    picture: Path | None,
    force: bool,
    as_json: bool,
) -> None:
    """Put looks into one zip or folder: files for each kind of target, pictures, notes, checksums.

    Looks are studies, presets and LUT files; the first study among them, or a new one, says how they
    are shown. Without --outlet: cube files of 33 points, HALD pictures and strips.
    """
    if len(files) < 2:
        raise click.UsageError("give a study or looks, then the zip or folder")
    *sources, target = files
    import attrs

    from sfumato.core.compiled import load_kernels
    from sfumato.core.errors import FormatError
    from sfumato.core.study.shot import Shot
    from sfumato.core.study.study import Study
    from sfumato.work.files import read_bytes
    from sfumato.work.frames import Frames, open_still
    from sfumato.work.outlets.looks import of_file, of_study
    from sfumato.work.outlets.packs import NO_LICENCE, Pack, make_pack
    from sfumato.work.outlets.templates import named_outlets
    from sfumato.work.stores.study_store import SUFFIX, demo_study, open_study
    from sfumato.work.trip.arrivals import now

    load_kernels()
    studies = {f: open_study(f) for f in sources if f.suffix == SUFFIX}
    first = next(iter(studies.values()), Study())
    if picture is not None:
        facts = open_still(picture).facts
        shot = Shot(str(picture), picture.stem, facts.encoding or first.working)
        first = attrs.evolve(first, shots=(shot,))
    looks = []
    for file in sources:
        study = studies.get(file)
        if study is not None:
            looks.append(of_study(study, next(iter(study.shots), None)))
        else:
            looks.append(of_file(first, file))
    to = named_outlets(first, keys or ("editing33", "photo_hald", "engine32"))
    words = NO_LICENCE if licence is None else read_bytes(licence, FormatError, 1 << 20).decode()
    shown = next(iter(first.shots), None)
    if shown is None:
        demo = demo_study()
        shown = open_study(demo).shots[0] if demo is not None else None
    made = make_pack(
        Pack(name or target.stem, tuple(looks), tuple(to), words),
        target,
        Frames(),
        shown,
        now(),
        force=force,
    )
    if as_json:
        rows = [_answer(row) for row in made.rows]
        click.echo(json.dumps({"pack": str(made.place), "files": made.files, "rows": rows}))
    else:
        click.echo(one_line(f"{made.place}: {made.files} files, {len(looks)} looks"))
    for row in made.refused:
        told(f"{row.look} for {row.outlet.key}: {row.words}")
    if made.refused:
        sys.exit(1)


COMMANDS = (outlets_, send_, accord_, pack_)
