"""A look out of references of other content: pictures in, glazes and a LUT out."""

from __future__ import annotations

from collections.abc import Sequence

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.borrow import reference
from sfumato.core.borrow.explain import Explained
from sfumato.core.borrow.reference import Link
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.controls import Pair
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.bake import baked
from sfumato.core.lut.transform import Transform
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.loan import REFERENCE, Loan, Pick, Place, Region
from sfumato.core.study.look import Look
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.borrowing import Borrowing, entry_of, study_for
from sfumato.work.borrow.sides import Side, worked

_GRID = 33
_USUAL = Loan()
_PICKED = 0.012  # of a side: the square whose mean is a picked colour
_PALE = 0.05  # Oklab chroma of a picked colour that would be held back among greys
_OF_EACH = 60_000  # pixels of a picture that tell its colours


@frozen(eq=False)
class Ours:
    """What a reference is for: a shot where the borrowed glazes are to begin.

    Attributes:
        code: working code values (h, w, 3), a small picture.
        entry: the encoding that a LUT of it is to expect.
        base: the glazes that the code went through already, of the Look.
    """

    code: Rgb
    name: str
    entry: str
    base: tuple[Coat, ...] = ()
    shot: Shot | None = None


def ours_of(side: Side, study: Study | None) -> Ours:
    """Return a picture as what a reference is for, at the beginning of the Look."""
    study = study_for(study, side.encoding)
    space = encoding(side.encoding)
    code = worked(side.small.pixels, space, encoding(study.working), study.view)
    shot = Shot(str(side.path), side.path.stem, side.encoding)
    return Ours(code, side.path.stem, entry_of(side.encoding), (), shot)


def displayed(side: Side, study: Study) -> Rgb:
    """Return a reference as codes of the study's display (h, w, 3), 0..1: scene light through the View."""
    space, display = encoding(side.encoding), encoding(study.view.encoding)
    code = side.small.pixels
    if space.is_scene:
        working = encoding(study.working)
        code = shown(worked(code, space, working, study.view), working, study.view, display)
    else:
        code = convert(code, space, display)
    return np.clip(code, 0, 1)


def part_of(picture: Rgb, region: Region) -> Rgb:
    """Return the colours (k, 3) of a part of a picture, given by shares."""
    high, wide = picture.shape[:2]
    x0, y0, x1, y1 = region
    left, top = min(int(x0 * wide), wide - 1), min(int(y0 * high), high - 1)
    right, bottom = max(round(x1 * wide), left + 1), max(round(y1 * high), top + 1)
    return np.ascontiguousarray(picture[top:bottom, left:right].reshape(-1, 3))


def mean_of(picture: Rgb, region: Region) -> Rgb:
    """Return the mean colour (1, 3) of a part."""
    return np.asarray(part_of(picture, region).mean(axis=0, keepdims=True), np.float32)


def mean_about(picture: Rgb, place: Place) -> Rgb:
    """Return the mean colour (1, 3) about a place."""
    reach = _PICKED / 2
    x, y = place
    area = (max(x - reach, 0), max(y - reach, 0), min(x + reach, 1), min(y + reach, 1))
    return mean_of(picture, area)


def _every(colours: Rgb) -> Rgb:
    flat = colours.reshape(-1, 3)
    return np.ascontiguousarray(flat[:: max(1, len(flat) // _OF_EACH)])


def from_reference(
    ours: Ours,
    references: Sequence[Side],
    loan: Loan = _USUAL,
    study: Study | None = None,
    check: StillWanted = always_wanted,
) -> Borrowing:
    """Take a starting point for a shot out of references of other content.

    Args:
        loan: the amounts, and the parts and colours that belong together; those of files that are
            not among the references are passed over.

    Raises:
        ValueRefused: there is nothing to see in one of them.
    """
    if not references:
        raise ValueRefused("no reference", hint="give a picture to borrow from")
    study = study_for(study, ours.entry)
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding)
    seen = {}
    for each in references:
        check()
        seen[str(each.path)] = displayed(each, study)
    ties = [t for t in loan.ties if t.file in seen]
    links = [Link(part_of(ours.code, t.ours), part_of(seen[t.file], t.theirs)) for t in ties]
    if not links:
        links = [Link(_every(ours.code), np.concatenate([_every(v) for v in seen.values()]))]
    told = reference.borrowed(links, working, view, display, loan.amounts, check)
    picks = [p for p in loan.picks if p.file in seen]
    picked = _nudges(picks, ours, seen, told, study) if picks else ()
    name = references[0].path.stem
    span = (ours.entry, view.encoding if working.is_scene else ours.entry)
    found = Borrowing(
        REFERENCE, study, told, None, Transform(()), span,
        remarks=(reference.STARTING_POINT,), name=name,
        guesses=tuple(s.doubt for s in references if s.doubt),
        shots=(ours.shot,) if ours.shot is not None else (), picked=picked, base=ours.base,
    )  # fmt: skip
    look = Look("", (*ours.base, *found.coats))
    return attrs.evolve(found, table=baked(attrs.evolve(study, look=look).transform(span), _GRID))


def _nudges(
    picks: Sequence[Pick], ours: Ours, seen: dict[str, Rgb], told: Explained, study: Study
) -> tuple[Coat, ...]:
    """Return the glaze that brings picked colours, after the other glazes, where they should be."""
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding)

    def lab(code: Rgb) -> tuple[float, float, float]:
        found = oklab.from_light(working.decode(np.ascontiguousarray(code, np.float32)), working)
        light, a, b = (round(float(v), 5) for v in found[0])
        return light, a, b

    pairs = []
    for pick in picks:
        source = lab(told.run(mean_about(ours.code, pick.ours), working, view))
        target = lab(worked(mean_about(seen[pick.file], pick.theirs), display, working, view))
        pairs.append(Pair(source, target, keep=False))
    pale = any(np.hypot(*p.source[1:]) < _PALE for p in pairs)
    return (new_coat("nudges", pairs=tuple(pairs), leave_greys=not pale),)
