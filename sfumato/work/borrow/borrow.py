"""Borrowing: pictures in, glazes and a LUT out."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Rgb, frozen_array
from sfumato.core.borrow import explain, pair, reference
from sfumato.core.borrow.explain import Explained
from sfumato.core.borrow.matched import MOST, Matched, matched
from sfumato.core.borrow.pair import Borrowed
from sfumato.core.borrow.reference import Amounts, Link
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import Encoding, Family, convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.controls import LutFile
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.lut.bake import baked
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.fit import StillWanted, always_wanted
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.look import Look
from sfumato.core.study.preset import Preset
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.sides import Side, sides, worked
from sfumato.work.files import Sources, check_free, write_bytes
from sfumato.work.luts.deliver import write_lut
from sfumato.work.stores.presets import LOOK, write_preset
from sfumato.work.stores.study_store import as_bytes

PAIR, REFERENCE = "pair", "reference"
_STUDY = ".sfumato"
_GRID = 33
USUAL = Amounts()
_LEAST_REST = 0.05  # CIEDE2000 that the glazes leave, from which a LUT for the rest is worth while
_COMPARED = 200_000  # pixels of each pair
_MANY = 24  # pairs from which on the pixels of each are no fewer: 40,000 tell its colours


@frozen(eq=False)
class Borrowing:
    """What came of it.

    Attributes:
        mode: PAIR or REFERENCE.
        study: what the glazes were made for: its working encoding and View.
        told: the glazes, and what each leaves.
        rest: the LUT of what the glazes leave, working codes to working codes; None where there is none.
        table: from the codes of the first picture to those of the result, of a pair.
        spans: the encodings that a LUT of it expects and gives.
        left, nothing: of the pictures, with all of it and with nothing, CIEDE2000.
        agree: the share of places that agree, the least of the pairs.
        is_guess: whether an encoding was guessed, as the remarks say.
    """

    mode: str
    study: Study
    told: Explained
    rest: Transform | None
    table: Transform
    spans: tuple[str, str]
    left: Difference | None = None
    nothing: Difference | None = None
    agree: float = 1.0
    remarks: tuple[str, ...] = ()
    name: str = ""
    pair: Borrowed | None = field(default=None, repr=False)
    shots: tuple[Shot, ...] = ()
    is_guess: bool = False

    @property
    def coats(self) -> tuple[Coat, ...]:
        """The glazes as they stand in a Ledger, without the rest."""
        return tuple(
            attrs.evolve(
                new_coat(s.key), parameters=s.parameters, note=f"borrowed from {self.name}"
            )
            for s in self.told.steps
        )


def _study_for(study: Study | None, source: str) -> Study:
    return study if study is not None else Study().suited_to(source)


def _said_of(sides: Iterable[Side]) -> list[str]:
    return [f"{s.title} is taken for {s.encoding}: {s.evidence}" for s in sides if not s.sure]


def _coded(side: Side) -> Encoding:
    """Return the encoding in which a picture's colours are compared: of light its logarithm."""
    space = encoding(side.encoding)
    return encoding("ACEScct") if space.family is Family.LINEAR else space


