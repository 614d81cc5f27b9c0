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
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour import oklab
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.showing import Showing, shown
from sfumato.core.glaze import glazes

_COLOURS = 1500  # that stand for all
_CELLS = 16  # cells a side of the cube in which they are taken together
_LEAST_GAIN = 0.02  # of the whole difference that a glaze has to explain, or it is left out
_LEAST_STEP = 0.02  # CIEDE2000, likewise
_TRIES = 25
_POLISH = 6
_ALSO_ALONE = (
    0.15  # how much it counts that each glaze brings colours nearer without those after it
)
_CALM = 0.02  # Oklab x 100 a usual step: how strongly numbers are held where colours say nothing
_STEP = 0.05  # of a control's usual step, over which slopes are taken


Numbers = list[tuple[Part, Array]]  # glazes with the numbers that they are written as
DELTA_E, SPREAD = "ΔE", "Oklab × 100"  # in which it is said how far colours lie apart


@frozen
class Step:
    """One glaze of an explanation, and how far colours lie apart after it."""

    key: str
    parameters: Any
    left: float


@frozen(eq=False)
class Explained:
    """Glazes in their order; `off` says how far apart colours lay before any, in `unit`."""

    steps: tuple[Step, ...]
    off: float
    unit: str = DELTA_E

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

    def lab(self, code: Rgb) -> Array:
        return lab_of(self.codes(code), self._display)


def standing_for_all(pairs: Pairs) -> Pairs:
    """Return fewer colours: means of those that lie in one coarse cell, the weightiest of them."""
    few = scatter.gathered(pairs.before, pairs.after, pairs.weight, _CELLS)
    return few.only(np.argsort(-few.weight)[:_COLOURS])


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
    few = standing_for_all(pairs)
    seen = Seen(working, view, display)
    before, after = (np.ascontiguousarray(v, np.float32) for v in (few.before, few.after))
    root = np.sqrt(few.weight / few.weight.sum())[:, None] * 100
    wanted = seen.oklab(after)
    apart = apart_of(few, seen)

    def off_of_each(codes: Rgb) -> Array:
        check()
        return np.asarray(((seen.oklab(codes) - wanted) * root).reshape(len(codes), -1))

    def off(code: Rgb) -> Array:
        return np.asarray(off_of_each(code[None])[0])

    whole = apart(before)
    several = Several(working, view, off, off_of_each)
    parts: Numbers = []
    now, left = before, whole
    for key in keys:
        part = PARTS[key](now, working)
        found = several.fitted(now, [(part, np.array(part.start, float))], _TRIES)
        after_it = several.run(now, found)
        more = apart(after_it)
        if left - more < max(_LEAST_GAIN * whole, _LEAST_STEP):
            continue
        parts += found
        now, left = after_it, more
    parts = several.fitted(before, parts, _POLISH)
    left = apart(several.run(before, parts))
    for part, _ in list(parts):  # what the others can do without is left out again
        fewer = several.fitted(before, [p for p in parts if p[0] is not part], _POLISH)
        without = apart(several.run(before, fewer))
        if without - left < max(_LEAST_GAIN * whole, _LEAST_STEP):
            parts, left = fewer, without
    return Explained(several.steps(before, parts, apart), whole)


def apart_of(pairs: Pairs, seen: Seen) -> Callable[[Rgb], float]:
    """Return what says how far codes for the colours before lie from those after, mean CIEDE2000."""
    lab = seen.lab(np.ascontiguousarray(pairs.after, np.float32))

    def mean(code: Rgb) -> float:
        away = ciede2000(seen.lab(code), lab)
        return float((away * pairs.weight).sum() / pairs.weight.sum())

    return mean


