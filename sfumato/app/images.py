"""Arrays to Qt images and lines, and pictures of widgets that are kept."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, Qt
from PySide6.QtGui import QImage, QPainter, QPixmap, QPolygonF
from PySide6.QtWidgets import QWidget

from sfumato.app import theme
from sfumato.core.arrays import Array


def image_of(pixels: Array) -> QImage:
    """Return a QImage that owns a copy of uint8 (h, w, 3); of (h, w, 4) the fourth byte is 255."""
    pixels = np.ascontiguousarray(pixels)
    h, w, bytes_each = pixels.shape
    kind = QImage.Format.Format_RGBX8888 if bytes_each == 4 else QImage.Format.Format_RGB888
    return QImage(pixels.data, w, h, w * bytes_each, kind).copy()


def line_of(x: Any, y: Any) -> QPolygonF:
    """Return a line through places (n,) of a widget: as Qt stores one, for a QPointF takes a microsecond each."""
    places = np.stack(np.broadcast_arrays(x, y), axis=-1).astype(">f8")
    stored = len(places).to_bytes(4, "big") + places.tobytes()
    line = QPolygonF()
    QDataStream(QByteArray(stored)) >> line
    return line


class KeptPainting:
    """What a widget draws by hand, drawn again from a picture while nothing of it has changed.

    A graph takes a hundred calls of Qt; while workers are busy, each waits for the interpreter.
    """

    def __init__(self) -> None:
        self._key: Any = None
        self._picture = QPixmap()

    def draw(
        self, painter: QPainter, widget: QWidget, key: Any, paint: Callable[[QPainter], None]
    ) -> None:
        """Draw, with a widget's painter, what `paint` makes of the values in `key`."""
        ratio, size = widget.devicePixelRatioF(), widget.size()
        if size.isEmpty():
            return
        key = (key, size.toTuple(), ratio, theme.sheet())
        if key != self._key:
            self._key, self._picture = None, QPixmap(size * ratio)
            self._picture.setDevicePixelRatio(ratio)
            self._picture.fill(Qt.GlobalColor.transparent)
            with QPainter(self._picture) as inner:  # a picture must not go while it is painted
                inner.setRenderHint(QPainter.RenderHint.Antialiasing)
                inner.setFont(theme.quiet_font())
                paint(inner)
            self._key = key
        painter.drawPixmap(0, 0, self._picture)
