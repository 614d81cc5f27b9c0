"""What became of each look at each outlet, as a table, and of the chosen one all that is known."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet_line, strong_line
from sfumato.app.controls.invitation import Invitation
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.table_row import SharingHeader, TableRow
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.send.send_model import SendModel
from sfumato.app.theme import colour
from sfumato.core.lut.difference import CLOSE
from sfumato.work.outlets.sending import KEPT, REFUSED, Row

_COLUMNS = ("Look", "Outlet", "File", "Size", "mean", "99 %", "worst", "Read by", "")
_EMPTY = (
    "Send a look to every place where it is needed: each outlet remembers folder, format, grid, "
    "names and what the target makes of its file. Every file is read back, measured on your shots "
    "and, where another program knows the format, read by that too."
)


class ResultsPage(QWidget):
    """`reveal_wanted(file)`, `back_wanted(row)`, `again_wanted(row)`, `new_wanted()`."""

    reveal_wanted = Signal(object)
    back_wanted = Signal(object)
    again_wanted = Signal(object)
    new_wanted = Signal()

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._stack = QStackedWidget()
        column.addWidget(self._stack)
        self._stack.addWidget(self._make_empty())
        self._stack.addWidget(self._make_table())
        model.rows_changed.connect(self.refresh)
        self.refresh()

    def _make_empty(self) -> QWidget:
        new = QPushButton("Add an outlet…")
        new.setObjectName("send.empty.new")
        set_tip(new, "A place where looks are sent: a program, a camera, an engine, a folder.")
        new.setProperty("main", True)
        new.clicked.connect(self.new_wanted)
        return Invitation("One look, wherever it is needed", _EMPTY, new)

    def _make_table(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(14, 12, 14, 12)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setObjectName("send.rows")
        self.table.setAccessibleName("Results")
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.setItemDelegate(TableRow(self.table))
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self._head = SharingHeader(self.table, (0, 1, 2))
        self.table.currentCellChanged.connect(lambda *_: self._show_row())
        column.addWidget(self.table, 1)
        column.addWidget(self._make_foot())
        return page

    def _make_foot(self) -> QWidget:
        foot = QWidget()
        as_panel(foot, height=150)
        row = QHBoxLayout(foot)
        row.setContentsMargins(14, 10, 14, 10)
        words = QVBoxLayout()
        self.title = strong_line("")
        self.title.setObjectName("send.row.title")
        words.addWidget(self.title)
        self.words = Label()
        self.words.setObjectName("send.row.words")
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        words.addWidget(self.words, 1)
        self.path = quiet_line("")
        words.addWidget(self.path)
        row.addLayout(words, 1)
        buttons = QVBoxLayout()
        buttons.setSpacing(6)
        for name, text, signal, tip in (
            ("reveal", "Open its folder", self._reveal, "Show the file in the file manager."),
            ("again", "Send it again", self._again, "Write this file anew."),
            (
                "back",
                "Take it back",
                self._back,
                "Put what was sent into the trash; undo brings it back.",
            ),
        ):
            button = QPushButton(text)
            button.setObjectName(f"send.row.{name}")
            set_tip(button, tip)
            button.clicked.connect(signal)
            buttons.addWidget(button)
        buttons.addStretch(1)
        row.addLayout(buttons)
        self.buttons = {
            b.objectName().rpartition(".")[2]: b for b in foot.findChildren(QPushButton)
        }
        return foot

    # --- what is shown ---------------------------------------------------------------------------
    @property
    def row(self) -> Row | None:
        """The chosen row."""
        place = self.table.currentRow()
        return self._model.rows[place] if 0 <= place < len(self._model.rows) else None

    def refresh(self) -> None:
        rows = self._model.rows
        self._stack.setCurrentIndex(1 if rows else 0)
        chosen = max(self.table.currentRow(), 0)
        self.table.setRowCount(len(rows))
        for i, row in enumerate(rows):
            for c, (words, pigment) in enumerate(_cells(row)):
                item = self.table.item(i, c)
                if item is None:
                    item = QTableWidgetItem()
                    self.table.setItem(i, c, item)
                item.setText(words)
                item.setForeground(colour(pigment))
                if 3 <= c <= 6:
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
        self._head.share()
        if rows and self.table.currentRow() < 0:
            self.table.setCurrentCell(min(chosen, len(rows) - 1), 0)
        self._show_row()

    def _show_row(self) -> None:
        row = self.row
        for button in self.buttons.values():
            button.setEnabled(row is not None and bool(row.files))
        self.buttons["again"].setEnabled(row is not None)
        if row is None:
            for label in (self.title, self.words, self.path):
                label.setText("")
            return
        self.title.setText(f"{row.look} to {row.outlet.title}: {_state(row)[0]}")
        warnings = [row.words, *row.warnings] if row.words else [*row.warnings]
        self.words.setText("; ".join(w for w in warnings if w) or "Nothing to know.")
        self.path.setText(str(row.files[0]).replace(str(Path.home()), "~", 1) if row.files else "")

    def _reveal(self) -> None:
        if self.row is not None and self.row.files:
            self.reveal_wanted.emit(self.row.files[0])

    def _again(self) -> None:
        if self.row is not None:
            self.again_wanted.emit(self.row)

    def _back(self) -> None:
        if self.row is not None:
            self.back_wanted.emit(self.row)


def _state(row: Row) -> tuple[str, str]:
    if row.state == REFUSED:
        return "refused", "cinnabar"
    if row.words:
        return row.state, "cinnabar"
    if row.state == KEPT:
        return "as it was", "quiet"
    return ("with warnings", "yellow") if _is_marred(row) else ("written", "malachite")


def _is_marred(row: Row) -> bool:
    return row.p99 is not None and row.p99 > CLOSE


def _cells(row: Row) -> list[tuple[str, str]]:
    """Return the words of a row's cells, and their pigments."""

    def figure(value: float | None, limit: float) -> tuple[str, str]:
        if value is None:
            return "", "quiet"
        return f"{value:.2f}", "malachite" if value <= limit else "yellow"

    name = row.files[0].name if row.files else ""
    size = _size(row.size) if row.files else ""
    if len(row.files) > 1:
        name = f"{name} and {len(row.files) - 1} more"
    return [
        (row.look, "text"),
        (row.outlet.title, "text"),
        (name, "quiet"),
        (size, "quiet"),
        figure(row.mean, CLOSE / 2),
        figure(row.p99, CLOSE),
        (f"{row.worst:.2f}" if row.worst is not None else "", "text"),
        (", ".join(row.readers) or ("ours alone" if row.files else ""), "quiet"),
        _state(row),
    ]


def _size(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(count / 1e3, 0.1):.1f} kB"