@frozen(eq=False)
class Several:
    """Fits the numbers of glazes, one or several at once, so that `off` of what they make is least."""

    working: Encoding
    view: Showing
    off: Callable[[Rgb], Array]
    off_of_each: Callable[[Rgb], Array] | None = None  # … of several sets of colours at once

    def _offs(self, codes: Rgb) -> Array:
        """Return `off` of each of several sets of colours (m, k, 3), one a row."""
        if self.off_of_each is not None:
            return self.off_of_each(codes)
        return np.stack([self.off(code) for code in codes])

    def run(self, code: Rgb, parts: Numbers) -> Rgb:
        for part, numbers in parts:
            code = glazes()[part.key].apply(part.made(numbers), code, self.working, self.view)
        return code

    def fitted(self, code: Rgb, parts: Numbers, tries: int) -> Numbers:
        """Return the parts with numbers of least squares within their limits, from those that they have.

        Numbers of which the colours say nothing stay where they do nothing.
        """
        from scipy.optimize import least_squares

        if not parts:
            return parts
        ends = np.cumsum([0, *(len(p.start) for p, _ in parts)])
        calm, low, high, scale = (
            np.array([v for p, _ in parts for v in getattr(p, name)], float)
            for name in ("start", "low", "high", "scale")
        )
        start = np.concatenate([numbers for _, numbers in parts])
        start = np.clip(start, low + 1e-6 * (high - low), high - 1e-6 * (high - low))

        def split(p: Array) -> Numbers:
            return [(part, p[a:b]) for (part, _), a, b in zip(parts, ends, ends[1:], strict=False)]

        def held(p: Array) -> Array:
            now, off = code, []
            for each in split(p):
                now = self.run(now, [each])
                off.append(self.off(now))
            off[:-1] = [_ALSO_ALONE * v for v in off[:-1]]
            return np.concatenate([*off, _CALM * (p - calm) / scale])

        def slopes(p: Array) -> Array:
            """Differences over steps that survive the rounding of the controls.

            The moved numbers of one glaze go through those after it together.
            """
            now = split(p)
            codes = [code]
            for each in now:
                codes.append(self.run(codes[-1], [each]))
            here = [self.off(c) for c in codes[1:]]
            rows = len(here[0])
            moves = np.where(p + _STEP * scale <= high, 1, -1) * _STEP * scale
            out = np.zeros((rows * len(now) + len(p), len(p)))
            for j, (part, numbers) in enumerate(now):
                columns = slice(ends[j], ends[j + 1])
                steps = numbers + np.diag(moves[columns])
                moved = np.stack([self.run(codes[j], [(part, each)]) for each in steps])
                for later in range(j, len(now)):
                    if later > j:
                        moved = self.run(moved, [now[later]])
                    away = self._offs(moved) - here[later]
                    share = 1.0 if later == len(now) - 1 else _ALSO_ALONE
                    there = slice(rows * later, rows * (later + 1))
                    out[there, columns] = share * (away / moves[columns][:, None]).T
            out[rows * len(now) :] = np.diag(_CALM / scale)
            return out

        best = least_squares(
            held, start, jac=slopes, bounds=(low, high), x_scale=scale, max_nfev=tries, ftol=1e-4
        )
        return split(best.x if 2 * best.cost <= (held(start) ** 2).sum() else start)

    def steps(self, code: Rgb, parts: Numbers, apart: Callable[[Rgb], float]) -> tuple[Step, ...]:
        """Return glazes with what is left after each."""
        out = []
        for part, numbers in parts:
            code = self.run(code, [(part, numbers)])
            out.append(Step(part.key, part.made(numbers), apart(code)))
        return tuple(out)


def residual(
    made: Array, after: Array, weight: Array, strength: float, check: StillWanted = always_wanted
) -> Array:
    """Return the nodes of the LUT that does what glazes leave.

    Args:
        made: what they make of colours (k, 3), code values of any encoding; what lies outside of
            -0.25..1.25 is passed over.
        after: what the colours should be, in the same encoding.
    """
    inside: Array = np.asarray((np.abs(made - 0.5) <= 0.75).all(-1))
    there = Pairs(np.clip(made, 0, 1), np.asarray(after, np.float64), weight).only(inside)
    return scatter.lattice(there, scatter.UNCHANGED, strength, check=check)
