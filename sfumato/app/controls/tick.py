"""A small square mark that is on or off."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QWidget

from sfumato.app.guard import guarded
from sfumato.app.theme import colour, focus_ring


class Tick(QAbstractButton):
    """A check mark with optional words beside it."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setText(text)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(text)
        width = 22 if not text else 26 + self.fontMetrics().horizontalAdvance(text)
        self.setFixedSize(width, 22)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(5.5, self.height() / 2 - 5.5, 11, 11)
        painter.setPen(QPen(colour("text" if self.isChecked() else "quiet"), 1))
        painter.setBrush(colour("text") if self.isChecked() else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, 2, 2)
        if self.isChecked():
            painter.setPen(QPen(colour("panel"), 1.6))
            painter.drawPolyline(
                [box.topLeft() + QPointF(*p) for p in ((2.5, 5.5), (4.6, 7.8), (8.6, 3.2))]
            )
        if self.text():
            painter.setPen(colour("text"))
            area = self.rect().adjusted(24, 0, 0, 0)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, self.text())
        focus_ring(self, painter)
