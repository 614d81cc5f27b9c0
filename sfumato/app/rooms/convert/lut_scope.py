"""Instruments of a LUT: neutral line, curves, a cloud that turns, slices."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QWheelEvent,
)

from sfumato.app.guard import guarded
from sfumato.app.images import image_of, line_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import Graph
from sfumato.core.lut.lut_view import SLICES, LutView
from sfumato.core.measure.graticule import PERCENT, marks
from sfumato.core.measure.scopes import CubePoints

LUT_TITLES = {
    "neutral": "Neutral line",
    "curves": "Curves",
    "cloud": "Cloud",
    "slices": "Slices",
}
_HELP = {
    "neutral": "What greys become, red, green and blue apart.",
    "curves": "What each channel alone does to itself, the other two held in the middle.",
    "cloud": "The lattice of the LUT in a colour cube; drag or use the arrow keys to turn it.",
    "slices": "Results for eight levels of blue (B): red to the right, green upwards. "
    "Of an inverse, striped: no colour leads there.",
}


class LutScope(Graph):
    """Draws a LutView; a second one, when given, as dashed lines for comparison."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = kind
        self._view: LutView | None = None
        self._other: LutView | None = None
        self.show_kind(kind)

    def show_kind(self, kind: str) -> None:
        self.kind = kind
        self.setAccessibleName(LUT_TITLES[kind])
        set_tip(self, _HELP[kind])
        self.setCursor(Qt.CursorShape.OpenHandCursor if self.turns else Qt.CursorShape.ArrowCursor)
        self.update()

    def show_view(self, view: LutView | None, other: LutView | None = None) -> None:
        self._view, self._other = view, other
        self.update()

    def paint_data(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        if self.turns:
            self._paint_cloud(painter)
        elif self.kind == "slices":
            self._paint_slices(painter)
        else:
            self._paint_responses(painter)

    @property
    def turns(self) -> bool:
        return self.kind == "cloud"

    def area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(42, 10, -10, -22)

    def seen_part(self) -> QRectF:
        return QRectF(0, 0, 1, 1)

    def _paint_responses(self, painter: QPainter) -> None:
        r = self.area()
        self.paint_levels(painter, marks(PERCENT, self.space))
        low, high = self._view.domain if self._view else (0.0, 1.0)
        what = "grey in" if self.kind == "neutral" else "channel in"
        self.paint_foot(painter, (f"{low:g}", what, f"{high:g}"))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(r.bottomLeft(), r.topRight())
        painter.setClipRect(r.adjusted(0, -6, 0, 6))
        for view, style in (
            (self._other, Qt.PenStyle.DotLine),
            (self._view, Qt.PenStyle.SolidLine),
        ):
            if view is None:
                continue
            lines = view.neutral if self.kind == "neutral" else view.curves
            xs = r.left() + np.linspace(0, 1, len(lines)) * r.width()
            for c, role in enumerate(("red", "green", "blue")):
                ys = r.bottom() - np.clip(lines[:, c], -0.1, 1.1) * r.height()
                painter.setPen(QPen(colour(role), 1.6, style))
                painter.drawPolyline(line_of(xs, ys))

    def _paint_slices(self, painter: QPainter) -> None:
        if self._view is None:
            return
        shares = np.clip(self._view.slices, 0, 1)
        if self._view.veil is not None:
            # Stripes where no colour leads: the inverse is only continued there.
            rows, columns = np.indices(shares.shape[1:3])
            stripes = ((rows + columns) // 3 % 2 == 0)[None, ..., None]
            veil = self._view.veil[..., None]
            shares = np.where(veil & stripes, 0.13, np.where(veil, shares * 0.45, shares))
        pixels = (shares * 255 + 0.5).astype(np.uint8)
        across = 4 if self.width() > 1.2 * self.height() else 3
        down = -(-SLICES // across)
        side = min((self.width() - 12) / across - 6, (self.height() - 10) / down - 18)
        left = (self.width() - across * (side + 6)) / 2
        top = max((self.height() - down * (side + 18)) / 2, 4)
        for i, picture in enumerate(pixels):
            box = QRectF(
                left + (i % across) * (side + 6) + 3, top + i // across * (side + 18), side, side
            )
            painter.drawImage(box, image_of(picture))
            painter.setPen(colour("quiet"))
            where = QRectF(box.left(), box.bottom() + 1, side, 14)
            share = round(100 * i / (SLICES - 1))
            words = (f"B {share} %", f"B {share}", f"{share}")
            lengths = map(painter.fontMetrics().horizontalAdvance, words)
            fitting = (w for w, n in zip(words, lengths, strict=True) if n <= side)
            painter.drawText(where, Qt.AlignmentFlag.AlignLeft, next(fitting, ""))

    # --- the cloud -------------------------------------------------------------------------------
    def _paint_cloud(self, painter: QPainter) -> None:
        points = None
        if self._view is not None:
            results = np.clip(self._view.cloud[1], -0.3, 1.3)
            colours = (np.clip(results, 0, 1) * 255 + 0.5).astype(np.uint8)
            points = CubePoints(results, colours, np.full(len(results), 1.6))
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        self.cube.paint(painter, area, points, colour("line"), colour("quiet"))

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.turns:
            super().mousePressEvent(event)

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.turns:
            super().wheelEvent(event)
        else:
            event.ignore()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.turns:
            super().keyPressEvent(event)
        else:
            event.ignore()
