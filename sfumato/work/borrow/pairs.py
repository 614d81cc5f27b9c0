"""A look out of pictures before and after: files in, glazes and a LUT out."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import attrs
import numpy as np

from sfumato.core.arrays import Rgb, frozen_array
from sfumato.core.borrow import explain, pair
from sfumato.core.borrow.explain import Explained
from sfumato.core.borrow.matched import MOST, Matched, matched
from sfumato.core.borrow.pair import Borrowed
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.fit import StillWanted, always_wanted
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.study.loan import PAIR
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.borrowing import Borrowing, coded, study_for
from sfumato.work.borrow.sides import sides, worked
from sfumato.work.cancel import Progress, silent

_READ, _TABLED, _TOLD = 0.4, 0.7, 0.95  # shares of the time, as measured on 24 megapixels
_LEAST_REST = 0.05  # CIEDE2000 that the glazes leave, from which a LUT for the rest is worth while
_COMPARED = 200_000  # pixels of each pair
_MANY = 24  # pairs from which on the pixels of each are no fewer: 40,000 tell its colours


def from_pairs(
    files: Sequence[tuple[Path, Path]],
    source: str = "",
    result: str = "",
    study: Study | None = None,
    check: StillWanted = always_wanted,
    progress: Progress = silent,
) -> Borrowing:
    """Take one look out of pictures before and after, which are read pair by pair.

    Args:
        source, result: the encodings of those before and after, where somebody has said them.

    Raises:
        SfumatoError: a picture cannot be read, a pair shows different things, or there is nothing to
            see in it; of several pairs such ones are left out, and all of them have to be such.
    """
    if not files:
        raise ValueRefused("no pictures to compare", hint="give one before and one after")
    matches: list[Matched] = []
    remarks: list[str] = []
    shots: list[Shot] = []
    ends: list[Encoding] = []
    fault: SfumatoError | None = None
    is_guess = False
    for i, places in enumerate(files):
        check()
        progress(_READ * i / len(files), f"Laying {places[1].name} over {places[0].name}")
        try:
            before, after = sides(places, (source, result))
            found = matched(before.pixels, after.pixels, check, most=MOST // min(len(files), _MANY))
        except SfumatoError as error:
            fault = fault or error.alone()
            remarks.append(f"{places[0].name} is left out: {error.summary}")
            continue
        guessed = [s.doubt for s in (before, after) if s.doubt]
        remarks += guessed
        is_guess = is_guess or bool(guessed)
        ends = ends or [coded(before), coded(after)]
        matches.append(
            attrs.evolve(
                found,
                before=convert(found.before, before.encoding, ends[0]),
                after=convert(found.after, after.encoding, ends[1]),
            )
        )
        shots.append(Shot(str(before.path), before.path.stem, before.encoding))
    if fault is not None and not matches:
        raise fault
    one, two = ends
    progress(_READ, "Seeing what is a matter of colour")
    looked = pair.looked(matches, check)
    progress(_TABLED, "Telling it in glazes")
    study = study_for(study, one.name)
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding) if two.is_scene else two
    carried = Pairs(
        worked(looked.pairs.before, one, working, view).astype(np.float64),
        worked(looked.pairs.after, two, working, view).astype(np.float64),
        looked.pairs.weight,
    )
    told = explain.explained(carried, working, view, display, check=check)
    progress(_TOLD, "Making a LUT of the rest")
    rest = None
    if told.left > _LEAST_REST:
        nodes = explain.residual(carried, told, working, view, looked.strength, check)
        rest = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    left, nothing = _compared(looked, told, rest, study, one.name, two.name, display.name)
    masked = sum(float(p.left_out.sum()) for p in looked.pictures)
    whole = sum(float(p.matched.inside.sum()) for p in looked.pictures)
    if masked > 0.002 * whole:
        remarks.append(
            f"{100 * masked / whole:.1f} % of the picture is no matter of colour: left out"
        )
    if looked.has_edges:
        remarks.append("edges were altered too (sharpened, scaled, compressed): they count less")
    shares = 100 * float(looked.known.mean())
    remarks.append(f"{shares:.0f} % of the nodes lie beside a colour that was seen")
    name = files[0][1].stem
    return Borrowing(
        PAIR, study, told, rest, looked.table, (one.name, two.name), left, nothing,
        min(m.laid.agreement for m in matches), tuple(remarks), name, looked, tuple(shots), is_guess,
    )  # fmt: skip


def _compared(
    looked: Borrowed,
    told: Explained,
    rest: Transform | None,
    study: Study,
    one: str,
    two: str,
    display: str,
) -> tuple[Difference, Difference]:
    """Compare what the glazes with the rest, and nothing, make of the pictures with those after."""
    space, working = encoding(display), encoding(study.working)
    before, after = [], []
    for p in looked.pictures:
        there = p.weight > 0.5
        every = max(1, int(there.sum()) // _COMPARED)
        before.append(p.matched.before[there][::every])
        after.append(p.matched.after[there][::every])
    first = worked(np.concatenate(before), encoding(one), working, study.view)
    last = worked(np.concatenate(after), encoding(two), working, study.view)

    def seen(code: Rgb) -> Rgb:
        return np.clip(shown(code, working, study.view, space), 0, 1)

    made = told.run(first, working, study.view)
    if rest is not None:
        made = rest.apply(made)
    truth = seen(last)
    return tuple(difference_of((seen(v), truth), first, space) for v in (made, first))  # type: ignore[return-value]
