"""The smear: what a glaze does, at a glance: colours before (upper half) and after (lower half)."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QWidget

from sfumato.app.theme import colour


class Smear(QWidget):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(96, 14)
        self._rows: np.ndarray | None = None
        self.setToolTip("Twelve hues and five greys: before the glaze above, after it below")

    def show_colours(self, rows: np.ndarray | None) -> None:
        """Show uint8 (2, 17, 3), None for nothing."""
        if rows is not None and self._rows is not None and np.array_equal(rows, self._rows):
            return
        self._rows = rows
        self.update()

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        if self._rows is None:
            painter.fillRect(self.rect(), colour("well"))
            return
        painter.setPen(Qt.PenStyle.NoPen)
        if not self.isEnabled():
            painter.setOpacity(0.35)
        count = self._rows.shape[1]
        gap = 4
        step = (self.width() - gap) / count
        for i in range(count):
            x = i * step + (gap if i >= 12 else 0)
            for half in (0, 1):
                r, g, b = (int(v) for v in self._rows[half, i])
                painter.fillRect(QRectF(x, half * 7, step + 0.4, 7), QColor(r, g, b))
