"""Mesh: how the LUT bends the lattice of the colour cube."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.app.views.instrument import InCube
from sfumato.core.arrays import Array
from sfumato.core.lut.table import lattice_colours
from sfumato.core.measure.scopes import CubePoints
from sfumato.work.preview.scene import Scene

_GRID = 9  # points a side, each of which is a node of 17, 33 and 65 points
_RADIUS = 1.6  # px


@cache
def _edges() -> Array:
    """Return which nodes are neighbours, as numbers in the lattice, (3 n^2 (n - 1), 2)."""
    at = np.arange(_GRID**3).reshape((_GRID,) * 3)
    begins = [np.take(at, range(_GRID - 1), axis).ravel() for axis in range(3)]
    ends = [np.take(at, range(1, _GRID), axis).ravel() for axis in range(3)]
    return np.stack([np.concatenate(begins), np.concatenate(ends)], axis=-1)


@frozen(eq=False)
class Mesh(InCube):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        nodes = lattice_colours(_GRID).reshape(-1, 3)
        table = scene.exact() if scene.is_quick or not scene.shows_lut else scene.lut()
        given = table.apply(nodes)
        return CubePoints(
            np.clip(given, -0.3, 1.3),
            scene.seen(given),
            np.full(len(nodes), _RADIUS, np.float32),
            f"{_GRID}³ nodes",
            _edges(),
        )


SPEC = Mesh(
    "mesh",
    "Mesh",
    "How the LUT bends the lattice: even squares where it does nothing, narrow where it draws colours "
    "together, crossing lines where it folds; drag or arrow keys turn it.",
    order=75,
)
