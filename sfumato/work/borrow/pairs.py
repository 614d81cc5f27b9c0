"""A look out of pictures before and after: files in, glazes and a LUT out."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import attrs
import numpy as np

from sfumato.core.arrays import Rgb, frozen_array
from sfumato.core.borrow import explain, pair
from sfumato.core.borrow.explain import Explained
from sfumato.core.borrow.matched import MOST, Matched, matched
from sfumato.core.borrow.pair import Borrowed
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.showing import can_be_undone, shown
from sfumato.core.controls import LutFile
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.glazes.lut import AS_IT_IS
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import through_coat
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.loan import PAIR
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.borrowing import Borrowing, entry_of, study_for
from sfumato.work.borrow.sides import sides, worked
from sfumato.work.cancel import Progress, silent

_READ, _TABLED, _TOLD = 0.4, 0.7, 0.95  # shares of the time, as measured on 24 megapixels
_LEAST_REST = 0.05  # CIEDE2000 that the glazes leave, from which a LUT for the rest is worth while
_COMPARED = 60_000  # pixels of each pair
_IN_MEMORY = "the rest"  # the name of the LUT until it is written: one without is none
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
    guesses: list[str] = []
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
        guesses += [s.doubt for s in (before, after) if s.doubt]
        ends = ends or [encoding(entry_of(s.encoding)) for s in (before, after)]
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
    rest, rest_left = None, told.left
    if told.left > _LEAST_REST:
        rest, rest_left = _rest(carried, told, study, two, looked.strength, check)
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
        min(m.laid.agreement for m in matches), tuple(remarks), name, looked, tuple(shots), tuple(guesses),
        rest_left=rest_left,
    )  # fmt: skip


def _rest(
    pairs: Pairs,
    told: Explained,
    study: Study,
    after: Encoding,
    strength: float,
    check: StillWanted,
) -> tuple[Coat | None, float]:
    """Return the LUT glaze of what the glazes leave, and what that leaves; None where it is no better.

    It acts on codes of the display when those were seen: colours of a display, taken back through the
    View to scene light, lie far apart where it is nearly saturated, and a lattice over them would be
    right nowhere else.
    """
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding)
    made = told.run(np.ascontiguousarray(pairs.before, np.float32), working, view)
    wanted = np.ascontiguousarray(pairs.after, np.float32)
    is_shown = working.is_scene and not after.is_scene
    if is_shown and can_be_undone(working, view, display):
        made, wanted = (shown(v, working, view, display) for v in (made, wanted))
    else:
        is_shown = False
    nodes = explain.residual(made, wanted, pairs.weight, strength, check)
    table = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    end = view.encoding if is_shown else AS_IT_IS
    held = LutFile(_IN_MEMORY, table)
    values: dict[str, Any] = {"file": held, "expects": end, "gives": end}
    coat = attrs.evolve(new_coat("lut", **values), name="The rest")
    few = explain.standing_for_all(pairs)
    apart = explain.apart_of(few, explain.Seen(working, view, display))
    code = told.run(np.ascontiguousarray(few.before, np.float32), working, view)
    left = apart(through_coat(coat, code, working, view))
    return (coat, left) if told.left - left > _LEAST_REST else (None, told.left)


def _compared(
    looked: Borrowed,
    told: Explained,
    rest: Coat | None,
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
        made = through_coat(rest, made, working, study.view)
    truth = seen(last)
    return tuple(difference_of((seen(v), truth), first, space) for v in (made, first))  # type: ignore[return-value]
