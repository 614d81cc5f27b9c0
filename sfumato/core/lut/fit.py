"""Fitting lattices: nodes chosen so that the interpolation between them meets given colours."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb, frozen_array
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.table import NODE_RANGE, UNIT, Domain, Table3D, lattice_colours, node_values
from sfumato.core.lut.transform import Transform

StillWanted = Callable[[], None]


def always_wanted() -> None:
    """Stands in where nobody can cancel."""


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
        self._at = np.array(points, np.float64, order="C").reshape(-1, 3)
        np.clip(np.nan_to_num(self._at, copy=False), 0, 1, out=self._at)
        self._at *= n - 1

    def of(self, nodes: Array, part: slice = slice(None)) -> Array:
        """Return what lies at the places, or some of them, (m, k), between nodes (n**3, k)."""
        from sfumato.core.kernels import tetra

        at = self._at[part]
        out = np.empty((len(at), nodes.shape[1]))
        tetra.look_up(at, np.require(nodes, np.float64, ("C", "W")), self.n, out)
        return out

    def spread(self, values: Array, part: slice = slice(None), onto: Array | None = None) -> Array:
        """Return values at the places, (m, k), given to the nodes around them by their shares, (n**3, k).

        Args:
            onto: nodes to which they are added; None for those of 0.
        """
        from sfumato.core.kernels import tetra

        out = np.zeros((self.n**3, values.shape[1])) if onto is None else onto
        tetra.spread(self._at[part], np.require(values, np.float64, ("C", "W")), self.n, out)
        return out

    def gram(self, share: Array, more: float = 0.0, free: Array | None = None) -> Any:
        """Return how the nodes hang together: W' diag(share) W + more, scipy.sparse CSR float64.

        Args:
            free: (n**3,), 0 for nodes that take no part, 1 for the others; None for all.
        """
        from scipy import sparse

        from sfumato.core.kernels import tetra

        n, count = self.n, self.n**3
        half = np.zeros((count, 8))
        tetra.add_gram(self._at, np.require(share, np.float64, ("C", "W")), n, half)
        half[:, 0] += more
        if free is not None:
            half *= free[:, None]
            for bits in range(1, 8):
                step = tetra.step(bits, n)
                half[: count - step, bits] *= free[step:]
        rows, none = np.empty(count + 1, np.int32), (np.empty(0, np.int32), np.empty(0))
        length = tetra.as_rows(half, n, rows, *none)
        columns, data = np.empty(length, np.int32), np.empty(length)
        tetra.as_rows(half, n, rows, columns, data)
        return sparse.csr_matrix((data, columns, rows), (count, count))


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

    gram: Any  # scipy.sparse CSR float64 (n**3, n**3)
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
    columns, rows = (v.astype(np.int32, copy=False) for v in (gram.indices, gram.indptr))
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
                gram.data,
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


@frozen
class Fitted:
    """A table sampled at its nodes and the same fitted, with the errors of both on held-out colours."""

    table: Table3D  # the better of the two
    plain: Difference
    fitted: Difference
    kept: bool  # whether the fitted one is better in the mean and at 99 %, wherever it was measured
    natural: tuple[Difference, Difference] | None = None  # plain and fitted, on natural colours


MOST_FITTED = 65  # points: of finer grids the samples here make nothing better
_AT_ONCE = 1 << 17  # samples; of those of 65 points at once each step would take 50 MB
_RUN = 64  # natural colours in a row that are fitted or held out together: neighbours are alike


def _parted(natural: Rgb) -> tuple[Rgb, Rgb]:
    """Return two thirds of natural colours to fit on, and a third that is held out."""
    out = (np.arange(len(natural)) // _RUN) % 3 == 2
    return natural[~out], natural[out]


def _held_out(domain: Domain) -> Rgb:
    """Return colours that no fit has seen: a set that fills the cube, and greys."""
    low, high = np.array(domain, np.float32)
    cube = cube_colours(30000)[5000:]
    greys = np.repeat(((np.arange(2000) + 0.37) / 2000)[:, None], 3, axis=1)
    return np.asarray(low + (high - low) * np.concatenate([cube, greys]), np.float32)


def neutral_nodes(exact: Callable[[Rgb], Rgb], n: int, low: Array, high: Array) -> Array:
    """Return the neutral nodes (n, 3) by a least-squares fit with both ends exact."""
    dense = 8 * (n - 1) + 1
    t = np.linspace(0, 1, dense)
    target = exact(as_rgb(low + (high - low) * t[:, None])).astype(np.float64)
    at = t * (n - 1)
    i = np.minimum(at.astype(int), n - 2)
    hat = np.zeros((dense, n))
    hat[np.arange(dense), i] = 1 - (at - i)
    hat[np.arange(dense), i + 1] = at - i
    ends = target[[0, -1]]
    free = hat[:, 1:-1]
    nodes, *_ = np.linalg.lstsq(free, target - hat[:, [0, -1]] @ ends, rcond=None)
    return np.concatenate([ends[:1], nodes, ends[1:]])


def fitted(
    transform: Transform,
    grid: int,
    display: Encoding,
    *,
    domain: Domain = UNIT,
    node_range: tuple[float, float] = NODE_RANGE,
    natural: Rgb | None = None,
    seen: Callable[[Rgb], Rgb] | None = None,
    check: StillWanted = always_wanted,
) -> Fitted:
    """Sample a transform on a grid, fit the nodes to colours between them, and keep what is better.

    Minimises sum w |W(S + d) - t|**2 + (1e-3 N / n**3) |d|**2 over node changes d, for samples S.
    Half of the weight lies on `natural` colours where there are some, the rest on samples all over
    the cube. Where the grade clips (target at 0 or 1), an interpolated value beyond the clip counts
    as met. The neutral line is fitted by itself first and held.

    Args:
        grid: points a side, 2 to `MOST_FITTED`.
        display: in which the errors are measured (CIEDE2000).
        natural: (k, 3) colours of pictures as they enter the table.
        seen: from what the table gives to codes of `display`; None when it gives those.
    Returns:
        The better table with the errors of both, on colours that the fit did not see.
    """
    low, high = np.array(domain, np.float64)
    nodes = lattice_colours(grid, domain)
    plain_values = node_values(transform.apply(nodes), node_range)
    plain = Table3D(plain_values, domain)
    check()
    pieces = 4 if grid <= 17 else 2
    count = pieces * (grid - 1)
    # Cell-centred samples, shifted a little by a fixed sequence so that no plane is favoured.
    at = lattice_colours(count).reshape(-1, 3) * np.float32((count - 1) / count)
    at += cube_colours(count**3) / np.float32(count)
    np.clip(at, 0, 1, out=at)
    share = np.ones(len(at))
    known, kept_back = (None, None) if natural is None else _parted(natural)
    if known is not None and len(known):
        share = np.concatenate([share, np.full(len(known), len(at) / len(known))])
        at = as_rgb(np.concatenate([at, np.clip((known - low) / (high - low), 0, 1)]))
    parts = [slice(i, i + _AT_ONCE) for i in range(0, len(at), _AT_ONCE)]
    exact = np.empty_like(at)
    for part in parts:
        colours = as_rgb(low + (high - low) * at[part])
        exact[part] = np.nan_to_num(transform.apply(colours))
        check()
    between = Between(at, grid)
    del at
    start = plain_values.reshape(-1, 3).astype(np.float64)
    diagonal = np.arange(grid) * (grid * grid + grid + 1)
    held = start.copy()
    held[diagonal] = np.clip(neutral_nodes(transform.apply, grid, low, high), *node_range)
    free = np.ones(grid**3)
    free[diagonal] = 0
    normal = Normal(between.gram(share, 1e-3 * share.sum() / grid**3, free), Bend(grid))
    change = np.zeros_like(start)
    for _ in range(4):
        moved, right = held + change, np.zeros_like(start)
        for part in parts:
            now, wanted = between.of(moved, part), exact[part]
            met = ((wanted >= 1) & (now > 1)) | ((wanted <= 0) & (now < 0))
            off = np.where(met, now, wanted) - between.of(held, part)
            between.spread(share[part, None] * off, part, right)
        change = solved(normal, free[:, None] * right, change, 12, check)
        change = np.clip(held + change, *node_range) - held
    better = Table3D(frozen_array((held + change).reshape(plain_values.shape)), domain)
    look = seen or np.asarray

    def errors(colours: Rgb) -> tuple[Difference, Difference]:
        truth = look(transform.apply(colours))
        shown = [look(Transform((t,)).apply(colours)) for t in (plain, better)]
        check()
        one, two = (difference_of((truth, each), colours, display) for each in shown)
        return one, two

    over = errors(_held_out(domain))
    on_pictures = errors(kept_back) if kept_back is not None and len(kept_back) else None
    both = [over, on_pictures] if on_pictures else [over]
    kept = all(b.mean < a.mean and b.p99 <= a.p99 for a, b in both)
    return Fitted(better if kept else plain, *over, kept, on_pictures)


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
    from scipy import sparse

    n = len(values)
    weight = np.asarray(known, np.float64).reshape(-1)
    y = np.where(weight[:, None] > 0, np.nan_to_num(np.reshape(values, (-1, 3))), 0.5)
    smooth = strength * (64 / n) ** 3 * (n - 1) ** 4
    normal = Normal(sparse.diags(weight).tocsr(), Bend(n), smooth)
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
