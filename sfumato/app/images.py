"""Arrays to Qt images and lines."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream
from PySide6.QtGui import QImage, QPolygonF

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
