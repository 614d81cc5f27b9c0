"""What a picture program leaves in a carrier beside its look: measured where a LUT could not have done it.

A look gives one colour to one input, and like colours to like inputs. So each node is compared with its
neighbours in the cube, which lie elsewhere in the picture; and each pixel of a witness with what the LUT
makes of it. What follows the picture instead of the cube is a filter's, a lens's or a codec's.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb, product
from sfumato.core.carrier.arrange import HALD, arranged, lattice_of
from sfumato.core.luma import luma

LOW, HIGH = 0.012, 0.988  # beyond these a value may be clipped
_NEAR = np.arange(2, 8)  # planes from which the outermost is foretold
_WINDOW = 7  # nodes over which a look is taken to bend evenly
_LARGE = 2.2e6  # pixels of a witness that are looked at one by one
FINE, WIDE = 1.0, 25.0  # pixels: radii of sharpening and of local contrast
_GREY = 0.02  # a look with less colour than this share of its tones is monochrome
_NORMAL = 0.6745  # the median of absolute deviations of a normal spread of 1


@frozen
class Mix:
    """What of the other side of a seam is found on this one: blurred above 0, sharpened below."""

    tones: float = 0.0
    colours: float = 0.0
    told: float = 0.0  # the share of what stands out at seams that this explains
    apart: float = 1.0  # how well tones are told from colours there; identity: 0.0005


@frozen(eq=False)
class Traces:
    """Figures of what came back; 0 where the picture is too small to tell."""

    mix: Mix = field(factory=Mix)
    grain: float = 0.0  # codes of 255
    blocks: float = 1.0  # how much steps between blocks of eight pixels stand out
    left: float = 0.0  # codes of 255: what follows the picture over wide areas
    vignette: float = 0.0  # the share of light lost in the corners
    local: float = 0.0  # the strength of local contrast
    explained: tuple[float, float] = (0.0, 0.0)  # how much of `left` these two explain
    where: Array | None = None  # (h, w) codes of 255 that no LUT explains, for showing


def smooth_of(lattice: Array, window: int = _WINDOW) -> Array:
    """Return a lattice with each node from the even bend of so many around it, float64.

    Savitzky and Golay's smoothing along each axis in turn, by parabolas; the ends follow the last one.
    """
    smoother = _smoother(len(lattice), window)
    out = lattice.astype(np.float64)
    for axis in range(3):
        out = along(smoother, out, axis)
    return np.ascontiguousarray(out)


def along(matrix: Array, values: Array, axis: int) -> Array:
    """Return what a matrix (m, n) makes of values along an axis of length n."""
    shape = values.shape
    before, after = math.prod(shape[:axis]), math.prod(shape[axis + 1 :])
    if after == 1:
        made = values.reshape(before, -1) @ matrix.T
    else:
        made = matrix @ values.reshape(before, shape[axis], after)
    return np.asarray(made.reshape(*shape[:axis], len(matrix), *shape[axis + 1 :]))


@lru_cache(maxsize=32)
def _smoother(n: int, window: int) -> Array:
    """Return the matrix (n, n) whose rows lay a parabola through a window of an odd length."""
    odd = min(window, n - 1 + n % 2)
    matrix = np.zeros((n, n))
    for row in range(n):
        start = min(max(row - odd // 2, 0), n - odd)
        around = np.arange(start, start + odd)
        matrix[row, around] = np.linalg.pinv(np.vander(around - row, 3))[-1]
    return matrix


def of_nodes(lattice: Array, shape: str, across: int) -> Traces:
    """Measure a picture of nodes [r, g, b, 3]: HALD, row, column or square, a pixel a node."""
    n = len(lattice)
    picture = _drawn(lattice, shape)
    smooth = np.clip(_drawn(smooth_of(lattice), shape), 0, 1)
    off = picture - smooth
    height, width = picture.shape[:2]
    mixes = [mixing(picture.reshape(height, width // n, n, 3))]
    if shape != HALD:
        rows = np.ascontiguousarray(picture.transpose(1, 0, 2))
        mixes.append(mixing(rows.reshape(width, height // n, n, 3)))

    def unexplained(tone: Array) -> Array:
        """Return what a look could not make of a picture's change of tone."""
        nodes = lattice_of(tone[..., None], shape, n, across)
        return np.asarray(tone - _drawn(smooth_of(nodes), shape)[..., 0])

    found = _wide(luma(picture), picture, smooth, unexplained)
    return Traces(
        max(mixes, key=lambda m: abs(m.tones) * m.told),
        _grain(off, picture, smooth),
        _blocks(off),
        *found,
        np.abs(off).max(-1) * 255,
    )


