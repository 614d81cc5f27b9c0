"""Laying a picture over another of the same thing: turned, scaled, shifted, cropped, a little rotated.

A grade leaves edges where they are, so edges are what is laid over edges: how strongly colours change
at a place, in relation to what is around it.
"""

from __future__ import annotations

import itertools

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, product
from sfumato.core.breath import StillWanted, always_wanted

_LEVELS = (96, 192, 320, 640, 1280)  # longer sides: a guess in the first, then finer and finer
_SURE = 0.9  # … at a first look: no other quarter turn is tried
_GUESSES = 3  # that are followed
_FIRST = 2  # levels that tell whether a guess is right
_ANGLES = (-3.0, 0.0, 3.0)  # degrees: a guess need not be nearer
_SCALES = tuple(float(s) for s in np.exp(np.arange(-14, 15) * 0.055))  # 0.46 to 2.16
_NEAR = (0.8, 0.9, 1.0, 1.1, 1.25)
_CERTAIN = 0.6  # of the places agree: no other guess is tried
_WHOLE = 0.12  # pixels by which a whole shift may be missed
_BAND = 64  # rows that are compared at once
_BLOCK = 24  # pixels a side of a place, at the finest level
_ALIKE = 0.45  # correlation from which a place agrees
_STEPS = 12


@frozen(eq=False)
class Laid:
    """Where the pixels of one picture lie in another that was turned upright.

    `matrix` (2, 3) carries (x, y, 1) of a pixel's middle there to x, y in the other one. `agreement`
    is the share of places with something to see in which both show the same.
    """

    matrix: Array
    turns: int = 0  # quarter turns to the left that bring the other one upright
    agreement: float = 1.0

    @property
    def whole(self) -> tuple[int, int] | None:
        """A shift by whole pixels (x, y) and nothing else, or None."""
        (a, b, x), (c, d, y) = self.matrix.tolist()
        straight = (a, b, c, d) == (1.0, 0.0, 0.0, 1.0)
        return (int(x), int(y)) if straight and x == int(x) and y == int(y) else None

    @property
    def scale(self) -> float:
        """How many pixels of the other picture one of this covers, along a side."""
        return float(np.sqrt(abs(np.linalg.det(self.matrix[:, :2]))))

    @property
    def angle(self) -> float:
        """Degrees by which it is rotated, beside quarter turns."""
        return float(np.degrees(np.arctan2(self.matrix[1, 0], self.matrix[0, 0])))


def shrunk(pixels: Array, most: int) -> Array:
    """Return a picture of at most so many pixels, by means over squares of whole pixels; float32."""
    height, width = pixels.shape[:2]
    step = min(max(1, int(np.ceil(np.sqrt(height * width / most)))), height, width)
    if step == 1:
        return np.asarray(pixels, np.float32)
    high, wide = height // step, width // step
    out = np.zeros((high, wide, pixels.shape[2]), np.float32)
    for y, x in itertools.product(range(step), range(step)):  # sums in place, without a copy
        out += pixels[y : high * step : step, x : wide * step : step]
    out /= step * step
    return out


def edges(pixels: Rgb) -> Array:
    """Return how much colours change at a place, in relation to its surroundings: (h, w), 0..4."""
    from scipy import ndimage

    total = np.zeros(pixels.shape[:2], np.float32)
    for c in range(3):
        soft = ndimage.gaussian_filter(pixels[..., c], 0.8)
        total += np.gradient(soft, axis=0) ** 2 + np.gradient(soft, axis=1) ** 2
    strength = np.sqrt(total)
    around = ndimage.gaussian_filter(strength, 8)
    floor = 0.3 * float(around.mean()) + 1e-4
    return np.asarray(np.minimum(strength / (around + floor), 4.0), np.float32)


def laid_over(
    after: Rgb, before: Rgb, check: StillWanted = always_wanted, *, near: bool = False
) -> Laid:
    """Find where the pixels of `after` lie in `before`, whatever was done to the colours of either.

    Found are quarter turns, other sizes (half to twice in relation to the picture's), rotation by a
    few degrees, shifts and crops that leave half of the picture. A mirrored picture is not sought.

    Args:
        after, before: (h, w, 3) code values, 8 pixels a side at least.
        near: only shifts and sizes that are much the same are sought, as between shots of one scene.
    """
    shape = after.shape
    there, other = _pyramid(after), _pyramid(before)
    del after, before  # copies that were made for this call need not stay
    if near:
        return _snapped(_sought(there, other, _NEAR, (0.0,), check, turns=1), shape)
    found = [_sought(there, other, (1.0,), (0.0,), check)]
    if found[0].agreement < _CERTAIN:
        found.append(_sought(there, other, _SCALES, _ANGLES, check))
    return _snapped(max(found, key=lambda f: f.agreement), shape)


