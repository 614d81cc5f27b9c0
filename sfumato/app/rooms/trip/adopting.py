"""Adopting a look: its name, and what it is to become."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import strong
from sfumato.app.labels import set_tip

GLAZE, LOOK, SWATCH, FILE = "glaze", "look", "swatch", "file"


class Adopting(QWidget):
    """`glaze_wanted()`, `look_wanted()`, `swatch_wanted()`, `file_wanted()`; `naming` as `"trip.{}"`."""

    glaze_wanted = Signal()
    look_wanted = Signal()
    swatch_wanted = Signal()
    file_wanted = Signal()

    def __init__(self, naming: str, glaze: tuple[str, str], file: str) -> None:
        """Take the words and the help of the first button, and the help of the last."""
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(strong("Adopt it"))
        self.name = QLineEdit()
        set_tip(self.name, "The name under which the look is taken over.")
        self.name.setObjectName(naming.format("name"))
        self.name.setAccessibleName("Name of the look")
        self.name.setMaxLength(120)
        self.name.setPlaceholderText("name of the look")
        column.addWidget(self.name)
        self.buttons: dict[str, QPushButton] = {}
        for key, words, signal, help_ in (
            (GLAZE, glaze[0], self.glaze_wanted, glaze[1]),
            (
                LOOK,
                "As a new Look",
                self.look_wanted,
                "Takes the place of the Look; undo brings it back.",
            ),
            (
                SWATCH,
                "Into the Swatchbook",
                self.swatch_wanted,
                "A cube file in a folder of the Swatchbook.",
            ),
            (FILE, "As a file…", self.file_wanted, file),
        ):
            button = QPushButton(words)
            button.setObjectName(naming.format(f"adopt.{key}"))
            button.setProperty("main", key == GLAZE)
            set_tip(button, help_)
            button.clicked.connect(signal)
            column.addWidget(button)
            self.buttons[key] = button
