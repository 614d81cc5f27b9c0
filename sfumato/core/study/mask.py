"""Painted masks: where on a still something acts. Marks are kept, not pixels, so any size can be made.

Places are shares of the picture, (0, 0) its top left corner, (1, 1) its bottom right; lengths are
shares of its longer side. A mask is float32 (h, w), 0 = nothing happens here, 1 = all of it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core import controls
from sfumato.core.arrays import Array
from sfumato.core.controls import Number, Toggle, control
from sfumato.core.errors import ValueRefused

Region = tuple[float, float, float, float]
WHOLE: Region = (0.0, 0.0, 1.0, 1.0)
Point = tuple[float, float, float]  # x, y, pressure 0..1
_STEP = 1 / 8  # of the brush's size between two dabs
MOST_MARKS, MOST_POINTS = 4000, 200_000


@frozen
class Brush:
    """How a stroke is laid."""

    size: float = control(
        12.0,
        Number(
            title="Size",
            least=0.2,
            most=100.0,
            step=0.5,
            digits=1,
            unit="%",
            help="Across, of the picture's longer side. Shift and the wheel over the picture.",
        ),
    )
    softness: float = control(
        60.0,
        Number(
            title="Softness",
            least=0.0,
            most=100.0,
            step=1.0,
            digits=0,
            unit="%",
            help="How much of the brush is edge.",
        ),
    )
    flow: float = control(
        100.0,
        Number(
            title="Flow",
            least=2.0,
            most=100.0,
            step=1.0,
            digits=0,
            unit="%",
            help="How much one pass lays on; passes add up. A pen's pressure lessens it.",
        ),
    )
    erase: bool = control(False, Toggle(title="Erase", help="Takes the mask away."))


def _placed(points: Iterable[Point]) -> tuple[Point, ...]:
    """Return points to a hundred-thousandth of the picture, as a file holds them."""
    return tuple((round(x, 5), round(y, 5), round(p, 5)) for x, y, p in points)


@frozen
class Stroke:
    """One movement of the brush through points."""

    brush: Brush
    points: tuple[Point, ...] = attrs.field(converter=_placed)


@frozen
class Gradient:
    """All of it before `start`, nothing after `end`, smoothly between; laid over, or taken away."""

    start: tuple[float, float]
    end: tuple[float, float]
    erase: bool = False


@frozen
class Inverted:
    """What was masked is free, and the other way round."""


Mark = Stroke | Gradient | Inverted


@frozen
class Mask:
    """Marks, one on another, on a ground of everything (`full`) or of nothing."""

    full: bool = True
    marks: tuple[Mark, ...] = ()

    @property
    def is_plain(self) -> bool:
        """Whether it lets everything through everywhere."""
        return self.full and not self.marks

    def marked(self, mark: Mark) -> Mask:
        """Return the mask with one mark more.

        Raises:
            ValueRefused: it holds too many.
        """
        points = sum(len(m.points) for m in (*self.marks, mark) if isinstance(m, Stroke))
        if len(self.marks) >= MOST_MARKS or points > MOST_POINTS:
            raise ValueRefused(
                "the mask holds as many strokes as it can", hint="clear it, or paint on a new layer"
            )
        return attrs.evolve(self, marks=(*self.marks, mark))


def dabs(stroke: Stroke, width: float, height: float) -> Array:
    """Return where a stroke is stamped, float64 (n, 3): x and y in pixels, pressure.

    Stamps stand an eighth of the brush apart along the line from its first point, so a stroke that
    goes on only adds stamps, and all sizes of a picture get the same ones.
    """
    points = np.asarray(stroke.points, np.float64)
    across = points[:, :2] * (width, height)
    lengths = np.hypot(*np.diff(across, axis=0).T) if len(points) > 1 else np.zeros(0)
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    step = max(stroke.brush.size / 100 * max(width, height) * _STEP, 1e-6)
    places = np.arange(math.floor(along[-1] / step + 1e-9) + 1) * step
    return np.stack(
        [np.interp(places, along, v) for v in (across[:, 0], across[:, 1], points[:, 2])], axis=1
    )


Rect = tuple[int, int, int, int]  # left, top, right, bottom in pixels; right and bottom are beyond


def joined(a: Rect | None, b: Rect | None) -> Rect | None:
    """Return what holds both."""
    if a is None or b is None:
        return a or b
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


@frozen
class Sheet:
    """What a mask is drawn on: `pixels` (h, w) show `region` of a picture of width x height pixels.

    Width and height count pixels as the sheet's own are: a sheet of half the size knows a picture
    of half the size.
    """

    pixels: Array
    width: float
    height: float
    left: float
    top: float

    @classmethod
    def of(cls, mask: Mask, width: int, height: int, region: Region = WHOLE) -> Sheet:
        x0, y0, x1, y1 = region
        whole_w, whole_h = width / (x1 - x0), height / (y1 - y0)
        sheet = cls(
            np.full((height, width), 1.0 if mask.full else 0.0, np.float32),
            whole_w,
            whole_h,
            x0 * whole_w,
            y0 * whole_h,
        )
        for mark in mask.marks:
            sheet.lay(mark)
        return sheet

    def lay(self, mark: Mark, already: int = 0) -> Rect | None:
        """Lay a mark, of a stroke the stamps behind the first `already`; return what may have changed."""
        h, w = self.pixels.shape
        if isinstance(mark, Inverted):
            np.subtract(np.float32(1), self.pixels, out=self.pixels)
            return 0, 0, w, h
        if isinstance(mark, Gradient):
            self._gradient(mark)
            return 0, 0, w, h
        changed: Rect | None = None
        brush = mark.brush
        radius = brush.size / 200 * max(self.width, self.height)
        # So much a stamp that all stamps over one place make one pass of the flow.
        for x, y, pressure in dabs(mark, self.width, self.height)[already:]:
            flow = min(brush.flow / 100 * pressure, 1.0)
            share = 1.0 - (1.0 - flow) ** (2 * _STEP) if flow < 1.0 else 1.0
            rect = self._stamp(x - self.left, y - self.top, radius, share, brush)
            changed = joined(changed, rect)
        return changed

    def _stamp(self, x: float, y: float, radius: float, share: float, brush: Brush) -> Rect | None:
        h, w = self.pixels.shape
        left, right = max(int(x - radius), 0), min(int(x + radius) + 2, w)
        top, bottom = max(int(y - radius), 0), min(int(y + radius) + 2, h)
        if left >= right or top >= bottom:
            return None
        across = (np.arange(left, right, dtype=np.float32) + np.float32(0.5 - x)) / radius
        down = (np.arange(top, bottom, dtype=np.float32) + np.float32(0.5 - y)) / radius
        far = np.sqrt((across * across)[None] + (down * down)[:, None]).astype(np.float32)
        # The hardest edge is still a pixel and a half wide.
        edge = np.float32(min(max(brush.softness / 100, 1.5 / max(radius, 0.75)), 1.0))
        near = np.clip((1 - far) / edge, 0, 1, out=far)
        ink = near * near * (3 - 2 * near)
        ink *= np.float32(share)
        part = self.pixels[top:bottom, left:right]
        if brush.erase:
            part *= 1 - ink
        else:
            part += ink * (1 - part)
        return left, top, right, bottom

    def _gradient(self, mark: Gradient) -> None:
        h, w = self.pixels.shape
        x0, y0 = mark.start[0] * self.width - self.left, mark.start[1] * self.height - self.top
        x1, y1 = mark.end[0] * self.width - self.left, mark.end[1] * self.height - self.top
        dx, dy = x1 - x0, y1 - y0
        length = max(dx * dx + dy * dy, 1e-12)
        across = (np.arange(w, dtype=np.float32) + np.float32(0.5 - x0)) * np.float32(dx / length)
        down = (np.arange(h, dtype=np.float32) + np.float32(0.5 - y0)) * np.float32(dy / length)
        t = np.clip(1 - (across[None] + down[:, None]), 0, 1)
        ink = t * t * (3 - 2 * t)
        if mark.erase:
            self.pixels[...] *= 1 - ink
        else:
            self.pixels[...] += ink * (1 - self.pixels)


def rendered(mask: Mask, width: int, height: int, region: Region = WHOLE) -> Array:
    """Return a mask as float32 (height, width) for a region of a picture shown at that size."""
    return Sheet.of(mask, width, height, region).pixels


def dump(mask: Mask) -> dict[str, Any]:
    """Return a mask as plain data."""
    marks: list[Any] = []
    for mark in mask.marks:
        if isinstance(mark, Inverted):
            marks.append({"invert": True})
        elif isinstance(mark, Gradient):
            marks.append({"gradient": [*mark.start, *mark.end], "erase": mark.erase})
        else:
            numbers = [n for p in mark.points for n in p]
            marks.append({"stroke": numbers, **controls.dump(mark.brush)})
    return {"full": mask.full, "marks": marks}


def _numbers(values: Any, count: int) -> list[float]:
    found = [float(v) for v in values]
    if len(found) % count or not found or not np.isfinite(found).all() or np.abs(found).max() > 50:
        raise ValueRefused("a mask has a place that is none")
    return found


def load(plain: Any) -> Mask:
    """Make a mask from plain data.

    Raises:
        ValueRefused: a value is none that a mask can have.
    """
    mask = Mask(plain.get("full", True) is True)
    marks: list[Mark] = []
    for each in plain.get("marks", []):
        if each.get("invert"):
            marks.append(Inverted())
        elif "gradient" in each:
            x0, y0, x1, y1 = _numbers(each["gradient"], 4)[:4]
            marks.append(Gradient((x0, y0), (x1, y1), each.get("erase") is True))
        else:
            n = _numbers(each["stroke"], 3)
            points = tuple(
                zip(n[0::3], n[1::3], (min(max(p, 0.0), 1.0) for p in n[2::3]), strict=True)
            )
            brush = controls.load(Brush, {k: v for k, v in each.items() if k != "stroke"})
            marks.append(Stroke(brush, points))
    points_in_all = sum(len(m.points) for m in marks if isinstance(m, Stroke))
    if len(marks) > MOST_MARKS or points_in_all > MOST_POINTS:
        raise ValueRefused("a mask holds more strokes than can be")
    return attrs.evolve(mask, marks=tuple(marks))
