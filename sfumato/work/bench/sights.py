"""What the pages of the engine and of the phone filter show: a frame drawn, where the eye stands, how far off."""

from __future__ import annotations

import threading
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.bench.engine import RIGHT, Import, shares
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.lut.difference import Difference
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.parts.contract import as_float
from sfumato.work.bench.engines import (
    PNG,
    Drawn,
    Look,
    Taken,
    Walk,
    as_filter,
    draw,
    exactly,
    frame_of,
    frame_time,
    off_by,
    taken,
)
from sfumato.work.bench.gl_engine import GlEngine
from sfumato.work.files import stamp_of
from sfumato.work.frames import Frames
from sfumato.work.preview import glass
from sfumato.work.preview.asks import to_bytes

_MOST_KEPT = 4
_MOST_MEASURED = 400_000  # pixels, of which all are measured


@frozen
class Wish:
    """What is to be drawn.

    Attributes:
        looks: of each zone, or one for the whole picture; empty ones draw nothing.
        settings: how an engine takes them in.
        strength: 0..1.
        walk: the zones of the scene; None where the look lies on the whole picture.
        shot, number: the picture.
        is_walk: it is a frame of the scene, whose codes are sRGB.
        is_filter: it is a phone filter: one look, tiles of 512 in a file of `kind` and `quality`.
        sent: textures of three dimensions are read by the shader that Send writes.
    """

    looks: tuple[Look, ...]
    shot: Shot
    number: int
    settings: Import = RIGHT
    strength: float = 1.0
    walk: Walk | None = None
    is_filter: bool = False
    is_walk: bool = False
    kind: str = PNG
    quality: int = 90
    sent: bool = True
    wide: int = 1280
    high: int = 720

    @property
    def eye(self) -> tuple[float, float] | None:
        """Where the eye stands on the floor of the scene."""
        return None if self.walk is None else self.walk.eyes[self.number % len(self.walk.eyes)]

    @property
    def parts(self) -> tuple[float, ...]:
        """How much of each look lies on the picture."""
        if self.walk is None or self.eye is None:
            return tuple(self.strength if i == 0 else 0.0 for i in range(len(self.looks)))
        found = shares(self.walk.zones, self.eye, self.strength)
        return tuple(0.0 if look.is_empty else p for look, p in zip(self.looks, found, strict=True))


@frozen(eq=False)
class Sight:
    """A frame as it was drawn, and as the screen before us shows it: uint8 (h, w, 3)."""

    wish: Wish
    frame: Array
    drawn: Drawn
    picture: Array
    names: tuple[str, ...]
    size_bytes: int = 0


@frozen(eq=False)
class Measured:
    """How far a drawn frame is from the exact looks, and the shader's time at 1920 x 1080 in milliseconds.

    Of large frames every second pixel across and down is measured.
    """

    off: Difference
    ms: float | None


class Textures:
    """Looks as they were taken in last, and the way of a shot to its View; made by one worker at a time."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._bare: tuple[Any, Any] = (None, None)
        self._known: dict[Any, tuple[Taken, int]] = {}

    def of(self, look: Look, wish: Wish, study: Study) -> tuple[Taken, int]:
        """Return a look as it is taken in, and the bytes of its file where it is a filter's.

        Raises:
            FormatError: its file cannot be read.
        """
        own = (study.look, study.working, study.view) if look.is_own else look.file
        stamp = stamp_of(look.file) if look.file is not None else None
        way = (wish.kind, wish.quality) if wish.is_filter else wish.settings
        key = (own, stamp, way)
        with self._lock:
            found = self._known.pop(key, None)
            if found is None:
                if wish.is_filter:
                    found = as_filter(look, study, wish.kind, wish.quality)
                else:
                    found = taken(look, study, wish.settings), 0
            self._known[key] = found
            while len(self._known) > _MOST_KEPT:
                self._known.pop(next(iter(self._known)))
            return found

    def bare(self, study: Study, source: str) -> Any:
        """Return the table from a source encoding to the View without the Look, kept for the next frame."""
        key = (source, study.working, study.view, study.span)
        with self._lock:
            if self._bare[0] != key:
                plain = attrs.evolve(study, look=attrs.evolve(study.look, coats=()))
                self._bare = key, plain.bake(33, (source, study.view.encoding))
            return self._bare[1]


def display_of(wish: Wish, study: Study) -> Encoding:
    """Return the display that the codes of the picture are for."""
    return encoding("sRGB") if wish.is_walk else encoding(study.view.encoding)


def sight(
    wish: Wish,
    textures: Textures,
    study: Study,
    frames: Frames,
    gl: GlEngine,
    screen: Encoding | None,
    *,
    quick: bool = False,
) -> Sight:
    """Draw a frame.

    Raises:
        MediaError: the frame cannot be decoded.
        FormatError: the file of a look cannot be read.
    """
    frame = _frame(wish, study, frames, textures)
    looks, parts, size = [], [], 0
    names = []
    for look, part in zip(wish.looks, wish.parts, strict=True):
        if look.is_empty:
            continue
        found, size = textures.of(look, wish, study)
        looks.append(found)
        parts.append(part)
        names.append(found.name)
    drawn = draw(gl, frame, looks, parts, sent=wish.sent) if looks else Drawn(frame, "", 0.0)
    seen = glass.shown(drawn.codes, display_of(wish, study), screen, quick=quick)
    return Sight(wish, frame, drawn, np.ascontiguousarray(seen), tuple(names), size)


def _frame(wish: Wish, study: Study, frames: Frames, textures: Textures) -> Array:
    """Return the frame that goes in: of the scene, or of a shot as its View shows it without the Look."""
    frame = frame_of(wish.shot, wish.number, frames, wide=wish.wide, high=wish.high)
    if wish.is_walk or wish.shot.encoding in (None, study.view.encoding):
        return frame
    assert wish.shot.encoding is not None
    return to_bytes(textures.bare(study, wish.shot.encoding).apply(as_float(frame)))


def measured(found: Sight, textures: Textures, study: Study, gl: GlEngine) -> Measured | None:
    """Measure a drawn frame, and the time of its shader; None where no look lies on it."""
    wish = found.wish
    pairs = [
        (textures.of(look, wish, study)[0], part)
        for look, part in zip(wish.looks, wish.parts, strict=True)
        if not look.is_empty
    ]
    if not pairs:
        return None
    looks, parts = [t for t, _p in pairs], [p for _t, p in pairs]
    step = 1 if found.frame[..., 0].size < _MOST_MEASURED else 2
    frame, drawn = (
        np.ascontiguousarray(p[::step, ::step]) for p in (found.frame, found.drawn.codes)
    )
    off = off_by(drawn, exactly(frame, looks, parts), frame, display_of(wish, study))
    return Measured(off, frame_time(gl, looks, [1.0 / len(looks)] * len(looks)))
