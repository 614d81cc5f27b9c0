"""Vectorscope in Oklab, evenly to the eye."""

from __future__ import annotations

from typing import Any

from attrs import frozen
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.instrument import HUES, Plane
from sfumato.app.views.scope import ScopeView
from sfumato.core.measure import scopes
from sfumato.work.preview.scene import Scene


@frozen(eq=False)
class OklabScope(Plane):
    def measure(self, scene: Scene, grey: bool = False) -> Any:
        return scopes.drawn("oklab", scopes.counted("oklab", scene.picture, scene.display), grey)

    def place_of(self, rgb: tuple[float, float, float], display: str) -> tuple[float, float]:
        return scopes.oklab_place(rgb, display)

    def hues(self) -> list[tuple[str, tuple[float, float]]]:
        return [(name, scopes.oklab_place(rgb)) for name, rgb in HUES.items()]

    def paint_rings(
        self, _view: ScopeView, painter: QPainter, centre: QPointF, half: float
    ) -> None:
        for ring in (0.02, 0.05, 0.1, 0.2, 0.3):
            size = ring / scopes.OKLAB_EDGE * half
            if size < 24:
                continue
            painter.setPen(QPen(colour("line"), 1))
            painter.drawEllipse(centre, size, size)
            painter.setPen(colour("quiet"))
            painter.drawText(centre + QPointF(3, -size - 2), f"{ring:g}")


SPEC = OklabScope(
    "oklab",
    "Vectorscope (Oklab)",
    "Oklab: hue as direction, chroma as distance, evenly to the eye.",
    order=40,
    axes=("a", "b"),
)
