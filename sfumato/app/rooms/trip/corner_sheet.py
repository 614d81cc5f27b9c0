"""Setting the four corners of a block of nodes by hand, where it was not found."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.labels import Label, Line, set_help, set_tip
from sfumato.app.theme import strong_font
from sfumato.app.views.corner_field import CornerField
from sfumato.core.arrays import Array
from sfumato.core.carrier.corners import Corners, checked, in_words
from sfumato.core.errors import ValueRefused


class CornerSheet(QDialog):
    """`taken(corners)`, as text, when they are to be read."""

    taken = Signal(str)

    def __init__(self, parent: QWidget, name: str, pixels: Array, corners: Corners = ()) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        self.resize(900, 640)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        title = Line(f"Where the nodes lie in {name}")
        title.setFont(strong_font(15))
        column.addWidget(title)
        column.addWidget(
            quiet(
                "Drag each corner to the outer corner of the block of colours, without bars and margin. "
                "1 to 4 choose a corner, arrow keys move it (Shift: ten pixels). "
                "The last pixels are found when it is read."
            )
        )
        self.field = CornerField(pixels, corners)
        set_help(
            self.field,
            "Drag a corner to the carrier's; Tab goes to the next, the arrow keys move it.",
        )
        column.addWidget(self.field, 1)
        row = QHBoxLayout()
        self._words = Label()
        self._words.setObjectName("corners.words")
        row.addWidget(self._words, 1)
        back = QPushButton("Cancel")
        set_tip(back, "Closes the sheet; the corners stay as they were.")
        back.clicked.connect(self.reject)
        row.addWidget(back)
        self.read = QPushButton("Read the nodes")
        self.read.setObjectName("corners.read")
        set_tip(self.read, "Reads the nodes between these corners.")
        self.read.setProperty("main", True)
        self.read.setDefault(True)
        self.read.clicked.connect(self._take)
        row.addWidget(self.read)
        column.addLayout(row)
        self._size = (pixels.shape[1], pixels.shape[0])
        self.field.moved.connect(self._check)
        self.field.setFocus()
        self._check()

    def _check(self) -> None:
        try:
            checked(tuple(self.field.corners), self._size)
        except ValueRefused as error:
            self._words.setText(f"{error.sentence()}.")
            self.read.setEnabled(False)
        else:
            self._words.setText("")
            self.read.setEnabled(True)

    def _take(self) -> None:
        self.taken.emit(in_words(tuple(self.field.corners)))
        self.accept()