def from_pairs(
    files: Sequence[tuple[Path, Path]],
    source: str = "",
    result: str = "",
    study: Study | None = None,
    check: StillWanted = always_wanted,
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
    for places in files:
        check()
        try:
            before, after = sides(places, (source, result))
            found = matched(before.pixels, after.pixels, check, most=MOST // min(len(files), _MANY))
        except SfumatoError as error:
            fault = fault or error.alone()
            remarks.append(f"{places[0].name} is left out: {error.summary}")
            continue
        guessed = _said_of((before, after))
        remarks += guessed
        is_guess = is_guess or bool(guessed)
        ends = ends or [_coded(before), _coded(after)]
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
    looked = pair.looked(matches, check)
    study = _study_for(study, one.name)
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding) if two.is_scene else two
    carried = Pairs(
        worked(looked.pairs.before, one, working, view).astype(np.float64),
        worked(looked.pairs.after, two, working, view).astype(np.float64),
        looked.pairs.weight,
    )
    told = explain.explained(carried, working, view, display, check=check)
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


def from_reference(
    shot: Side,
    references: Sequence[Side],
    amounts: Amounts = USUAL,
    study: Study | None = None,
    check: StillWanted = always_wanted,
) -> Borrowing:
    """Take a starting point for a shot out of references of other content.

    Raises:
        ValueRefused: there is nothing to see in one of them.
    """
    if not references:
        raise ValueRefused("no reference", hint="give a picture to borrow from")
    study = _study_for(study, shot.encoding)
    working, view = encoding(study.working), study.view
    display = encoding(view.encoding)
    code = worked(shot.colours, encoding(shot.encoding), working, view)
    shown_ones = []
    for each in references:
        space = encoding(each.encoding)
        if space.is_scene:  # as it would be shown
            here = worked(each.colours, space, working, view)
            shown_ones.append(shown(here, working, view, display))
        else:
            shown_ones.append(convert(each.colours, space, display))
    links = [Link(code, np.clip(np.concatenate(shown_ones), 0, 1))]
    told = reference.borrowed(links, working, view, display, amounts, check)
    one = _coded(shot)
    span = (one.name, view.encoding if working.is_scene else one.name)
    coats = tuple(attrs.evolve(new_coat(s.key), parameters=s.parameters) for s in told.steps)
    table = baked(attrs.evolve(study, look=Look("", coats)).transform(span), _GRID)
    guessed = _said_of([shot, *references])
    remarks = (*guessed, reference.STARTING_POINT)
    name = references[0].path.stem
    shots = (Shot(str(shot.path), shot.path.stem, shot.encoding),)
    return Borrowing(
        REFERENCE, study, told, None, table, span,
        remarks=remarks, name=name, shots=shots, is_guess=bool(guessed),
    )  # fmt: skip


@frozen
class Written:
    """The files that were written: OUT, and the LUT of the rest beside it."""

    file: Path
    beside: Path | None = None
    said: tuple[str, ...] = ()


def write(
    found: Borrowing, out: Path, *, force: bool = False, key: str | None = None,
    sources: Sequence[Path] = (),
) -> Written:  # fmt: skip
    """Write what was borrowed: a `.look` preset or a study with the glazes, else a LUT.

    Raises:
        ExportError: a file exists and `force` is false, or the place cannot be written.
    """
    kept = Sources.of(sources)
    if out.suffix.lower() not in (LOOK, _STUDY):
        note = f"borrowed from {found.name}"
        table = attrs.evolve(
            found.table, comments=(span_note.written(*found.spans), note), title=found.name
        )
        held = write_lut(table, out, format=key, title=found.name, force=force, sources=kept)
        return Written(out, None, tuple(held.said))
    kept.check(out)
    if not force:
        check_free(out)
    coats = list(found.coats)
    beside: Path | None = None
    said: tuple[str, ...] = ()
    if found.rest is not None:
        beside = out.with_name(f"{out.stem}_rest.cube")
        working = found.study.working
        rest = attrs.evolve(found.rest, comments=(span_note.written(working, working),))
        held = write_lut(rest, beside, title=f"{found.name}, the rest", force=force, sources=kept)
        said = tuple(held.said)
        values: dict[str, Any] = {"file": LutFile(os.path.abspath(beside), rest)}
        coats.append(attrs.evolve(new_coat("lut", **values), name="The rest"))
    if out.suffix.lower() == LOOK:
        preset = Preset(found.name, tuple(coats), found.study.working, _words(found))
        write_preset(preset, out, force=force)
    else:
        study = attrs.evolve(found.study, look=Look(found.name, tuple(coats)), name=found.name)
        if not study.shots:
            study = attrs.evolve(study, shots=found.shots)
        write_bytes(out, as_bytes(study, out.resolve().parent), force=force)
    return Written(out, beside, said)


def _words(found: Borrowing) -> str:
    if found.mode == REFERENCE:
        return f"Borrowed from {found.name}: a starting point."
    share = 100 * found.told.share
    return f"Borrowed from {found.name}: these glazes explain {share:.0f} % of the difference."