def _sought(
    there: list[_Level],
    other: list[_Level],
    scales: tuple[float, ...],
    angles: tuple[float, ...],
    check: StillWanted,
    turns: int = 4,
) -> Laid:
    """Return the best of guesses with some scales and angles, made finer to the last level."""
    best, upright = (-1.0, np.eye(2, 3)), 0
    for turn in range(turns):
        turned = [level.turned(turn) for level in other[:_FIRST]]
        pairs = list(zip(there[:_FIRST], turned, strict=False))
        for guess in _guesses(*pairs[0], scales, angles, check):
            matrix = guess
            for one, two in pairs:
                matrix = _finer(one, two, matrix, _STEPS, check)
            agreement = _agreement(*pairs[-1], matrix)
            if agreement > best[0]:
                best, upright = (agreement, matrix), turn
        if best[0] > _SURE:
            break
    matrix = best[1]
    pairs = [(one, two.turned(upright)) for one, two in zip(there, other, strict=False)]
    for one, two in pairs[_FIRST:]:
        matrix = _finer(one, two, matrix, _STEPS // 2, check)
    return Laid(matrix, upright, _agreement(*pairs[-1], matrix))


@frozen(eq=False)
class _Level:
    """Edges of a picture made smaller; `size` is width and height of the picture itself."""

    edges: Array
    size: tuple[int, int]

    @property
    def scale(self) -> Array:
        """How many pixels of the picture one of these is, along x and y."""
        high, wide = self.edges.shape
        return np.array([self.size[0] / wide, self.size[1] / high])

    def turned(self, turns: int) -> _Level:
        size = self.size[::-1] if turns % 2 else self.size
        return _Level(np.ascontiguousarray(np.rot90(self.edges, turns)), size)


def _pyramid(pixels: Rgb) -> list[_Level]:
    from scipy import ndimage

    height, width = pixels.shape[:2]
    longer = max(height, width)
    sides = [s for s in _LEVELS if s < longer]
    if len(sides) < len(_LEVELS):
        sides.append(longer)
    out = []
    small = pixels
    for side in reversed(sides):  # each from the one before, the largest from the picture
        share = side / max(small.shape[:2])
        small = shrunk(small, max(64, int(small.shape[0] * small.shape[1] * share * share * 4)))
        zoom = side / max(small.shape[:2])
        if zoom < 1:
            soft = (  # channel by channel: all at once take three times the picture
                ndimage.gaussian_filter(small[..., c], 0.35 / zoom) for c in range(3)
            )
            small = np.concatenate([_resized(c[..., None], zoom) for c in soft], axis=-1)
        out.append(_Level(edges(small), (width, height)))
    return out[::-1]


def _resized(pixels: Array, zoom: float) -> Array:
    """Return a picture sampled at other pixel middles, straight between: rows, then columns."""
    out = pixels
    for axis in (0, 1):
        long = pixels.shape[axis]
        size = max(8, round(long * zoom))
        at = np.clip((np.arange(size) + 0.5) * long / size - 0.5, 0, long - 1)
        first = np.minimum(at.astype(np.intp), long - 2)
        share = (at - first).astype(np.float32).reshape((-1, 1, 1) if axis == 0 else (1, -1, 1))
        here = out.take(first, axis)
        here += (out.take(first + 1, axis) - here) * share
        out = here
    return out


def sampled_at(pixels: Array, x: Array, y: Array) -> Array:
    """Return a picture (h, w, k) at places, straight between pixels; the edge goes on beyond it."""
    high, wide = pixels.shape[:2]
    x, y = np.clip(x, 0, wide - 1), np.clip(y, 0, high - 1)
    left, top = np.minimum(x.astype(np.intp), wide - 2), np.minimum(y.astype(np.intp), high - 2)
    u, v = ((x - left)[..., None], (y - top)[..., None])
    u, v = u.astype(np.float32), v.astype(np.float32)
    upper = pixels[top, left] * (1 - u) + pixels[top, left + 1] * u
    lower = pixels[top + 1, left] * (1 - u) + pixels[top + 1, left + 1] * u
    return np.asarray(upper * (1 - v) + lower * v, np.float32)


def _guesses(
    one: _Level,
    two: _Level,
    scales: tuple[float, ...],
    angles: tuple[float, ...],
    check: StillWanted,
) -> list[Array]:
    """Return the matrices of the best of some scales and angles, by cross-correlation.

    A scale of 1 fits one picture into the other.
    """
    n = 2 * _LEVELS[0]
    window = one.edges - one.edges.mean()
    spectrum = np.conj(np.fft.rfft2(window, (n, n)))
    fits = np.mean(np.array(two.edges.shape) / np.array(one.edges.shape))
    y, x = np.mgrid[:n, :n].astype(np.float32)
    mean = float(two.edges.mean())
    middle = np.array(two.edges.shape[::-1]) / 2
    found = []
    for scale, angle in itertools.product(scales, angles):
        check()
        a = np.radians(angle)
        linear = fits * scale * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        offset = middle - linear @ np.array([n / 2, n / 2])
        u, v, inside = _carried(np.concatenate([linear, offset[:, None]], 1), x, y, two)
        warped = (sampled_at(two.edges[..., None], u, v)[..., 0] - mean) * inside
        cross = np.fft.irfft2(np.fft.rfft2(warped) * spectrum, (n, n))
        at = int(cross.argmax())
        score = float(cross.flat[at]) / max(float(np.linalg.norm(warped)), 1e-9)
        dy, dx = divmod(at, n)
        shift = np.array([dx - n if dx > n // 2 else dx, dy - n if dy > n // 2 else dy])
        matrix = np.concatenate([linear, (linear @ shift + offset)[:, None]], axis=1)
        found.append((score, _scaled(matrix, one, two)))
    found.sort(key=lambda f: -f[0])
    return [matrix for _score, matrix in found[:_GUESSES]]


def _carried(matrix: Array, x: Array, y: Array, two: _Level) -> tuple[Array, Array, Array]:
    """Return where places lie in another level, and whether they lie inside."""
    u = matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]
    v = matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]
    high, wide = two.edges.shape
    return u, v, (u >= 0) & (v >= 0) & (u <= wide - 1) & (v <= high - 1)


def _scaled(matrix: Array, one: _Level, two: _Level) -> Array:
    """Carry a matrix between edges of levels to one between the pictures (pixel middles)."""
    a, b = one.scale, two.scale
    linear = b[:, None] * matrix[:, :2] / a[None]
    offset = b * (matrix[:, :2] @ (0.5 / a - 0.5) + matrix[:, 2] + 0.5) - 0.5
    return np.concatenate([linear, offset[:, None]], axis=1)


def _unscaled(matrix: Array, one: _Level, two: _Level) -> Array:
    a, b = one.scale, two.scale
    linear = matrix[:, :2] * a[None] / b[:, None]
    offset = (matrix[:, :2] @ (0.5 * a - 0.5) + matrix[:, 2] + 0.5) / b - 0.5
    return np.concatenate([linear, offset[:, None]], axis=1)


def _along(here: Array, wanted: Array) -> Array:
    """Return the straight line through values over others, at each of those; these where they are all alike."""
    spread = here - here.mean(dtype=np.float64)
    power = float((spread**2).mean())
    if power <= 1e-12:
        return here
    return np.asarray(wanted.mean() + (spread * wanted).mean() / power * spread)


def _finer(one: _Level, two: _Level, matrix: Array, steps: int, check: StillWanted) -> Array:
    """Return the matrix that carries edges nearest over edges: Gauss-Newton on an affine map.

    Edges may be stronger or weaker throughout; places that stand out (moved things) count less.
    """
    high, wide = one.edges.shape
    every = max(1, int(np.sqrt(high * wide / 150_000)))
    y, x = (g.ravel().astype(np.float32) for g in np.mgrid[0:high:every, 0:wide:every])
    target = one.edges[::every, ::every].ravel()
    rise = np.stack([two.edges, *np.gradient(two.edges)[::-1]], axis=-1)
    at = _unscaled(matrix, one, two)
    unit = np.array([2 / wide, 2 / high], np.float32)
    place = np.stack([x * unit[0] - 1, y * unit[1] - 1, np.ones_like(x)], axis=-1)
    for _ in range(steps):
        check()
        u, v, inside = _carried(at, x, y, two)
        if inside.sum() < 200:
            return matrix
        values = sampled_at(rise, u[inside], v[inside])
        here, p = values[:, 0], place[inside]
        columns = np.concatenate(
            [p * values[:, 1:2], p * values[:, 2:3], here[:, None], np.ones_like(here)[:, None]], 1
        ).astype(np.float64)
        wanted = target[inside].astype(np.float64)
        off = wanted - _along(here, wanted)
        spread = 1.5 * float(np.median(np.abs(off))) + 1e-6
        weighed = columns * (1 / (1 + (off / (3 * spread)) ** 2))[:, None]
        square = product(weighed.T, columns)
        square[np.diag_indices(8)] *= 1 + 1e-6
        square[np.diag_indices(8)] += 1e-9
        step = np.linalg.solve(square, product(weighed.T, wanted))
        if not np.isfinite(step).all() or abs(step[6]) < 1e-3:
            return matrix
        move = (step[:6] / step[6]).reshape(2, 3)
        move *= min(1.0, 3.0 / max(float(np.abs(move).max()), 1e-9))
        change = np.empty((2, 3))
        change[:, :2] = move[:, :2] * unit
        change[:, 2] = move[:, 2] - move[:, :2].sum(1)
        at = at + change
        if np.abs(move).max() < 2e-3:
            break
    return _scaled(at, one, two)


def _agreement(one: _Level, two: _Level, matrix: Array) -> float:
    """Return the share of busy places in which edges go with edges."""
    high, wide = one.edges.shape
    at, inside = _unscaled(matrix, one, two), np.empty((high, wide), bool)
    other = np.empty((high, wide), np.float32)
    for top in range(0, high, _BAND):  # whole, the places take a hundred bytes a pixel
        rows = slice(top, min(top + _BAND, high))
        y, x = np.mgrid[rows, :wide].astype(np.float32)
        u, v, inside[rows] = _carried(at, x, y, two)
        other[rows] = sampled_at(two.edges[..., None], u, v)[..., 0]
    if inside.mean() < 0.1:
        return 0.0
    alike, there = blocks_alike(one.edges, other, inside)
    return float(alike[there].mean()) if there.any() else 0.0


def blocks_alike(one: Array, two: Array, inside: Array, side: int = _BLOCK) -> tuple[Array, Array]:
    """Return by blocks of edges whether those go with others, and whether there is anything to see."""
    side = max(4, min(side, min(one.shape) // 4))
    high, wide = (s // side for s in one.shape)

    def blocks(v: Array) -> Array:
        part = v[: high * side, : wide * side].reshape(high, side, wide, side)
        return part.transpose(0, 2, 1, 3).reshape(high, wide, side * side)

    a, b, whole = blocks(one), blocks(two), blocks(inside).mean(-1) > 0.9
    a = a - a.mean(-1, keepdims=True)
    b = b - b.mean(-1, keepdims=True)
    strength = np.sqrt((a * a).sum(-1) * (b * b).sum(-1))
    busy = whole & (a.std(-1) > 0.25) & (b.std(-1) > 0.05)
    return (a * b).sum(-1) > _ALIKE * np.maximum(strength, 1e-9), busy


def _snapped(found: Laid, shape: tuple[int, ...]) -> Laid:
    """Return a whole shift where one lies within an eighth of a pixel at every corner."""
    high, wide = shape[:2]
    corners = np.array([[0, 0, 1], [wide - 1, 0, 1], [0, high - 1, 1], [wide - 1, high - 1, 1]])
    at = corners @ found.matrix.T
    shift = np.rint(np.mean(at - corners[:, :2], axis=0))
    if np.abs(at - corners[:, :2] - shift).max() > _WHOLE * max(1, max(high, wide) / _LEVELS[-1]):
        return found
    matrix = np.concatenate([np.eye(2), shift[:, None]], axis=1)
    return Laid(matrix, found.turns, found.agreement)


def as_laid(before: Rgb, laid: Laid, shape: tuple[int, ...]) -> tuple[Rgb, Array]:
    """Return `before` as it lies under a picture of a shape, and where it covers that: (h, w)."""
    from scipy import ndimage

    high, wide = shape[:2]
    picture = np.rot90(before, laid.turns)
    whole = laid.whole
    y, x = np.arange(high), np.arange(wide)
    if whole is not None:
        u, v = x + whole[0], y + whole[1]
        inside = ((v >= 0) & (v < picture.shape[0]))[:, None] & ((u >= 0) & (u < picture.shape[1]))
        rows = np.clip(v, 0, picture.shape[0] - 1)[:, None]
        return picture[rows, np.clip(u, 0, picture.shape[1] - 1)], inside
    if laid.scale > 1.05:
        soft = 0.5 * float(np.sqrt(laid.scale**2 - 1))
        picture = ndimage.gaussian_filter(picture, (soft, soft, 0))
    m = laid.matrix
    u = m[0, 0] * x[None] + m[0, 1] * y[:, None] + m[0, 2]
    v = m[1, 0] * x[None] + m[1, 1] * y[:, None] + m[1, 2]
    inside = (u >= 0) & (v >= 0) & (u <= picture.shape[1] - 1) & (v <= picture.shape[0] - 1)
    at = np.stack([v, u])
    planes = [
        ndimage.map_coordinates(picture[..., c], at, order=3, mode="nearest") for c in range(3)
    ]
    return np.stack(planes, -1).astype(np.float32), inside