def _drawn(lattice: Array, shape: str) -> Array:
    return arranged(np.ascontiguousarray(lattice, np.float32), shape).astype(np.float64)


def of_witness(back: Rgb, made: Rgb) -> Traces:
    """Measure a picture that came back (h, w, 3) against what the LUT makes of the one that went out.

    Of a large one the middle is looked at for what is fine, a smaller copy for what is wide.
    """
    height, width = back.shape[:2]
    factor = math.ceil(math.sqrt(height * width / _LARGE))
    if factor > 1:
        high, wide = height // factor, width // factor
        top, left = (height - high) // 2, (width - wide) // 2
        middle = slice(top, top + high), slice(left, left + wide)
        fine: tuple[Array, Array] = back[middle].astype(np.float64), made[middle].astype(np.float64)
        back, made = (
            v[: high * factor, : wide * factor]
            .reshape(high, factor, wide, factor, 3)
            .mean((1, 3), dtype=np.float64)
            for v in (back, made)
        )
    else:
        back, made = back.astype(np.float64), made.astype(np.float64)
        fine = back, made
    off = fine[0] - fine[1]
    mix = _filtered(off, *fine)
    change = back - made
    found = _wide(luma(change), back, made, _beyond_colours(made), WIDE / factor)
    return Traces(mix, _grain(off, *fine), _blocks(off), *found, np.abs(change).max(-1) * 255)


def _filtered(off: Array, back: Array, made: Array) -> Mix:
    """Return how strongly fine detail was taken away (above 0) or added, in tones and in colours."""
    from scipy import ndimage

    detail = ndimage.gaussian_filter(made, (FINE, FINE, 0)) - made
    free = (back > LOW).all(-1) & (back < HIGH).all(-1)
    tone, rest = luma(detail), luma(off)
    colours, others = detail[..., ::2] - tone[..., None], off[..., ::2] - rest[..., None]
    shares = []
    told = 0.0
    for one, two in ((tone[free], rest[free]), (colours[free].ravel(), others[free].ravel())):
        power = float(one @ one)
        share = float(one @ two) / power if power > 1e-6 * max(len(one), 1) else 0.0
        told = max(told, share * float(one @ two) / max(float(two @ two), 1e-12))
        shares.append(share)
    return Mix(shares[0], shares[1], told)


def _foretelling() -> Array:
    """Return the weights that carry a parabola through planes 2 to 7 on to plane 0."""
    powers = np.vander(_NEAR, 3, increasing=True).astype(np.float64)
    return np.asarray(np.linalg.pinv(powers)[0])


def mixing(runs: Array) -> Mix:
    """Measure seams: where a run of nodes ends and the next begins beside it.

    The node at the seam is foretold from those of its run that no small filter reaches. At the ends
    of runs red (or green) jumps from one to nought, so that whatever filter ran over the picture
    brings some of the one side to the other.

    Args:
        runs: (rows, runs of a row, nodes of a run, 3).
    """
    if runs.shape[1] < 2 or runs.shape[2] < 16:
        return Mix()
    weights = _foretelling()
    gram, right, power = np.zeros((2, 2)), np.zeros(2), 0.0
    for side in (0, 1):
        own = runs[:, 1:] if side == 0 else runs[:, :-1, ::-1]
        other = runs[:, :-1, -1] if side == 0 else runs[:, 1:, 0]
        near = own[:, :, _NEAR]
        free = (own[:, :, 0] > LOW) & (own[:, :, 0] < HIGH)
        free &= ((near > LOW) & (near < HIGH)).all(2)
        free &= np.abs(np.diff(near, 2, axis=2)).max(2) < 3 / 255
        off = own[:, :, 0] - np.einsum("k,rskc->rsc", weights, near)
        jump = other - own[:, :, 0]
        tone = np.broadcast_to(luma(jump)[..., None], jump.shape)
        free &= np.abs(jump).max(-1, keepdims=True) > 0.04
        both = np.stack([tone[free], (jump - tone)[free]])
        gram += product(both, both.T)
        right += product(both, off[free])
        power += float((off[free] ** 2).sum())
    if np.trace(gram) < 1:  # too few seams that could show it
        return Mix()
    shares = np.linalg.solve(gram + 1e-3 * np.eye(2), right)
    weak, strong = np.linalg.eigvalsh(gram)
    apart = 1.0 if gram[1, 1] < _GREY * gram[0, 0] else float(weak / strong)
    told = float(right @ shares) / max(power, 1e-12)
    return Mix(float(shares[0]), float(shares[1]), told, apart)


