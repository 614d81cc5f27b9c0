"""A look out of pictures before and after: where they agree, what was done to colours, how sure that is."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.borrow import scatter
from sfumato.core.borrow.align import Laid, laid_over
from sfumato.core.borrow.scatter import Base, Pairs
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.fit import StillWanted, always_wanted
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform

MOST = 1_000_000  # pixels of a pair that are compared
_LOOKED_AT = 160_000  # … in which it is seen what is no matter of colour
LEAST_SIDE = 16
_ALIKE = 0.25  # of the busy places have to agree
_TILE = 32  # pixels a side of the squares that are held back together
_FLAT = 8 / 255  # of unevenness around a pixel, at which it counts half where edges mislead
_SIDES = tuple((y, x) for y in (-1, 0, 1) for x in (-1, 0, 1))
_SHAPED = 4 / 255  # of change around a pixel, from which there are shapes to compare
_DARK, _SPREAD = 0.01, 0.02  # code values: of a black picture, and of one of one colour
_CUT = 0.5  # share of a side that lies at an end


@frozen(eq=False)
class Matched:
    """Pixels of a pair that lie over one another, (h, w, 3) float32 in the grid of `after`.

    Attributes:
        inside: (h, w) where both are.
        uneven: (h, w) the most that any channel of either differs around a pixel.
        step: pixels of `after` from one of these to the next.
    """

    before: Rgb
    after: Rgb
    inside: Array
    uneven: Array
    laid: Laid
    step: int = 1


def _scale(pixels: Array) -> np.float32:
    kind = pixels.dtype
    return np.float32(1 / np.iinfo(kind).max if kind.kind == "u" else 1)


def _check_side(pixels: Array, which: str) -> None:
    high, wide = pixels.shape[:2]
    if min(high, wide) < LEAST_SIDE:
        raise ValueRefused(
            f"the picture {which} is {wide} × {high} pixels: too small to compare",
            hint=f"choose pictures of {LEAST_SIDE} pixels a side at least",
        )
    every = max(1, int(np.sqrt(high * wide / 100_000)))
    part = pixels[::every, ::every].reshape(-1, 3) * _scale(pixels)
    if not np.isfinite(part).all():
        raise ValueRefused(
            f"the picture {which} holds values that are no numbers", hint="export it again"
        )
    high_ends = np.percentile(part, 99.5, axis=0)
    spread = high_ends - np.percentile(part, 0.5, axis=0)
    if high_ends.max() < _DARK:
        raise ValueRefused(f"the picture {which} is black", hint="choose one with something to see")
    if spread.max() < _SPREAD:
        raise ValueRefused(
            f"the picture {which} is of one colour", hint="choose one with many colours in it"
        )
    at_end = (part >= 1 - 1e-4).all(-1).mean() + (part <= 1e-4).all(-1).mean()
    if at_end > _CUT:
        raise ValueRefused(
            f"{100 * at_end:.0f} % of the picture {which} is plain black or white: what was there is lost",
            hint="choose one that is exposed for what matters, or a part of it",
        )


def matched(
    before: Array, after: Array, check: StillWanted = always_wanted, *, near: bool = False
) -> Matched:
    """Lay a pair over one another, whatever their sizes.

    Args:
        before, after: (h, w, 3) code values, unsigned integers or floats.
        near: they are shots of one scene, see `laid_over`.

    Raises:
        ValueRefused: one of them is too small, black, of one colour or mostly cut off, or they show
            different things.
    """
    _check_side(before, "before")
    _check_side(after, "after")
    laid = laid_over(_small(after), _small(before), check, near=near)
    laid = _of_whole(laid, after, before)
    if laid.agreement < _ALIKE:
        raise ValueRefused(
            f"these two show different things: {100 * laid.agreement:.0f} % of the places agree",
            hint="choose the same picture before and after, or borrow from it as a reference",
        )
    check()
    high, wide = after.shape[:2]
    step = max(1, int(np.ceil(np.sqrt(high * wide / MOST))))
    y, x = np.meshgrid(
        np.arange(step // 2, high, step), np.arange(step // 2, wide, step), indexing="ij"
    )
    picture = np.rot90(before, laid.turns)
    m = laid.matrix
    u = m[0, 0] * x + m[0, 1] * y + m[0, 2]
    v = m[1, 0] * x + m[1, 1] * y + m[1, 2]
    inside = (u >= 0) & (v >= 0) & (u <= picture.shape[1] - 1) & (v <= picture.shape[0] - 1)
    check()
    one = _soft_at(picture, u, v, laid)
    two = after[y, x] * _scale(after)
    ranges = np.zeros(inside.shape, np.float32)
    for values, rows, columns in ((after, y, x), (picture, np.rint(v), np.rint(u))):
        check()
        ranges = np.maximum(ranges, _uneven(values, rows.astype(np.intp), columns.astype(np.intp)))
    finite = np.isfinite(one).all(-1) & np.isfinite(two).all(-1)
    return Matched(np.nan_to_num(one), np.nan_to_num(two), inside & finite, ranges, laid, step)


def _small(pixels: Array) -> Rgb:
    """Return a picture of at most four million pixels as floats."""
    from sfumato.core.borrow.align import shrunk

    return shrunk(pixels, 4_000_000) * _scale(pixels)


def _of_whole(laid: Laid, after: Array, before: Array) -> Laid:
    """Carry a matrix between shrunk pictures to one between the pictures themselves."""
    steps = [
        max(1, int(np.ceil(np.sqrt(p.shape[0] * p.shape[1] / 4_000_000)))) for p in (after, before)
    ]
    if steps == [1, 1]:
        return laid
    a, b = steps
    linear = laid.matrix[:, :2] * b / a
    offset = b * (laid.matrix[:, :2] @ np.full(2, 0.5 / a - 0.5) + laid.matrix[:, 2] + 0.5) - 0.5
    if laid.whole == (0, 0) and a == b:
        return Laid(np.eye(2, 3), laid.turns, laid.agreement)
    return Laid(np.concatenate([linear, offset[:, None]], 1), laid.turns, laid.agreement)


def _soft_at(picture: Array, u: Array, v: Array, laid: Laid) -> Rgb:
    """Return a picture at places, by a cubic through 4 x 4 pixels; by means where it is made smaller."""
    high, wide = picture.shape[:2]
    if laid.whole is not None:
        rows, columns = (np.clip(t, 0, n - 1).astype(int) for t, n in ((v, high), (u, wide)))
        return np.asarray(picture[rows, columns] * _scale(picture), np.float32)
    out = np.zeros((*u.shape, 3), np.float32)
    spread = max(1.0, laid.scale)
    reach = int(np.ceil(2 * spread))
    left, top = np.floor(u).astype(np.intp), np.floor(v).astype(np.intp)

    def kernel(t: Array) -> Array:
        t = np.abs(t) / spread
        near = (1.5 * t - 2.5) * t * t + 1
        far = ((-0.5 * t + 2.5) * t - 4) * t + 2
        return np.where(t < 1, near, np.where(t < 2, far, 0)).astype(np.float32)

    across = [kernel(u - left - i) for i in range(1 - reach, reach + 1)]
    down = [kernel(v - top - i) for i in range(1 - reach, reach + 1)]
    total_x, total_y = sum(across), sum(down)
    for i, wy in zip(range(1 - reach, reach + 1), down, strict=True):
        rows = np.clip(top + i, 0, high - 1)
        for j, wx in zip(range(1 - reach, reach + 1), across, strict=True):
            share = wy / total_y * (wx / total_x)
            out += picture[rows, np.clip(left + j, 0, wide - 1)] * share[..., None]
    return np.asarray(out * _scale(picture), np.float32)


def _uneven(picture: Array, rows: Array, columns: Array) -> Array:
    high, wide = picture.shape[:2]
    low = high_values = None
    for dy, dx in _SIDES:
        part = picture[np.clip(rows + dy, 0, high - 1), np.clip(columns + dx, 0, wide - 1)]
        low = part if low is None else np.minimum(low, part)
        high_values = part if high_values is None else np.maximum(high_values, part)
    assert low is not None
    assert high_values is not None
    spread = high_values.astype(np.float32) - low.astype(np.float32)
    return np.asarray(spread.max(-1) * _scale(picture))


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
        explained: the mean difference of the codes before and after, and what the table leaves of it.
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
    from sfumato.core.borrow.sure import off_by

    off = off_by(pairs, base, strength, there, check)
    return Borrowed(table, tuple(counted), pairs, base, strength, there, off, has_edges)


def _thinned(m: Matched) -> Matched:
    """Return every so many pixels of a pair, enough to see what stands out."""
    step = max(1, int(np.ceil(np.sqrt(m.inside.size / _LOOKED_AT))))
    before, after, inside, uneven = (
        v[::step, ::step] for v in (m.before, m.after, m.inside, m.uneven)
    )
    return Matched(before, after, inside, uneven, m.laid, m.step * step)


def _as_large(mask: Array, inside: Array) -> Array:
    """Return a mask of every so many pixels for all of them."""
    step = round(inside.shape[0] / mask.shape[0])
    large = mask.repeat(step, 0).repeat(step, 1)[: inside.shape[0], : inside.shape[1]]
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
