"""Lattices of unknown nodes: what lies between them, how they hang together and bend, and the solver for both."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.lut.table import NODE_RANGE, Table3D


def weights(points: Any, n: int) -> Any:
    """Return the tetrahedral interpolation in an n-point lattice over 0..1 as a sparse matrix.

    Args:
        points: (m, 3); clamped to 0..1.
    Returns:
        scipy.sparse CSR float64 (m, n**3): rows sum to 1, columns run over nodes [r, g, b].
    """
    from scipy import sparse

    at = np.clip(np.asarray(points, np.float64).reshape(-1, 3), 0, 1) * (n - 1)
    cell = np.minimum(at.astype(np.int64), n - 2)
    f = at - cell
    order = np.argsort(-f, axis=1, kind="stable")
    s = np.take_along_axis(f, order, axis=1)
    steps = np.array([n * n, n, 1])
    base = cell @ steps
    first = base + steps[order[:, 0]]
    second = first + steps[order[:, 1]]
    columns = np.stack([base, first, second, base + steps.sum()], -1)
    shares = np.stack([1 - s[:, 0], s[:, 0] - s[:, 1], s[:, 1] - s[:, 2], s[:, 2]], -1)
    rows = np.arange(0, 4 * len(at) + 1, 4)
    return sparse.csr_matrix((shares.ravel(), columns.ravel(), rows), (len(at), n**3))


class Between:
    """The tetrahedral interpolation at some places in an n-point lattice over 0..1: `weights` without a matrix.

    Args:
        points: (m, 3); clamped to 0..1, NaN counts as 0.
    """

    def __init__(self, points: Any, n: int) -> None:
        self.n = n
        self.at = np.array(points, np.float64, order="C").reshape(-1, 3)
        np.clip(np.nan_to_num(self.at, copy=False), 0, 1, out=self.at)
        self.at *= n - 1

    def of(self, nodes: Array) -> Array:
        """Return what lies at the places, (m, k), between nodes (n**3, k)."""
        from sfumato.core.kernels import tetra

        out = np.empty((len(self.at), nodes.shape[1]))
        tetra.look_up(self.at, np.require(nodes, np.float64, ("C", "W")), self.n, out)
        return out

    def spread(self, values: Array, onto: Array | None = None) -> Array:
        """Return values at the places, (m, k), given to the nodes around them by their shares, (n**3, k).

        Args:
            onto: nodes to which they are added; None for those of 0.
        """
        from sfumato.core.kernels import tetra

        out = np.zeros((self.n**3, values.shape[1])) if onto is None else onto
        tetra.spread(self.at, np.require(values, np.float64, ("C", "W")), self.n, out)
        return out

    def gram(self, share: Array) -> Gram:
        """Return how the nodes hang together: W' diag(share) W."""
        found = Gram(self.n)
        found.add(self, share)
        return found


class Gram:
    """W' diag(share) W of places in an n-point lattice, by its upper half: each node with those of its cell.

    As a sparse matrix it would take three times the memory, 50 MB at 65 points.
    """

    def __init__(self, n: int, diagonal: Array | None = None) -> None:
        """Begin with nothing, or with a diagonal (n**3,) that is all there will be."""
        self.n = n
        self.half = np.zeros((n**3, 8)) if diagonal is None else diagonal[:, None].copy()

    def add(self, places: Between, share: Array) -> None:
        """Add what places of some weight (m,) tell."""
        from sfumato.core.kernels import tetra

        share = np.require(share, np.float64, ("C", "W"))
        tetra.add_gram(places.at, share, self.n, self.half)

    def hold(self, more: float, free: Array | None = None) -> None:
        """Add a number to the diagonal, so that nodes of which nothing is known stay.

        Args:
            free: (n**3,), 0 for nodes that take no part, 1 for the others; None for all.
        """
        from sfumato.core.kernels import tetra

        self.half[:, 0] += more
        if free is not None:
            self.half *= free[:, None]
            for bits in range(1, 8):
                step = tetra.step(bits, self.n)
                self.half[: len(free) - step, bits] *= free[step:]

    def __matmul__(self, x: Array) -> Array:
        from sfumato.core.kernels import tetra

        out = np.zeros_like(x)
        for k in range(x.shape[1]):
            side = out[:, k].copy()
            tetra.add_product(self.half, np.require(x[:, k], np.float64, ("C", "W")), side, self.n)
            out[:, k] = side
        return out

    def diagonal(self) -> Array:
        return self.half[:, 0]


class Bend:
    """The sum of squared second differences of an n-point lattice, along its axes and across, as D'D.

    Works on (n**3, k) arrays: a sparse matrix of it would take hundreds of megabytes.
    """

    def __init__(self, n: int) -> None:
        self.n = n

    def __matmul__(self, x: Array) -> Array:
        from sfumato.core.kernels.bend import bending

        return bending(np.require(x, np.float64, ("C", "W")), self.n)

    def diagonal(self) -> Array:
        """Return how strongly each node takes part, (n**3,)."""
        n = self.n
        second, first = np.zeros(n), np.zeros(n)
        for at, square in ((slice(None, -2), 1), (slice(1, -1), 4), (slice(2, None), 1)):
            second[at] += square
        first[:-1] += 1
        first[1:] += 1
        total = np.zeros((n, n, n))
        for axis in range(3):
            form = [1, 1, 1]
            form[axis] = n
            total += second.reshape(form)
            flat = [first.reshape([n if a == k else 1 for a in range(3)]) for k in range(3)]
            total += 2 * flat[(axis + 1) % 3] * flat[(axis + 2) % 3]
        return total.reshape(-1)


