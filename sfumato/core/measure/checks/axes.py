"""Whether red answers to red."""

from __future__ import annotations

import itertools

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.table import Table3D
from sfumato.core.measure.checks.findings import Finding, Level, Looked

SWAPPED = 0.15  # margin of the best order over the straight one; clean LUTs: 0
_TURNED = 0.9  # a turn of hues resembles an order in a circle, and follows it less well than this


def axis_order(table: Table3D) -> tuple[tuple[int, int, int], float]:
    """Return which input each output follows, by correlation of opponent signals, and the margin.

    Opponent signals (a channel less the mean of the three) tell channels apart whatever the tone
    is. The margin is how much better the best order is than the straight one; faults are above 0.15.
    """
    step = 1 + table.size // 66  # of 65 points all
    line = np.linspace(0, 1, table.size)[::step]
    x = _opponents(np.stack(np.meshgrid(line, line, line, indexing="ij"), axis=-1))
    y = _opponents(table.values[::step, ::step, ::step])
    size = np.sqrt(np.diag(x.T @ x)), np.sqrt(np.diag(y.T @ y))
    cross = (y.T @ x) / np.maximum(size[1][:, None] * size[0], 1e-9)
    score = {  # of either sign: a negative follows its inputs too
        p: abs(float(np.mean([cross[c, p[c]] for c in range(3)])))
        for p in itertools.permutations(range(3))
    }
    best = max(score, key=lambda p: score[p])
    inverse = (best.index(0), best.index(1), best.index(2))
    margin = score[best] - score[0, 1, 2]
    in_circle = best in ((1, 2, 0), (2, 0, 1))
    if in_circle and score[best] < _TURNED:
        return (0, 1, 2), 0.0
    return inverse, margin


def _opponents(nodes: Rgb) -> Array:
    """Return nodes (n, n, n, 3) less the mean of their channels, float64 (n**3, 3)."""
    out = nodes.reshape(-1, 3).astype(np.float64)
    out -= out.mean(axis=1, keepdims=True)
    return out


def axes_finding(lut: Looked) -> Finding | None:
    order, margin = axis_order(lut.table)
    names = ("red", "green", "blue")
    if margin > SWAPPED:
        pairs = ", ".join(
            f"{names[order[c]]} answers to {names[c]}" for c in range(3) if order[c] != c
        )
        return Finding(
            "axes",
            Level.FAULT,
            "Axes swapped",
            f"{pairs[0].upper()}{pairs[1:]} (correlation better by {margin:.2f}).",
            margin,
            "axes",
        )
    return Finding(
        "axes", Level.GOOD, "Axes in order", "Red answers to red, green to green, blue to blue."
    )
