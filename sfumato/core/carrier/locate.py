"""Finding a frame carrier in a picture that was scaled, cropped, compressed or turned on its way."""

from __future__ import annotations

import itertools

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.carrier.frame import (
    BAR_HEIGHT,
    BAR_UNITS,
    BITS,
    BOTTOM,
    GUARD,
    TOP,
    Plan,
    bar_of,
    plan_of,
)
from sfumato.core.luma import luma

_START = np.array(GUARD[1:6], np.float64)  # dark runs and what lies between them
_LEAST_UNIT, _ROWS = 2.4, 2  # pixels; every second row is looked at
TURNS = tuple((turns, flipped) for flipped in (False, True) for turns in range(4))


@frozen
class Placed:
    """Where a carrier lies in a picture that was turned upright: x = scale[0] * X + shift[0], y alike.

    Pixels are counted from the outer corner of the first; `turns` quarter turns to the left and then a
    mirroring from left to right bring the picture upright.
    """

    plan: Plan
    scale: tuple[float, float]
    shift: tuple[float, float]
    turns: int = 0
    flipped: bool = False

    @property
    def is_straight(self) -> bool:
        """Whether pixels are as large as they were."""
        return self.scale == (1.0, 1.0)


def upright(pixels: Array, turns: int, flipped: bool) -> Array:
    """Return a picture after quarter turns to the left and a mirroring."""
    turned = np.rot90(pixels, turns)
    return turned[:, ::-1] if flipped else turned


def found(pixels: Array) -> Placed | None:
    """Find a frame carrier in code values (h, w, 3); None when there is none.

    Both bars have to be read with their checksums, and to say the same.
    """
    tones = luma(pixels).astype(np.float32)
    for part, (turns, flipped) in itertools.product(range(3), TURNS):
        placed = _upright_found(upright(tones, turns, flipped), part)
        if placed is not None:
            plan, scale, shift = placed
            return Placed(plan, scale, shift, turns, flipped)
    return None


@frozen
class _Bar:
    """A bar that was read: its plan, which it is, a row through it, and where its units lie."""

    plan: Plan
    end: int
    row: int
    first: float  # x of unit 0
    unit: float


_Found = tuple[Plan, tuple[float, float], tuple[float, float]]


def _upright_found(tones: Array, part: int) -> _Found | None:
    bars: dict[tuple[Plan, int], list[_Bar]] = {}
    for bar in _bars(tones, part):
        bars.setdefault((bar.plan, bar.end), []).append(bar)
    for plan, end in bars:
        below = bars.get((plan, BOTTOM))
        if end == TOP and below and below[0].row > bars[plan, TOP][0].row:  # else upside down
            return _measured(tones, plan, [bars[plan, TOP], below])
    return None


def _bars(tones: Array, part: int) -> list[_Bar]:
    """Read every bar that a row of the picture crosses.

    Light and dark are parted half way between those of the row (`part` 0). Where a look puts grey not
    between black and white, the bar lies below that (1) or above (2): at the mean there.
    """
    rows = np.ascontiguousarray(tones[::_ROWS])
    low, high = np.percentile(rows[:, ::4], (2, 98), axis=1)
    half = ((low + high) / 2)[:, None]
    if part:
        there = rows < half if part == 1 else rows >= half
        half = (rows * there).sum(1, keepdims=True) / np.maximum(there.sum(1, keepdims=True), 1)
    light = rows > half
    edges = light[:, 1:] != light[:, :-1]
    row, steps = np.nonzero(edges)
    if len(steps) < 12:
        return []
    at: Array = steps + 1.0
    run = np.diff(at)
    same = row[1:] == row[:-1]
    starts = _matches(run, same, _START)
    ends = _matches(run, same, _START[::-1])
    found = []
    ends_of_row: dict[int, list[int]] = {}
    for i in ends:
        ends_of_row.setdefault(int(row[i]), []).append(int(i))
    for i in starts:
        for j in ends_of_row.get(int(row[i]), ()):
            first, last = at[i], at[j + 5]
            unit = (at[i + 5] - at[i] + at[j + 5] - at[j]) / (2 * _START.sum())
            if abs((last - first) / unit - (BAR_UNITS - 2 * GUARD[0])) > 0.04 * BAR_UNITS:
                continue
            unit = (last - first) / (BAR_UNITS - 2 * GUARD[0])
            y = int(row[i]) * _ROWS
            bar = _read(tones, y, first - GUARD[0] * unit, unit)
            if bar is not None:
                found.append(bar)
    return found


