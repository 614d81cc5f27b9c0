"""The smear: what a glaze does, at a glance: colours before (upper half) and after (lower half)."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import colour

WIDTH, NARROW = 96, 60  # px


def paint_smear(painter: QPainter, room: QRectF, image: QImage) -> None:
    """Paint a smear (17 x 2 pixels): its hues, a gap, its greys."""
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    gap = 4
    step = (room.width() - gap) / 17
    for first, count, left in ((0, 12, 0.0), (12, 5, 12 * step + gap)):
        target = QRectF(room.left() + left, room.top(), count * step, room.height())
        painter.drawImage(target, image, QRectF(first, 0, count, 2))


class Smear(QWidget):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(WIDTH, 14)
        self._rows: np.ndarray | None = None
        self._image: QImage | None = None
        set_tip(self, "Twelve hues and five greys: before the glaze above, after it below")

    def show_colours(self, rows: np.ndarray | None) -> None:
        """Show uint8 (2, 17, 3), None for nothing."""
        if rows is not None and self._rows is not None and np.array_equal(rows, self._rows):
            return
        self._rows = rows
        self._image = image_of(rows) if rows is not None else None
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._image is None:
            painter.fillRect(self.rect(), colour("well"))
            return
        if not self.isEnabled():
            painter.setOpacity(0.35)
        paint_smear(painter, QRectF(self.rect()), self._image)
