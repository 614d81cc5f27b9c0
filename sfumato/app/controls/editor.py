"""What an editor is: a widget that shows and edits one or more fields of a record."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, set_tip
from sfumato.core.controls import Kind
from sfumato.work.colours import Incoming


class Editor(QWidget):
    """`edited(field, value)` while moving, `released()` after; `part_changed(name)` on another tab."""

    edited = Signal(str, object)
    released = Signal()
    part_changed = Signal(str)

    def show_record(self, record: Any) -> None:
        """Show the values of a record without saying that they were edited."""
        raise NotImplementedError  # pragma: no cover

    def show_entry(self, entry: Incoming) -> None:
        """Show what enters the glaze, where that helps."""

    @property
    def part(self) -> str:
        """The field of several that is open, "" when there is no such thing: a pick goes there."""
        return ""

    def choose_new(self, before: Any, after: Any) -> None:
        """Choose what `after` has and `before` has not: a point that was picked."""


class Title(Line):
    """The name of a control beside it: so wide in every row, less where the panel is narrow."""

    def __init__(self, text: str, width: int = 112) -> None:
        super().__init__(text)
        self._width = width

    @guarded
    def sizeHint(self) -> QSize:
        return QSize(self._width, super().sizeHint().height())

    @guarded
    def minimumSizeHint(self) -> QSize:
        return QSize(self._width * 3 // 4, super().minimumSizeHint().height())


def quiet(text: str) -> Label:
    label = Label(text)
    label.setProperty("quiet", True)
    return label


def quiet_line(text: str) -> Line:
    """Return a quiet label of one line, shortened where there is no room for all of it."""
    line = Line(text)
    line.setProperty("quiet", True)
    return line


def steady(label: Label, widest: str) -> Label:
    """Give a label the size of its widest text for good, and return it; for what changes many times a second.

    A label of any other size has every layout of the window worked out anew with each new text.
    """
    label.setText(widest)
    label.setFixedSize(label.sizeHint())
    label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    label.setText("")
    return label


def strong(text: str) -> Label:
    """Return a label that heads what stands under it."""
    label = Label(text)
    label.setProperty("strong", True)
    return label


def strong_line(text: str) -> Line:
    """Return what heads something in one line, shortened where there is no room for all of it."""
    line = Line(text)
    line.setProperty("strong", True)
    return line


def painted(label: QWidget, pigment: str) -> None:
    """Give a label a pigment of the theme ("" = plain text)."""
    if label.property("pigment") != pigment:
        label.setProperty("pigment", pigment)
        label.style().polish(label)


class Tabs(QHBoxLayout):
    """Flat buttons, one of which is down, for the fields of a record that share an editor."""

    def __init__(self, kinds: dict[str, Kind], choose: Any) -> None:
        super().__init__()
        self.setSpacing(2)
        self.buttons: dict[str, QPushButton] = {}
        for name, kind in kinds.items():
            button = QPushButton(kind.title)
            button.setObjectName(f"tab.{name}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            set_tip(button, kind.help)
            button.clicked.connect(lambda _on, n=name: choose(n))
            self.addWidget(button)
            self.buttons[name] = button
        self.addStretch(1)

    def show_tab(self, name: str) -> None:
        for other, button in self.buttons.items():
            button.setChecked(other == name)


class TabbedEditor(Editor):
    """One editor for several fields of a record, a tab each."""

    def __init__(self, kinds: dict[str, Any]) -> None:
        super().__init__()
        self._kinds = kinds
        self.current = next(iter(kinds))
        self._record: Any = None
        self.tabs = Tabs(dict(kinds), self.show_part)

    @property
    def part(self) -> str:
        return self.current

    def show_part(self, name: str) -> None:
        """Open a tab, where there is one of that name."""
        if name not in self._kinds:
            return
        self.current = name
        self.tabs.show_tab(name)
        if self._record is not None:
            self.show_record(self._record)
        self.part_changed.emit(name)


def fresh(before: Any, after: Any) -> int | None:
    """Return the index of the first thing in `after` that is not in `before`."""
    return next((i for i, p in enumerate(after) if p not in before), None)
