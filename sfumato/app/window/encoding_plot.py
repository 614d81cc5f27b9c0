"""An encoding as pictures: code over stops from 18 % grey, and its primaries on the chromaticity plane."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import KeptPainting, line_of
from sfumato.app.theme import RADIUS, colour
from sfumato.core.colour.encodings import Encoding, encoding

_STOPS = (-10, 8)
_PLANE = QRectF(-0.05, -0.1, 0.85, 1.0)  # of x and y


class EncodingPlot(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self._space: Encoding | None = None
        self._kept = KeptPainting()
        self.setMinimumSize(300, 320)
        self.setAccessibleName("Curve and primaries of the encoding")

    def show_encoding(self, space: Encoding | None) -> None:
        """Show an encoding, or nothing while its numbers make none."""
        self._space = space
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        self._kept.draw(QPainter(self), self, self._space, self._paint)

    def _paint(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        height = self.height() * 0.56
        self._paint_curve(painter, QRectF(40, 12, self.width() - 54, height - 34))
        side = self.height() - height - 24
        self._paint_plane(painter, QRectF((self.width() - side) / 2, height + 8, side, side))

    def _paint_curve(self, painter: QPainter, r: QRectF) -> None:
        def place(stops: float, code: float) -> QPointF:
            share = (stops - _STOPS[0]) / (_STOPS[1] - _STOPS[0])
            return QPointF(r.left() + share * r.width(), r.bottom() - code * r.height())

        align = Qt.AlignmentFlag
        for level in (0, 0.25, 0.5, 0.75, 1.0):
            y = place(0, level).y()
            painter.setPen(QPen(colour("line" if level in (0, 1) else "panel"), 1))
            painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))
            painter.setPen(colour("quiet"))
            words = f"{level * 100:.0f}" + (" %" if level == 1 else "")
            painter.drawText(
                QRectF(0, y - 8, r.left() - 5, 16), align.AlignRight | align.AlignVCenter, words
            )
        for stop in range(_STOPS[0], _STOPS[1] + 1, 2):
            x = place(stop, 0).x()
            painter.setPen(QPen(colour("line" if stop == 0 else "panel"), 1))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
            painter.setPen(colour("quiet"))
            words = "grey" if stop == 0 else f"{stop:+d}"
            painter.drawText(QRectF(x - 20, r.bottom() + 2, 40, 14), align.AlignCenter, words)
        if self._space is None:
            painter.setPen(colour("quiet"))
            painter.drawText(r, align.AlignCenter, "these numbers make no curve")
            return
        stops = np.linspace(*_STOPS, 400)
        light = np.repeat((0.18 * 2.0**stops)[:, None], 3, 1).astype(np.float32)
        code = self._space.encode(light)[:, 1]
        painter.save()
        painter.setClipRect(r.adjusted(-1, -6, 1, 6))
        painter.setPen(QPen(colour("yellow"), 2))
        shares = (stops - _STOPS[0]) / (_STOPS[1] - _STOPS[0])
        known = np.isfinite(code)
        xs, ys = r.left() + shares * r.width(), r.bottom() - code * r.height()
        painter.drawPolyline(line_of(xs[known], ys[known]))
        painter.restore()
        for name, level in (("18 %", 0.18), ("90 %", 0.9)):
            at = place(np.log2(level / 0.18), float(self._space.encode([level] * 3)[1]))
            painter.setPen(QPen(colour("text"), 1))
            painter.setBrush(colour("well"))
            painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            painter.drawText(at + QPointF(7, 13), name)

    def _paint_plane(self, painter: QPainter, r: QRectF) -> None:
        def place(xy: tuple[float, float]) -> QPointF:
            x = (xy[0] - _PLANE.left()) / _PLANE.width()
            y = (xy[1] - _PLANE.top()) / _PLANE.height()
            return QPointF(r.left() + x * r.width(), r.bottom() - y * r.height())

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour("panel"), 1))
        painter.drawLine(place((0, 0)), place((0.8, 0)))
        painter.drawLine(place((0, 0)), place((0, 0.9)))
        drawn = [(encoding("sRGB"), "quiet", 1.0, "BT.709")]
        if self._space is not None:
            drawn.append((self._space, "yellow", 2.0, ""))
        for space, role, width, words in drawn:
            painter.setPen(QPen(colour(role), width))
            corners = [place(p) for p in space.primaries]
            painter.drawPolygon(QPolygonF(corners))
            white = place(space.white)
            painter.drawEllipse(white, 2.5, 2.5)
            if words:
                painter.drawText(corners[1] + QPointF(6, 2), words)  # of red its own may lie
            else:
                painter.setPen(colour("text"))
                for name, corner in zip("RGB", corners, strict=True):
                    painter.drawText(corner + QPointF(-4, -6), name)
        painter.setPen(colour("quiet"))
        painter.drawText(place((0.78, 0.02)), "x")
        painter.drawText(place((0.02, 0.86)), "y")
