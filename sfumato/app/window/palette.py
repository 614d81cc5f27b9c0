"""All actions, searched by words."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from sfumato.app.guard import guarded
from sfumato.app.labels import set_help, set_tip


class Palette(QDialog):
    """Type to narrow, arrow keys to choose, Enter to run."""

    def __init__(self, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("All actions")
        self.setObjectName("palette")
        self.resize(520, 420)
        self.search = QLineEdit()
        self.search.setPlaceholderText("What do you want to do?")
        self.search.setAccessibleName("Search actions")
        set_tip(self.search, "Narrows the actions; Enter does the first.")
        self.list = QListWidget()
        self.list.setAccessibleName("Actions")
        set_help(self.list, "Everything that can be done, with its key.")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addWidget(self.search)
        column.addWidget(self.list)
        self.search.textChanged.connect(self._narrow)
        self.search.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _item: self._run())
        self.search.installEventFilter(self)
        # Asked once: each letter that is typed would ask Qt hundreds of times.
        self._lines = [
            (a.text().casefold(), _line(a.text(), a.shortcut().toString()), a, a.isEnabled())
            for a in actions
        ]
        self._narrow("")

    def _narrow(self, text: str) -> None:
        words = text.casefold().split()
        self.list.clear()
        first = None
        for name, line, action, enabled in self._lines:
            if all(w in name for w in words):
                item = QListWidgetItem(line, self.list)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not enabled:
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                elif first is None:
                    first = item
        if first is not None:
            self.list.setCurrentItem(first)

    @guarded
    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(
                min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
            )
            return True
        return False

    def _run(self) -> None:
        item = self.list.currentItem()
        self.accept()
        if item is not None:
            item.data(Qt.ItemDataRole.UserRole).trigger()


def _line(name: str, keys: str) -> str:
    return f"{name}    {keys}" if keys else name
