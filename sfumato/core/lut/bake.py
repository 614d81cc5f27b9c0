"""Baking: a 3D table that stands for a transform, and what the table loses."""

from __future__ import annotations

from sfumato.core.arrays import Rgb
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.table import (
    NODE_RANGE,
    UNIT,
    Domain,
    lattice_colours,
    node_values,
    table_of,
)
from sfumato.core.lut.transform import Transform

LEAST_GRID, MOST_GRID = 2, 129


def baked(
    transform: Transform,
    grid: int,
    *,
    domain: Domain = UNIT,
    node_range: tuple[float, float] = NODE_RANGE,
) -> Transform:
    """Sample a transform at the nodes of a grid.

    Nodes outside 0..1 are kept within `node_range` rather than clipped: the interpolation between
    them then clips where the grade does, which is up to twelve times more exact.

    Args:
        grid: points a side, 2 to 129.
    Returns:
        A Transform of one Table3D, with the title and comments of the transform.
    Raises:
        ValueRefused: the grid is not one that readers take.

    >>> baked(Transform(), 3).table.values[1, 0, 2].tolist()
    [0.5, 0.0, 1.0]
    """
    if not LEAST_GRID <= grid <= MOST_GRID:
        raise ValueRefused(
            f"a grid of {grid} points cannot be baked",
            hint=f"choose {LEAST_GRID} to {MOST_GRID} points",
        )

    def nodes(part: slice) -> Rgb:
        return node_values(transform.apply(lattice_colours(grid, domain, part)), node_range)

    table = table_of(grid, nodes, domain)
    return Transform((table,), transform.title, transform.comments)
