"""Waveform: luma over the width of the picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.app.views.instrument import Trace
from sfumato.app.views.scope import ScopeView
from sfumato.core.luma import luma
from sfumato.core.measure import scopes
from sfumato.work.preview.scene import Scene


@frozen(eq=False)
class Waveform(Trace):
    def measure(self, scene: Scene, grey: bool = False) -> Any:
        return scopes.drawn("waveform", scopes.counted("waveform", scene.picture), grey)

    def levels(self, _view: ScopeView, shown: np.ndarray) -> list[float]:
        return [float(luma(shown))]


SPEC = Waveform("waveform", "Waveform (luma)", "Luma over the width of the picture.", order=20)
