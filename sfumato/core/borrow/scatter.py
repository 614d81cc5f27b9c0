"""A smooth lattice through scattered pairs of colours: what a look did to those that a picture shows."""

from __future__ import annotations

import numpy as np
from attrs import evolve, frozen

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.lut.nodes import Bend, Between, Normal, solved
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform

_BINS = 96  # a side of the cube: colours that fall into one are taken together
_KNOTS = 12
_BEYOND = (0.5, 1.6)  # slopes with which a base goes on beyond the colours that were seen
_PLAIN = 3e-5  # how strongly its matrix is held at doing nothing: a grey picture tells none
_FEW = 6_000  # colours that tell a base
_ROUNDS = 8
_GRIDS = (5, 9, 17, 33)
_STEPS = 60
_STRENGTHS = (1e-9, 1e-8, 1e-7, 1e-6, 1e-5, 1e-4)
_WITHIN = 1.05  # of the best on colours held back: the smoothest lattice that reaches this is taken
_TO_BASE = 3e-6  # how strongly nodes that nothing is known of are held at the base
_END = 0.4 / 255  # from 0 or 1: a value there may have been cut off


@frozen(eq=False)
class Pairs:
    """Colours before and after, (k, 3) float64 each, and how much each counts, (k,)."""

    before: Array
    after: Array
    weight: Array

    def only(self, chosen: Array) -> Pairs:
        return Pairs(self.before[chosen], self.after[chosen], self.weight[chosen])

    @property
    def balanced(self) -> Pairs:
        """Weights by their roots: a colour that fills the picture does not silence the others."""
        root = np.sqrt(self.weight)
        return evolve(self, weight=root / max(float(root.sum()), 1e-12))


def gathered(before: Array, after: Array, weight: Array, cells: int = _BINS) -> Pairs:
    """Take colours together that fall into the same cell of a fine grid: their weighted means.

    Args:
        before, after: (k, 3); weight: (k,) of 0 and more.
        cells: of the grid, a side.
    """
    cell = np.clip((before * cells).astype(np.int64), 0, cells - 1)
    index = (cell[:, 0] * cells + cell[:, 1]) * cells + cell[:, 2]
    total = np.bincount(index, weight, cells**3)
    there = np.nonzero(total > 1e-9)[0]

    def mean(values: Array) -> Array:
        sums = [np.bincount(index, weight * values[:, c], cells**3)[there] for c in range(3)]
        return np.asarray(np.stack(sums, -1) / total[there, None])

    return Pairs(mean(before), mean(after), total[there])


@frozen(eq=False)
class Base:
    """y = curve(M x) by channel: what most grades are, and where colours go that were never seen."""

    matrix: Array  # rows sum to 1
    knots: Array  # (3, k) places on the axes of M x
    values: Array  # (3, k)

    def __call__(self, x: Array) -> Array:
        return np.stack(
            [
                _along(u, k, v)
                for u, k, v in zip((x @ self.matrix.T).T, self.knots, self.values, strict=True)
            ],
            -1,
        )


UNCHANGED = Base(
    np.eye(3), np.tile(np.linspace(0, 1, 2), (3, 1)), np.tile(np.linspace(0, 1, 2), (3, 1))
)


def _along(u: Array, knots: Array, values: Array) -> Array:
    """Straight between knots, and on beyond them at about the slope of the ends."""
    inside = np.interp(u, knots, values)
    first, last = ((values[i + 1] - values[i]) / (knots[i + 1] - knots[i]) for i in (0, -2))
    low, high = np.minimum(u - knots[0], 0), np.maximum(u - knots[-1], 0)
    return np.asarray(inside + np.clip(first, *_BEYOND) * low + np.clip(last, *_BEYOND) * high)


def _hats(u: Array, knots: Array) -> Array:
    cell = np.clip(np.searchsorted(knots, u, side="right") - 1, 0, len(knots) - 2)
    share = (u - knots[cell]) / (knots[cell + 1] - knots[cell])
    out = np.zeros((len(u), len(knots)))
    rows = np.arange(len(u))
    out[rows, cell], out[rows, cell + 1] = 1 - share, share
    return out


def _met(model: Array, after: Array) -> Array:
    """Return the targets: values cut off at an end are met by all that lies beyond it."""
    beyond = ((after >= 1 - _END) & (model > after)) | ((after <= _END) & (model < after))
    return np.where(beyond, model, after)


