"""Parade of L*, a* and b*: lightness and the two colour directions over the width of the picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import ALIGN
from sfumato.app.views.instrument import Trace
from sfumato.app.views.scope import ScopeView
from sfumato.core.colour.lab50 import lab_of_code
from sfumato.core.measure import scopes
from sfumato.core.measure.graticule import Graduation
from sfumato.work.preview.scene import Scene

_GAP = 8  # between the traces
_LIGHTS = [Graduation(v / 100, f"{v}", v in (0, 50, 100)) for v in (0, 25, 50, 75, 100)]
_NAMES = ("L*", "a*", "b*")


@frozen(eq=False)
class LabParade(Trace):
    def measure(self, scene: Scene, grey: bool = False) -> Any:
        levels = scopes.lab_levels(scene.picture, scene.display)
        return scopes.drawn("lab", scopes.counted("parade", levels), grey)

    def columns(self, view: ScopeView) -> list[tuple[float, float]]:
        r = view.area()
        each = (r.width() - 2 * _GAP) / 3
        return [(r.left() + c * (each + _GAP), each) for c in range(3)]

    def channels(self) -> tuple[str, ...]:
        return ("L", "a", "b")

    def levels(self, view: ScopeView, shown: np.ndarray) -> list[float]:
        lab = lab_of_code(np.asarray(shown, np.float32), view.space)
        edge = 2 * scopes.AB_EDGE
        return [float(lab[0]) / 100, float(lab[1]) / edge + 0.5, float(lab[2]) / edge + 0.5]

    def paint_scale(self, view: ScopeView, painter: QPainter) -> None:
        view.paint_levels(painter, _LIGHTS)
        painter.setPen(colour("quiet"))
        for (x, width), name in zip(self.columns(view), _NAMES, strict=True):
            top = view.area().top()
            painter.drawText(QRectF(x + 3, top, 30, 14), ALIGN.AlignLeft, name)
            if name != "L*":
                for level, words in ((1.0, "128"), (0.5, "0"), (0.0, "−128")):
                    y = view.place(0, level).y()
                    box = QRectF(x, y + (1 if level == 1.0 else -14), width - 3, 14)
                    painter.drawText(box, ALIGN.AlignRight, words)


SPEC = LabParade(
    "lab",
    "Parade (L*a*b*)",
    "Lightness 0 to 100, a* (green to red) and b* (blue to yellow) of −128 to 128, over the width of the picture.",
    order=12,
    marks=False,
)
