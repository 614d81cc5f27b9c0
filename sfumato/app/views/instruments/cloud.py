"""Cloud: where the nodes of the LUT go in the colour cube."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.app.views.instrument import InCube
from sfumato.core.lut.table import lattice_colours
from sfumato.core.measure.scopes import CubePoints
from sfumato.work.preview.scene import Scene

_GRID = 17  # points a side


@frozen(eq=False)
class Cloud(InCube):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        nodes = lattice_colours(_GRID).reshape(-1, 3)
        given = (scene.exact() if scene.is_quick or not scene.shows_lut else scene.lut()).apply(
            nodes
        )
        radius = np.full(len(nodes), 1.5, np.float32)
        places = np.clip(given, -0.3, 1.3)
        return CubePoints(places, scene.seen(given), radius, f"{_GRID}³ nodes")


SPEC = Cloud(
    "cloud",
    "Cloud",
    "Where the nodes of the LUT go in the colour cube; drag or arrow keys turn it.",
    order=70,
)
