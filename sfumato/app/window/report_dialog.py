"""What a person sees of a bug: words, text to copy, and the program still running."""

from __future__ import annotations

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.labels import Label, set_tip
from sfumato.app.theme import strong_font


class ReportDialog(QDialog):
    def __init__(self, text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        self.setObjectName("report")
        self.resize(620, 420)
        column = QVBoxLayout(self)
        heading = Label("Something went wrong inside Sfumato")
        heading.setFont(strong_font(15))
        words = Label(
            "Your study is saved in the recovery folder and you can go on working.\n"
            "Please send this text to the makers: it says what happened."
        )
        body = QPlainTextEdit(text)
        body.setReadOnly(True)
        column.addWidget(heading)
        column.addWidget(words)
        column.addWidget(body, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        copy = QPushButton("Copy the text")
        set_tip(copy, "For a mail to whoever mends it; nothing is sent by itself.")
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(text))
        go_on = QPushButton("Go on working")
        set_tip(go_on, "Closes the sheet; the study was put aside before it opened.")
        go_on.setProperty("main", True)
        go_on.setDefault(True)
        go_on.clicked.connect(self.accept)
        row.addWidget(copy)
        row.addWidget(go_on)
        column.addLayout(row)
