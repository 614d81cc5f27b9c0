"""Neutral line: what the Look does to greys."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.instrument import CHANNELS, Instrument
from sfumato.app.views.scope import ScopeView
from sfumato.core.measure import scopes
from sfumato.core.measure.graticule import PERCENT
from sfumato.work.preview.scene import Scene


@frozen(eq=False)
class NeutralLine(Instrument):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        return scopes.neutral_line(scene.through_look)

    def area(self, rect: QRectF) -> QRectF:
        return rect.adjusted(42, 10, -12, -22)

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        r, seen = view.area(), view.seen_part()
        view.paint_levels(painter)
        ends = [seen.left(), seen.right()]
        most = 100 if view.unit == PERCENT else 1023
        words = [f"{v * most:.0f}" for v in ends]
        what = "grey in, % code" if view.unit == PERCENT else "grey in, 10-bit code"
        view.paint_foot(painter, (words[0], what, words[1]))
        painter.save()
        painter.setClipRect(r.adjusted(0, -4, 0, 4))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(view.place(0, 0), view.place(1, 1))
        if view.data is not None:
            xs = np.linspace(0, 1, len(view.data))
            for c, role in enumerate(CHANNELS):
                ys = np.clip(view.data[:, c], -0.1, 1.1)
                painter.setPen(QPen(colour(role), 1.6))
                painter.drawPolyline(view.line(xs, ys))
        if view.pick is not None and view.pick.entering is not None:
            x = view.place(float(view.pick.entering.mean()), 0).x()
            painter.setPen(QPen(colour("text"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        painter.restore()


SPEC = NeutralLine(
    "neutral",
    "Neutral line",
    "What the Look does to greys.",
    order=60,
    counts_pixels=False,
    marks=False,
    is_of_working=True,
)
