"""The Ground of every shot as an ASC CDL: a collection, a file for each shot, and an edit list.

The collection and the files hold the numbers in the working encoding of the study. The edit list is
of the form CMX 3600, with the comments ASC_SOP and ASC_SAT that editing programs read.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ExportError, FormatError, MediaError
from sfumato.core.lut.cdl_fit import fitted_cdl
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.stages import CdlStage
from sfumato.core.path import path
from sfumato.core.study.outlet import CORRECTIONS
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.formats.cdl import collected
from sfumato.work.files import plain_name, write_bytes
from sfumato.work.luts.deliver import REPLACE, Loss
from sfumato.work.luts.reading import opencolorio
from sfumato.work.outlets.folders import whole_folder
from sfumato.work.outlets.order import Form, Order, Written, free_together
from sfumato.work.results.timecode import later

NAME, LIST = "corrections.ccc", "corrections.edl"
_WIDTH = 240  # of the pictures on which a correction is fitted and measured
_RATE = 24  # frames a second of stills, and of clips that do not say theirs
_AGREES = 1e-5


@frozen(eq=False)
class Correction:
    """A shot's Ground as a CDL, and how far the picture is off through it."""

    shot: Shot
    stage: CdlStage
    loss: Difference
    before: Rgb  # colours on which it was measured, working codes
    seen: tuple[Rgb, Rgb]  # of them: exactly, and through the CDL


def correction_of(study: Study, order: Order, shot: Shot) -> Correction:
    """Fit a CDL to a shot's Ground, and measure it through Look and View.

    Raises:
        MediaError: the shot cannot be read.
    """
    source = order.frames.sample(shot, _WIDTH)
    before = path.to_working(shot, study, source).reshape(-1, 3)
    exact = path.through_ground(shot, study, before)
    stage = attrs.evolve(
        fitted_cdl(before, exact), id=shot.name, descriptions=(f"In {study.working}.",)
    )

    def shown(code: Rgb) -> Rgb:
        return path.through_view(study, path.through_look(study, code))

    seen = shown(exact), shown(stage.apply(before))
    loss = difference_of(seen, before, encoding(study.view.encoding))
    return Correction(shot, stage, loss, before, seen)


def reel_of(name: str, number: int) -> str:
    """Return a reel name as edit lists hold it: up to 8 capitals and digits.

    >>> reel_of("portrait, window", 3)
    'PORTRAIT'
    """
    return re.sub(r"[^A-Z0-9]", "", name.upper())[:8] or f"SHOT{number:03}"


def _lengths(found: Correction, order: Order) -> tuple[int, int, int]:
    """Return first frame, count of frames and frames a second of a shot."""
    shot = found.shot
    facts = order.frames.told(shot).facts
    rate = round(facts.rate) or _RATE
    last = facts.frames - 1 if shot.last is None else shot.last
    count = last - shot.first + 1
    return (shot.first, count, rate) if facts.frames > 1 else (0, rate, rate)


def edit_list(title: str, found: list[Correction], lengths: list[tuple[int, int, int]]) -> str:
    """Return an edit list of form CMX 3600, one event a shot, with SOP and SAT comments."""
    plain = re.sub(r"[^\x20-\x7e]", "_", title)[:70]
    lines = [f"TITLE: {plain}", "FCM: NON-DROP FRAME", ""]
    at, used = "01:00:00:00", set[str]()
    for number, (each, (first, count, rate)) in enumerate(zip(found, lengths, strict=True), 1):
        reel = reel_of(each.shot.name, number)
        if reel in used:
            reel = f"{reel[:5]}{number:03}"
        used.add(reel)
        start = later("00:00:00:00", first, rate)
        end, after = later(start, count, rate), later(at, count, rate)
        lines.append(f"{number:03}  {reel:<8} V     C        {start} {end} {at} {after}")
        name = re.sub(r"[\x00-\x1f\x7f]", " ", Path(each.shot.path).name)
        lines.append(f"* FROM CLIP NAME: {name}")
        stage = each.stage
        sop = "".join(
            "({:.6f} {:.6f} {:.6f})".format(*v) for v in (stage.slope, stage.offset, stage.power)
        )
        lines += [f"* ASC_SOP {sop}", f"* ASC_SAT {stage.saturation:.6f}", ""]
        at = after
    return "\r\n".join(lines)


def _said(study: Study, found: list[Correction]) -> Iterator[str]:
    for each in found:
        d = each.loss
        words = f"{each.shot.name}: mean {d.mean:.2f}, worst {d.worst:.2f} ΔE"
        other = each.shot.encoding
        if other is not None and other != study.working:
            words += f"; its footage is in {other}, the numbers are in {study.working}"
        yield words


def _write(order: Order) -> Written:
    study, found = order.study, list[Correction]()
    for i, shot in enumerate(study.shots):
        order.cancel.check()
        order.progress(0.7 * i / len(study.shots), f"fitting {shot.name}")
        try:
            found.append(correction_of(study, order, shot))
        except MediaError as error:
            raise ExportError(f"{shot.name}: {error.summary}", hint=error.hint) from error
    if not found:
        raise ExportError("there is no shot", hint="bring shots in first")
    (folder,) = free_together(order, ("",))
    with whole_folder(folder, replace=order.existing == REPLACE) as made:
        write_bytes(made / NAME, collected([c.stage for c in found]))
        names = list[str]()
        for each in found:
            name = plain_name(each.shot.name)
            name = name if name not in names else f"{name} {len(names) + 1}"
            names.append(name)
            write_bytes(made / f"{name}.cc", collected([each.stage], alone=True))
        lengths = [_lengths(c, order) for c in found]
        write_bytes(made / LIST, edit_list(order.title, found, lengths).encode())
        order.progress(0.9, "reading it with the OpenColorIO library")
        wrong = _library_says([made / f"{n}.cc" for n in names], found)
    display = encoding(study.view.encoding)
    inputs = np.concatenate([c.before for c in found])
    both = tuple(np.concatenate([c.seen[i] for c in found]) for i in (0, 1))
    loss = difference_of((both[0], both[1]), inputs, display)
    files = (folder / NAME, folder / LIST, *(folder / f"{n}.cc" for n in names))
    worst = max(found, key=lambda c: c.loss.worst).shot.name
    return Written(
        files,
        Loss(cube=loss, shots=loss, worst_shot=worst),
        () if wrong else ("OpenColorIO",),
        tuple(_said(study, found)),
        wrong,
    )


def _library_says(files: list[Path], found: list[Correction]) -> str:
    """Return in words what is wrong with files by the library, "" when it reads what we do."""
    for file, each in zip(files, found, strict=True):
        try:
            theirs = opencolorio(file, each.before)
        except FormatError as error:
            return f"{file.name}: {error.summary}"
        if float(np.abs(theirs - each.stage.apply(each.before)).max()) > _AGREES:
            return f"{file.name}: OpenColorIO shows other colours"
    return ""


SPEC = Form(CORRECTIONS, _write, lambda _outlet: "", NAME)
