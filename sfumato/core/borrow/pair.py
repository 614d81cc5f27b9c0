"""A look out of pictures before and after: where they agree, what was done to colours, how sure that is."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.borrow import scatter
from sfumato.core.borrow.matched import Matched
from sfumato.core.borrow.scatter import Base, Pairs
from sfumato.core.borrow.sure import off_by
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform

_LOOKED_AT = 160_000  # pixels of a pair in which it is seen what is no matter of colour
_TILE = 32  # pixels a side of the squares that are held back together
_FLAT = 8 / 255  # of unevenness around a pixel, at which it counts half where edges mislead
_SHAPED = 4 / 255  # of change around a pixel, from which there are shapes to compare


@frozen(eq=False)
class Picture:
    """What a pair became: the pixels that count, and those left out."""

    matched: Matched
    left_out: Array  # (h, w) bool, inside of both
    weight: Array  # (h, w) float32


@frozen(eq=False)
class Borrowed:
    """A look out of pairs.

    Attributes:
        table: from the codes before to those after.
        known: (n, n, n) whether a colour near a node was seen.
        off: (n, n, n) by how much a node may be off, code values: nine of ten lie within it.
        has_edges: whether edges were counted less, since something was done to them.
    """

    table: Transform
    pictures: tuple[Picture, ...]
    pairs: Pairs = field(repr=False)
    base: Base = field(repr=False)
    strength: float
    known: Array = field(repr=False)
    off: Array = field(repr=False)
    has_edges: bool = False


def weighed(
    pictures: Sequence[Matched], check: StillWanted = always_wanted
) -> tuple[list[Picture], bool]:
    """Say which pixels of pairs count and how much, and whether edges count less."""
    thin = [_thinned(m) for m in pictures]
    has_edges = _edges_mislead(thin, [_flat_weights(m) for m in thin])

    def weight(m: Matched) -> Array:
        return _flat_weights(m) if has_edges else m.inside.astype(np.float32)

    masks = [
        _as_large(out, m.inside)
        for m, out in zip(pictures, _left_out(thin, [weight(m) for m in thin], check), strict=True)
    ]
    weights = [weight(m) for m in pictures]
    counted = [
        Picture(m, out, np.where(out, 0, w).astype(np.float32))
        for m, out, w in zip(pictures, masks, weights, strict=True)
    ]
    return counted, has_edges


def looked(pictures: Sequence[Matched], check: StillWanted = always_wanted) -> Borrowed:
    """Make one look of pairs that lie over one another.

    Raises:
        ValueRefused: they hold too little colour.
    """
    counted, has_edges = weighed(pictures, check)
    pairs = gathered(counted).balanced
    if len(pairs.weight) < 12:
        raise ValueRefused(
            "too few colours lie under one another", hint="choose pictures with more to see in both"
        )
    base = scatter.base_of(pairs)
    known = [
        gathered(counted, lambda tile: tile % 5 > 0),
        gathered(counted, lambda tile: tile % 5 == 0),
    ]
    strength = 1e-7
    if min(len(k.weight) for k in known) >= 12:
        strength = scatter.strength_for(known[0].balanced, known[1].balanced, base, check)
    nodes = scatter.lattice(pairs, base, strength, check=check)
    table = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    there = scatter.covered(pairs, len(nodes))
    off = off_by(pairs, base, strength, there, check)
    return Borrowed(table, tuple(counted), pairs, base, strength, there, off, has_edges)


def _thinned(m: Matched) -> Matched:
    """Return every so many pixels of a pair, enough to see what stands out."""
    step = max(1, int(np.ceil(np.sqrt(m.inside.size / _LOOKED_AT))))
    before, after, inside, uneven = (
        v[::step, ::step] for v in (m.before, m.after, m.inside, m.uneven)
    )
    return Matched(before, after, inside, uneven, m.laid)


def _as_large(mask: Array, inside: Array) -> Array:
    """Return a mask of every so many pixels for all of them."""
    step = round(inside.shape[0] / mask.shape[0])
    each = np.broadcast_to(mask[:, None, :, None], (mask.shape[0], step, mask.shape[1], step))
    large = each.reshape(mask.shape[0] * step, -1)[: inside.shape[0], : inside.shape[1]]
    room = [(0, max(0, a - b)) for a, b in zip(inside.shape, large.shape, strict=True)]
    return np.asarray(np.pad(large, room, mode="edge") & inside)


def _flat_weights(m: Matched) -> Array:
    return np.asarray(m.inside / (1 + (m.uneven / np.float32(_FLAT)) ** 4), np.float32)


def _tiles(shape: tuple[int, ...]) -> Array:
    """Return a number for each pixel that squares of a picture share; neighbours have others."""
    rows, columns = (np.arange(s) // _TILE for s in shape[:2])
    return np.add.outer(rows * 7, columns * 3)


def gathered(pictures: Sequence[Picture], chosen: Callable[[Array], Array] | None = None) -> Pairs:
    """Return the colours of pixels that count; of squares of the pictures that are chosen by number."""
    columns: list[tuple[Array, Array, Array]] = []
    for p in pictures:
        there = p.weight > 1e-3
        if chosen is not None:
            there &= chosen(_tiles(there.shape))
        m = p.matched
        columns.append(
            (m.before[there].astype(np.float64), m.after[there].astype(np.float64), p.weight[there])
        )
    before, after, weight = (np.concatenate(v) for v in zip(*columns, strict=True))
    return scatter.gathered(before, after, weight.astype(np.float64))


def _rough(pictures: Sequence[Matched], weights: Sequence[Array]) -> tuple[Pairs, Base]:
    pairs = gathered(
        [Picture(m, ~m.inside, w) for m, w in zip(pictures, weights, strict=True)]
    ).balanced
    return pairs, scatter.base_of(pairs)


def _edges_mislead(pictures: Sequence[Matched], flat: Sequence[Array]) -> bool:
    """Whether pixels beside edges follow the look of the flat ones less than those do themselves."""
    if any(m.laid.whole is None for m in pictures):
        return True
    pairs, base = _rough(pictures, flat)
    if len(pairs.weight) < 12:
        return False
    nodes = scatter.lattice(pairs, base, 1e-7, grids=(5, 9, 17))
    off = [_residual(m, nodes) for m in pictures]
    calm = np.concatenate(
        [o[m.inside & (m.uneven < _FLAT / 2)] for o, m in zip(off, pictures, strict=True)]
    )
    steep = np.concatenate(
        [o[m.inside & (m.uneven > _FLAT)] for o, m in zip(off, pictures, strict=True)]
    )
    if min(len(calm), len(steep)) < 100:
        return False
    return float(np.median(steep)) > 2 * float(np.median(calm)) + 1 / 255


def _residual(m: Matched, nodes: Array) -> Array:
    """Return how far each pixel lies from what a lattice makes of it, code values (h, w)."""
    table = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    made = np.clip(table.apply(m.before), 0, 1)
    return np.asarray(np.sqrt(((made - np.clip(m.after, 0, 1)) ** 2).sum(-1)))


def _left_out(
    pictures: Sequence[Matched], weights: Sequence[Array], check: StillWanted
) -> list[Array]:
    """Return where pictures differ by more than colour: moved things, a logo, a border, a caption.

    What follows no look of colours: first none of few numbers, then no smooth lattice, each fitted with
    less weight on what stood out before.
    """
    now = list(weights)
    off: list[Array] = []
    for turn in range(6):
        check()
        pairs, base = _rough(pictures, now)
        if len(pairs.weight) < 12:
            break
        if turn < 3:
            nodes = scatter.lattice(pairs, base, 1e-3, grids=(5,), check=check)
        else:
            nodes = scatter.lattice(pairs, base, 1e-6, grids=(5, 9), check=check)
        off = [_even_residual(m, nodes) for m in pictures]
        sigma = _spread(pictures, off)
        now = [
            (w / (1 + (o / (3 * sigma)) ** (2 if turn < 3 else 4))).astype(np.float32)
            for w, o in zip(weights, off, strict=True)
        ]
    if not off:
        return [np.zeros(m.inside.shape, bool) for m in pictures]
    sigma = _spread(pictures, off)
    return [
        _grown(m, o > max(5 * sigma, 5 / 255), _is_strange(m, nodes, sigma))
        for m, o in zip(pictures, off, strict=True)
    ]


def _grown(m: Matched, odd: Array, strange: Array) -> Array:
    """Return whole areas of what stood out, without specks and holes."""
    from scipy import ndimage

    odd = ndimage.binary_opening(odd & m.inside)
    side = max(2, round(0.012 * max(odd.shape)))
    room = 2 * side
    closed = ndimage.binary_closing(np.pad(odd | strange, room), iterations=side)
    grown = ndimage.binary_fill_holes(closed)[room:-room, room:-room]
    grown = ndimage.binary_dilation(grown, iterations=2)
    large = ndimage.binary_opening(grown, iterations=3)
    return np.asarray(ndimage.binary_propagation(large, mask=grown) & m.inside)


def _is_strange(m: Matched, nodes: Array, noise: float) -> Array:
    """Return where the picture after has other shapes than the one before, or none: painted over."""
    from scipy import ndimage

    table = Transform((Table3D(frozen_array(nodes.astype(np.float32))),))
    one, two = (np.clip(v, 0, 1).mean(-1) for v in (table.apply(m.before), m.after))
    side = 15

    def around(v: Array) -> Array:
        return np.asarray(ndimage.uniform_filter(v.astype(np.float64), side))

    means = around(one), around(two)
    own = around(one * one) - means[0] ** 2
    other = around(two * two) - means[1] ** 2
    both = around(one * two) - means[0] * means[1]
    shaped = own > max(_SHAPED, 2 * noise) ** 2
    unlike = both < 0.3 * np.sqrt(np.maximum(own * np.maximum(other, own / 16), 1e-12))
    return np.asarray(ndimage.binary_opening(shaped & unlike & m.inside, iterations=3))


def _even_residual(m: Matched, nodes: Array) -> Array:
    from scipy import ndimage

    part = _residual(m, nodes) / (1 + (m.uneven / np.float32(_FLAT)) ** 2)
    return np.asarray(ndimage.uniform_filter(part, 5))


def _spread(pictures: Sequence[Matched], off: Sequence[Array]) -> float:
    every = np.concatenate([o[m.inside] for o, m in zip(off, pictures, strict=True)])
    return max(1.5 * float(np.median(every)), 1 / 255) if every.size else 1.0
