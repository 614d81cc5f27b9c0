"""The panel that a record's controls make: one editor for each kind of control."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QMetaMethod, QPoint, Qt, Signal
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from sfumato.app.controls.chroma_pad import PadsEditor
from sfumato.app.controls.curve_editor import CurveEditor
from sfumato.app.controls.editor import Editor, TabbedEditor
from sfumato.app.controls.editors import (
    ChoiceEditor,
    FileEditor,
    NumberEditor,
    TextEditor,
    ToggleEditor,
    TripleEditor,
)
from sfumato.app.controls.explanation import Explanation, of_control
from sfumato.app.controls.hue_editor import HueEditor
from sfumato.app.controls.levels_field import LevelsEditor
from sfumato.app.controls.nudge_editor import NudgeEditor
from sfumato.app.controls.tint_ramp import RampEditor
from sfumato.app.guard import guarded
from sfumato.core.controls import (
    Choice,
    Curve,
    File,
    HueCurve,
    Kind,
    LevelSet,
    Number,
    Pad,
    Pairs,
    Ramp,
    Text,
    Toggle,
    Triple,
    kinds,
)
from sfumato.work.colours import Colours, Incoming

# One editor for each field of these kinds ...
SINGLE: dict[type[Kind], Any] = {
    Number: NumberEditor,
    Triple: TripleEditor,
    Toggle: ToggleEditor,
    Choice: ChoiceEditor,
    Text: TextEditor,
    File: FileEditor,
    Ramp: RampEditor,
    Pairs: NudgeEditor,
}
# ... and one for all fields of these.
SHARED: dict[type[Kind], Any] = {
    Curve: CurveEditor,
    HueCurve: HueEditor,
    LevelSet: LevelsEditor,
    Pad: PadsEditor,
}
EDITORS = {**SINGLE, **SHARED}


class RecordPanel(QWidget):
    """The controls of one record. `part_changed(field)` when another tab or row is open."""

    edited = Signal(str, object)
    released = Signal()
    part_changed = Signal(str)
    file_wanted = Signal(str, str)
    pick_wanted = Signal(bool)
    explain_wanted = Signal(str, object)

    def __init__(self, record: Any, skip: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.editors: list[Editor] = []
        self._fields: dict[Editor, str] = {}
        self._record = record
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        defaults = type(record)()
        table = {n: k for n, k in kinds(record).items() if n not in skip}
        served: set[type] = set()
        for field, kind in table.items():
            which = type(kind)
            if which in served:
                continue
            if which in SHARED:
                served.add(which)
                alike = {n: k for n, k in table.items() if type(k) is which}
                more = (defaults,) if which is Pad else ()
                editor: Editor = SHARED[which](alike, *more)
            else:
                editor = SINGLE[which](field, kind, getattr(defaults, field))
            if isinstance(editor, FileEditor):
                editor.wanted.connect(self.file_wanted)
            if isinstance(editor, NudgeEditor):
                editor.pick_wanted.connect(self.pick_wanted)
            editor.edited.connect(self.edited)
            editor.released.connect(self.released)
            editor.part_changed.connect(self.part_changed)
            self.editors.append(editor)
            self._fields[editor] = field
            column.addWidget(editor)
        self.show_record(record)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_record(self, record: Any) -> None:
        self._record = record
        for editor in self.editors:
            editor.show_record(record)

    def show_only(self, fields: set[str]) -> None:
        """Hide the editors of all other fields."""
        for editor in self.editors:
            editor.setVisible(self._fields[editor] in fields)

    @guarded
    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Ask for more about the control under the hand."""
        under = next((e for e in self.editors if e.geometry().contains(event.pos())), None)
        self._explain(under, event.globalPos())

    def explain(self, widget: QWidget, place: QPoint) -> None:
        """Ask for more about the control that a widget belongs to."""
        found = (e for e in self.editors if e is widget or e.isAncestorOf(widget))
        self._explain(next(found, None), place)

    def _explain(self, editor: Editor | None, place: QPoint) -> None:
        field = (editor.part or self._fields[editor]) if editor is not None else ""
        if self.isSignalConnected(QMetaMethod.fromSignal(self.explain_wanted)):
            self.explain_wanted.emit(field, place)
        elif field in kinds(self._record):
            Explanation(*of_control("", self._record, field), self.window()).popup(place)

    def show_entry(self, entry: Incoming) -> None:
        for editor in self.editors:
            editor.show_entry(entry)

    def show_colours(self, colours: Colours) -> None:
        """Tell the editors that show swatches how colours are seen."""
        for editor in self.editors:
            if isinstance(editor, NudgeEditor):
                editor.show_colours(colours)

    @property
    def part(self) -> str:
        """The part that a pick goes to, "" when the glaze has no parts."""
        return next((e.part for e in self.editors if e.part), "")

    def show_part(self, name: str) -> None:
        """Open a tab, where there is one of that name."""
        for editor in self.editors:
            if isinstance(editor, TabbedEditor):
                editor.show_part(name)

    def choose_new(self, before: Any, after: Any) -> None:
        for editor in self.editors:
            editor.choose_new(before, after)

    def show_pick(self, on: bool) -> None:
        """Show whether the target of a nudge is being picked."""
        for editor in self.editors:
            if isinstance(editor, NudgeEditor):
                editor.pick.setChecked(on)
