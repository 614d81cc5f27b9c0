"""Commands that look at LUTs: assay, proof."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import (
    PathArgument,
    bytes_of,
    guarded,
    json_option,
    one_line,
    reading_option,
    told,
)


@click.command("assay")
@click.argument("files", metavar="FILE...", nargs=-1, required=True, type=PathArgument)
@reading_option
@json_option
@guarded
def assay_(files: tuple[Path, ...], reading: str, as_json: bool) -> None:
    """Say what LUT files are and what is wrong with them."""
    from sfumato.core.compiled import load_for
    from sfumato.core.errors import SfumatoError
    from sfumato.core.measure.assay import assay
    from sfumato.core.measure.checks.repairs import REPAIRS
    from sfumato.work.luts.batch import stored_of
    from sfumato.work.luts.lut_files import display_of, read_lut

    load_for(bytes_of(files) // 20)  # a line of text for each colour
    answers: list[dict[str, Any]] = []
    failed = 0
    for file in files:
        try:
            found = read_lut(file, reading)
            result = assay(found.transform, display_of(found.transform), stored_of(found))
        except SfumatoError as error:
            failed += 1
            answers.append({"file": str(file), "error": error.sentence()})
            told(error.sentence())
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
        answers.append(facts)
        if not as_json:
            title = f" “{found.transform.title}”" if found.transform.title else ""
            click.echo(one_line(f"{file}: {found.key}, {result.kind}{title}"))
            for words in found.remarks:
                click.echo(f"  remark   {words}")
            for f in result.findings:
                offered = f.repair in (*result.repairs(), "limit")
                mend = f" [--repair {f.repair!r}: {REPAIRS[f.repair].title}]" if offered else ""
                click.echo(f"  {f.level.value:<8} {f.title}. {f.sentence}{mend}")
            if len(found.readings) > 1:
                also = "; ".join(found.readings[:12])
                click.echo(one_line(f"  read as  {found.reading}; also: {also}"))
    if as_json:
        click.echo(json.dumps({"files": answers}))
    if failed:
        sys.exit(1)


def _transform(path: Path) -> Any:
    """Read a LUT file, or the exact path of a study."""
    from sfumato.work.luts.lut_files import read_lut
    from sfumato.work.stores.study_store import SUFFIX, open_study

    if path.suffix == SUFFIX:
        return open_study(path).transform()
    return read_lut(path).transform


@click.command()
@click.argument("a", type=PathArgument)
@click.argument("b", type=PathArgument)
@click.option("--on", "pictures", multiple=True, type=PathArgument, help="A picture; may repeat.")
@click.option("--display", default="BT.1886", show_default=True, help="How results are shown.")
@json_option
@guarded
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


COMMANDS: tuple[click.Command, ...] = (
    assay_,
    proof,
)
