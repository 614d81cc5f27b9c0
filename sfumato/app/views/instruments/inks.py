"""Inks: how much of the picture takes how much of cyan, magenta, yellow and black, and of all together."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import ALIGN
from sfumato.app.views.instrument import Instrument
from sfumato.app.views.scope import ScopeView
from sfumato.core.errors import MediaError
from sfumato.core.measure import scopes
from sfumato.work.preview.scene import Scene

# The inks as they look on a dark ground; black is drawn as the light line that it is not.
_TONES = ("#3FB6D8", "#E0609F", "#DDBB4A", "#B8B8B8")
_NAMES = ("C", "M", "Y", "K")


@frozen(eq=False)
class InkCounts:
    """Counts (5, 256) of the four inks and of their sum, and the limit of that, 0..4."""

    counts: np.ndarray
    limit: float


@frozen(eq=False)
class Inks(Instrument):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        if scene.inks is None:
            return None
        try:
            return InkCounts(scopes.ink_counts(scene.inks(scene.picture)), scene.ink_limit)
        except MediaError:  # the press cannot be read: the side that is printed says so
            return None

    def area(self, rect: QRectF) -> QRectF:
        return rect.adjusted(16, 18, -12, -22)

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        r = view.area()
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            x = view.place(share, 0).x()
            if r.left() - 1 <= x <= r.right() + 1:
                painter.setPen(QPen(colour("line" if share in (0.0, 1.0) else "panel"), 1))
                painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        seen = view.seen_part()
        ends = [f"{100 * s:.0f} · {400 * s:.0f} %" for s in (seen.left(), seen.right())]
        view.paint_foot(painter, (ends[0], "of an ink · of all together", ends[1]))
        data: InkCounts | None = view.data
        if data is None:
            return
        painter.save()
        painter.setClipRect(r)
        top = max(float(np.percentile(data.counts[:, 2:254], 99.5)), 1.0)
        heights = np.sqrt(np.clip(data.counts / top, 0, 1))
        for row, tone in zip(heights, _TONES, strict=False):
            self._line(view, painter, row, QPen(QColor(tone), 1.4))
        self._line(view, painter, heights[4], QPen(colour("text"), 1.2, Qt.PenStyle.DotLine))
        painter.restore()
        x = view.place(data.limit / 4, 0).x()
        if data.limit < 4 and r.left() <= x <= r.right():
            painter.setPen(QPen(colour("cinnabar"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        left = r.left() + 4
        for name, tone in (*zip(_NAMES, _TONES, strict=True), ("all together", "")):
            painter.setPen(QColor(tone) if tone else colour("text"))
            box = QRectF(left, r.top() - 16, 90, 14)
            painter.drawText(box, ALIGN.AlignLeft, name)
            left += 16

    @staticmethod
    def _line(view: ScopeView, painter: QPainter, heights: np.ndarray, pen: QPen) -> None:
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(view.line(np.arange(len(heights)) / 255, heights))


SPEC = Inks(
    "inks",
    "Inks",
    "How much of the picture takes how much cyan, magenta, yellow and black of the study's press, "
    "and of all together; the dashed line is the ink limit.",
    order=55,
    counts_pixels=True,
    zooms=(True, False),
    marks=False,
)
