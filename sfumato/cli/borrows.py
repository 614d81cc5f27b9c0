"""The command that takes looks out of pictures: borrow."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import attrs
import click

from sfumato.cli.options import (
    PathArgument,
    force_option,
    format_option,
    guarded,
    json_option,
    one_line,
    said,
    told,
)


@click.command()
@click.argument("target", metavar="OUT", type=PathArgument)
@click.option(
    "--before", multiple=True, type=PathArgument, help="A picture as it was, or a folder."
)
@click.option("--after", multiple=True, type=PathArgument, help="The same graded, or a folder.")
@click.option("--on", "shot", type=PathArgument, help="The picture that a reference is for.")
@click.option("--reference", multiple=True, type=PathArgument, help="A picture to borrow from.")
@click.option(
    "--amount",
    type=click.FloatRange(0, 200),
    default=40.0,
    show_default=True,
    help="Percent of what the reference asks for.",
)
@click.option("--keep-greys", is_flag=True, help="Of a reference: leave greys as they are.")
@click.option("--spare-skin", is_flag=True, help="Of a reference: leave skin hues as they are.")
@click.option("--from", "source", default="", help="Encoding of the pictures before, or of --on.")
@click.option("--to", "result", default="", help="Encoding of the pictures after, or references.")
@click.option("--study", type=PathArgument, help="A study whose working encoding and View count.")
@format_option
@force_option
@json_option
@guarded
def borrow(
    target: Path,
    before: tuple[Path, ...],
    after: tuple[Path, ...],
    shot: Path | None,
    reference: tuple[Path, ...],
    amount: float,
    keep_greys: bool,
    spare_skin: bool,
    source: str,
    result: str,
    study: Path | None,
    key: str | None,
    force: bool,
    as_json: bool,
) -> None:
    """Take a look out of pictures: of one before and after, or of a reference of other content.

    OUT is a LUT, a `.look` preset of glazes or a `.sfumato` study. Several pairs make one look; two
    folders are paired by name. What the glazes do not explain goes into a LUT beside OUT.
    """
    from sfumato.core.compiled import load_kernels
    from sfumato.core.study.loan import Amounts, Loan
    from sfumato.work.borrow.pairs import from_pairs
    from sfumato.work.borrow.references import from_reference, ours_of
    from sfumato.work.borrow.sides import paired, sides
    from sfumato.work.borrow.written import write
    from sfumato.work.stores.study_store import open_study

    load_kernels()
    by_pair = bool(before or after)
    if by_pair == bool(shot or reference):
        raise click.UsageError("give --before and --after, or --on and --reference")
    if by_pair and not (before and after):
        raise click.UsageError("--before goes with --after")
    if not by_pair and not (shot and reference):
        raise click.UsageError("--on goes with --reference")
    into = None if study is None else open_study(study)
    if by_pair:
        files = paired(before, after)
        sources = [f for pair in files for f in pair]
        found = from_pairs(files, source, result, into)
    else:
        assert shot is not None
        amounts = Amounts(strength=amount, keep_greys=keep_greys, spare_skin=spare_skin)
        sources = [shot, *reference]
        on, *references = sides(sources, [source] + [result] * len(reference))
        loan = Loan(amounts=amounts)
        found = from_reference(ours_of(on, into), references, loan, into)
        if on.doubt:
            found = attrs.evolve(found, guesses=(on.doubt, *found.guesses))
    if study is not None:
        sources.append(study)
    written = write(found, target, force=force, key=key, sources=sources)
    said(target, written.said)
    if as_json:
        click.echo(json.dumps(_answer(found, written)))
        return
    for remark in (*found.guesses, *found.remarks):
        told(remark)
    if found.guesses:
        told("--from and --to name encodings that the files do not")
    _print(found, written)


def _figures(difference: Any) -> dict[str, float] | None:
    if difference is None:
        return None
    return {"mean": difference.mean, "p99": difference.p99, "worst": difference.worst}


def _answer(found: Any, written: Any) -> dict[str, Any]:
    is_pair = found.mode == "pair"
    return {
        "out": str(written.file),
        "beside": str(written.beside) if written.beside else None,
        "mode": found.mode,
        "explained": found.told.share if is_pair else None,
        "left": _figures(found.left),
        "doing_nothing": _figures(found.nothing),
        "glazes": [
            {"key": s.key, "left_mean": s.left if is_pair else None} for s in found.told.steps
        ],
        "agree": found.agree if is_pair else None,
        "remarks": [*found.guesses, *found.remarks],
    }


def _print(found: Any, written: Any) -> None:
    click.echo(one_line(f"{written.file}: borrowed from {found.name}"))
    if found.mode != "pair":
        for step in found.told.steps:
            click.echo(f"  {step.key}")
        return
    click.echo(f"  nothing done: mean {found.told.off:.2f} ΔE of the colours that were seen")
    for step in found.told.steps:
        click.echo(f"  after {step.key}: {step.left:.2f}")
    click.echo(f"  the glazes explain {100 * found.told.share:.0f} % of the difference")
    d = found.left
    click.echo(
        f"  on the pictures: mean {d.mean:.2f}, 99 % under {d.p99:.2f}, worst {d.worst:.2f} ΔE"
    )
    if written.beside is not None:
        click.echo(one_line(f"  what they leave is in {written.beside}"))


COMMANDS = (borrow,)
