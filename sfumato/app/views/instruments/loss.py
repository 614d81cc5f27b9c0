"""Loss: where in the cube the LUT departs from the exact grade."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.app.views.instrument import InCube
from sfumato.core.arrays import as_rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.measure.scopes import CubePoints, heated, loss_radius
from sfumato.work.preview.scene import Scene

_GRID = 16  # points a side


@frozen(eq=False)
class LossInCube(InCube):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        if scene.is_quick:
            return None  # stays as it was until the hand rests
        lut = scene.lut()
        assert lut.table is not None
        size = lut.table.size
        # Cell-centred, so that no point is a node.
        at = (np.indices((_GRID,) * 3).reshape(3, -1).T + 0.5) / _GRID
        inputs = (at * (size - 1)).round() + 0.5
        inner = as_rgb(np.minimum(inputs, size - 1.5) / (size - 1))
        exact, given = (scene.viewed(t.apply(inner)) for t in (scene.exact(), lut))
        apart = delta_e(exact, given, encoding(scene.display))
        worst = int(apart.argmax())
        place = " ".join(f"{v:.2f}" for v in inner[worst])
        words = f"{apart[worst]:.2f} ΔE at worst\nat {place}\n{apart.mean():.3f} mean"
        return CubePoints(inner, heated(apart), loss_radius(apart), words)


SPEC = LossInCube(
    "loss",
    "Loss in the cube",
    "Where in the cube the LUT departs from the exact grade; drag or arrow keys turn it.",
    order=80,
)
