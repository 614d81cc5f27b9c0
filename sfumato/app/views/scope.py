"""Instruments: they paint the pictures, counts and lines they are given."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.images import image_of
from sfumato.app.theme import RADIUS, quiet_font
from sfumato.app.theme import instrument_colour as colour
from sfumato.core.scopes import DRAWN, OKLAB_EDGE, oklab_place

TITLES = {
    "parade": "Parade",
    "waveform": "Waveform (luma)",
    "vectorscope": "Vectorscope (Cb/Cr)",
    "oklab": "Vectorscope (Oklab)",
    "histogram": "Histogram",
    "neutral": "Neutral line",
}


class ScopeView(QWidget):
    """Shows one instrument; `kind` says which."""

    def __init__(self, kind: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind = kind
        self._data: np.ndarray | None = None
        self._image = None
        self.setMinimumSize(120, 80)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Instrument")

    def show_data(self, kind: str, data: np.ndarray | None) -> None:
        self.kind, self._data = kind, data
        self._image = None
        if data is not None and kind in DRAWN:
            self._image = image_of(data)
        self.setAccessibleDescription(TITLES[kind])
        self.update()

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        inner = QRectF(self.rect()).adjusted(42, 10, -12, -10)
        painter.setFont(quiet_font())
        if self.kind == "vectorscope":
            self._paint_vectors(painter)
        elif self.kind == "oklab":
            self._paint_oklab(painter)
        elif self.kind == "neutral":
            self._paint_lines(painter, inner.adjusted(0, 0, 0, -12))
        elif self.kind == "histogram":
            self._paint_histogram(painter, inner.adjusted(0, 0, 0, -12))
        else:
            self._paint_trace(painter, inner)

    def _levels(self, painter: QPainter, r: QRectF) -> None:
        """Draw the graticule in percent."""
        for share in (0, 0.25, 0.5, 0.75, 1):
            y = r.bottom() - share * r.height()
            painter.setPen(QPen(colour("line" if share in (0, 1) else "panel"), 1))
            painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))
            painter.setPen(colour("quiet"))
            painter.drawText(
                QRectF(0, y - 8, r.left() - 5, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{share * 100:.0f}" + (" %" if share == 1 else ""),
            )

    def _paint_trace(self, painter: QPainter, r: QRectF) -> None:
        if self._image is not None:
            if self.kind == "parade":
                gap, w = 8, self._image.width() / 3
                each = (r.width() - 2 * gap) / 3
                for c in range(3):
                    target = QRectF(r.left() + c * (each + gap), r.top(), each, r.height())
                    painter.drawImage(target, self._image, QRectF(c * w, 0, w, 256))
            else:
                painter.drawImage(r, self._image)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
        self._levels(painter, r)

    def _codes(self, painter: QPainter, r: QRectF, titles: tuple[str, ...]) -> None:
        painter.setPen(colour("quiet"))
        for i, title in enumerate(titles):
            x = r.left() + r.width() * i / (len(titles) - 1)
            flag = (
                Qt.AlignmentFlag.AlignLeft,
                Qt.AlignmentFlag.AlignHCenter,
                Qt.AlignmentFlag.AlignRight,
            )[0 if i == 0 else 2 if i == len(titles) - 1 else 1]
            box = QRectF(
                x - (0 if i == 0 else 120 if i == len(titles) - 1 else 60), r.bottom() + 2, 120, 14
            )
            painter.drawText(box, flag | Qt.AlignmentFlag.AlignTop, title)

    def _paint_histogram(self, painter: QPainter, r: QRectF) -> None:
        for i in range(5):
            x = r.left() + r.width() * i / 4
            painter.setPen(QPen(colour("panel"), 1))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        self._codes(painter, r, ("0", "64", "128", "191", "255"))
        if self._data is None:
            return
        inner = self._data[:, 1:255]
        peak = max(float(np.percentile(inner, 99.5)), 1.0)
        heights = np.sqrt(np.clip(self._data / peak, 0, 1))
        for c, role in enumerate(("red", "green", "blue")):
            tone = colour(role)
            points = [QPointF(r.left(), r.bottom())]
            xs = r.left() + (np.arange(256) + 0.5) / 256 * r.width()
            ys = r.bottom() - heights[c] * r.height()
            points += [QPointF(x, y) for x, y in zip(xs, ys, strict=True)]
            points.append(QPointF(r.right(), r.bottom()))
            painter.setPen(QPen(tone, 1.2))
            tone.setAlphaF(0.18)
            painter.setBrush(tone)
            painter.drawPolygon(QPolygonF(points))

    def _paint_vectors(self, painter: QPainter) -> None:
        side = min(self.width(), self.height()) - 12
        r = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        if self._image is not None:
            painter.drawImage(r, self._image)
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        centre = r.center()
        painter.drawLine(QPointF(r.left(), centre.y()), QPointF(r.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), r.top()), QPointF(centre.x(), r.bottom()))
        painter.drawRect(r.adjusted(side * 0.25, side * 0.25, -side * 0.25, -side * 0.25))
        painter.setPen(colour("quiet"))
        for name, rgb in _HUES.items():
            cb, cr = _differences(rgb)
            at = centre + QPointF(cb, -cr) * side * 0.75
            painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            painter.drawText(at + QPointF(6, 4), name)
        painter.drawText(
            QRectF(r.right() + 6, centre.y() - 8, 60, 16), Qt.AlignmentFlag.AlignVCenter, "Cb"
        )
        painter.drawText(
            QRectF(centre.x() + 4, r.top() - 2, 60, 16), Qt.AlignmentFlag.AlignVCenter, "Cr"
        )

    def _paint_oklab(self, painter: QPainter) -> None:
        """Hue as direction, chroma as distance: rings each 0.1, a mark at each corner of the gamut."""
        side = min(self.width(), self.height()) - 12
        r = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        if self._image is not None:
            painter.drawImage(r, self._image)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        centre = r.center()
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(r.left(), centre.y()), QPointF(r.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), r.top()), QPointF(centre.x(), r.bottom()))
        for ring in (0.1, 0.2, 0.3):
            size = ring / OKLAB_EDGE * side / 2
            painter.setPen(QPen(colour("line"), 1))
            painter.drawEllipse(centre, size, size)
            painter.setPen(colour("quiet"))
            painter.drawText(centre + QPointF(3, -size - 2), f"{ring:g}")
        for name, rgb in _HUES.items():
            x, y = oklab_place(rgb)
            at = centre + QPointF(x, -y) * side / 2
            painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            painter.drawText(at + QPointF(6, 4), name)
        for words, x, y in (
            ("a", r.right() + 6, centre.y() - 8),
            ("b", centre.x() - 12, r.top() - 2),
        ):
            painter.drawText(QRectF(x, y, 20, 16), Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_lines(self, painter: QPainter, r: QRectF) -> None:
        self._levels(painter, r)
        self._codes(painter, r, ("0", "grey in, % code", "100"))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(r.bottomLeft(), r.topRight())
        if self._data is None:
            return
        painter.setClipRect(r.adjusted(0, -4, 0, 4))
        xs = r.left() + np.linspace(0, 1, len(self._data)) * r.width()
        for c, role in enumerate(("red", "green", "blue")):
            ys = r.bottom() - np.clip(self._data[:, c], -0.1, 1.1) * r.height()
            painter.setPen(QPen(colour(role), 1.6))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs, ys, strict=True)]))


_HUES = {
    "R": (1, 0, 0),
    "Y": (1, 1, 0),
    "G": (0, 1, 0),
    "C": (0, 1, 1),
    "B": (0, 0, 1),
    "M": (1, 0, 1),
}


def _differences(rgb: tuple[int, int, int]) -> tuple[float, float]:
    """Return Cb, Cr of BT.709, -0.5..0.5."""
    y = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]
    return (rgb[2] - y) / 1.8556, (rgb[0] - y) / 1.5748
