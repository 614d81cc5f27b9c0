"""The grip between a panel and what stands beside it: by it the panel is made wider or narrower."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.theme import colour

WIDTH = 5  # px of the grip itself
_STEP = 20  # px for an arrow key


class Grip(Field):
    """Sets the width of the panel on its left within bounds; a double click sets the usual one.

    `dragged(width)` while it moves.
    """

    dragged = Signal(int)

    def __init__(self, panel: QWidget, usual: int, least: int, most: int) -> None:
        super().__init__(
            "Width of the panel",
            f"Drag, or Left and Right: the panel is {least} to {most} px wide. A double click sets {usual}.",
        )
        self._panel, self._usual, self._least, self._most = panel, usual, least, most
        self.setFixedWidth(WIDTH)
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self.set_width(usual)

    def set_width(self, width: int) -> None:
        width = max(self._least, min(width, self._most))
        if width != self._panel.width() or self._panel.minimumWidth() != width:
            self._panel.setFixedWidth(width)
            self.dragged.emit(width)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = (event.globalPosition().x(), self._panel.width())

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            start, width = self._held
            self.set_width(round(width + event.globalPosition().x() - start))

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.set_width(self._usual)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.set_width(self._panel.width() + step)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("yellow" if self.hasFocus() else "line"))
        painter.drawRoundedRect(WIDTH // 2 - 1, self.height() // 2 - 14, 2, 28, 1, 1)
