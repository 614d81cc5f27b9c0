"""The window's own questions: verbs on buttons, a name, which looks of a file."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.labels import Label, set_help, set_tip, shortened
from sfumato.app.theme import strong_font

_WIDEST = 560  # pixels of a line


def _said(words: str, font: QFont | None = None) -> Label:
    """Return words that stay within the screen: names come from strangers, and may be long."""
    label = Label(shortened(words))
    if font is not None:
        label.setFont(font)
    if label.sizeHint().width() > _WIDEST:
        label.setWordWrap(True)
        label.setFixedWidth(_WIDEST)
    return label


def _heading(words: str) -> Label:
    return _said(words, strong_font(15))


class Asked(QDialog):
    """A sheet that is asked once, and gone when it was answered: its parent would keep it to the end."""

    def ask(self) -> bool:
        """Show it, and return whether it was taken, once it is closed."""
        code = self.exec()
        self.deleteLater()
        return code == QDialog.DialogCode.Accepted


class Question(Asked):
    """A question with verbs on its buttons; the last is the usual one."""

    def __init__(
        self, parent: QWidget, title: str, words: str, answers: tuple[tuple[str, str], ...]
    ) -> None:
        super().__init__(parent)
        self._answer = answers[0][1]
        self.setWindowTitle("Sfumato")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        column.addWidget(_heading(title))
        column.addWidget(_said(words))
        row = QHBoxLayout()
        row.addStretch(1)
        for text, answer in answers:
            button = QPushButton(text)
            button.clicked.connect(lambda _on, a=answer: self._take(a))
            row.addWidget(button)
        button.setProperty("main", True)
        button.setDefault(True)
        column.addLayout(row)

    def _take(self, answer: str) -> None:
        self._answer = answer
        self.accept()

    def answered(self) -> str:
        self.ask()
        return self._answer


class PartQuestion(Asked):
    """Which of several looks in a file are meant; typing finds one, Enter takes what is chosen."""

    def __init__(self, parent: QWidget, name: str, looks: Sequence[str], one: bool = False) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        self.resize(420, 460)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        column.addWidget(_heading(f"{name} holds {len(looks)} looks"))
        several = "Choose one, or several with Ctrl or Shift."
        column.addWidget(Label("Choose the one that is meant." if one else several))
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a look by its name")
        self.line.setAccessibleName("Find a look")
        self.line.setClearButtonEnabled(True)
        set_tip(self.line, "Shows the looks with these letters in their names.")
        column.addWidget(self.line)
        self.list = QListWidget()
        self.list.setObjectName("parts.list")
        self.list.setAccessibleName("Looks in the file")
        set_help(self.list, "Each look in the file, by its name there. Enter takes what is chosen.")
        modes = QAbstractItemView.SelectionMode
        self.list.setSelectionMode(modes.SingleSelection if one else modes.ExtendedSelection)
        self.list.addItems([str(look) for look in looks])
        self.list.setCurrentRow(0)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        back = QPushButton("Cancel")
        set_tip(back, "Takes none of them.")
        back.clicked.connect(self.reject)
        self.take = QPushButton("Take it")
        self.take.setObjectName("parts.take")
        set_tip(self.take, "Goes on with the looks that are chosen.")
        self.take.setProperty("main", True)
        self.take.setDefault(True)
        self.take.clicked.connect(self.accept)
        row.addWidget(back)
        row.addWidget(self.take)
        column.addLayout(row)
        self.line.textChanged.connect(self._narrow)
        self.list.itemSelectionChanged.connect(self._say)
        self.list.itemActivated.connect(lambda _item: self.accept())
        self.list.setFocus()

    def _narrow(self, words: str) -> None:
        wanted = words.casefold()
        shown = []
        for i in range(self.list.count()):
            item = self.list.item(i)
            item.setHidden(wanted not in item.text().casefold())
            shown += [] if item.isHidden() else [i]
        if shown and self.list.currentRow() not in shown:
            self.list.setCurrentRow(shown[0])
        self._say()

    def places(self) -> list[int]:
        """Return the chosen rows that are shown."""
        rows = (self.list.row(item) for item in self.list.selectedItems() if not item.isHidden())
        return sorted(rows)

    def _say(self) -> None:
        count = len(self.places())
        self.take.setText("Take it" if count == 1 else f"Take {count}")
        self.take.setEnabled(count > 0)

    def answered(self) -> list[int]:
        return self.places() if self.ask() else []


class NameQuestion(Asked):
    """Asks for a name, Enter takes it; the button says what the title asks for."""

    def __init__(self, parent: QWidget, title: str, suggested: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        column.addWidget(_heading(title))
        self.field = QLineEdit(suggested)
        self.field.setMaxLength(60)
        self.field.setMinimumWidth(320)
        self.field.setAccessibleName("Name")
        self.field.selectAll()
        column.addWidget(self.field)
        row = QHBoxLayout()
        row.addStretch(1)
        back = QPushButton("Cancel")
        back.clicked.connect(self.reject)
        save = QPushButton("Rename" if title.startswith("Rename") else "Save")
        save.setProperty("main", True)
        save.setDefault(True)
        save.clicked.connect(self.accept)
        row.addWidget(back)
        row.addWidget(save)
        column.addLayout(row)

    def answered(self) -> str | None:
        return self.field.text().strip() or None if self.ask() else None
