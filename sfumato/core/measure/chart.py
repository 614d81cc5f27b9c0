"""Places on a map for things that lie at given distances from a middle and from one another."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array


def placed(middle: Array, between: Array) -> Array:
    """Return places (n, 2) about 0, each at its distance from the middle, directions fitted.

    Distances from the middle hold exactly; those between the things as nearly as a plane and these
    allow, by least squares. The first lies to the right; the answer is the same every time.

    >>> at = placed(np.array([1.0, 1.0]), np.array([[0.0, 2.0], [2.0, 0.0]]))
    >>> at.round(2).tolist()
    [[1.0, 0.0], [-1.0, 0.0]]

    Args:
        middle: (n,) distances from the middle; between: (n, n), symmetric.
    """
    from scipy.optimize import minimize

    n = len(middle)
    if n == 0:
        return np.zeros((0, 2))
    wanted = between[np.triu_indices(n, 1)]
    rows, columns = np.triu_indices(n, 1)

    def at(turns: Array) -> Array:
        return np.asarray(middle[:, None] * np.stack([np.cos(turns), np.sin(turns)], -1))

    def off(turns: Array) -> tuple[float, Array]:
        where = at(turns)
        gap = where[rows] - where[columns]
        length = np.maximum(np.hypot(*gap.T), 1e-9)
        miss = length - wanted
        slope = (2 * miss / length)[:, None] * gap
        along = middle[:, None] * np.stack([-np.sin(turns), np.cos(turns)], -1)
        pull = np.zeros((n, 2))
        np.add.at(pull, rows, slope)
        np.add.at(pull, columns, -slope)
        return float((miss**2).sum()), (pull * along).sum(-1)

    even = np.arange(n) * 2 * np.pi / n
    best = None
    for start in range(4):
        begin = even if start == 0 else np.random.default_rng(start).uniform(0, 2 * np.pi, n)
        found = minimize(off, begin, jac=True, method="L-BFGS-B")
        if best is None or found.fun < best.fun - 1e-9:
            best = found
    assert best is not None
    turns = best.x - best.x[0]
    return np.asarray(at(turns) + 0.0)