_CLIPPED = 1e-3  # by how much a smooth node lies beyond 0 or 1 where the look clips; less is noise


@frozen(eq=False)
class Normal:
    """A data term plus a share of bending, as `solved` takes it."""

    gram: Any  # a Gram, or scipy.sparse CSR float64 (n**3, n**3)
    bend: Bend
    smooth: float = 0.0

    def __matmul__(self, x: Array) -> Array:
        out = self.bend @ x
        out *= self.smooth
        out += self.gram @ x
        return out

    def diagonal(self) -> Array:
        return np.asarray(self.gram.diagonal() + self.smooth * self.bend.diagonal())


_STEPS = 8  # steps between two looks at whether they are still wanted


def solved(
    normal: Normal, right: Array, start: Array, steps: int, check: StillWanted = always_wanted
) -> Array:
    """Solve a symmetric system for several right sides by Jacobi-preconditioned conjugate gradients.

    One side after the other: at 64 points each of the half dozen arrays of three would take 6 MB.
    """
    from sfumato.core.kernels.bend import go_on

    gram, n = normal.gram, normal.bend.n
    half, data, columns, rows = np.empty((0, 8)), np.empty(0), *np.empty((2, 0), np.int32)
    if isinstance(gram, Gram):
        half = gram.half
    else:
        columns, rows = (v.astype(np.int32, copy=False) for v in (gram.indices, gram.indptr))
        data = gram.data
    diagonal = normal.diagonal()
    scale = 1 / np.where(diagonal > 0, diagonal, 1)
    out = np.empty_like(start)
    for side in range(start.shape[1]):
        x = np.ascontiguousarray(start[:, side]).copy()
        residual = right[:, side] - (normal @ x[:, None])[:, 0]
        along = scale * residual
        rho, image = float(residual @ along), np.empty_like(x)
        for done in range(0, steps, _STEPS):
            check()
            few = min(_STEPS, steps - done)
            rho = go_on(
                half,
                data,
                columns,
                rows,
                normal.smooth,
                n,
                x,
                residual,
                along,
                image,
                scale,
                rho,
                few,
            )
            if rho <= 0:
                break
        out[:, side] = x
    return out


def smoothed(table: Table3D, strength: float, check: StillWanted = always_wanted) -> Table3D:
    """Take noise and steps out of a lattice: the nodes that bend least while staying near.

    Minimises sum |x - y|**2 + s (n - 1)**4 |second differences|**2 with s = strength (64 / n)**3:
    fewer nodes average less noise and need more of it. Nodes of y at 0 or 1 are clipped values: x
    may lie beyond them.

    Args:
        strength: 3e-9 for the steps of 8 bit, 1e-7 for JPEG, up to 1e-5 for strong grain.
    """
    values = smoothed_nodes(table.values, np.ones(table.values.shape[:3]), strength, check)
    return Table3D(frozen_array(values), table.domain, table.interp)


def smoothed_nodes(
    values: Any, known: Any, strength: float, check: StillWanted = always_wanted
) -> Array:
    """Smooth nodes as `smoothed` does; nodes of no weight are filled from those around them.

    Args:
        values: (n, n, n, 3).
        known: (n, n, n): the weight of each node, 0 where nothing is known of it.
    Returns:
        float64 (n, n, n, 3) within `NODE_RANGE`.
    """
    n = len(values)
    weight = np.asarray(known, np.float64).reshape(-1)
    y = np.where(weight[:, None] > 0, np.nan_to_num(np.reshape(values, (-1, 3))), 0.5)
    smooth = strength * (64 / n) ** 3 * (n - 1) ** 4
    normal = Normal(Gram(n, weight), Bend(n), smooth)
    x = y.astype(np.float64)
    target = x
    # Conjugate gradients need steps in proportion to the root of the condition number.
    steps = min(60, 6 + int(2 * np.sqrt(1 + 168 * normal.smooth)))
    if (weight == 0).any():
        steps = 200
    for part in range(3):
        right = weight[:, None] * target
        x = solved(normal, right, x, steps if part == 0 else steps // 2, check)
        beyond = ((y >= 1) & (x > 1)) | ((y <= 0) & (x < 0))
        if not (np.abs(x - y)[beyond] > _CLIPPED).any():
            break
        target = np.where(beyond, x, y)
    held = np.where((y >= 1) & (x > 1), np.minimum(x, NODE_RANGE[1]), x)
    held = np.where((y <= 0) & (x < 0), np.maximum(held, NODE_RANGE[0]), held)
    return np.asarray(np.clip(held, *NODE_RANGE) if (weight == 0).any() else held).reshape(
        n, n, n, 3
    )
