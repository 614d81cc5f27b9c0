"""A button that says in a second line what it leads to, and unmistakably whether it is down."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font, strong_font

_SQUARE = 13


class BigButton(QAbstractButton):
    """`pigment` marks it while it is down; `mark`: it bears a square of that pigment, always."""

    def __init__(
        self, name: str, title: str, words: str, pigment: str, *, mark: bool = False
    ) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setCheckable(True)
        self.setFixedHeight(56)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._pigment, self._mark, self._words = pigment, mark, ""
        self.show_words(title, words)

    def show_words(self, title: str, words: str) -> None:
        """Say something else."""
        if (title, words) == (self.text(), self._words):
            return
        self.setText(title)
        self._words = words
        self.setAccessibleName(title)
        self.setAccessibleDescription(words)
        set_tip(self, f"{title}: {words}" if words else title)
        self.update()

    @guarded
    def sizeHint(self) -> QSize:
        return QSize(150, 56)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box, is_down = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), self.isChecked()
        painter.setPen(QPen(colour("raised" if is_down else "line"), 1))
        painter.setBrush(colour("raised") if is_down else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        if is_down:
            painter.fillRect(QRectF(0, 0, self.width(), 3), colour(self._pigment))
        left = 12.0
        if self._mark:
            square = QRectF(left, self.height() / 2 - _SQUARE / 2, _SQUARE, _SQUARE)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(self._pigment if self.isEnabled() else "line"))
            painter.drawRoundedRect(square, RADIUS, RADIUS)
            left += _SQUARE + 10
        wide = self.width() - left - 8
        painter.setPen(colour("text" if self.isEnabled() else "quiet"))
        lines = ((strong_font(), self.text(), "text"), (quiet_font(), self._words, "quiet"))
        for i, (font, words, role) in enumerate(lines):
            painter.setFont(font)
            painter.setPen(colour(role if self.isEnabled() else "quiet"))
            room = QRectF(left, 9 + 19 * i, wide, 19)
            words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(wide))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)
        focus_ring(self, painter)
