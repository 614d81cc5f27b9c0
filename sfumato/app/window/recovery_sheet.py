"""What was kept of studies that were not saved when their program ended."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.labels import Label, set_tip
from sfumato.app.theme import strong_font
from sfumato.work.stores.study_store import Recovered

_TIPS = {
    "Recover": "Opens the copy as a study; its file is written only when you save.",
    "Delete…": "Asks, and then deletes the copy for good.",
}


class RecoverySheet(QDialog):
    """`recover_wanted(copy)`, `forget_wanted(copy)`; each closes the sheet."""

    recover_wanted = Signal(object)
    forget_wanted = Signal(object)

    def __init__(
        self, copies: Sequence[Recovered], damaged: Sequence[Path], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("recovery")
        self.setWindowTitle("Studies that were not saved")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = Label("Studies that were not saved")
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        column.addWidget(
            quiet("Recover one here; the others are kept until you recover or delete them.")
        )
        table = QGridLayout()
        table.setHorizontalSpacing(16)
        for row, copy in enumerate(copies):
            name = Label(copy.study.name)
            when = datetime.fromtimestamp(copy.when).astimezone()
            table.addWidget(name, row, 0)
            table.addWidget(quiet(f"{when:%d %b %Y, %H:%M}"), row, 1)
            where = quiet(copy.original or "never saved")
            set_tip(where, copy.original or "")
            table.addWidget(where, row, 2)
            for place, (text, signal) in enumerate(
                (("Recover", self.recover_wanted), ("Delete…", self.forget_wanted)), 3
            ):
                button = QPushButton(text)
                button.setObjectName(f"recovery.{text.strip('…').lower()}.{row}")
                button.setAccessibleName(f"{text} {copy.study.name}")
                set_tip(button, _TIPS[text])
                button.clicked.connect(lambda _on, s=signal, c=copy: self._end(s, c))
                table.addWidget(button, row, place)
        column.addLayout(table)
        for file in damaged[:5]:
            column.addWidget(quiet(f"Damaged, and left where it is: {file}"))
        line = QHBoxLayout()
        line.addStretch(1)
        later = QPushButton("Later")
        later.setObjectName("recovery.later")
        set_tip(
            later, "Closes the sheet; the copies stay, and are offered again at the next start."
        )
        later.setDefault(True)
        later.clicked.connect(self.reject)
        line.addWidget(later)
        column.addLayout(line)

    def _end(self, signal: Signal, copy: Recovered) -> None:
        self.accept()
        signal.emit(copy)  # type: ignore[attr-defined]
