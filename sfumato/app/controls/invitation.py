"""What stands where there is nothing yet: what this is for, what to do first, and the way into the guide."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.guide_button import GuideButton
from sfumato.app.labels import Label
from sfumato.app.theme import strong_font

_WIDEST = 560  # pixels of the words: longer lines are hard to read


class Invitation(QWidget):
    """A title, words that take as many lines as they need, and buttons in a row, in the middle of its place."""

    def __init__(
        self,
        title: str = "",
        words: str = "",
        *buttons: QPushButton,
        size: int = 18,
        guided: bool = True,
    ) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.addStretch(2)
        self._title, self._words = Label(), Label()
        self._title.setFont(strong_font(size))
        column.addLayout(_middle(self._title))
        column.addLayout(_middle(self._words))
        for label in (self._title, self._words):
            label.setWordWrap(True)
            label.setMaximumWidth(_WIDEST)
            label.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(10)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in buttons:
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        if guided:
            column.addWidget(GuideButton(), 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(3)
        self.say(title, words)

    @property
    def words(self) -> Label:
        return self._words

    def say(self, title: str, words: str) -> None:
        self._title.setText(title)
        self._words.setText(words)
        self._words.setVisible(bool(words))


def _middle(label: Label) -> QHBoxLayout:
    """Return a row with a label in its middle. A layout of rows alone would not know how wide it may be
    when it asks how high the wrapped words are."""
    row = QHBoxLayout()
    row.addStretch(1)
    row.addWidget(label, 100)
    row.addStretch(1)
    return row
