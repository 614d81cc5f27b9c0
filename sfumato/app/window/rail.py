"""The rail: the rooms that exist, in the order of the work."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import KeptPainting
from sfumato.app.labels import set_tip
from sfumato.app.services.room import RoomSpec
from sfumato.app.services.view_state import ViewModel
from sfumato.app.theme import colour, focus_ring, quiet_font


class _RoomButton(QAbstractButton):
    def __init__(self, spec: RoomSpec) -> None:
        super().__init__()
        self._spec = spec
        self._kept = KeptPainting()
        self.setText(spec.title)
        self.setAccessibleName(f"Room {spec.title}")
        self.setCheckable(True)
        self.setFixedSize(72, 62)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._kept.draw(painter, self, self.isChecked(), self._paint)
        focus_ring(self, painter, 2)

    def _paint(self, painter: QPainter) -> None:
        if self.isChecked():
            painter.fillRect(self.rect(), colour("panel"))
            painter.fillRect(QRectF(0, 0, 3, self.height()), colour("yellow"))
        painter.setPen(QPen(colour("text" if self.isChecked() else "quiet"), 1.5))
        c = QPointF(self.width() / 2, 22)
        self._spec.pictogram(painter, c)
        font = quiet_font()
        font.setBold(self.isChecked())
        painter.setFont(font)
        painter.drawText(QRectF(0, 38, self.width(), 18), Qt.AlignmentFlag.AlignCenter, self.text())


class Rail(QWidget):
    def __init__(self, rooms: Sequence[RoomSpec], view: ViewModel) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(72)
        self._view = view
        self._buttons: dict[str, _RoomButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        for spec in rooms:
            button = _RoomButton(spec)
            button.setChecked(view.now.room == spec.key)
            set_tip(button, f"The {spec.title} room.")
            button.clicked.connect(lambda _on, key=spec.key: self._open(key))
            column.addWidget(button)
            self._buttons[spec.key] = button
        column.addStretch(1)
        view.changed.connect(lambda _before, after: self._show(after.room))

    def _open(self, key: str) -> None:
        self._view.set(room=key)
        self._show(key)

    def _show(self, key: str) -> None:
        for room, button in self._buttons.items():
            button.setChecked(room == key)
