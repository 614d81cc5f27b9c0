"""A vignette in a frame carrier that came back: found on its picture, and taken out of its nodes.

The look and the light that falls off towards the corners come in one: nodes at the edge of the carrier are
darker than the look makes them. On the picture beside them both are told apart, because its colours
lie everywhere.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import cells, locate
from sfumato.core.carrier.frame import nodes_of
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.traces import HIGH, LOW
from sfumato.core.luma import luma

_ROUNDS = 5
_PIXELS = 40_000
_LEAST = 0.08  # luma below which a ratio says little
_BETTER = 0.5  # what is left of the picture's difference must be less than this share of what was


@frozen(eq=False)
class Shading:
    """How much darker a place of the returned picture is: exp of a bowl in shares of its size."""

    weights: Array  # of 1, u, v, uu, uv, vv and (uu + vv)²
    size: tuple[int, int]
    top: float

    def at(self, x: Array, y: Array) -> Array:
        """Return the factor at pixels, 1 at the brightest place of the picture."""
        return np.asarray(np.exp(_terms(x, y, self.size) @ self.weights - self.top))


def _terms(x: Array, y: Array, size: tuple[int, int]) -> Array:
    u, v = x / size[0] - 0.5, y / size[1] - 0.5
    far = u * u + v * v
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v, far * far], -1)


def unshaded(
    pixels: Rgb,
    placed: Placed,
    nodes: Array,
    sent: Rgb,
    look_of: Callable[[Array], Callable[[Rgb], Rgb]],
) -> Array | None:
    """Return the nodes [r, g, b, 3] without the vignette, None where that does not explain the picture.

    Args:
        sent: the picture that went out, laid where it came back: float32, as large as `picture_box`.
        look_of: makes a look of nodes.
    """
    x0, y0, x1, y1 = cells.picture_box(pixels, placed)
    upright = locate.upright(pixels, placed.turns, placed.flipped)
    size = (upright.shape[1], upright.shape[0])
    step = max(1, int(np.sqrt((x1 - x0) * (y1 - y0) / _PIXELS)))
    back = upright[y0:y1:step, x0:x1:step].reshape(-1, 3).astype(np.float64)
    codes = np.ascontiguousarray(sent[::step, ::step], np.float32).reshape(-1, 3)
    y, x = (g.ravel() + 0.5 for g in np.mgrid[y0:y1:step, x0:x1:step])
    plan = placed.plan
    left, top = plan.block
    across, down = (np.arange(n) + 0.5 for n in (s // plan.cell for s in plan.block_size))
    at_x = placed.scale[0] * (left + across * plan.cell) + placed.shift[0]
    at_y = placed.scale[1] * (top + down * plan.cell) + placed.shift[1]
    block = np.stack(np.meshgrid(at_x, at_y), -1)
    places = nodes_of(plan, block)
    free = (nodes > LOW) & (nodes < HIGH)
    made = np.asarray(look_of(nodes)(codes), np.float64)
    before = _left(back, made, None)
    after, out = before, nodes
    for _ in range(_ROUNDS):
        shading = _fitted(back, made, x, y, size)
        if shading is None:
            return None
        factor = shading.at(places[..., 0], places[..., 1])[..., None]
        out = np.where(free, np.clip(nodes / np.clip(factor, 0.2, 1.2), 0, 1), nodes)
        made = np.asarray(look_of(out)(codes), np.float64)
        after = _left(back, made, shading.at(x, y))
    return out if after < _BETTER * before else None


def _left(back: Array, made: Array, factor: Array | None) -> float:
    """Return what a look and a shading leave unexplained, root mean square."""
    shaded = made if factor is None else made * factor[:, None]
    free = ((back > LOW) & (back < HIGH)).all(-1)
    return float(np.sqrt(((back - shaded)[free] ** 2).mean())) if free.any() else 0.0


def _fitted(back: Array, made: Array, x: Array, y: Array, size: tuple[int, int]) -> Shading | None:
    tones = luma(back), luma(made)
    free = ((back > LOW) & (back < HIGH)).all(-1) & (tones[0] > _LEAST) & (tones[1] > _LEAST)
    if free.sum() < 500:
        return None
    ratio = np.log(tones[0][free] / tones[1][free])
    terms = _terms(x, y, size)
    weights = np.zeros(terms.shape[1])
    kept = np.ones(len(ratio), bool)
    for _ in range(3):
        weights = np.linalg.lstsq(terms[free][kept], ratio[kept], rcond=None)[0]
        off = np.abs(ratio - terms[free] @ weights)
        kept = off <= 3 * max(float(np.median(off)), 1e-4)
    return Shading(weights, size, float((terms @ weights).max()))
