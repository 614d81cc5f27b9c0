"""One editor for each kind of control, and the panel that a record's controls make."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.hue_field import HueField
from sfumato.app.controls.mark import Mark
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.core.controls import (
    Choice,
    Curve,
    File,
    HueCurve,
    Kind,
    LutFile,
    Number,
    Toggle,
    Triple,
    kinds,
)


def quiet(text: str) -> QLabel:
    label = QLabel(text)
    label.setProperty("quiet", True)
    return label


def painted(label: QWidget, pigment: str) -> None:
    """Give a label a pigment of the theme ("" = plain text)."""
    if label.property("pigment") != pigment:
        label.setProperty("pigment", pigment)
        label.style().polish(label)


class Chooser(QComboBox):
    """A list of choices that a wheel passing over it does not change."""

    def wheelEvent(self, event) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()


class Editor(QWidget):
    """Shows and edits one or more fields: `edited(field, value)` while moving, `released()` after."""

    edited = Signal(str, object)
    released = Signal()

    def show_record(self, record: Any) -> None:
        """Show the values of a record without saying that they were edited."""
        raise NotImplementedError  # pragma: no cover


class NumberEditor(Editor):
    def __init__(self, field: str, kind: Number, default: float) -> None:
        super().__init__()
        self._field = field
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        label = QLabel(kind.title)
        label.setToolTip(kind.help)
        label.setFixedWidth(112)
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
        label = QLabel(kind.title)
        label.setToolTip(kind.help)
        label.setFixedWidth(64)
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
        self.mark = Mark(kind.title)
        self.mark.setObjectName(field)
        self.mark.setToolTip(kind.help)
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
        self._field = field
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        label = QLabel(kind.title)
        label.setToolTip(kind.help)
        label.setFixedWidth(112)
        self.box = Chooser()
        self.box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.box.setObjectName(field)
        self.box.setAccessibleName(kind.title)
        self.box.setToolTip(kind.help)
        self.box.addItems(kind.options)
        self.box.setCurrentText(default)
        self.box.textActivated.connect(self._chosen)
        row.addWidget(label)
        row.addWidget(self.box, 1)

    def _chosen(self, text: str) -> None:
        self.edited.emit(self._field, text)
        self.released.emit()

    def show_record(self, record: Any) -> None:
        self.box.setCurrentText(getattr(record, self._field))


class CurveEditor(Editor):
    """All Curve fields of a record in one field, a tab each, with numbers for the chosen point."""

    tab_changed = Signal(str)

    def __init__(self, curves: dict[str, Curve]) -> None:
        super().__init__()
        self._curves = curves
        self.current = next(iter(curves))
        self._record: Any = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        tabs = QHBoxLayout()
        tabs.setSpacing(2)
        self.tabs: dict[str, QPushButton] = {}
        for name, kind in curves.items():
            button = QPushButton(kind.title)
            button.setObjectName(f"tab.{name}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.setToolTip(kind.help)
            button.clicked.connect(lambda _on, n=name: self.show_tab(n))
            tabs.addWidget(button)
            self.tabs[name] = button
        tabs.addStretch(1)
        column.addLayout(tabs)
        self.field = CurveField()
        self.field.setObjectName("curve")
        column.addWidget(self.field)
        numbers = QHBoxLayout()
        numbers.setSpacing(4)
        self.numbers: list[ScrubNumber] = []
        for axis in ("in", "out"):
            kind = Number(
                title=f"Point, {axis}",
                help="Code value of the chosen point.",
                least=-0.5,
                most=1.5,
                step=0.005,
                digits=4,
            )
            number = ScrubNumber(kind, -9.0)
            number.setObjectName(f"point.{axis}")
            number.edited.connect(self._typed)
            number.released.connect(self.released)
            numbers.addWidget(quiet(axis))
            numbers.addWidget(number)
            self.numbers.append(number)
        self.codes = quiet("")
        numbers.addWidget(self.codes)
        numbers.addStretch(1)
        column.addLayout(numbers)
        self.field.edited.connect(self._moved)
        self.field.released.connect(self.released)
        self.field.chosen_changed.connect(lambda _i: self._show_point())
        self.show_tab(self.current)

    def show_tab(self, name: str) -> None:
        self.current = name
        for other, button in self.tabs.items():
            button.setChecked(other == name)
        if self._record is not None:
            self.show_record(self._record)
        self.tab_changed.emit(name)

    def _moved(self, points: Any) -> None:
        self.edited.emit(self.current, points)
        self._show_point()

    def _typed(self, _value: float) -> None:
        x, y = (n.value() for n in self.numbers)
        self.field.move_point(self.field.chosen, x, y)
        self._show_point()

    def _show_point(self) -> None:
        point = self.field.points[self.field.chosen]
        for number, value in zip(self.numbers, point, strict=True):
            number.show_value(value)
        x, y = (round(v * 1023) for v in point)
        self.codes.setText(f"{x} → {y} of 1023")

    def show_record(self, record: Any) -> None:
        self._record = record
        behind = [
            (getattr(record, n), k.pigment)
            for n, k in self._curves.items()
            if n != self.current and getattr(record, n) != ((0.0, 0.0), (1.0, 1.0))
        ]
        self.field.show_curve(
            getattr(record, self.current), self._curves[self.current].pigment, behind
        )
        self._show_point()


class HueEditor(Editor):
    """All HueCurve fields of a record in one table, with numbers for the chosen point."""

    tab_changed = Signal(str)

    def __init__(self, curves: dict[str, HueCurve]) -> None:
        super().__init__()
        self._curves = curves
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.field = HueField({name: kind.title for name, kind in curves.items()})
        self.field.setObjectName("hues")
        column.addWidget(self.field)
        row = QHBoxLayout()
        row.setSpacing(4)
        hue = Number(
            title="Hue of the point",
            help="Where the point lies.",
            least=0,
            most=359,
            step=1,
            digits=0,
        )
        value = Number(
            title="Value of the point",
            help="How far it moves its hue.",
            least=-100,
            most=100,
            step=1,
            digits=0,
            signed=True,
        )
        self.hue, self.value = ScrubNumber(hue, -1.0), ScrubNumber(value, 0.0)
        self.hue.setObjectName("point.hue")
        self.value.setObjectName("point.value")
        self._words = quiet("")
        for label, number in (("hue", self.hue), ("value", self.value)):
            row.addWidget(quiet(label))
            row.addWidget(number)
            number.edited.connect(self._typed)
            number.released.connect(self.released)
        row.addWidget(self._words)
        row.addStretch(1)
        column.addLayout(row)
        self.field.edited.connect(self._moved)
        self.field.released.connect(self.released)
        self.field.chosen_changed.connect(self._on_chosen)
        self._show_point()

    def _moved(self, name: str, points: Any) -> None:
        self.edited.emit(name, points)
        self._show_point()

    def _on_chosen(self) -> None:
        self._show_point()
        self.tab_changed.emit(self.field.row)

    def _typed(self, _value: float) -> None:
        self.field.move(self.hue.value(), self.value.value() / 100)
        self._show_point()

    def _show_point(self) -> None:
        point = self.field.point()
        for number in (self.hue, self.value):
            number.setEnabled(point is not None)
        if point is None:
            self._words.setText("click a row to add a point")
            return
        kind = self._curves[self.field.row]
        self.hue.show_value(point[0])
        self.value.show_value(point[1] * 100)
        self._words.setText(f"{kind.title.lower()} {point[1] * kind.scale:+.0f} {kind.unit}")

    def show_record(self, record: Any) -> None:
        self.field.show_rows({name: getattr(record, name) for name in self._curves})
        self._show_point()


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
        self.button.setToolTip(kind.help)
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
            step.setToolTip(words)
            step.setAccessibleName(words)
            step.setFixedWidth(26)
            step.clicked.connect(lambda _on, h=how: self.wanted.emit(field, h))
            row.addWidget(step)

    def eventFilter(self, _button, event) -> bool:
        """Step with the arrow keys while the file has the keyboard."""
        if event.type() == QEvent.Type.KeyPress:
            step = {
                Qt.Key.Key_Left: "previous",
                Qt.Key.Key_Up: "previous",
                Qt.Key.Key_Right: "next",
                Qt.Key.Key_Down: "next",
            }.get(event.key())
            if step:
                self.wanted.emit(self._field, step)
                return True
        return False

    def show_record(self, record: Any) -> None:
        value: LutFile = getattr(record, self._field)
        name = Path(value.path).name if value.path else "Choose a LUT file…"
        self.button.setText(f"{name} is missing" if value.is_missing else name)
        self.button.setToolTip(value.path or "Choose a LUT file")
        painted(self.button, "cinnabar" if value.is_missing else "")


EDITORS: dict[type[Kind], Any] = {
    Number: NumberEditor,
    Triple: TripleEditor,
    Toggle: ToggleEditor,
    Choice: ChoiceEditor,
    Curve: CurveEditor,
    File: FileEditor,
    HueCurve: HueEditor,
}
_SHARED = (Curve, HueCurve)  # kinds of which one editor serves all fields


class RecordPanel(QWidget):
    """The controls of one record, made from its kinds."""

    edited = Signal(str, object)
    released = Signal()
    tab_changed = Signal(str)
    file_wanted = Signal(str, str)

    def __init__(self, record: Any, skip: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.editors: list[Editor] = []
        self.curves: CurveEditor | None = None
        self.hues: HueEditor | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        defaults = type(record)()
        table = {n: k for n, k in kinds(record).items() if n not in skip}
        served: set[type] = set()
        for field, kind in table.items():
            if type(kind) in served:
                continue
            if isinstance(kind, _SHARED):
                served.add(type(kind))
                alike = {n: k for n, k in table.items() if type(k) is type(kind)}
                editor: Editor = EDITORS[type(kind)](alike)
                editor.tab_changed.connect(self.tab_changed)
                if isinstance(editor, CurveEditor):
                    self.curves = editor
                elif isinstance(editor, HueEditor):
                    self.hues = editor
            else:
                editor = EDITORS[type(kind)](field, kind, getattr(defaults, field))
            if isinstance(editor, FileEditor):
                editor.wanted.connect(self.file_wanted)
            editor.edited.connect(self.edited)
            editor.released.connect(self.released)
            self.editors.append(editor)
            column.addWidget(editor)
        self.show_record(record)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_record(self, record: Any) -> None:
        for editor in self.editors:
            editor.show_record(record)
