"""Editors of single values: a number, three numbers, a mark, a choice, a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import Editor, Title, painted
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.core.controls import (
    Choice,
    File,
    LutFile,
    Number,
    Text,
    Toggle,
    Triple,
)


class NumberEditor(Editor):
    def __init__(self, field: str, kind: Number, default: float) -> None:
        super().__init__()
        self._field = field
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        label = Title(kind.title)
        set_tip(label, kind.help)
        self.number = ScrubNumber(kind, default)
        self.number.setObjectName(field)
        self.number.setFixedWidth(80)
        label.setBuddy(self.number)
        row.addWidget(label)
        row.addWidget(SlimBar(self.number), 1)
        row.addWidget(self.number)
        self.number.edited.connect(lambda v: self.edited.emit(field, v))
        self.number.released.connect(self.released)

    def show_record(self, record: Any) -> None:
        self.number.show_value(getattr(record, self._field))
        self.update()
        for bar in self.findChildren(SlimBar):
            bar.update()


class TripleEditor(Editor):
    def __init__(self, field: str, kind: Triple, default: tuple[float, ...]) -> None:
        super().__init__()
        self._field = field
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(0)
        label = Title(kind.title, 64)
        set_tip(label, kind.help)
        grid.addWidget(label, 0, 0)
        self.numbers: list[ScrubNumber] = []
        for i, (name, pigment) in enumerate((("red", "red"), ("green", "green"), ("blue", "blue"))):
            each = Number(
                title=f"{kind.title}, {name}",
                help=kind.help,
                least=kind.least,
                most=kind.most,
                step=kind.step * 5,
                digits=kind.digits,
                signed=kind.signed,
                soft=(default[i] - 0.5, default[i] + 0.5),
            )
            number = ScrubNumber(each, default[i])
            number.setObjectName(f"{field}.{i}")
            number.edited.connect(self._moved)
            number.released.connect(self.released)
            self.numbers.append(number)
            grid.addWidget(number, 0, i + 1)
            grid.addWidget(SlimBar(number, pigment), 1, i + 1)

    def _moved(self, _value: float) -> None:
        self.edited.emit(self._field, tuple(n.value() for n in self.numbers))

    def show_record(self, record: Any) -> None:
        for number, value in zip(self.numbers, getattr(record, self._field), strict=True):
            number.show_value(value)
        for bar in self.findChildren(SlimBar):
            bar.update()


class ToggleEditor(Editor):
    def __init__(self, field: str, kind: Toggle, default: bool) -> None:
        super().__init__()
        self._field = field
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.mark = Tick(kind.title)
        self.mark.setObjectName(field)
        set_tip(self.mark, kind.help)
        self.mark.setChecked(default)
        self.mark.clicked.connect(self._clicked)
        row.addWidget(self.mark)
        row.addStretch(1)

    def _clicked(self, on: bool) -> None:
        self.edited.emit(self._field, on)
        self.released.emit()

    def show_record(self, record: Any) -> None:
        self.mark.setChecked(getattr(record, self._field))


class ChoiceEditor(Editor):
    def __init__(self, field: str, kind: Choice, default: str) -> None:
        super().__init__()
        self._field, self._kind = field, kind
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        label = Title(kind.title)
        set_tip(label, kind.help)
        self.box = Chooser()
        self.box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.box.setObjectName(field)
        self.box.setAccessibleName(kind.title)
        set_tip(self.box, kind.help)
        self.box.offer(kind.options)
        self.box.setCurrentText(default)
        self.box.textActivated.connect(self._chosen)
        row.addWidget(label)
        row.addWidget(self.box, 1)

    def _chosen(self, text: str) -> None:
        self.edited.emit(self._field, text)
        self.released.emit()

    def show_record(self, record: Any) -> None:
        self.box.offer(self._kind.options)
        self.box.setCurrentText(getattr(record, self._field))


class TextEditor(Editor):
    """A line of words, taken when the hand leaves it or presses Enter."""

    def __init__(self, field: str, kind: Text, _default: str) -> None:
        super().__init__()
        self._field, self._shown = field, ""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        label = Title(kind.title)
        set_tip(label, kind.help)
        self.line = QLineEdit()
        self.line.setObjectName(field)
        self.line.setAccessibleName(kind.title)
        self.line.setMaxLength(kind.longest)
        self.line.setPlaceholderText(kind.usual)
        set_tip(self.line, kind.help)
        self.line.editingFinished.connect(self._taken)
        label.setBuddy(self.line)
        row.addWidget(label)
        row.addWidget(self.line, 1)

    def _taken(self) -> None:
        if self.line.text() != self._shown:
            self._shown = self.line.text()
            self.edited.emit(self._field, self._shown)
            self.released.emit()

    def show_record(self, record: Any) -> None:
        self._shown = getattr(record, self._field)
        if self.line.text() != self._shown:
            self.line.setText(self._shown)


class FileEditor(Editor):
    """The LUT file of a glaze: its name, a button to choose, arrows to step through its folder."""

    wanted = Signal(str, str)  # field; "choose", "next" or "previous"

    def __init__(self, field: str, kind: File, _default: LutFile) -> None:
        super().__init__()
        self._field = field
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.button = QPushButton()
        self.button.setObjectName(field)
        set_tip(self.button, kind.help)
        self.button.setAccessibleName(kind.title)
        self.button.clicked.connect(lambda: self.wanted.emit(field, "choose"))
        self.button.installEventFilter(self)
        row.addWidget(self.button, 1)
        for sign, how, words in (
            ("‹", "previous", "The file before in its folder"),
            ("›", "next", "The next file in its folder"),
        ):
            step = QPushButton(sign)
            step.setObjectName(f"{field}.{how}")
            step.setProperty("flat", True)
            set_tip(step, words)
            step.setAccessibleName(words)
            step.setFixedWidth(26)
            step.clicked.connect(lambda _on, h=how: self.wanted.emit(field, h))
            row.addWidget(step)

    @guarded
    def eventFilter(self, _button: QObject, event: QEvent) -> bool:
        """Step with the arrow keys while the file has the keyboard."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps: dict[int, str] = {
                Qt.Key.Key_Left: "previous",
                Qt.Key.Key_Up: "previous",
                Qt.Key.Key_Right: "next",
                Qt.Key.Key_Down: "next",
            }
            step = steps.get(event.key())
            if step:
                self.wanted.emit(self._field, step)
                return True
        return False

    def show_record(self, record: Any) -> None:
        value: LutFile = getattr(record, self._field)
        name = Path(value.path).name if value.path else "Choose a LUT file…"
        self.button.setText(f"{name} is missing" if value.is_missing else name)
        set_tip(self.button, value.path or "Choose a LUT file")
        painted(self.button, "cinnabar" if value.is_missing else "")
