"""What a LUT looks like: the numbers behind the neutral line, the curves, the cloud and the slices."""

from __future__ import annotations

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.recast import domain_of, over_domain
from sfumato.core.lut.table import lattice_colours
from sfumato.core.lut.transform import Transform

CLOUD = 13  # points a side of the cloud
SLICES = 8
_SLICE = 48  # pixels a side of a slice


@frozen(eq=False)
class LutView:
    """Everything that the instruments of a LUT draw; results are not clipped.

    `neutral` (n, 3): what greys become. `curves` (n, 3): what red alone does to red, green to green,
    blue to blue, the other two held in the middle. `cloud`: inputs and results (m, 3). `slices`
    (8, side, side, 3): results for eight levels of blue, red to the right, green upwards.
    """

    neutral: Rgb = field(repr=False)
    curves: Rgb = field(repr=False)
    cloud: tuple[Rgb, Rgb] = field(repr=False)
    slices: Rgb = field(repr=False)
    domain: tuple[float, float] = (0.0, 1.0)
    veil: Array | None = field(
        default=None, repr=False
    )  # bool (8, side, side): no colour leads here


def lut_view(transform: Transform, entries: int = 256, reached: Array | None = None) -> LutView:
    """Sample a LUT for its instruments.

    Args:
        reached: for an inverse, bool (n, n, n): which of its inputs are outputs of the LUT.
    """
    domain = domain_of(transform)
    t = np.linspace(0, 1, entries, dtype=np.float32)[:, None]
    neutral = transform.apply(over_domain(np.repeat(t, 3, axis=1), domain))
    curves = np.empty((entries, 3), np.float32)
    for c in range(3):
        line = np.full((entries, 3), 0.5, np.float32)
        line[:, c] = t[:, 0]
        curves[:, c] = transform.apply(over_domain(line, domain))[:, c]
    nodes = lattice_colours(CLOUD).reshape(-1, 3)
    results = transform.apply(over_domain(nodes, domain))
    side = np.linspace(0, 1, _SLICE, dtype=np.float32)
    slices: Array = np.empty((SLICES, _SLICE, _SLICE, 3), np.float32)
    for i in range(SLICES):
        slices[i, ..., 0] = side
        slices[i, ..., 1] = side[::-1, None]
        slices[i, ..., 2] = i / (SLICES - 1)
    veil = None
    if reached is not None:
        at = np.clip(np.round(slices * (len(reached) - 1)), 0, len(reached) - 1).astype(int)
        veil = ~reached[at[..., 0], at[..., 1], at[..., 2]]
    low, high = float(min(domain[0])), float(max(domain[1]))
    return LutView(
        neutral,
        curves,
        (nodes, results),
        transform.apply(over_domain(slices, domain)),
        (low, high),
        veil,
    )
