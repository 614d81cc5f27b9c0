"""Whether a shot carries the Look already: by the note beside a recording, or by its colours.

The colours alone do not say it: what a gentle look makes, other pictures have too (of twelve looks on
seven pictures, eleven had images that held most of every other picture). So a shot is told beside one
of the study that shows the same scene: when that, through the Look, is the shot, and without it is not.
"""

from __future__ import annotations

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.lut.difference import delta_e
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.frames import Frames

_WIDE = 64  # pixels in which scenes are compared
_FRAMES = 9  # of a clip
_SAME = 3.0  # ΔE in the mean, under which two pictures are one
_LESS = 0.5  # share of the nearest other explanation
_SHAPE = 0.02  # by which width over height may differ


@frozen
class Burnt:
    """A look that a shot seems to carry; `of` shows the same scene without it."""

    look: str
    of: str
    with_look: float  # ΔE in the mean, of that scene through the Look
    without: float  # … and of the nearest of what it is without


def carried(shot: Shot, study: Study, frames: Frames, cancel: Cancel) -> Burnt | None:
    """Return the Look of a study when a shot seems to carry it, else None.

    Shots that cannot be read tell nothing.
    """
    if not any(c.acts for c in study.look.coats):
        return None
    try:
        wide, high = frames.size(shot)
        size = _WIDE, max(1, round(_WIDE * high / wide))
        here = frames.proxy(shot, *size)
    except SfumatoError:
        return None
    best: Burnt | None = None
    for other in study.shots:
        if other.id == shot.id or other.encoding is None or other.path == shot.path:
            continue
        cancel.check()
        try:
            found = _beside(here, other, study, frames, wide / high, size, cancel)
        except SfumatoError:
            continue
        if found is not None and (best is None or found.with_look < best.with_look):
            best = found
    return best


def _beside(
    here: Rgb,
    other: Shot,
    study: Study,
    frames: Frames,
    shape: float,
    size: tuple[int, int],
    cancel: Cancel,
) -> Burnt | None:
    still = frames.still(other)
    wide, high = still.size
    if abs(wide / high / shape - 1) > _SHAPE:
        return None
    assert other.encoding is not None
    view = study.view.encoding
    bare = attrs.evolve(study, look=attrs.evolve(study.look, coats=()))
    ways = [s.transform((other.encoding, view)) for s in (study, bare)]
    display = encoding(view)
    best: tuple[float, float] | None = None
    for number in _numbers(other, still.facts.frames):
        cancel.check()
        there = frames.proxy(attrs.evolve(other, frame=number), *size)
        with_look, without = (_apart(way.apply(there), here, display) for way in ways)
        without = min(without, _apart(there, here, display))
        if best is None or with_look < best[0]:
            best = with_look, without
    if best is None or best[0] > _SAME or best[0] > _LESS * best[1]:
        return None
    return Burnt(study.look.name, other.name, *best)


def _numbers(shot: Shot, count: int) -> list[int]:
    """Return the frames of a shot that are looked at: its own, and some along it."""
    last = count - 1 if shot.last is None else min(shot.last, count - 1)
    along = np.linspace(min(shot.first, last), last, _FRAMES).round().astype(int).tolist()
    return list(dict.fromkeys([min(shot.frame, count - 1), *along]))


def _apart(one: Rgb, two: Rgb, display: Encoding) -> float:
    a, b = (np.clip(np.asarray(v, np.float32), 0, 1) for v in (one, two))
    return float(delta_e(a, b, display).mean())
