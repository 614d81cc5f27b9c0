"""How sure a recovered look is, region by region of the cube."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.transform import Transform

MEASURED, BETWEEN, GUESSED = 0, 1, 2
NAMES = ("measured", "between", "guessed")
_GRID = 33  # regions a side, at most
# What a region is off by that lies so many nodes from one that came back, CIEDE2000: measured on looks
# out of pictures that cover a third of the nodes.
_DISTANCES, _OFF = (0.0, 1.0, 2.5, 4.0, 6.0), (0.12, 0.26, 0.64, 1.0, 1.7)
_CODE = np.float32(1 / 255)
_SEEN_BEND = 0.3  # a look that bends by more from node to node is a matter of interpolation there


@frozen(eq=False)
class Confidence:
    """Regions of the cube, (n, n, n): what each rests on, and by how much it may be off, CIEDE2000."""

    rests_on: Array
    off: Array

    @property
    def shares(self) -> tuple[float, float, float]:
        """The shares of the cube that are measured, between, guessed."""
        counts = np.bincount(self.rests_on.ravel(), minlength=3)
        return tuple(float(c) / self.rests_on.size for c in counts)  # type: ignore[return-value]

    @property
    def typical(self) -> tuple[float, float, float]:
        """What a region of each of the three may be off by, 0 where there is none."""
        found = [self.off[self.rests_on == kind] for kind in range(3)]
        return tuple(float(f.mean()) if f.size else 0.0 for f in found)  # type: ignore[return-value]

    def of_picture(self, codes: Rgb) -> Array:
        """Return what each pixel (h, w, 3) of a picture, in the carrier's codes, rests on: (h, w)."""
        n = len(self.rests_on)
        at = np.rint(np.clip(codes, 0, 1) * (n - 1)).astype(np.intp)
        return np.asarray(self.rests_on[at[..., 0], at[..., 1], at[..., 2]])


def confidence(
    transform: Transform, known: Array, quantum: float, noise: float, display: Encoding
) -> Confidence:
    """Return how sure a recovered look is.

    A region is *measured* where its nodes came back, *between* where they did but the look bends by
    more than an eye sees from one to the next, and *guessed* where they were cut off.

    Args:
        known: (p, p, p), whether each node of the carrier came back.
        quantum: the step of the file's codes, 1 = full scale.
        noise: what stood out from the smooth look, root mean square, 1 = full scale.
    """
    points = len(known)
    n = min(points, _GRID)
    at = np.linspace(0, points - 1, n)
    near = np.rint(at).astype(int)
    there = known[np.ix_(near, near, near)]
    axis = np.linspace(0, 1, n, dtype=np.float32)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1)
    results = np.clip(transform.apply(nodes), 0, 1)

    def apart(values: Array) -> Array:
        return delta_e(results, np.clip(values, 0, 1), display)

    sigma = 255 * float(np.hypot(quantum / np.sqrt(12), noise))
    units = np.eye(3, dtype=np.float32)
    inward = np.where(results > 0.5, -_CODE, _CODE)
    off = np.sqrt(np.sum([apart(results + inward * u) ** 2 for u in units], axis=0)) * sigma
    half = np.float32(0.5 / (points - 1))
    bends = np.zeros(off.shape)
    for u in units:
        sides = [transform.apply(np.clip(nodes + s * half * u, 0, 1)) for s in (-1, 1)]
        inside = (nodes[..., u > 0] > 0).all(-1) & (nodes[..., u > 0] < 1).all(-1)
        bends = np.maximum(bends, np.where(inside, apart((sides[0] + sides[1]) / 2), 0))
    rests = np.where(bends > _SEEN_BEND, BETWEEN, MEASURED).astype(np.uint8)
    off = off + np.where(rests == BETWEEN, bends, 0)
    if not there.all():
        from scipy import ndimage

        far = ndimage.distance_transform_edt(~there) * (points - 1) / max(n - 1, 1)
        rests[~there] = GUESSED
        off = np.where(there, off, np.interp(far, _DISTANCES, _OFF) + off)
    rests.flags.writeable = False
    return Confidence(rests, frozen_array(off.astype(np.float32)))
