"""A change of colours told in glazes: few numbers, one kind after the other, and what each explains."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow import scatter
from sfumato.core.borrow.parts import PARTS, USUAL, Part
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.colour import oklab
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.showing import Showing, shown
from sfumato.core.glaze import glazes
from sfumato.core.lut.fit import StillWanted, always_wanted

_COLOURS = 1500  # that stand for all
_BARS = 16  # cells a side of the cube in which they are taken together
_LEAST_GAIN = 0.02  # of the whole difference that a glaze has to explain, or it is left out
_LEAST_STEP = 0.02  # CIEDE2000, likewise
_TRIES = 25
_POLISH = 6
_CALM = 0.02  # Oklab x 100 a usual step: how strongly numbers are held where colours say nothing
_STEP = 0.05  # of a control's usual step, over which slopes are taken


@frozen
class Step:
    """One glaze of an explanation, and the mean CIEDE2000 that is left after it."""

    key: str
    parameters: Any
    left: float


@frozen(eq=False)
class Explained:
    """Glazes in their order; `off` is the mean CIEDE2000 before any, `residual` what they leave."""

    steps: tuple[Step, ...]
    off: float

    @property
    def left(self) -> float:
        return self.steps[-1].left if self.steps else self.off

    @property
    def share(self) -> float:
        """How much of the difference the glazes explain, 0..1."""
        return 1 - self.left / self.off if self.off > 0 else 1.0

    def run(self, code: Rgb, working: Encoding, view: Showing | None = None) -> Rgb:
        """Apply the glazes to working code values (..., 3)."""
        for step in self.steps:
            code = glazes()[step.key].apply(step.parameters, code, working, view)
        return code


class Seen:
    """Working code values as they are seen, in Oklab and as Lab of the display."""

    def __init__(self, working: Encoding, view: Showing, display: Encoding) -> None:
        self._working, self._view, self._display = working, view, display

    def codes(self, code: Rgb) -> Rgb:
        return np.clip(shown(code, self._working, self._view, self._display), 0, 1)

    def oklab(self, code: Rgb) -> Array:
        light = self._display.decode(self.codes(code)) / np.float32(self._display.reference)
        return oklab.from_light(light, self._display).astype(np.float64)

    def apart(self, code: Rgb, lab: Array, weight: Array) -> float:
        away = ciede2000(lab_of(self.codes(code), self._display), lab)
        return float((away * weight).sum() / weight.sum())

    def lab(self, code: Rgb) -> Array:
        return lab_of(self.codes(code), self._display)


def _standing_for_all(pairs: Pairs) -> Pairs:
    """Return fewer colours: means of those that lie in one coarse cell."""
    cell = np.clip((pairs.before * _BARS).astype(np.int64), 0, _BARS - 1)
    index = (cell[:, 0] * _BARS + cell[:, 1]) * _BARS + cell[:, 2]
    total = np.bincount(index, pairs.weight, _BARS**3)
    there = np.nonzero(total > 0)[0]
    there = there[np.argsort(-total[there])][:_COLOURS]
    means = [
        np.stack(
            [np.bincount(index, pairs.weight * v[:, c], _BARS**3)[there] for c in range(3)], -1
        )
        / total[there, None]
        for v in (pairs.before, pairs.after)
    ]
    return Pairs(means[0], means[1], total[there])


def explained(
    pairs: Pairs,
    working: Encoding,
    view: Showing,
    display: Encoding,
    *,
    keys: tuple[str, ...] = USUAL,
    check: StillWanted = always_wanted,
) -> Explained:
    """Fit glazes to a change of working code values, in their usual order, then all together once more.

    Args:
        pairs: in working code values, with the weights that they are to have.
        keys: of the glazes that may be used, in their order.
    """
    few = _standing_for_all(pairs)
    seen = Seen(working, view, display)
    before, after = (np.ascontiguousarray(v, np.float32) for v in (few.before, few.after))
    weight = few.weight / few.weight.sum()
    root = np.sqrt(weight)[:, None] * 100
    wanted, lab = seen.oklab(after), seen.lab(after)
    whole = seen.apart(before, lab, weight)
    parts: list[tuple[Part, Array]] = []
    now, left = before, whole
    for key in keys:
        check()
        part = PARTS[key](now, working)
        spec = glazes()[part.key]

        def off(p: Array, part: Part = part, code: Rgb = now, spec: Any = spec) -> Array:
            check()
            made = spec.apply(part.made(p), code, working, view)
            return np.asarray(((seen.oklab(made) - wanted) * root).ravel())

        found = least(off, part, np.array(part.start), _TRIES)
        after_it = spec.apply(part.made(found), now, working, view)
        apart = seen.apart(after_it, lab, weight)
        if left - apart < max(_LEAST_GAIN * whole, _LEAST_STEP):
            continue
        parts.append((part, found))
        now, left = after_it, apart
    several = _Several(before, working, view, seen, wanted, root, check)
    parts = several.polished(parts)

    def left_by(those: list[tuple[Part, Array]]) -> float:
        return seen.apart(several.run(those), lab, weight)

    left = left_by(parts)
    for part, _ in list(parts):  # what the others can do without is left out again
        fewer = several.polished([p for p in parts if p[0] is not part])
        without = left_by(fewer)
        if without - left < max(_LEAST_GAIN * whole, _LEAST_STEP):
            parts, left = fewer, without
    steps = []
    code = before
    for part, found in parts:
        made = part.made(found)
        code = glazes()[part.key].apply(made, code, working, view)
        steps.append(Step(part.key, made, seen.apart(code, lab, weight)))
    return Explained(tuple(steps), whole)


def least(
    off: Callable[[Array], Array], part: Part, start: Array, tries: int, calm: Array | None = None
) -> Array:
    """Return the numbers of least squares within their limits.

    Numbers of which the colours say nothing stay at `calm`, which is where they do nothing (the part's
    own start when it is not said).
    """
    from scipy.optimize import least_squares

    low, high = np.array(part.low, float), np.array(part.high, float)
    scale = np.array(part.scale, float)
    rest = np.array(part.start, float) if calm is None else calm
    start = np.clip(start, low + 1e-6 * (high - low), high - 1e-6 * (high - low))

    def held(p: Array) -> Array:
        return np.concatenate([off(p), _CALM * (p - rest) / scale])

    def slopes(p: Array) -> Array:
        """Differences over steps that survive the rounding of the controls."""
        here = held(p)
        columns = []
        for i, step in enumerate(_STEP * scale):
            move = np.zeros_like(p)
            move[i] = step if p[i] + step <= high[i] else -step
            columns.append((held(p + move) - here) / move[i])
        return np.stack(columns, -1)

    best = least_squares(
        held, start, jac=slopes, bounds=(low, high), x_scale=scale, max_nfev=tries, ftol=1e-4
    )
    return np.asarray(best.x if 2 * best.cost <= (held(start) ** 2).sum() else start)


@frozen(eq=False)
class _Several:
    """Fits the numbers of several glazes at once, from where each alone had them."""

    before: Rgb
    working: Encoding
    view: Showing
    seen: Seen
    wanted: Array
    root: Array
    check: StillWanted

    def run(self, parts: list[tuple[Part, Array]]) -> Rgb:
        code = self.before
        for part, found in parts:
            code = glazes()[part.key].apply(part.made(found), code, self.working, self.view)
        return code

    def polished(self, parts: list[tuple[Part, Array]]) -> list[tuple[Part, Array]]:
        if not parts:
            return parts
        ends = np.cumsum([0, *(len(p.start) for p, _ in parts)])

        def split(p: Array) -> list[tuple[Part, Array]]:
            return [(part, p[a:b]) for (part, _), a, b in zip(parts, ends, ends[1:], strict=False)]

        def off(p: Array) -> Array:
            self.check()
            lab = self.seen.oklab(self.run(split(p)))
            return np.asarray(((lab - self.wanted) * self.root).ravel())

        whole = Part(
            "",
            tuple(np.concatenate([f for _, f in parts])),
            tuple(v for p, _ in parts for v in p.low),
            tuple(v for p, _ in parts for v in p.high),
            tuple(v for p, _ in parts for v in p.scale),
            lambda p: p,
        )
        calm = np.concatenate([np.array(p.start, float) for p, _ in parts])
        return split(least(off, whole, np.array(whole.start), _POLISH, calm))


def residual(
    pairs: Pairs,
    told: Explained,
    working: Encoding,
    view: Showing,
    strength: float,
    check: StillWanted = always_wanted,
) -> Array:
    """Return the nodes of the LUT that does what the glazes leave, in working code values."""
    code = np.ascontiguousarray(pairs.before, np.float32)
    made = told.run(code, working, view).astype(np.float64)
    inside: Array = np.asarray((np.abs(made - 0.5) <= 0.75).all(-1))
    there = Pairs(np.clip(made, 0, 1), pairs.after, pairs.weight).only(inside)
    return scatter.lattice(there, scatter.UNCHANGED, strength, check=check)
