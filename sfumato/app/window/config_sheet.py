"""The choice of an OCIO config: those that come with the library, or a file."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.labels import Label, set_help, set_tip
from sfumato.work.stores.ocio_config import built_in

_ROLE = Qt.ItemDataRole.UserRole


class ConfigSheet(QDialog):
    """`chosen(where)`, `file_wanted()`."""

    chosen = Signal(str)
    file_wanted = Signal()

    def __init__(self, parent: QWidget, used: tuple[str, ...]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("config")
        self.setWindowTitle("Use an OCIO config")
        self.resize(780, 420)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        words = Label(
            "The colour spaces of a config become encodings, its displays and views become Views. "
            "The study remembers which config it uses."
        )
        words.setWordWrap(True)
        column.addWidget(words)
        self.list = QListWidget()
        self.list.setObjectName("config.list")
        self.list.setAccessibleName("Configs that come with the OpenColorIO library")
        set_help(self.list, "Enter takes the chosen config into the study.")
        rows = [(b.where, ("Recommended: " if b.recommended else "") + b.title) for b in built_in()]
        known = {where for where, _title in rows}
        for where, title in [*((u, u) for u in used if u not in known), *rows]:
            item = QListWidgetItem(title + (" · in this study" if where in used else ""))
            item.setData(_ROLE, where)
            self.list.addItem(item)
        self.list.setSpacing(3)
        self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _i: self._use())
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        file = QPushButton("Open a .ocio file…")
        file.setObjectName("config.file")
        set_tip(file, "Takes a config from a file, as a production hands it out.")
        file.setAutoDefault(False)
        file.clicked.connect(self._want_file)
        use = QPushButton("Use it")
        use.setObjectName("config.use")
        set_tip(use, "Its encodings and views can then be chosen in this study.")
        use.setProperty("main", True)
        use.setDefault(True)
        use.clicked.connect(self._use)
        row.addWidget(file)
        row.addStretch(1)
        row.addWidget(use)
        column.addLayout(row)

    def _want_file(self) -> None:
        self.accept()
        self.file_wanted.emit()

    def _use(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self.chosen.emit(item.data(_ROLE))
