"""How sure a borrowed look is of colours that the pictures did not show: by trying it."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.borrow import scatter
from sfumato.core.borrow.scatter import Base, Pairs
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.lut.nodes import Between

_GRID = 17
_HOLES = (1.5, 3.0, 5.0, 8.0)  # radii of what is taken away, in nodes
_EACH = 3  # tries with holes of a size
_SHARE = 97  # per cent of the tries that a band has to hold: nine of ten, and some in reserve
_OWN = 90  # per cent of what was held back among other colours
_ROUNDED = (
    1.2 / 255
)  # code values: steps of 8 bit that a picture, or its grade, may have gone through
_MOST = 15_000  # colours that are looked at
_FURTHER = 1.5  # by how much faster than in proportion it grows where nothing could be tried
_WHIMS = 1.5  # times what no simple grade explains: what the look may do where nothing was seen
_AS_MUCH = 0.75  # of what it does where something was seen: it may do as much elsewhere
_UNSEEN = 0.6  # code values: what it may be off by far away when next to nothing was seen …
_ENOUGH = 0.06  # … and the share of nodes beside a colour seen at which a third of that is left
_WHERE = 4.0  # nodes from the nearest colour seen at which that counts in full


def off_by(
    pairs: Pairs, base: Base, strength: float, known: Array, check: StillWanted = always_wanted
) -> Array:
    """Return by how much each node (n, n, n) may be off, code values, in nine of ten cases.

    Holes are cut into the colours that were seen, and the lattice made without them: what it misses there,
    by the distance to the nearest colour that was left, is what it may miss where none was seen.
    """
    from scipy import ndimage, spatial

    n = len(known)
    pairs = pairs.only(np.arange(0, len(pairs.weight), 1 + len(pairs.weight) // _MOST))
    far, off = [np.zeros(1)], [np.zeros(1)]
    dice = np.random.default_rng(7)
    grids = tuple(g for g in (5, 9, _GRID) if g <= n)
    for radius in np.repeat(_HOLES, _EACH):
        check()
        middle = pairs.before[dice.integers(len(pairs.before))]
        away = np.linalg.norm(pairs.before - middle, axis=1) * (_GRID - 1)
        hole = away < radius
        if hole.all() or (~hole).sum() < 12:
            continue
        left = pairs.only(~hole)
        nodes = scatter.lattice(left, scatter.base_of(left), strength, grids=grids, check=check)
        made = Between(pairs.before[hole], len(nodes)).of(nodes.reshape(-1, 3)).clip(0, 1)
        distance, _ = spatial.cKDTree(left.before).query(pairs.before[hole])
        far.append(distance * (n - 1))
        off.append(np.sqrt(((made - pairs.after[hole]) ** 2).sum(-1)))
    distances, errors = np.concatenate(far[1:] or far), np.concatenate(off[1:] or off)
    floor = max(_own(pairs, base, strength, check), _ROUNDED)
    edges = np.array([0.0, 1.0, 2.0, 3.5, 5.0, 7.0, 10.0])
    band, at = [floor], [0.0]
    for low, high in zip(edges, edges[1:], strict=False):
        there = (distances >= low) & (distances < high)
        if there.sum() >= 30:
            band.append(float(np.percentile(errors[there], _SHARE)))
            at.append((low + high) / 2)
    rising = np.maximum.accumulate(band)
    distance = ndimage.distance_transform_edt(~known)
    inside = np.interp(distance, at, rising)
    per_node = _FURTHER * rising[-1] / max(at[-1], 1.0)
    beyond = np.maximum(distance - at[-1], 0) * per_node
    misfit = np.sqrt(((np.clip(base(pairs.before), 0, 1) - pairs.after) ** 2).sum(-1))
    change = np.sqrt(((pairs.before - pairs.after) ** 2).sum(-1))
    few = _UNSEEN * np.exp(-float(known.mean()) / _ENOUGH)
    most = max(_WHIMS * np.percentile(misfit, 95), _AS_MUCH * np.percentile(change, 90), few)
    whims = float(most) * np.minimum(distance / _WHERE, 1)
    return frozen_array(np.asarray(np.maximum(inside + beyond, whims), np.float32))


def _own(pairs: Pairs, base: Base, strength: float, check: StillWanted) -> float:
    """Return what a lattice misses colours by that were held back among others, code values."""
    chosen = np.arange(len(pairs.weight)) % 5 == 0
    if chosen.sum() < 12:
        return 1.0
    nodes = scatter.lattice(pairs.only(~chosen), base, strength, grids=(5, 9, _GRID), check=check)
    made = Between(pairs.before[chosen], _GRID).of(nodes.reshape(-1, 3)).clip(0, 1)
    return float(np.percentile(np.sqrt(((made - pairs.after[chosen]) ** 2).sum(-1)), _OWN))
