"""The question what a LUT is for, asked where it was laid, with what its numbers say."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.labels import Label, set_tip
from sfumato.core.controls import LutFile
from sfumato.core.glazes.lut import Lut
from sfumato.work.luts.ends import evidence

RIGHT, LOG, DISPLAY, AS_IS = "right", "log", "display", "as it is"
ANSWERS = {
    RIGHT: ("It is right", "Keep what it is taken for."),
    LOG: ("Log in, display out", "It takes the working log and gives what a display shows."),
    DISPLAY: ("Display", "It takes what a display shows, and gives it."),
    AS_IS: ("Working values", "It takes and gives working values."),
}


class EndsAsk(QWidget):
    """Shown while it is only guessed what a LUT is for. `chosen(answer)` is one of ANSWERS."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._file = LutFile()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(4)
        self.words = Label()
        self.words.setObjectName("ends.words")
        self.words.setWordWrap(True)
        self.words.setProperty("pigment", "cinnabar")
        column.addWidget(self.words)
        keys = list(ANSWERS)
        for pair in (keys[:2], keys[2:]):
            row = QHBoxLayout()
            row.setSpacing(4)
            for key in pair:
                title, help_ = ANSWERS[key]
                button = QPushButton(title)
                button.setObjectName(f"ends.{key}")
                set_tip(button, help_)
                button.clicked.connect(lambda _on, k=key: self.chosen.emit(k))
                row.addWidget(button)
            column.addLayout(row)

    def show_glaze(self, parameters: Any) -> None:
        is_open = isinstance(parameters, Lut) and not parameters.sure
        is_open = is_open and parameters.file.transform is not None
        self.setVisible(is_open)
        if is_open and parameters.file != self._file:
            self._file = parameters.file
            told = evidence(parameters.file.transform)
            self.words.setText(f"The file does not say what it is for. {told}")
