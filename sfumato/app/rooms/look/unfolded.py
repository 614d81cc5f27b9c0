"""The controls of the chosen glaze, which unfold under its row."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet
from sfumato.app.controls.editors import ChoiceEditor
from sfumato.app.controls.reach_field import ReachEditor
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.labels import set_tip
from sfumato.app.rooms.look.ends_ask import EndsAsk
from sfumato.app.rooms.look.thread import INDENT
from sfumato.app.services.view_state import PICK_SIZES, ViewModel
from sfumato.core.controls import kinds
from sfumato.core.glazes.lut import Lut
from sfumato.core.path.laying import Laying
from sfumato.core.study.coat import Coat, UnknownGlaze
from sfumato.work.colours import Colours, Incoming
from sfumato.work.preview.asks import LUT, MATTE


class _LayingBox(QWidget):
    """How a glaze joins the others and where it acts. `laid({field: value})`, `released()`."""

    laid = Signal(object)
    released = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        blend: Any = kinds(Laying)["blend"]
        self._blend = ChoiceEditor("blend", blend, Laying().blend)
        self._blend.edited.connect(lambda field, value: self.laid.emit({field: value}))
        self._blend.released.connect(self.released)
        column.addWidget(self._blend)
        self.reach = ReachEditor()
        self.reach.edited.connect(
            lambda field, value: self.laid.emit({field: value} if field else value)
        )
        self.reach.released.connect(self.released)
        column.addWidget(self.reach)

    def show_laying(self, laying: Laying) -> None:
        self._blend.show_record(laying)
        self.reach.show_record(laying)


class Unfolded(QWidget):
    """Shows one coat. `edited(field, value)`, `laid({field: value})`, `released()` and wishes."""

    edited = Signal(str, object)
    laid = Signal(object)
    released = Signal()
    file_wanted = Signal(str, str)
    apart_wanted = Signal()
    ends_chosen = Signal(str)
    explain_wanted = Signal(str, object, str, object)

    def __init__(self, coat: Coat, view: ViewModel, depth: int) -> None:
        super().__init__()
        self._view, self.coat = view, coat
        self._column = column = QVBoxLayout(self)
        self.show_depth(depth)
        column.setSpacing(4)
        self.panel: RecordPanel | None = None
        self._pick: QPushButton | None = None
        self._does = quiet("")
        self._does.setObjectName("glaze.does")
        self._does.setWordWrap(True)
        column.addWidget(self._does)
        self._ask: EndsAsk | None = None
        self._laying: _LayingBox | None = None
        self._covers: float | None = None
        if coat.is_group:
            self._make_group(column)
        elif coat.spec is not None and not isinstance(coat.parameters, UnknownGlaze):
            self._make_glaze(column)
        self._make_fold(column)
        self.show_coat(coat)
        self.show_view()

    def take_focus(self) -> None:
        """Give the keyboard to the first control."""
        start = self.panel if self.panel is not None and self.panel.editors else self
        for widget in start.findChildren(QWidget):
            takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus
            if takes and widget.isVisible() and widget.isEnabled():
                widget.setFocus(Qt.FocusReason.OtherFocusReason)
                return

    def _make_group(self, column: QVBoxLayout) -> None:
        words = quiet("What these glazes make together is laid with one Strength.")
        words.setWordWrap(True)
        column.addWidget(words)
        line = QHBoxLayout()
        apart = QPushButton("Take the group apart")
        apart.setObjectName("group.apart")
        apart.clicked.connect(self.apart_wanted)
        line.addWidget(apart)
        line.addStretch(1)
        column.addLayout(line)

    def _make_glaze(self, column: QVBoxLayout) -> None:
        coat, spec = self.coat, self.coat.spec
        assert spec is not None
        self.panel = panel = RecordPanel(coat.parameters)
        panel.edited.connect(self.edited)
        panel.released.connect(self.released)
        panel.file_wanted.connect(self.file_wanted)
        panel.explain_wanted.connect(
            lambda field, at: self.explain_wanted.emit(
                self.coat.title, self.coat.parameters, field, at
            )
        )
        panel.pick_wanted.connect(lambda on: self._ask_pick(on, "target"))
        panel.show_part(self._view.now.curve)
        panel.part_changed.connect(lambda name: self._view.set(curve=name))
        if isinstance(coat.parameters, Lut):
            self._ask = ask = EndsAsk()
            ask.chosen.connect(self.ends_chosen)
            column.addWidget(ask)
        column.addWidget(panel)
        if spec.pick is None:
            return
        line = QHBoxLayout()
        self._pick = button = QPushButton(spec.pick_title)
        button.setObjectName("pick")
        button.setCheckable(True)
        set_tip(button, f"{spec.pick_title} from the picture; Esc ends it.")
        button.clicked.connect(lambda on: self._ask_pick(on, ""))
        line.addWidget(button)
        line.addStretch(1)
        self._size = Chooser()
        self._size.setObjectName("pick.size")
        self._size.setAccessibleName("Size of a pick")
        set_tip(self._size, "A pick takes the mean of so many pixels square.")
        for size in PICK_SIZES:
            self._size.addItem(f"{size} × {size} px" if size > 1 else "1 px", size)
        self._size.setCurrentIndex(PICK_SIZES.index(self._view.now.pick_size))
        self._size.activated.connect(lambda i: self._view.set(pick_size=PICK_SIZES[i]))
        line.addWidget(self._size)
        column.addLayout(line)

    def _make_fold(self, column: QVBoxLayout) -> None:
        fold = QPushButton("Reach and blend")
        fold.setObjectName("laying.fold")
        fold.setProperty("flat", True)
        fold.setCheckable(True)
        set_tip(fold, "On which tones, hues and chromas the glaze acts, and how it joins them.")
        fold.clicked.connect(lambda on: self._view.set(laying_open=on))
        self._fold = fold
        line = QHBoxLayout()
        line.addWidget(fold)
        line.addStretch(1)
        column.addLayout(line)

    def _open_laying(self) -> _LayingBox:
        """Return the controls under the fold, which are made when it is first opened."""
        if self._laying is None:
            self._laying = made = _LayingBox()
            made.laid.connect(self.laid)
            made.released.connect(self.released)
            made.reach.explain_wanted.connect(
                lambda field, at: self.explain_wanted.emit("Reach", self.coat.laying, field, at)
            )
            made.reach.matte_wanted.connect(lambda on: self._view.set(b=MATTE if on else LUT))
            made.reach.pick_wanted.connect(lambda on: self._ask_pick(on, "reach"))
            made.show_laying(self.coat.laying)
            made.reach.show_cover(self._covers)
            self._column.addWidget(made)
        return self._laying

    def _ask_pick(self, on: bool, part: str) -> None:
        self._view.set(picking="")
        self._view.set(pick_part=part if on else "")
        self._view.set(picking=self.coat.id if on else "")

    # --- showing ---------------------------------------------------------------------------------
    def fits(self, coat: Coat) -> bool:
        """Whether these are the controls of that coat."""
        same = self.coat.id == coat.id and self.coat.key == coat.key
        return same and type(self.coat.parameters) is type(coat.parameters)

    def show_depth(self, depth: int) -> None:
        self._column.setContentsMargins(INDENT + 8 * depth, 2, 6, 8)

    def show_coat(self, coat: Coat, says: str = "") -> None:
        """Show a glaze; `says` is what it does with its values in this study."""
        self.coat = coat
        self._does.setText(f"{says[:1].upper()}{says[1:]}." if says else "")
        self._does.setVisible(bool(says))
        if self._ask is not None:
            self._ask.show_glaze(coat.parameters)
        if self.panel is not None:
            self.panel.show_record(coat.parameters)
        if self._laying is not None:
            self._laying.show_laying(coat.laying)

    def show_entry(self, entry: Incoming) -> None:
        if self.panel is not None:
            self.panel.show_entry(entry)
        self._covers = entry.covers
        if self._laying is not None:
            self._laying.reach.show_cover(entry.covers)

    def show_colours(self, colours: Colours) -> None:
        if self.panel is not None:
            self.panel.show_colours(colours)

    def show_view(self) -> None:
        """Bring the buttons in line with what is looked at and picked."""
        now = self._view.now
        self._fold.setChecked(now.laying_open)
        part = now.pick_part if now.picking == self.coat.id else None
        if now.laying_open or self._laying is not None:
            box = self._open_laying()
            box.setVisible(now.laying_open)
            box.reach.matte.setChecked(now.b == MATTE)
            box.reach.pick.setChecked(part == "reach")
        if self._pick is not None:
            self._pick.setChecked(part == "")
        if self.panel is not None:
            self.panel.show_pick(part == "target")

    @property
    def part(self) -> str:
        """The part of the glaze that a pick should go to."""
        return self.panel.part if self.panel is not None else ""
