"""Whether a LUT expects or gives legal range."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.lut.table import UNIT
from sfumato.core.measure.checks.findings import Finding, Level, Looked, percent


def range_out_finding(lut: Looked) -> Finding | None:
    low, high = float(lut.table.values.min()), float(lut.table.values.max())
    if abs(low - LEGAL[0]) < 0.003 and abs(high - LEGAL[1]) < 0.003:
        return Finding(
            "range out",
            Level.WARN,
            "Gives legal range",
            f"All results lie between {low * 255:.1f} and {high * 255:.1f} of 255.",
            high - low,
            "full out",
        )
    return None


def range_in_finding(lut: Looked) -> Finding | None:
    """Dead slabs at both ends of the axes: inputs that legal-range material never has."""
    if lut.domain != UNIT:
        return None
    t = np.linspace(0, 1, 256, dtype=np.float32)
    moves = []
    for axis in range(3):
        for level in (0.3, 0.5, 0.7):
            line = np.full((256, 3), level, np.float32)
            line[:, axis] = t
            moves.append(np.abs(np.diff(lut.transform.apply(line), axis=0)).sum(axis=1))
    move = np.mean(moves, axis=0)
    whole = move[20:230].mean() + 1e-9
    low, high = float(move[2:13].mean() / whole), float(move[238:253].mean() / whole)
    y = lut.tones
    sharp = _corner(y, LEGAL[0]) and _corner(y, LEGAL[1])
    if low < 0.05 and high < 0.10 and sharp:
        return Finding(
            "range in",
            Level.WARN,
            "Expects legal range",
            f"Below 16 and above 235 of 255 hardly anything moves ({percent(low)}, {percent(high)}).",
            max(low, high),
            "full in",
        )
    return None


def _corner(y: Array, place: float) -> bool:
    """Whether the greys start or stop moving near a place rather than easing over a long way."""
    at = int(place * (len(y) - 1))
    span = len(y) // 12
    inner = slice(at, at + span) if place < 0.5 else slice(at - span, at)
    outer = slice(max(at - span // 2, 0), at) if place < 0.5 else slice(at, at + span // 2)
    inside, outside = np.ptp(y[inner]), np.ptp(y[outer])
    return bool(inside > 8 * outside + 1e-4)