def _grain(off: Array, back: Array, made: Array) -> float:
    """Return the spread of what changes from pixel to pixel where the picture is even, in codes of 255."""
    from scipy import ndimage

    high = off - ndimage.gaussian_filter(off, (FINE, FINE, 0))
    even = np.abs(made - ndimage.gaussian_filter(made, (FINE, FINE, 0))) < 0.01
    quiet = even & (back > LOW) & (back < HIGH)
    if quiet.sum() < 200:
        return 0.0
    passed = 0.92  # the share of a white grain that the difference from its blur keeps
    return float(np.median(np.abs(high[quiet]))) * 255 / _NORMAL / passed


def _blocks(off: Array) -> float:
    """Return how much steps at one phase of eight pixels stand out, the median phase being 1."""
    tone = luma(off)
    most = 1.0
    for axis in (0, 1):
        steps = np.minimum(np.abs(np.diff(tone, axis=axis)), 8 / 255)
        means = steps.mean(axis=1 - axis)
        if len(means) < 32:
            continue
        phases = np.array([np.median(means[p::8]) for p in range(8)])
        most = max(most, float(phases.max()) / max(float(np.median(phases)), 0.05 / 255))
    return most


Unexplained = Callable[[Array], Array]  # what of a change of tone (h, w) no LUT could make


def _beyond_colours(made: Array) -> Unexplained:
    """Return what takes from a change of tone all that follows the colours of a picture.

    Where the block that the LUT came from was altered as well, the LUT is off everywhere, by colour.
    """
    flat = made.reshape(-1, 3)
    tone = luma(flat)
    design = np.stack([np.ones(len(flat)), *flat.T, tone**2, tone**3, *(flat**2).T[::2]], -1)
    gram = product(design.T, design) + 1e-6 * len(flat) * np.eye(design.shape[1])

    def left_over(change: Array) -> Array:
        weights = np.linalg.solve(gram, product(design.T, change.reshape(-1)))
        return np.asarray(change - (design @ weights).reshape(change.shape))

    return left_over


def _wide(
    change: Array, back: Array, made: Array, unexplained: Unexplained, radius: float = WIDE
) -> tuple[float, float, float, tuple[float, float]]:
    """Return what is left of a change over wide areas, the vignette and the local contrast in it, and how much
    of it each explains. A vignette may have its middle anywhere."""
    from scipy import ndimage

    height, width = back.shape[:2]
    reach = max(2.0, min(12.0, height / 10))
    free = ((back > LOW) & (back < HIGH)).all(-1)
    if free.sum() < 200:
        return 0.0, 0.0, 0.0, (0.0, 0.0)

    def soft(of: Array) -> Array:
        return np.asarray(ndimage.gaussian_filter(unexplained(of), reach)[free])

    left = soft(change)
    tone = luma(np.asarray(made, np.float64))
    y, x = np.mgrid[:height, :width]
    x, y = (x + 0.5) / width - 0.5, (y + 0.5) / height - 0.5
    bowl = np.stack([soft(tone * shape) for shape in (-2 * (x * x + y * y), x, y)], -1)
    around = soft(tone - ndimage.gaussian_filter(tone, radius))[:, None]
    power = max(float(left @ left), 1e-20)
    strengths, explained = [], []
    for shapes in (bowl, around):
        gram = product(shapes.T, shapes) + 1e-12 * np.eye(shapes.shape[1])
        found = np.linalg.solve(gram, product(shapes.T, left))
        strengths.append(float(found[0]))
        explained.append(float(found @ product(shapes.T, left)) / power)
    size = float(np.sqrt((left**2).mean())) * 255
    return size, strengths[0], strengths[1], (explained[0], explained[1])