def base_of(pairs: Pairs) -> Base:
    """Fit curves and a matrix in turns, by weighted least squares."""
    pairs = pairs.only(np.arange(0, len(pairs.weight), 1 + len(pairs.weight) // _FEW))
    x, y, w = pairs.before, pairs.after, pairs.weight / pairs.weight.sum()
    matrix = np.eye(3)
    knots, values = np.zeros((3, _KNOTS)), np.zeros((3, _KNOTS))
    bend = np.diff(np.eye(_KNOTS), 2, axis=0)
    target = y
    for turn in range(_ROUNDS):
        u = x @ matrix.T
        for c in range(3):
            low, high = u[:, c].min(), u[:, c].max()
            knots[c] = np.linspace(low, max(high, low + 0.05), _KNOTS)
            hats = _hats(u[:, c], knots[c])
            square = (hats * w[:, None]).T @ hats + 1e-4 * bend.T @ bend
            square += 1e-9 * np.eye(_KNOTS)
            values[c] = np.linalg.solve(square, (hats * w[:, None]).T @ target[:, c])
        base = Base(matrix, knots.copy(), values.copy())
        model = base(x)
        target = _met(model, y)
        if turn == _ROUNDS - 1:
            break
        matrix = matrix.copy()
        for c in range(3):
            slope = np.gradient(values[c], knots[c])
            rise = np.interp(u[:, c], knots[c], slope)
            others = [i for i in range(3) if i != c]
            turned = rise[:, None] * (x[:, others] - x[:, [c]])  # the row keeps its sum
            square = (turned * w[:, None]).T @ turned + _PLAIN * np.eye(2)
            right = (turned * w[:, None]).T @ (target[:, c] - model[:, c])
            step = np.linalg.solve(square, right - _PLAIN * matrix[c, others])
            step = np.clip(step, -0.3, 0.3)
            matrix[c, others] += step
            matrix[c, c] -= step.sum()
    return base


def _finer(nodes: Array, n: int) -> Array:
    """Return a lattice (m, m, m, 3) at n points, straight between the nodes there were."""
    table = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    return table.apply(lattice_colours(n), "trilinear").astype(np.float64)


def lattice(
    pairs: Pairs,
    base: Base,
    strength: float,
    *,
    grids: tuple[int, ...] = _GRIDS,
    check: StillWanted = always_wanted,
) -> Array:
    """Return the nodes (n, n, n, 3) that meet pairs while bending least away from a base, float64.

    Coarse to fine; minimises sum w |W (B + d) - t|**2 + s (n - 1)**4 / n**3 |second differences of d|**2
    with the weights summing to 1. A target at 0 or 1 is met by what lies beyond it.
    """
    x, y = pairs.before, pairs.after
    w = pairs.weight / pairs.weight.sum()
    d: Array = np.zeros((2, 2, 2, 3))
    for n in grids:
        check()
        start = base(lattice_colours(n).reshape(-1, 3).astype(np.float64))
        places = Between(x, n)
        gram = places.gram(w)
        gram.hold(_TO_BASE / n**3)
        normal = Normal(gram, Bend(n), strength * (n - 1) ** 4 / n**3)
        from_base = places.of(start)
        d = _finer(d, n).reshape(-1, 3)
        for _ in range(2):
            target = _met(from_base + places.of(d), y)
            right = places.spread(w[:, None] * (target - from_base))
            d = solved(normal, right, d, _STEPS // 2, check)
        d = d.reshape(n, n, n, 3)
    return np.asarray(np.clip(start.reshape(d.shape) + d, *NODE_RANGE))


def missed(nodes: Array, pairs: Pairs) -> float:
    """Return what a lattice misses pairs by, weighted root mean square of code values."""
    n = len(nodes)
    made = Between(pairs.before, n).of(nodes.reshape(-1, 3))
    off = ((np.clip(made, 0, 1) - pairs.after) ** 2).sum(-1)
    return float(np.sqrt((pairs.weight * off).sum() / pairs.weight.sum()))


def strength_for(
    known: Pairs, held_back: Pairs, base: Base, check: StillWanted = always_wanted
) -> float:
    """Return how smooth a lattice should be, by what it makes of pairs that it did not see."""
    tried = []
    for strength in _STRENGTHS:
        nodes = lattice(known, base, strength, grids=_GRIDS[:3], check=check)
        tried.append((strength, missed(nodes, held_back)))
    best = min(off for _, off in tried)
    return max(s for s, off in tried if off <= _WITHIN * best)


def covered(pairs: Pairs, n: int) -> Array:
    """Return which nodes of a lattice stand beside a colour that was seen, (n, n, n) bool."""
    near = np.rint(np.clip(pairs.before, 0, 1) * (n - 1)).astype(int)
    out = np.zeros((n, n, n), bool)
    out[near[:, 0], near[:, 1], near[:, 2]] = True
    return out
