"""The line between two halves of a picture, and the handle that moves it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from sfumato.app.theme import RADIUS, instrument_colour

_HANDLE = (8.0, 28.0)  # px across and along the line


def paint_divider(painter: QPainter, a: QPointF, b: QPointF) -> None:
    """Draw a line with a handle in its middle: light with a dark edge, to be seen on any picture in every theme."""
    middle, across, along = (a + b) / 2, *_HANDLE
    wide, high = (along, across) if a.y() == b.y() else (across, along)
    handle = QRectF(middle.x() - wide / 2, middle.y() - high / 2, wide, high)
    light, dark = instrument_colour("text"), instrument_colour("well")
    dark.setAlphaF(0.45)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(dark, 3))
    painter.drawLine(a, b)
    painter.setPen(QPen(light, 1))
    painter.drawLine(a, b)
    painter.setPen(QPen(dark, 1))
    painter.setBrush(light)
    painter.drawRoundedRect(handle, RADIUS, RADIUS)
    painter.restore()
