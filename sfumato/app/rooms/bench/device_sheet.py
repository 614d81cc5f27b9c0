"""A device of one's own: every line of its record, and what that makes it accept."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.labels import Label, set_tip
from sfumato.app.theme import strong_font
from sfumato.core.bench.monitor import Monitor


class MonitorSheet(QDialog):
    """`kept(Monitor)`."""

    kept = Signal(object)

    def __init__(self, parent: QWidget, monitor: Monitor, *, is_new: bool) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("bench.sheet")
        self.setWindowTitle("Device")
        self.setFixedWidth(420)
        self.draft = monitor
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 14)
        column.setSpacing(8)
        title = Label("A device of my own" if is_new else "What the device is")
        title.setFont(strong_font(15))
        column.addWidget(title)
        words = Label(
            "It is simulated: it refuses what a real one of this kind would, and counts as that does."
        )
        words.setWordWrap(True)
        column.addWidget(words)
        self.panel = RecordPanel(monitor)
        self.panel.edited.connect(self._edit)
        column.addWidget(self.panel)
        self.says = quiet("")
        self.says.setObjectName("bench.sheet.says")
        self.says.setWordWrap(True)
        column.addWidget(self.says)
        row = QHBoxLayout()
        row.addStretch(1)
        back = QPushButton("Do not keep")
        set_tip(back, "Closes the sheet; no device is changed.")
        back.clicked.connect(self.close)
        self.keep = QPushButton("Make it" if is_new else "Keep it")
        self.keep.setObjectName("bench.sheet.keep")
        set_tip(self.keep, "Puts the device onto the Bench.")
        self.keep.setProperty("main", True)
        self.keep.setDefault(True)
        self.keep.clicked.connect(self._keep)
        row.addWidget(back)
        row.addWidget(self.keep)
        column.addLayout(row)
        self._show()

    def _edit(self, field: str, value: Any) -> None:
        self.draft = attrs.evolve(self.draft, **{field: value})
        self._show()

    def _show(self) -> None:
        self.panel.show_record(self.draft)
        self.says.setText(f"{self.draft.says[:1].upper()}{self.draft.says[1:]}.")
        self.keep.setEnabled(bool(self.draft.title.strip()))

    def _keep(self) -> None:
        self.kept.emit(self.draft)
        self.close()
