"""Fitting lattices: nodes chosen so that the interpolation between them meets given colours."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb, frozen_array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.nodes import Bend, Between, Gram, Normal, solved
from sfumato.core.lut.table import NODE_RANGE, UNIT, Domain, Table3D, lattice_colours, node_values
from sfumato.core.lut.transform import Transform


@frozen
class Fitted:
    """A table sampled at its nodes and the same fitted, with the errors of both on held-out colours."""

    table: Table3D  # the better of the two
    plain: Difference
    fitted: Difference
    kept: bool  # whether the fitted one is better in the mean and at 99 %, wherever it was measured
    natural: tuple[Difference, Difference] | None = None  # plain and fitted, on natural colours


MOST_FITTED = 65  # points: of finer grids the samples here make nothing better
_AT_ONCE = 1 << 17  # samples; all of those of 65 points at once would take 150 MB
_RUN = 64  # natural colours in a row that are fitted or held out together: neighbours are alike


def _parted(natural: Rgb) -> tuple[Rgb, Rgb]:
    """Return two thirds of natural colours to fit on, and a third that is held out."""
    out = (np.arange(len(natural)) // _RUN) % 3 == 2
    return natural[~out], natural[out]


def _samples(grid: int, natural: Rgb | None) -> Iterator[tuple[Rgb, float]]:
    """Yield places all over the cube, 0..1, and natural ones, some at a time, with what each of them weighs.

    Those of the cube lie in the middle of cells, shifted a little by a fixed sequence so that no plane
    is favoured.
    """
    count = (4 if grid <= 17 else 2) * (grid - 1)
    reds = max(1, _AT_ONCE // count**2)
    for first in range(0, count, reds):
        at = lattice_colours(count, part=slice(first, first + reds)).reshape(-1, 3)
        at *= np.float32((count - 1) / count)
        at += cube_colours(len(at), first * count**2) / np.float32(count)
        yield np.clip(at, 0, 1, out=at), 1.0
    if natural is not None and len(natural):
        for first in range(0, len(natural), _AT_ONCE):
            yield as_rgb(natural[first : first + _AT_ONCE]), count**3 / len(natural)


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
    known, kept_back = (None, None) if natural is None else _parted(natural)
    places = None if known is None else np.clip((known - low) / (high - low), 0, 1)
    start = plain_values.reshape(-1, 3).astype(np.float64)
    diagonal = np.arange(grid) * (grid * grid + grid + 1)
    held = start.copy()
    held[diagonal] = np.clip(neutral_nodes(transform.apply, grid, low, high), *node_range)
    free = np.ones(grid**3)
    free[diagonal] = 0
    # What is not clipped asks the same of the nodes in every round: it is added up once, and let go.
    gram, asked, weight = Gram(grid), np.zeros_like(start), 0.0
    clipped: list[tuple[Rgb, Rgb, float]] = []
    for at, share in _samples(grid, places):
        check()
        wanted = np.nan_to_num(transform.apply(as_rgb(low + (high - low) * at)))
        between = Between(at, grid)
        gram.add(between, np.full(len(at), share))
        weight += share * len(at)
        clips = (wanted >= 1) | (wanted <= 0)
        between.spread(share * np.where(clips, 0, wanted - between.of(held)), onto=asked)
        some = clips.any(axis=1)
        clipped.append((at[some], wanted[some], share))
    gram.hold(1e-3 * weight / grid**3, free)
    normal = Normal(gram, Bend(grid))
    change = np.zeros_like(start)
    for _ in range(4):
        moved, right = held + change, asked.copy()
        for at, wanted, share in clipped:
            between = Between(at, grid)
            now, above, below = between.of(moved), wanted >= 1, wanted <= 0
            met = (above & (now > 1)) | (below & (now < 0))
            off = np.where(met, now, wanted) - between.of(held)
            between.spread(share * np.where(above | below, off, 0), onto=right)
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
