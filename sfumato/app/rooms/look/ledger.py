"""The Ledger: a row for each glaze. Not divided: rows, drag and keys share one list and its order."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted, quiet, quiet_line
from sfumato.app.controls.parts import passing_menu, tabbed
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.look.coat_row import STRENGTH, CoatRow
from sfumato.app.rooms.look.ledger_edits import LedgerEdits
from sfumato.app.rooms.look.menus import encoding_picker, glaze_picker
from sfumato.app.rooms.look.thread import INDENT, ThreadBody
from sfumato.app.rooms.look.unfolded import Unfolded
from sfumato.app.rooms.look.view_fold import ViewFold
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import single_shot
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import ViewModel, ViewState
from sfumato.app.theme import strong_font
from sfumato.core.colour.encodings import encoding
from sfumato.core.path.span import Joint
from sfumato.core.study.coat import Coat, every
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import LOOK, Study
from sfumato.work.colours import Colours

_AT_ONCE = 12  # new rows before the window is given back for a moment
_AT_REST = 50  # ms


def _unfolded(state: ViewState) -> tuple[object, ...]:
    """Return what of the view the unfolded controls show."""
    return state.b, state.picking, state.pick_part, state.laying_open


def _said(coat: Coat, study: Study) -> str:
    """Return what a glaze does with its values in a study, where that is worth a word."""
    parts = []
    if coat.is_former:
        parts.append("as an older version drew it: Study, Use the new way of drawing")
    if coat.spec is not None and coat.spec.says is not None:
        parts.append(coat.spec.says(coat.parameters, encoding(study.working), study.view))
    return "; ".join(filter(None, parts))


class Ledger(QWidget):
    """Shows the study's path; every edit goes to the model."""

    bring_in = Signal()
    coat_menu_wanted = Signal(str, object)
    file_wanted = Signal(str, str, str)
    apart_wanted = Signal()
    presets_wanted = Signal()
    noise_wanted = Signal()
    encodings_wanted = Signal()
    explain_wanted = Signal(str, object, str, object)  # title, record, field, place

    def __init__(self, model: StudyModel, view: ViewModel, desk: Desk, notices: Any) -> None:
        super().__init__()
        self._model, self._view, self._desk = model, view, desk
        self.edits = LedgerEdits(model, view, desk, notices)
        self._rows: dict[str, CoatRow] = {}
        self._smears: dict[str, Any] = {}
        self.is_filling = False  # rows of a long stack are still to come
        self._shape: Any = None
        self.unfolded: Unfolded | None = None
        self._view_open = False
        self._view_fold: ViewFold | None = None
        self._colours: Any = None
        self._tabs = single_shot(self, _AT_REST, self._order_tabs)
        as_panel(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._make_title())
        self.body = ThreadBody()
        self._column = QVBoxLayout(self.body)
        self._column.setContentsMargins(0, 0, 6, 10)
        self._column.setSpacing(2)
        self._column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(self.body)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll = scroll
        column.addWidget(scroll, 1)
        self._make_fixed_rows()
        self.body.start.moved.connect(self._move_start)
        self.body.end.moved.connect(self._move_end)
        model.changed.connect(lambda _b, _a: self.refresh())
        model.file_changed.connect(self._show_title)
        view.changed.connect(self._on_view)
        desk.shown.connect(self._on_shown)
        self.refresh()

    # --- fixed rows ------------------------------------------------------------------------------
    def _make_title(self) -> QWidget:
        box = QWidget()
        row = QHBoxLayout(box)
        row.setContentsMargins(INDENT, 10, 10, 6)
        self._title = Line()
        self._title.setFont(strong_font(15))
        self._edited = quiet("")
        row.addWidget(self._title)
        row.addWidget(self._edited)
        row.addStretch(1)
        return box

    def _line(self, height: int = 28) -> tuple[QWidget, QHBoxLayout]:
        box = QWidget()
        box.setFixedHeight(height)
        row = QHBoxLayout(box)
        row.setContentsMargins(INDENT, 0, 6, 0)
        row.setSpacing(6)
        return box, row

    def _make_fixed_rows(self) -> None:
        self._source, row = self._line()
        label = quiet("Source")
        label.setFixedWidth(50)
        self._source_name = Line()
        self._source_change = QPushButton("change")
        self._source_change.setObjectName("source.change")
        set_tip(
            self._source_change,
            "Which encoding the numbers of this shot are in.",
        )
        self._source_change.setProperty("flat", True)
        self._source_change.setAccessibleName("Change the source encoding")
        self._source_change.clicked.connect(self.choose_encoding)
        row.addWidget(label)
        row.addWidget(self._source_name, 1)
        row.addWidget(self._source_change)

        self._ground, row = self._line()
        label = Label("Ground")
        label.setProperty("pigment", "azurite")
        row.addWidget(label)
        row.addWidget(quiet_line("this shot only, never exported"), 1)
        self._ground_add = QPushButton("Add")
        self._ground_add.setObjectName("ground.add")
        set_tip(
            self._ground_add,
            "Puts this shot right; what stands in the Ground is never in the LUT.",
        )
        self._ground_add.setProperty("flat", True)
        self._ground_add.setAccessibleName("Add a glaze to this shot's Ground")
        self._ground_add.clicked.connect(lambda: self.ask_glaze(ground=True))
        row.addWidget(self._ground_add)

        self._look, row = self._line()
        label = Label("Look")
        label.setProperty("pigment", "yellow")
        self._look_name = QLineEdit()
        self._look_name.setProperty("flat", True)
        self._look_name.setMaxLength(80)
        self._look_name.setMinimumWidth(40)
        self._look_name.setObjectName("look.name")
        self._look_name.setAccessibleName("Name of the Look")
        self._look_name.editingFinished.connect(self._rename_look)
        self._look_strength = ScrubNumber(
            attrs.evolve(STRENGTH, title="Strength of the Look"), 100.0
        )
        self._look_strength.setObjectName("look.strength")
        self._look_strength.edited.connect(self.edits.look_strength)
        self._look_strength.released.connect(self.edits.release)
        row.addWidget(label)
        row.addWidget(self._look_name, 1)
        row.addWidget(quiet("Strength"))
        row.addWidget(self._look_strength)

        self._add, row = self._line(36)
        shelf = QPushButton("Presets")
        shelf.setObjectName("look.presets")
        shelf.setProperty("flat", True)
        set_tip(shelf, "Looks and glazes that are ready, yours and ours, on this shot.")
        shelf.clicked.connect(self.presets_wanted)
        button = QPushButton("Add a glaze")
        button.setObjectName("look.add")
        set_tip(button, "The next step of the Look, which all shots share and the LUT holds.")
        button.setProperty("dashed", True)
        button.clicked.connect(lambda: self.ask_glaze(ground=False))
        self._add_button = button
        row.addWidget(button, 1)
        row.addWidget(shelf)

        self._view_row, row = self._line()
        label = quiet("View")
        label.setFixedWidth(50)
        self._view_name = Line()
        self._view_change = QPushButton("change")
        self._view_change.setObjectName("view.change")
        set_tip(
            self._view_change,
            "How working colours are shown: display, tone scale, gamut, noise floor.",
        )
        self._view_change.setProperty("flat", True)
        self._view_change.setCheckable(True)
        self._view_change.setAccessibleName("Change the View")
        self._view_change.clicked.connect(self._toggle_view)
        row.addWidget(label)
        row.addWidget(self._view_name, 1)
        row.addWidget(self._view_change)

    # --- showing ---------------------------------------------------------------------------------
    def _shot(self) -> Shot | None:
        return self._desk.shot

    def refresh(self) -> None:
        """Bring all rows in line with the study; rebuild only when rows came, went or moved."""
        study, shot = self._model.study, self._shot()
        ground = shot.ground if shot else ()
        chosen = self._view.now.coat
        shape = (
            shot.id if shot else None,
            tuple((c.id, tuple(m.id for m in c.members)) for c in ground),
            tuple((c.id, tuple(m.id for m in c.members)) for c in study.look.coats),
            chosen,
            self._view_open,
            tuple(type(c.parameters) for c in every((*ground, *study.look.coats))),
        )
        if shape != self._shape:
            self._shape = shape
            self._rebuild(study, shot)
        sight = (study.view, encoding(study.working), encoding(study.view.encoding))
        for coat in every((*ground, *study.look.coats)):
            row = self._rows.get(coat.id)
            is_chosen = coat.id == chosen and self.unfolded is not None
            if row is None or (row.coat is coat and row.sight == sight and not is_chosen):
                continue
            says = _said(coat, study)
            row.show_coat(coat, says)
            row.sight = sight
            if is_chosen and self.unfolded is not None:
                self.unfolded.show_coat(coat, says)
        self._show_colours()
        self._show_fixed(study, shot)

    def renew(self) -> None:
        """Encodings of the same names may be others now: say anew what each glaze does."""
        for row in self._rows.values():
            row.sight = None
        self.refresh()

    def _show_colours(self) -> None:
        """Give the controls the way colours are seen, when that has changed."""
        study = self._model.study
        key = (study.working, study.view, self.unfolded)
        if self.unfolded is not None and key != self._colours:
            self._colours = key
            self.unfolded.show_colours(Colours(study))

    def _show_fixed(self, study: Study, shot: Shot | None) -> None:
        self._source.setVisible(shot is not None)
        self._ground.setVisible(shot is not None)
        if shot is not None:
            stated = shot.encoding is not None
            self._source_name.setText(
                encoding(shot.encoding).title if shot.encoding else "not stated"
            )
            painted(self._source_name, "" if stated else "cinnabar")
            self._source_change.setText("change" if stated else "choose")
        if self._look_name.text() != study.look.name:
            self._look_name.setText(study.look.name)
            self._look_name.setCursorPosition(0)  # a long name is shown from its beginning
        set_tip(self._look_name, "The Look: the shared part of the grade, which goes into the LUT")
        self._look_strength.show_value(study.look.strength * 100)
        space = encoding(study.view.encoding)
        scene = encoding(study.working).is_scene
        self._view_name.setText(f"{space.name} · soft shoulder" if scene else space.name)
        if self._view_fold is not None:
            self._view_fold.show_study(study)
        if study.span != self.body.span or self.body.start.isHidden() != (shot is None):
            self.body.span = study.span
            self.body.start.show_joint(study.span.start)
            self.body.end.show_joint(study.span.end)
            self.body.start.setVisible(shot is not None)
            self.body.place_ends()
        self._show_title()

    def _show_title(self) -> None:
        if self._title.text() != self._model.study.name:
            self._title.setText(self._model.study.name)
        self._edited.setText("· edited" if self._model.is_edited else "")

    def _rebuild(self, study: Study, shot: Shot | None) -> None:
        laid: list[QWidget] = [self._source, self._ground]
        chosen = self._view.now.coat
        kept_box, self.unfolded = self.unfolded, None
        kept: dict[str, CoatRow] = {}
        nodes: list[tuple[QWidget, str]] = [(self._source, "quiet")]
        fresh = 0

        def add_rows(coats: tuple[Coat, ...], pigment: str, depth: int = 0) -> None:
            nonlocal fresh
            for coat in coats:
                row = self._rows.pop(coat.id, None)
                if row is None and fresh == _AT_ONCE:
                    continue
                if row is None:
                    row, fresh = self._new_row(coat, pigment), fresh + 1
                row.show_depth(depth)
                row.show_chosen(coat.id == chosen)
                kept[coat.id] = row
                nodes.append((row, pigment))
                laid.append(row)
                if coat.id == chosen:
                    laid.append(self._unfold(coat, depth, kept_box))
                add_rows(coat.members, pigment, depth + 1)

        add_rows(shot.ground if shot else (), "azurite")
        laid.append(self._look)
        add_rows(study.look.coats, "yellow")
        laid += [self._add, self._view_row]
        if self._view_open:
            assert self._view_fold is not None
            laid.append(self._view_fold)
        if kept_box is not None and kept_box is not self.unfolded:
            kept_box.deleteLater()
        self._lay(laid)
        for row in self._rows.values():
            row.deleteLater()
        self._rows = kept
        self._show_marks()
        self.body.nodes, self.body.drop = nodes, None
        self.body.look_top, self.body.view_row = self._look, self._view_row
        self._tabs.start()
        self._column.activate()  # rows lie where they are drawn, for a drag that follows at once
        QTimer.singleShot(0, self, self.body.place_ends)
        self.is_filling = fresh == _AT_ONCE
        if self.is_filling:
            self._shape = None
            QTimer.singleShot(8, self, self.refresh)

    def _lay(self, widgets: list[QWidget]) -> None:
        """Have these in the column, one under the other; those that are there already stay as they are."""
        wanted = set(widgets)
        items = (self._column.itemAt(i) for i in range(self._column.count()))
        there = [w for item in items if item is not None and (w := item.widget()) is not None]
        for widget in there:
            if widget not in wanted:
                self._column.removeWidget(widget)
                widget.setParent(None)
        there = [w for w in there if w in wanted]
        known = set(there)
        for i, widget in enumerate(widgets):
            if i == len(there) or there[i] is not widget:
                if widget in known:
                    there.remove(widget)
                    self._column.removeWidget(widget)
                there.insert(i, widget)
                self._column.insertWidget(i, widget)
            if widget.isHidden():
                widget.show()

    def _order_tabs(self) -> None:
        """Let Tab go down the rows; at rest, since with 200 glazes it takes 17 ms."""
        items = (self._column.itemAt(i) for i in range(self._column.count()))
        tabbed(w for item in items if item is not None and (w := item.widget()) is not None)

    def _new_row(self, coat: Coat, pigment: str) -> CoatRow:
        row = CoatRow(coat, pigment)
        if coat.id in self._smears:
            row.smear.show_colours(self._smears[coat.id])
        row.chosen.connect(self._choose)
        row.marked.connect(self._mark)
        row.toggled.connect(self.edits.toggle)
        row.strength_edited.connect(self.edits.strength)
        row.released.connect(self.edits.release)
        row.menu_wanted.connect(self.coat_menu_wanted)
        row.dragged.connect(self._on_dragged)
        row.renamed.connect(self.edits.rename)
        return row

    def _unfold(self, coat: Coat, depth: int, kept: Unfolded | None) -> Unfolded:
        """Return the controls of a glaze, to lie under its row: those that are there already when they fit."""
        if kept is not None and kept.fits(coat):
            self.unfolded = kept
            kept.show_depth(depth)
            return kept
        self.unfolded = box = Unfolded(coat, self._view, depth)
        box.edited.connect(lambda field, value: self.edits.field(coat.id, field, value))
        box.laid.connect(lambda values: self.edits.laying(coat.id, values))
        box.released.connect(self.edits.release)
        box.file_wanted.connect(lambda field, how: self.file_wanted.emit(coat.id, field, how))
        box.apart_wanted.connect(self.apart_wanted)
        box.ends_chosen.connect(lambda how: self.edits.ends(coat.id, how))
        box.explain_wanted.connect(self.explain_wanted)
        return box

    def scroll_to_end(self) -> None:
        bar = self._scroll.verticalScrollBar()
        bar.setValue(bar.maximum())

    def row(self, coat_id: str) -> CoatRow:
        return self._rows[coat_id]

    def rename_row(self, coat_id: str) -> None:
        """Let the name of a glaze be typed in its row."""
        row = self._rows.get(coat_id)
        if row is not None:  # of a long stack it may be still to come
            row.rename()

    def show_solo(self, coat_id: str) -> None:
        """Say in the rows which glaze is shown alone."""
        study = self._model.study
        beside = {coat_id, study.home(coat_id)} if coat_id else set()
        if coat_id:
            beside |= {m.id for m in study.coat(coat_id).members}
        for row in self._rows.values():
            row.show_solo(row.coat.id == coat_id, bool(coat_id) and row.coat.id not in beside)

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        other_coat = before.coat != after.coat
        if other_coat or before.shot != after.shot:
            self._view_open = self._view_open and not other_coat
            self._view_change.setChecked(self._view_open)
            self.refresh()
            if other_coat:
                QTimer.singleShot(0, self, self._reveal)
            if other_coat and after.coat and not isinstance(self.window().focusWidget(), QLineEdit):
                QTimer.singleShot(0, self, self._take_focus)
        if before.solo != after.solo:
            self.show_solo(after.solo)
        if before.marked != after.marked:
            self._show_marks()
        if self.unfolded is not None and _unfolded(before) != _unfolded(after):
            self.unfolded.show_view()

    def _take_focus(self) -> None:
        """Give the keyboard to the first control of the chosen glaze, where the Ledger is seen."""
        box = self.unfolded
        if box is not None and self.isVisible() and box.coat.id == self._view.now.coat:
            box.take_focus()

    def _reveal(self) -> None:
        """Scroll so that the chosen row and its controls are seen."""
        row = self._rows.get(self._view.now.coat)
        if row is None:
            return
        if self.unfolded is not None:
            self._scroll.ensureWidgetVisible(self.unfolded, 0, 40)
        self._scroll.ensureWidgetVisible(row, 0, 10)

    def _on_shown(self, shown: Any) -> None:
        self._smears = shown.smears or self._smears
        for coat_id, rows in shown.smears.items():
            if coat_id in self._rows:
                self._rows[coat_id].smear.show_colours(rows)
        box = self.unfolded
        if shown.facts is not None:
            set_tip(self._source_name, f"{shown.facts.bits}; {shown.facts.evidence}")
        if shown.entry is not None and box is not None and shown.ask.coat == box.coat.id:
            box.show_entry(shown.entry)

    # --- choosing ----------------------------------------------------------------------------------
    def _choose(self, coat_id: str) -> None:
        coat = "" if self._view.now.coat == coat_id else coat_id
        self._view.set(picking="", marked=(), coat=coat)

    def _mark(self, coat_id: str) -> None:
        """Mark one more glaze beside the chosen one, or no longer."""
        marked = self._view.now.marked
        if not self._view.now.coat:
            self._view.set(coat=coat_id)
        elif coat_id in marked:
            self._view.set(marked=tuple(i for i in marked if i != coat_id))
        elif coat_id != self._view.now.coat:
            self._view.set(marked=(*marked, coat_id))

    def _show_marks(self) -> None:
        marked = self._view.now.marked
        for row in self._rows.values():
            row.show_marked(row.coat.id in marked)

    def ask_glaze(self, ground: bool) -> None:
        """Open the list of glazes at its button."""
        shot = self._shot()
        button = self._ground_add if ground else self._add_button
        where = shot.id if ground and shot else LOOK
        picker = glaze_picker(self, lambda key: self.edits.add(where, key))
        self._desk.tried.connect(picker.show_smears)
        self._desk.try_glazes(where)
        picker.popup(button.mapToGlobal(button.rect().bottomLeft()))

    # --- dragging ----------------------------------------------------------------------------------
    def _places(self, coat: Coat) -> list[tuple[float, str, int]]:
        """Return where a coat can be dropped: y, what holds it there, index without the coat itself."""
        study, shot = self._model.study, self._shot()
        out: list[tuple[float, str, int]] = []

        def walk(where: str, top: float, coats: tuple[Coat, ...]) -> float:
            below, index = top, 0
            for each in coats:
                row = self._rows[each.id].geometry()
                out.append((row.top() - 1, where, index))
                below = row.bottom() + 1
                if each.id == coat.id:
                    if each.members:
                        below = self._rows[each.members[-1].id].geometry().bottom() + 1
                    continue
                if each.is_group and not coat.is_group:
                    below = walk(each.id, below, each.members) + 5
                elif each.members:
                    below = self._rows[each.members[-1].id].geometry().bottom() + 1
                index += 1
            out.append((below, where, index))
            return below

        if shot is not None:
            walk(shot.id, self._ground.geometry().bottom() + 1, shot.ground)
        walk(LOOK, self._look.geometry().bottom() + 1, study.look.coats)
        return out

    def _on_dragged(self, coat_id: str, global_y: float, done: bool) -> None:
        if self.is_filling or coat_id not in self._rows:  # taken out while its row is dragged
            return
        y = self.body.mapFromGlobal(QPointF(0, global_y)).y()
        places = self._places(self._model.study.coat(coat_id))
        at, where, index = min(places, key=lambda p: abs(p[0] - y))
        self.body.drop = None if done else at
        self.body.update()
        if done:
            self.edits.move(coat_id, where, index)

    def _move_start(self, joint: Joint) -> None:
        study, shot = self._model.study, self._shot()
        if joint is study.span.start or shot is None:
            self.body.place_ends()
            return
        if joint is Joint.GROUND:
            self.edits.span(attrs.evolve(study.span, start=joint, entry=""))
            return
        menu = passing_menu(self)
        menu.addAction(
            "Include this shot's Ground",
            lambda: self.edits.span(attrs.evolve(study.span, start=joint, entry="")),
        ).setObjectName("include")
        menu.addAction("Leave the Ground out")
        menu.aboutToHide.connect(lambda: QTimer.singleShot(0, self, self.body.place_ends))
        menu.popup(self.body.start.mapToGlobal(self.body.start.rect().bottomLeft()))

    def _move_end(self, joint: Joint) -> None:
        self.edits.span(attrs.evolve(self._model.study.span, end=joint, leave=""))
        self.body.place_ends()

    def choose_encoding(self) -> None:
        """Open the list of encodings for the shot's source."""
        shot = self._shot()
        if shot is None:
            return
        picker = encoding_picker(
            self,
            "Source encoding",
            lambda name: self.edits.encoding(shot.id, name),
            shot.encoding,
            more={"Encodings of my own…": self.encodings_wanted.emit},
        )
        picker.popup(self._source_change.mapToGlobal(self._source_change.rect().bottomLeft()))

    def _rename_look(self) -> None:
        name = self._look_name.text().strip() or self._model.study.look.name
        self._look_name.setText(name)
        self._look_name.setCursorPosition(0)
        self.edits.look_name(name)

    def _toggle_view(self) -> None:
        self._view_open = self._view_change.isChecked()
        if self._view_open and self._view_fold is None:
            self._view_fold = fold = ViewFold(self._model.study)
            fold.edited.connect(self.edits.view)
            fold.released.connect(self.edits.release)
            fold.working_chosen.connect(self.edits.working)
            fold.noise_wanted.connect(self.noise_wanted)
            fold.explain_wanted.connect(
                lambda field, at: self.explain_wanted.emit(
                    "View", self._model.study.view, field, at
                )
            )
        self.refresh()
