"""What a person sees of a bug: words, text to copy, and the program still running."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato._version import VERSION
from sfumato.app.labels import Label, set_tip
from sfumato.app.services.notices import Notices
from sfumato.app.theme import strong_font

_MOST = 8  # different faults in one report; more of them tell no more
_REMEMBERED = 100  # faults that a person was told of


class ReportDialog(QDialog):
    """Shows what went wrong; a fault that comes while it is there is added to it."""

    def __init__(self, text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._times = Counter({text: 1})
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
        self._body = QPlainTextEdit()
        self._body.setReadOnly(True)
        self._count = Label()
        self._count.setObjectName("report.count")
        self._show()
        column.addWidget(heading)
        column.addWidget(words)
        column.addWidget(self._body, 1)
        column.addWidget(self._count)
        row = QHBoxLayout()
        row.addStretch(1)
        copy = QPushButton("Copy the text")
        copy.setObjectName("report.copy")
        set_tip(copy, "For a mail to whoever mends it; nothing is sent by itself.")
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self._body.toPlainText()))
        go_on = QPushButton("Go on working")
        set_tip(go_on, "Closes the sheet; the study was put aside before it opened.")
        go_on.setProperty("main", True)
        go_on.setDefault(True)
        go_on.clicked.connect(self.accept)
        row.addWidget(copy)
        row.addWidget(go_on)
        column.addLayout(row)

    def add(self, text: str) -> None:
        """Add a fault, or count one that is there already."""
        is_new = text not in self._times
        if is_new and len(self._times) >= _MOST:
            return
        self._times[text] += 1
        self._show(anew=is_new)

    def _show(self, *, anew: bool = True) -> None:
        if anew:
            self._body.setPlainText("\n\n".join((f"Sfumato {VERSION}", *self._times)))
        again = self._times.total() - len(self._times)
        times = "once more" if again == 1 else f"{again} more times"
        self._count.setText(f"The same came {times} while this was open." if again else "")
        self._count.setVisible(bool(again))


class Reports(QObject):
    """Opens one report at a time. What a person was told of once is said in the strip when it comes again:
    work that is asked for with each frame would else cover the window with reports."""

    def __init__(self, window: QWidget, notices: Notices, put_aside: Callable[[], None]) -> None:
        super().__init__(window)
        self._window, self._notices, self._put_aside = window, notices, put_aside
        self._open: ReportDialog | None = None
        self._told = set[str]()
        notices.bug.connect(self._on_bug)

    def _on_bug(self, text: str) -> None:
        is_new = text not in self._told
        if is_new:
            if len(self._told) >= _REMEMBERED:
                self._told.clear()
            self._told.add(text)
            self._put_aside()
        if self._open is not None:
            self._open.add(text)
        elif is_new:
            self._show(text)
        else:
            self._notices.said.emit(
                "fault",
                "The same went wrong inside Sfumato again",
                "you can go on working",
                "What it was",
                lambda: self._show(text),
            )

    def _show(self, text: str) -> None:
        self._open = ReportDialog(text, self._window)
        self._open.finished.connect(self._on_closed)
        self._open.open()

    def _on_closed(self) -> None:
        self._open = None
