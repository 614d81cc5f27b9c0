"""Histogram: how much of the picture has which level."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import ALIGN
from sfumato.app.views.instrument import CHANNELS, Instrument
from sfumato.app.views.scope import ScopeView
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.measure import scopes
from sfumato.core.measure.graticule import marks
from sfumato.core.measure.scopes import ANY, Band
from sfumato.work.preview.scene import Scene


def _peak(counts: np.ndarray) -> float:
    return max(float(np.percentile(counts[:, 1:255], 99.5)), 1.0)


@frozen(eq=False)
class Histogram(Instrument):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        return scopes.counted("histogram", scene.picture)

    def area(self, rect: QRectF) -> QRectF:
        return rect.adjusted(42, 10, -12, -22)

    def first_band(self) -> Band:
        return Band(ANY, (0.45,), (0.55,))

    def band_between(self, view: ScopeView, a: QPointF, b: QPointF) -> Band:
        levels = sorted((view.share_at(a).x(), view.share_at(b).x()))
        return Band(ANY, (max(levels[0], 0.0),), (min(levels[1], 1.0),))

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        r = view.area()
        self._paint_scale(view, painter)
        if view.data is None:
            return
        painter.save()
        painter.setClipRect(r)
        for counts, filled in ((view.data, True), (view.reference, False)):
            if counts is None:
                continue
            heights = np.sqrt(np.clip(counts / _peak(counts), 0, 1))
            for c, role in enumerate(CHANNELS):
                self._paint_outline(view, painter, heights[c], role, filled)
        painter.restore()
        band = view.band
        if band is not None and not band.plane and band.channel == ANY:
            left, right = view.place(band.low[0], 0).x(), view.place(band.high[0], 0).x()
            view.paint_box(painter, QRectF(left, r.top(), right - left, r.height()).intersected(r))
        if view.pick is not None:
            for c, role in enumerate(CHANNELS):
                x = view.place(float(view.pick.shown[c]), 0).x()
                if r.left() <= x <= r.right():
                    painter.setPen(QPen(colour(role), 1.5))
                    painter.drawLine(QPointF(x, r.top()), QPointF(x, r.top() + 14))

    def _paint_scale(self, view: ScopeView, painter: QPainter) -> None:
        r, seen = view.area(), view.seen_part()
        last = -100.0
        for mark in marks(view.unit, view.space, seen.left(), seen.right()):
            x = view.place(mark.at, 0).x()
            painter.setPen(QPen(colour("line" if mark.strong else "panel"), 1))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
            painter.setPen(colour("quiet"))
            if x - last < 36:
                continue
            last = x
            left = min(max(x - 30, 0), view.width() - 60)
            painter.drawText(QRectF(left, r.bottom() + 2, 60, 14), ALIGN.AlignCenter, mark.words)
        if view.limits:
            painter.setPen(QPen(colour("yellow"), 1, Qt.PenStyle.DashLine))
            for level in LEGAL:
                x = view.place(level, 0).x()
                if r.left() <= x <= r.right():
                    painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))

    @staticmethod
    def _paint_outline(
        view: ScopeView, painter: QPainter, heights: np.ndarray, role: str, filled: bool
    ) -> None:
        r = view.area()
        tone = colour(role)
        line = view.line((np.arange(len(heights)) + 0.5) / 256, heights)
        if filled:
            line.append(QPointF(line.last().x(), r.bottom()))
            line.prepend(QPointF(line.first().x(), r.bottom()))
            painter.setPen(QPen(tone, 1.2))
            tone.setAlphaF(0.18)
            painter.setBrush(tone)
            painter.drawPolygon(line)
        else:
            painter.setPen(QPen(tone, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(line)


SPEC = Histogram(
    "histogram",
    "Histogram",
    "How much of the picture has which level.",
    order=50,
    zooms=(True, False),
)
