"""Parade: red, green and blue over the width of the picture, side by side."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.app.views.instrument import Trace
from sfumato.app.views.scope import ScopeView
from sfumato.core.measure import scopes
from sfumato.work.preview.scene import Scene

_GAP = 8  # between the traces


@frozen(eq=False)
class Parade(Trace):
    def measure(self, scene: Scene, grey: bool = False) -> Any:
        return scopes.drawn("parade", scopes.counted("parade", scene.picture), grey)

    def columns(self, view: ScopeView) -> list[tuple[float, float]]:
        r = view.area()
        each = (r.width() - 2 * _GAP) / 3
        return [(r.left() + c * (each + _GAP), each) for c in range(3)]

    def channels(self) -> tuple[str, ...]:
        return scopes.CHANNELS

    def levels(self, _view: ScopeView, shown: np.ndarray) -> list[float]:
        return [float(v) for v in shown]


SPEC = Parade("parade", "Parade", "Red, green and blue over the width of the picture.", order=10)
