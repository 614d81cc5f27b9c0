"""The rail: the rooms that exist, in the order of the work."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from sfumato.app.services.view_state import ViewState
from sfumato.app.theme import colour, focus_ring, quiet_font

ROOMS = {"look": "Look", "swatchbook": "Swatchbook", "convert": "Convert", "apply": "Apply"}


def _sheets(painter: QPainter, c: QPointF) -> None:
    """Look: two sheets of glass, one over the other."""
    painter.drawRect(QRectF(c.x() - 9, c.y() - 9, 12, 12))
    painter.drawRect(QRectF(c.x() - 3, c.y() - 3, 12, 12))


def _passage(painter: QPainter, c: QPointF) -> None:
    """Convert: a square that becomes a circle."""
    painter.drawRect(QRectF(c.x() - 12, c.y() - 9, 9, 9))
    painter.drawLine(QPointF(c.x() - 2, c.y() - 3), QPointF(c.x() + 3, c.y() + 2))
    painter.drawEllipse(QRectF(c.x() + 2, c.y(), 10, 10))


def _fan(painter: QPainter, c: QPointF) -> None:
    """Swatchbook: three slips of paper, fanned out."""
    for turn in (-28, 0, 28):
        painter.save()
        painter.translate(c.x(), c.y() + 9)
        painter.rotate(turn)
        painter.drawRect(QRectF(-3.5, -19, 7, 17))
        painter.restore()


def _coats(painter: QPainter, c: QPointF) -> None:
    """Apply: a broad stroke over a row of frames."""
    for i in range(3):
        painter.drawRect(QRectF(c.x() - 12 + 9 * i, c.y() - 2, 6, 9))
    painter.drawLine(QPointF(c.x() - 12, c.y() - 8), QPointF(c.x() + 12, c.y() - 8))


_PICTOGRAMS = {"look": _sheets, "swatchbook": _fan, "convert": _passage, "apply": _coats}


class _RoomButton(QAbstractButton):
    def __init__(self, room: str, title: str) -> None:
        super().__init__()
        self.room = room
        self.setText(title)
        self.setAccessibleName(f"Room {title}")
        self.setCheckable(True)
        self.setFixedSize(72, 62)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked():
            painter.fillRect(self.rect(), colour("panel"))
            painter.fillRect(QRectF(0, 0, 3, self.height()), colour("yellow"))
        painter.setPen(QPen(colour("text" if self.isChecked() else "quiet"), 1.5))
        c = QPointF(self.width() / 2, 22)
        _PICTOGRAMS[self.room](painter, c)
        font = quiet_font()
        font.setBold(self.isChecked())
        painter.setFont(font)
        painter.drawText(QRectF(0, 38, self.width(), 18), Qt.AlignmentFlag.AlignCenter, self.text())
        focus_ring(self, painter, 2)


class Rail(QWidget):
    def __init__(self, view: ViewState) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(72)
        self._buttons: dict[str, _RoomButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        for room, title in ROOMS.items():
            button = _RoomButton(room, title)
            button.setChecked(view.get("room") == room)
            button.clicked.connect(
                lambda _on, r=room, b=button: (view.set("room", r), b.setChecked(True))
            )
            column.addWidget(button)
            self._buttons[room] = button
        column.addStretch(1)
        view.changed.connect(self._on_view)
        self._view = view

    def _on_view(self, name: str) -> None:
        if name == "room":
            for room, button in self._buttons.items():
                button.setChecked(room == self._view.get("room"))