def _matches(run: Array, same: Array, pattern: Array) -> Array:
    """Return where runs follow a pattern, whatever its unit."""
    count = len(run) - 4
    if count <= 0:
        return np.zeros(0, int)
    windows = np.stack([run[k : k + count] for k in range(5)], -1)
    whole = np.all([same[k : k + count] for k in range(5)], axis=0)
    unit = windows.sum(-1) / pattern.sum()
    off = np.abs(windows - unit[:, None] * pattern).max(-1)
    return np.nonzero(whole & (unit >= _LEAST_UNIT) & (off <= 0.3 * unit + 0.7))[0]


def _read(tones: Array, y: int, first: float, unit: float) -> _Bar | None:
    """Read the bits of a bar in one row."""
    units = first + (np.arange(BAR_UNITS) + 0.5) * unit - 0.5
    if units[0] < 0 or units[-1] > tones.shape[1] - 1:
        return None
    values = np.interp(units, np.arange(tones.shape[1]), tones[y])
    guard = sum(GUARD)
    known = np.repeat([1, 0, 1, 0, 1, 0, 1], GUARD)
    both = np.concatenate([values[:guard], values[-guard:][::-1]])
    marks = np.concatenate([known, known])
    light, dark = float(np.median(both[marks == 1])), float(np.median(both[marks == 0]))
    if light == dark:
        return None
    bits = ((values[guard : guard + BITS] - dark) / (light - dark)) > 0.5
    said = plan_of(bits)
    return None if said is None else _Bar(*said, y, first, unit)


def _measured(tones: Array, plan: Plan, ends: list[list[_Bar]]) -> _Found | None:
    """Fit scale and shift to the edges of both bars, to a few hundredths of a pixel."""
    across: list[tuple[float, float]] = []
    along: list[tuple[float, float]] = []
    unit = plan.unit
    for end, bars in enumerate(ends):
        pattern = bar_of(plan, end)
        middle = bars[len(bars) // 2]
        whole = np.mean([tones[b.row] for b in bars], axis=0)
        for k in np.nonzero(np.diff(pattern))[0]:
            x = _crossing(whole, middle.first + (k + 1) * middle.unit, middle.unit / 2)
            if x is not None:
                across.append((float(plan.left + (k + 1) * unit), x))
        # Down the columns of light cells, less those of dark ones.
        units = middle.first + (np.arange(BAR_UNITS) + 0.5) * middle.unit - 0.5
        columns = tones[:, np.clip(units.round().astype(int), 0, tones.shape[1] - 1)]
        profile = columns[:, pattern == 1].mean(1) - columns[:, pattern == 0].mean(1)
        for edge in (0, BAR_HEIGHT):
            guess = (bars[0].row + bars[-1].row) / 2 + (edge - BAR_HEIGHT / 2) * middle.unit
            y = _crossing(profile, guess, middle.unit * 1.4)
            if y is not None:
                along.append((plan.bars[end] + edge * unit, y))
    if len(across) < 8 or len(along) < 3:
        return None
    sx, ox = _line(across)
    sy, oy = _line(along)
    return plan, (sx, sy), (ox, oy)


def _crossing(values: Array, guess: float, reach: float) -> float | None:
    """Return where a profile passes half way between the levels on both sides of a guess."""
    low, high = int(np.floor(guess - reach)), int(np.ceil(guess + reach))
    if low < 0 or high >= len(values) or high - low < 2:
        return None
    part = values[low : high + 1]
    half = (part[0] + part[-1]) / 2
    over = part > half
    steps = np.nonzero(over[1:] != over[:-1])[0]
    if not len(steps) or abs(part[-1] - part[0]) < 0.02:
        return None
    i = steps[np.argmin(np.abs(steps + low + 1 - guess))]
    return float(low + i + (half - part[i]) / (part[i + 1] - part[i]) + 0.5)


def _line(pairs: list[tuple[float, float]]) -> tuple[float, float]:
    """Fit y = a x + b, twice: without what lies far off the first time; exactly 1 and whole where near."""
    x, y = np.array(pairs).T
    for _ in range(2):
        a, b = np.polyfit(x, y, 1)
        off = np.abs(y - (a * x + b))
        near = off <= max(3 * float(np.median(off)), 0.05)
        if near.sum() >= 2 and np.ptp(x[near]) > 0:
            x, y = x[near], y[near]
    if abs(a - 1) * np.ptp(x) < 0.25 and abs(np.mean(y - x) - round(float(np.mean(y - x)))) < 0.1:
        return 1.0, float(round(float(np.mean(y - x))))
    return float(a), float(b)
