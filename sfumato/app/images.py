"""Arrays to Qt images."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QImage

from sfumato.core.arrays import Array


def image_of(pixels: Array) -> QImage:
    """Return a QImage that owns a copy of uint8 (h, w, 3)."""
    pixels = np.ascontiguousarray(pixels)
    h, w = pixels.shape[:2]
    return QImage(pixels.data, w, h, w * 3, QImage.Format.Format_RGB888).copy()
