"""A row of a report: a bar in its pigment, what it is, and sentences under it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.guard import guarded
from sfumato.app.labels import Label
from sfumato.app.theme import RADIUS, colour


class PigmentRow(QWidget):
    """`line` takes buttons at its right; the pigment's meaning is said in the accessible name."""

    def __init__(self, pigment: str, title: str, sentences: Sequence[str], said: str) -> None:
        super().__init__()
        self._pigment = pigment
        self.setAccessibleName(said)
        self.line = QHBoxLayout(self)
        self.line.setContentsMargins(16, 5, 8, 6)
        words = QVBoxLayout()
        words.setSpacing(1)
        heading = Label(title)
        heading.setProperty("strong", True)
        heading.setWordWrap(True)
        words.addWidget(heading)
        for i, sentence in enumerate(s for s in sentences if s):
            label = quiet(sentence) if i == 0 else Label(sentence)
            label.setWordWrap(True)
            words.addWidget(label)
        self.line.addLayout(words, 1)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("panel"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        painter.fillRect(QRectF(0, 0, 3, self.height()), colour(self._pigment))
