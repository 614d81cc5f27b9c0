"""A return as it is looked at: the look out of it, its pictures, and what of it is sure."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier import arrange, cells, locate
from sfumato.core.carrier.confidence import Confidence, confidence
from sfumato.core.carrier.corners import of_words
from sfumato.core.carrier.frame import nodes_of
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.recover import Recovered
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.table import lattice_colours
from sfumato.core.path.path import through_view, to_working
from sfumato.core.study.journey import Journey
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.files import is_file, stamp_of
from sfumato.work.frames import WHOLE, Frames, scaled, small_size
from sfumato.work.memory import Kept
from sfumato.work.preview.asks import to_bytes
from sfumato.work.trip.returns import (
    DISPLAY,
    Original,
    Returned,
    read_original,
    read_return,
    recover,
)

WIDTH = 1000  # pixels of the pictures that are looked at, at most
_QUANTUM = {"8": 1 / 255, "16": 1 / 65535, "16f": 2**-11, "32f": 2**-23}
_MOST_SHOWN = 144  # points a side of which every node is shown
_JPEG = 1.5 / 255  # what compression leaves after smoothing, root mean square
_MIDDLE = 0.5  # the share of width and height that counts as the middle of a picture


@frozen(eq=False)
class OnShot:
    """A shot through the recovered look, and what each of its pixels rests on."""

    name: str
    picture: Array = attrs.field(repr=False)  # uint8 (h, w, 3)
    rests_on: Array = attrs.field(repr=False)  # (h, w)

    @property
    def shares(self) -> tuple[float, float, float]:
        counts = np.bincount(self.rests_on.ravel(), minlength=3)
        measured, between, guessed = (float(c) / self.rests_on.size for c in counts)
        return measured, between, guessed


@frozen(eq=False)
class Examined:
    """What a room shows of a return: A what came back, B what the LUT makes of what went out."""

    file: Path
    found: Recovered = attrs.field(repr=False)
    sure: Confidence = attrs.field(repr=False)
    a: Array = attrs.field(repr=False)  # uint8 (h, w, 3)
    b: Array = attrs.field(repr=False)
    delta: Array = attrs.field(repr=False)  # CIEDE2000 (h, w)
    where: Array = attrs.field(repr=False)  # codes of 255 (h, w) that no LUT explains
    shot: OnShot | None = None
    apart: tuple[float, float, float] = attrs.field(init=False)  # A and B: mean, 99 %, worst
    middle_and_corners: tuple[float, float] = attrs.field(init=False)  # … means of these parts
    altered: float = attrs.field(init=False)  # `where` at 99.5 %

    @apart.default
    def _apart(self) -> tuple[float, float, float]:
        p99, worst = np.percentile(self.delta, (99, 100))
        return float(self.delta.mean()), float(p99), float(worst)

    @middle_and_corners.default
    def _middle_and_corners(self) -> tuple[float, float]:
        h, w = self.delta.shape
        y, x = (int(side * (1 - _MIDDLE) / 2) for side in (h, w))
        ends = (slice(None, max(y // 2, 1)), slice(-max(y // 2, 1), None))
        sides = (slice(None, max(x // 2, 1)), slice(-max(x // 2, 1), None))
        corners = np.mean([self.delta[e, s].mean() for e in ends for s in sides])
        return float(self.delta[y : h - y, x : w - x].mean()), float(corners)

    @altered.default
    def _altered(self) -> float:
        return float(np.percentile(self.where, 99.5))


def note_of(journey: Journey | None, file: Path, came: str, found: Recovered) -> str:
    """Return the chain of where a recovered look came from, in a line."""
    kind = {"hald": "HALD", "strip": "strip", "frame": "frame carrier"}[found.kind]
    back = f"came back as {file.name}" + (f" {came.replace('T', ' ')}" if came else "")
    rest = f"{back}; {kind} of {found.points} points, {found.depth} bit"
    if journey is None:
        return f"Recovered from a picture that {rest}."
    return (
        f"Recovered from the carrier {Path(journey.path).name}, sent {journey.sent.replace('T', ' ')}"
        f" to {journey.to}; {rest}."
    )


class Returns:
    """Recovers looks, and keeps the newest: as long as neither file changes they are made once."""

    def __init__(self) -> None:
        self._kept = Kept(memory.RETURNS)

    def look(
        self,
        file: Path,
        journey: Journey | None,
        check: StillWanted = always_wanted,
        read: tuple[Returned, Placed | None] | None = None,
        corners: str = "",
    ) -> Recovered:
        """Return the look in a file that came back, its pictures not wider than they are shown.

        Args:
            read: the file as it was read, and where a frame carrier lies in it, when that is known.
            corners: of the block of nodes, set by hand; see `core.carrier.corners.of_words`.
        Raises:
            SfumatoError: it cannot be read, or no carrier is in it.
        """
        carrier = Path(journey.path) if journey is not None and journey.path else None

        def make() -> Recovered:
            back, placed = read or (read_return(file), None)
            check()
            found = recover(
                back, _original(carrier), placed=placed, corners=of_words(corners), check=check
            )
            return _kept_small(found)

        key = (file, stamp_of(file), carrier, carrier and stamp_of(carrier), corners)
        found: Recovered = self._kept.get(key, make)
        return found

    def examine(
        self,
        file: Path,
        study: Study,
        journey: Journey | None,
        shot: Shot | None,
        frames: Frames,
        cancel: Cancel,
    ) -> Examined:
        """Make everything that is shown of a return.

        Raises:
            SfumatoError: it cannot be read, or no carrier is in it.
        """
        with memory.heavy(cancel.check):
            found = self.look(file, journey, cancel.check, corners=_corners(journey, file))
            cancel.check()
            display = encoding(DISPLAY)
            amounts = {f.key: f.amount for f in found.faults}
            noise = amounts.get("grain", 0.0) / 255 + (_JPEG if "jpeg" in amounts else 0.0)
            sure = confidence(found.transform, found.known, _QUANTUM[found.depth], noise, display)
            cancel.check()
            a, b = _sides(found, file)
            cancel.check()
            where = np.abs(a - b).max(-1) * 255
            if found.witness is None and found.where is not None:
                where = found.where
            cancel.check()
            space = journey.encoding if journey is not None else ""
            if space and encoding(space).is_scene:
                a, b = _viewed(study, a, space), _viewed(study, b, space)
                display = encoding(study.view.encoding)
            cancel.check()
            delta = delta_e(np.clip(a, 0, 1), np.clip(b, 0, 1), display).astype(np.float32)
            cancel.check()
            on = None
            if shot is not None:
                try:
                    on = _on_shot(found, sure, study, shot, space, frames)
                except SfumatoError:
                    on = None  # the shot's own fault is said where shots are
            return Examined(file, found, sure, to_bytes(a), to_bytes(b), delta, where, on)


def _corners(journey: Journey | None, file: Path) -> str:
    """Return the corners that were set by hand for a file that came back, "" when none were."""
    back = journey.back(str(file)) if journey is not None else None
    return back.corners if back is not None else ""


def _kept_small(found: Recovered) -> Recovered:
    """Return it with its pictures as large as they are shown."""
    witness, where = found.witness, found.where
    if witness is not None:
        witness = attrs.evolve(witness, back=_smaller(witness.back), made=_smaller(witness.made))
    if where is not None:
        where = _smaller(np.repeat(where[..., None], 3, -1))[..., 0]
    return attrs.evolve(found, witness=witness, where=where)


def _original(carrier: Path | None) -> Original | None:
    """Return the carrier that went out, None when it is not known or no longer there."""
    if carrier is None or not is_file(carrier):
        return None
    try:
        return read_original(carrier)
    except SfumatoError:
        return None


def _smaller(picture: Rgb) -> Rgb:
    width, height = small_size((picture.shape[1], picture.shape[0]), WIDTH)
    if width >= picture.shape[1]:
        return np.asarray(picture, np.float32)
    return scaled(np.ascontiguousarray(picture, np.float32), WHOLE, width, height)


def _sides(found: Recovered, file: Path) -> tuple[Rgb, Rgb]:
    """Return what came back, and what the LUT makes of what went out, as large as it is shown."""
    if found.witness is not None:
        return found.witness.back, found.witness.made
    pixels = read_return(file).pixels
    n, layout = found.points, found.reading
    if found.placed is not None:  # what went out beside the nodes is not known here
        layout = arrange.SQUARE
        came = nodes_of(found.placed.plan, cells.read(pixels, found.placed))
        came = arrange.arranged(np.where(found.known[..., None], came, 0), layout)
    elif found.block is not None:
        came = np.nan_to_num(found.block)
        layout = layout if layout in (arrange.HALD, *arrange.LAYOUTS) else arrange.SQUARE
    else:
        came = locate.upright(pixels, *found.turned)
    if n > _MOST_SHOWN:
        every = arrange.taken(np.asarray(came, np.float32), reading=layout).lattice[::2, ::2, ::2]
        n, layout = len(every), arrange.SQUARE
        came = arrange.arranged(every, layout)
        colours = lattice_colours(found.points)[::2, ::2, ::2]
    else:
        colours = lattice_colours(n)
    return _smaller(came), _smaller(arrange.arranged(found.transform.apply(colours), layout))


def _viewed(study: Study, codes: Rgb, space: str) -> Rgb:
    """Return codes of scene light as the View shows them."""
    working = np.asarray(convert(codes, space, study.working), np.float32)
    return np.clip(through_view(study, working), 0, 1)


def _on_shot(
    found: Recovered, sure: Confidence, study: Study, shot: Shot, ends: str, frames: Frames
) -> OnShot:
    """Return a shot through the look; its codes are carried to what the look expects."""
    codes = frames.sample(shot, WIDTH)
    displayed = study.view.encoding
    space = ends or displayed
    if shot.encoding == space:
        entering = codes
    elif encoding(space).is_scene:
        entering = np.asarray(convert(to_working(shot, study, codes), study.working, space))
    else:
        entering = through_view(study, to_working(shot, study, codes), encoding(space))
    entering = np.clip(entering, 0, 1)
    result = np.clip(found.transform.apply(entering), 0, 1)
    if encoding(space).is_scene:
        result = _viewed(study, result, space)
    elif space != displayed:
        result = np.asarray(convert(result, space, displayed))
    return OnShot(shot.name, to_bytes(result), sure.of_picture(entering))
