"""Vectorscope of colour differences, Cb and Cr by BT.709."""

from __future__ import annotations

from typing import Any

from attrs import frozen
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.instrument import HUES, Plane
from sfumato.app.views.scope import ScopeView
from sfumato.core.measure import scopes
from sfumato.work.preview.scene import Scene

_BARS = 0.75  # the boxes stand at 75 % bars


@frozen(eq=False)
class Vectorscope(Plane):
    def measure(self, scene: Scene, grey: bool = False) -> Any:
        return scopes.drawn("vectorscope", scopes.counted("vectorscope", scene.picture), grey)

    def place_of(self, rgb: tuple[float, float, float], _display: str) -> tuple[float, float]:
        return scopes.chroma_place(rgb)

    def hues(self) -> list[tuple[str, tuple[float, float]]]:
        places = ((name, scopes.chroma_place(rgb)) for name, rgb in HUES.items())
        return [(name, (_BARS * x, _BARS * y)) for name, (x, y) in places]

    def paint_rings(
        self, _view: ScopeView, painter: QPainter, centre: QPointF, half: float
    ) -> None:
        for share in (0.25, 0.5, 0.75):
            size = share * half
            painter.setPen(QPen(colour("line"), 1))
            painter.drawRect(QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size))
            painter.setPen(colour("quiet"))
            words = f"{share * 100:.0f}" + (" %" if share == 0.75 else "")
            painter.drawText(centre + QPointF(3, -size - 2), words)


SPEC = Vectorscope(
    "vectorscope",
    "Vectorscope (Cb/Cr)",
    "Colour differences: hue as direction, saturation as distance.",
    order=30,
    axes=("Cb", "Cr"),
)
