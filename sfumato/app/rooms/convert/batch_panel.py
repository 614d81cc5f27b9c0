"""How a batch goes and how it went: progress with Cancel, then a row for every file and format."""

from __future__ import annotations

import re
import time
from collections.abc import Sequence

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet_line
from sfumato.app.controls.table_row import TableRow
from sfumato.app.labels import Label, set_tip
from sfumato.app.theme import colour, strong_font
from sfumato.work.luts.batch import Row

_COLUMNS = ("File", "To", "Result", "ΔE mean", "worst", "What to know")
_TICK_MS = 120


class BatchPanel(QWidget):
    """`rows` is filled by the worker and only read here, by a timer. `cancel_wanted()`, `closed()`."""

    cancel_wanted = Signal()
    closed = Signal()
    reveal_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._rows: Sequence[Row] = ()
        self._count, self._shown, self._start = 0, 0, 0.0
        self._folder = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(8)
        head = QHBoxLayout()
        self._title = Label("Batch")
        self._title.setFont(strong_font(15))
        self._title.setObjectName("batch.title")
        head.addWidget(self._title, 1)
        self._open = QPushButton("Open the folder")
        self._open.setObjectName("batch.open")
        self._open.clicked.connect(lambda: self.reveal_wanted.emit(self._folder))
        head.addWidget(self._open)
        self._close = QPushButton("Back to the assay")
        self._close.setObjectName("batch.close")
        self._close.clicked.connect(self.closed)
        head.addWidget(self._close)
        column.addLayout(head)
        line = QHBoxLayout()
        self._words = quiet_line("")
        self._words.setObjectName("batch.words")
        line.addWidget(self._words, 1)
        self._cancel = QPushButton("Cancel")
        self._cancel.setObjectName("batch.cancel")
        self._cancel.setProperty("flat", True)
        self._cancel.clicked.connect(self.cancel_wanted)
        line.addWidget(self._cancel)
        column.addLayout(line)
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        column.addWidget(self._bar)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setItemDelegate(TableRow(self.table))
        self.table.setObjectName("batch.rows")
        self.table.setAccessibleName("Results")
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setWordWrap(False)
        self.table.verticalHeader().setDefaultSectionSize(26)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for i, width in enumerate((176, 50, 70, 66, 54)):
            self.table.setColumnWidth(i, width)
        header.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self.table, 1)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.refresh)

    def start(self, rows: Sequence[Row], count: int, folder: str) -> None:
        """Follow a list that a worker fills, up to `count` rows."""
        self._rows, self._count, self._shown, self._folder = rows, count, 0, folder
        self._start = time.monotonic()
        self.table.setRowCount(0)
        self._bar.setRange(0, max(count, 1))
        self._bar.show()
        self._cancel.show()
        self._open.hide()
        self._close.hide()
        self._title.setText("Batch")
        self._timer.start()
        self.refresh()

    def finish(self, how: str) -> None:
        """The worker has ended, "finished", "cancelled" or otherwise: show the rest and the sum."""
        self._timer.stop()
        self.refresh()
        self._bar.hide()
        self._cancel.hide()
        self._open.show()
        self._close.show()
        self._close.setFocus()
        said = {"finished": "Done", "cancelled": "Cancelled"}.get(how, "Stopped")
        self._title.setText(f"{said}: {self._sum()}")
        if how != "finished":
            self._words.setText("What was written stays; nothing is half written.")
        else:
            worst = max((r.loss.worst for r in self._rows if r.loss), default=0.0)
            self._words.setText(f"Largest difference {worst:.2f} ΔE · {self._folder}")

    def _sum(self) -> str:
        written = sum(1 for r in self._rows if r.target_file)
        refused = sum(1 for r in self._rows if r.error)
        left = sum(1 for r in self._rows if r.skipped)
        parts = [f"{written} written"]
        parts += [f"{refused} refused"] if refused else []
        parts += [f"{left} left alone"] if left else []
        return ", ".join(parts)

    def refresh(self) -> None:
        """Show the rows that have come since."""
        for row in list(self._rows[self._shown :]):
            self._add(row)
            self._shown += 1
        self._bar.setValue(self._shown)
        if not self._timer.isActive():
            return
        spent = time.monotonic() - self._start
        words = f"{self._shown} of {self._count}, {self._sum()}"
        if 0 < self._shown < self._count and spent > 1:
            left = spent / self._shown * (self._count - self._shown)
            words += f" · about {left:.0f} s left"
        self._words.setText(words)

    def _add(self, row: Row) -> None:
        place = self.table.rowCount()
        self.table.insertRow(place)
        note = row.error or "; ".join(row.notes)
        if row.error.startswith(str(row.source)):
            note = re.sub(r"^:(\d+)", r"line \1", row.error[len(str(row.source)) :]).lstrip(": ")
        loss = row.loss
        cells = (
            row.target_file.name if row.target_file else row.source.name,
            row.target.ending if row.target else "",
            row.state,
            f"{loss.mean:.3f}" if loss else "",
            f"{loss.worst:.2f}" if loss else "",
            note,
        )
        pigment = "cinnabar" if row.error else "quiet" if row.skipped else "malachite"
        for i, text in enumerate(cells):
            item = QTableWidgetItem(text)
            set_tip(item, str(row.target_file or row.source) if i == 0 else text)
            if i in (3, 4):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if i == 2:
                item.setForeground(QColor(colour(pigment)))
            elif i == 5:
                item.setForeground(QColor(colour("quiet")))
            self.table.setItem(place, i, item)
