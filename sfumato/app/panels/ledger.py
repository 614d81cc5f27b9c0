"""The Ledger: the path of a colour as a thread, with a row for each glaze."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editors import Chooser, RecordPanel, painted, quiet
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.model.desk import Desk
from sfumato.app.model.study_model import StudyModel
from sfumato.app.model.view_state import ViewState
from sfumato.app.panels.coat_row import STRENGTH, CoatRow
from sfumato.app.panels.menus import encoding_menu, glaze_menu
from sfumato.app.panels.thread import INDENT, ThreadBody
from sfumato.app.theme import strong_font
from sfumato.core.controls import kinds
from sfumato.core.encodings import Family, encoding, encodings
from sfumato.core.errors import ValueRefused
from sfumato.core.study import LOOK, Coat, Joint, Shot, Span, Study, UnknownGlaze, new_coat
from sfumato.work.preview import LUT, MATTE


class Ledger(QWidget):
    """Shows the study's path; every edit goes to the model."""

    bring_in = Signal()
    coat_menu_wanted = Signal(str, object)
    file_wanted = Signal(str, str, str)

    def __init__(self, model: StudyModel, view: ViewState, desk: Desk, notices: Any) -> None:
        super().__init__()
        self._model, self._view, self._desk, self._notices = model, view, desk, notices
        self._rows: dict[str, CoatRow] = {}
        self._shape: Any = None
        self._panel: RecordPanel | None = None
        self._unfolded: QWidget | None = None
        self._laying: RecordPanel | None = None
        self._laying_open = False
        self._view_open = False
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._make_title())
        self.body = ThreadBody()
        self._column = QVBoxLayout(self.body)
        self._column.setContentsMargins(0, 0, 6, 10)
        self._column.setSpacing(2)
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
        self._title = QLabel()
        self._title.setFont(strong_font(15))
        self._edited = quiet("")
        row.addWidget(self._title)
        row.addWidget(self._edited, 1)
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
        self._source_name = QLabel()
        self._source_change = QPushButton("change")
        self._source_change.setObjectName("source.change")
        self._source_change.setProperty("flat", True)
        self._source_change.setAccessibleName("Change the source encoding")
        self._source_change.clicked.connect(self.choose_encoding)
        row.addWidget(label)
        row.addWidget(self._source_name, 1)
        row.addWidget(self._source_change)

        self._ground, row = self._line()
        label = QLabel("Ground")
        label.setProperty("pigment", "azurite")
        row.addWidget(label)
        row.addWidget(quiet("this shot only, never exported"), 1)
        self._ground_add = QPushButton("Add")
        self._ground_add.setObjectName("ground.add")
        self._ground_add.setProperty("flat", True)
        self._ground_add.setAccessibleName("Add a glaze to this shot's Ground")
        self._ground_add.clicked.connect(lambda: self.ask_glaze(ground=True))
        row.addWidget(self._ground_add)

        self._look, row = self._line()
        label = QLabel("Look")
        label.setProperty("pigment", "yellow")
        self._look_name = QLineEdit()
        self._look_name.setProperty("flat", True)
        self._look_name.setMaxLength(80)
        self._look_name.setObjectName("look.name")
        self._look_name.setAccessibleName("Name of the Look")
        self._look_name.editingFinished.connect(self._rename_look)
        self._look_strength = ScrubNumber(
            attrs.evolve(STRENGTH, title="Strength of the Look"), 100.0
        )
        self._look_strength.setObjectName("look.strength")
        self._look_strength.edited.connect(self._edit_look_strength)
        self._look_strength.released.connect(self._release)
        row.addWidget(label)
        row.addWidget(self._look_name, 1)
        row.addWidget(quiet("Strength"))
        row.addWidget(self._look_strength)

        self._add, row = self._line(36)
        button = QPushButton("Add a glaze")
        button.setObjectName("look.add")
        button.setProperty("dashed", True)
        button.clicked.connect(lambda: self.ask_glaze(ground=False))
        self._add_button = button
        row.addWidget(button, 1)

        self._view_row, row = self._line()
        label = quiet("View")
        label.setFixedWidth(50)
        self._view_name = QLabel()
        self._view_change = QPushButton("change")
        self._view_change.setObjectName("view.change")
        self._view_change.setProperty("flat", True)
        self._view_change.setCheckable(True)
        self._view_change.setAccessibleName("Change the View")
        self._view_change.clicked.connect(self._toggle_view)
        row.addWidget(label)
        row.addWidget(self._view_name, 1)
        row.addWidget(self._view_change)
        self._view_panel = QWidget()
        self._view_column = QVBoxLayout(self._view_panel)
        self._view_column.setContentsMargins(INDENT, 0, 6, 4)
        self._view_record: RecordPanel | None = None

    # --- showing ---------------------------------------------------------------------------------
    def _shot(self) -> Shot | None:
        return self._desk.shot

    def refresh(self) -> None:
        """Bring all rows in line with the study; rebuild only when rows came, went or moved."""
        study, shot = self._model.study, self._shot()
        coats = (*(shot.ground if shot else ()), *study.look.coats)
        chosen = self._view.get("coat")
        shape = (
            shot.id if shot else None,
            tuple(c.id for c in (shot.ground if shot else ())),
            tuple(c.id for c in study.look.coats),
            chosen,
            self._view_open,
            tuple(type(c.parameters) for c in coats),
        )
        if shape != self._shape:
            self._shape = shape
            self._rebuild(study, shot)
        for coat in coats:
            row = self._rows[coat.id]
            if row.coat is not coat:
                row.show_coat(coat)
            if coat.id == chosen and self._panel is not None:
                self._panel.show_record(coat.parameters)
                if self._laying is not None:
                    self._laying.show_record(coat.laying)
        self._show_fixed(study, shot)

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
        self._look_name.setToolTip(
            "The Look: the shared part of the grade, which goes into the LUT"
        )
        self._look_strength.show_value(study.look.strength * 100)
        space = encoding(study.view.encoding)
        scene = encoding(study.working).is_scene
        self._view_name.setText(f"{space.name} · soft shoulder" if scene else space.name)
        if self._view_record is not None:
            self._view_record.show_record(study.view)
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
        while self._column.count():
            item = self._column.takeAt(0)
            if item.widget() is not None:
                item.widget().setParent(None)
        if self._unfolded is not None:
            self._unfolded.deleteLater()
            self._unfolded = self._panel = self._laying = None
        chosen = self._view.get("coat")
        kept: dict[str, CoatRow] = {}
        nodes: list[tuple[QWidget, str]] = [(self._source, "quiet")]

        def add_rows(coats: tuple[Coat, ...], pigment: str) -> None:
            for coat in coats:
                row = self._rows.pop(coat.id, None) or self._new_row(coat, pigment)
                row.show_chosen(coat.id == chosen)
                kept[coat.id] = row
                nodes.append((row, pigment))
                self._column.addWidget(row)
                row.show()
                if coat.id == chosen:
                    self._unfold(coat)

        self._column.addWidget(self._source)
        self._column.addWidget(self._ground)
        add_rows(shot.ground if shot else (), "azurite")
        self._column.addWidget(self._look)
        add_rows(study.look.coats, "yellow")
        self._column.addWidget(self._add)
        self._column.addWidget(self._view_row)
        if self._view_open:
            self._column.addWidget(self._view_panel)
            self._view_panel.show()
        self._column.addStretch(1)
        for each in (self._source, self._ground, self._look, self._add, self._view_row):
            each.show()
        for row in self._rows.values():
            row.deleteLater()
        self._rows = kept
        self.body.nodes = nodes
        self.body.look_top, self.body.view_row = self._look, self._view_row
        QTimer.singleShot(0, self, self.body.place_ends)

    def _new_row(self, coat: Coat, pigment: str) -> CoatRow:
        row = CoatRow(coat, pigment)
        row.chosen.connect(self._choose)
        row.toggled.connect(self.toggle)
        row.strength_edited.connect(self._edit_strength)
        row.released.connect(self._release)
        row.menu_wanted.connect(self.coat_menu_wanted)
        row.dragged.connect(self._on_dragged)
        row.renamed.connect(self._rename)
        return row

    def _rename(self, coat_id: str, name: str) -> None:
        study = self._model.study
        before = study.coat(coat_id)
        if name != before.name:
            self._model.commit(f"Rename {before.title}", study.set_coat(coat_id, name=name))

    def rename_row(self, coat_id: str) -> None:
        """Let the name of a glaze be typed in its row."""
        self._rows[coat_id].rename()

    def show_solo(self, coat_id: str) -> None:
        """Say in the rows which glaze is shown alone."""
        for row in self._rows.values():
            row.show_solo(row.coat.id == coat_id, bool(coat_id) and row.coat.id != coat_id)

    def _unfold(self, coat: Coat) -> None:
        spec = coat.spec
        if spec is None or isinstance(coat.parameters, UnknownGlaze):
            return
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(INDENT, 2, 6, 8)
        column.setSpacing(4)
        panel = RecordPanel(coat.parameters)
        panel.edited.connect(self._edit_field)
        panel.released.connect(self._release)
        panel.file_wanted.connect(lambda field, how: self.file_wanted.emit(coat.id, field, how))
        panel.tab_changed.connect(lambda name: self._view.set("curve", name))
        if panel.curves is not None and self._view.get("curve") in panel.curves.tabs:
            panel.curves.show_tab(self._view.get("curve"))
        column.addWidget(panel)
        if spec.pick is not None:
            line = QHBoxLayout()
            button = QPushButton(spec.pick_title)
            button.setObjectName("pick")
            button.setCheckable(True)
            button.setChecked(self._view.get("picking") == coat.id)
            button.setToolTip(f"{spec.pick_title} from the picture; Esc ends it")
            button.clicked.connect(lambda on, c=coat.id: self._view.set("picking", c if on else ""))
            line.addWidget(button)
            line.addStretch(1)
            column.addLayout(line)
        column.addLayout(self._laying_line(coat))
        self._laying = RecordPanel(coat.laying)
        self._laying.setObjectName("laying")
        self._laying.edited.connect(self._edit_laying)
        self._laying.released.connect(self._release)
        self._laying.setVisible(self._laying_open)
        column.addWidget(self._laying)
        self._column.addWidget(box)
        box.show()
        self._panel, self._unfolded = panel, box

    def _laying_line(self, coat: Coat) -> QHBoxLayout:
        """Return the line that unfolds blend and Reach, and shows the matte."""
        line = QHBoxLayout()
        fold = QPushButton("Reach and blend")
        fold.setObjectName("laying.fold")
        fold.setProperty("flat", True)
        fold.setCheckable(True)
        fold.setChecked(self._laying_open)
        fold.setToolTip("On which tones, hues and chromas the glaze acts, and how it joins them.")
        fold.clicked.connect(self._fold_laying)
        show = QPushButton("Matte")
        show.setObjectName("laying.matte")
        show.setProperty("flat", True)
        show.setCheckable(True)
        show.setChecked(self._view.get("b") == MATTE)
        show.setToolTip("Show on side B where the glaze acts: white fully, black not at all.")
        show.clicked.connect(lambda on: self._view.set("b", MATTE if on else LUT))
        line.addWidget(fold)
        line.addStretch(1)
        line.addWidget(show)
        return line

    def _fold_laying(self, on: bool) -> None:
        self._laying_open = on
        if self._laying is not None:
            self._laying.setVisible(on)

    def _edit_laying(self, field: str, value: Any) -> None:
        coat_id, study = self._view.get("coat"), self._model.study
        coat = study.coat(coat_id)
        after = study.set_coat(coat_id, laying=attrs.evolve(coat.laying, **{field: value}))
        title = kinds(coat.laying)[field].title
        self._desk.hold()
        self._model.commit(f"{coat.title}: {title}", after, (coat_id, "laying", field))

    def _on_view(self, name: str) -> None:
        if name in ("shot", "coat"):
            self._view_open = self._view_open and name != "coat"
            self._view_change.setChecked(self._view_open)
            self.refresh()
            if name == "coat":
                QTimer.singleShot(0, self, self._reveal)
        elif name == "solo":
            self.show_solo(self._view.get("solo"))
        elif name == "b":
            for button in self.body.findChildren(QPushButton, "laying.matte"):
                button.setChecked(self._view.get("b") == MATTE)
        elif name == "picking" and self._panel is not None:
            for button in self.body.findChildren(QPushButton, "pick"):
                button.setChecked(bool(self._view.get("picking")))

    def _reveal(self) -> None:
        """Scroll so that the chosen row and its controls are seen."""
        row = self._rows.get(self._view.get("coat"))
        if row is None:
            return
        if self._panel is not None:
            self._scroll.ensureWidgetVisible(self._panel, 0, 40)
        self._scroll.ensureWidgetVisible(row, 0, 10)

    def _on_shown(self, shown: Any) -> None:
        for coat_id, rows in shown.smears.items():
            if coat_id in self._rows:
                self._rows[coat_id].smear.show_colours(rows)
        if shown.entry is not None and self._panel is not None and self._panel.curves is not None:
            self._panel.curves.field.show_histogram(shown.entry)

    @property
    def open_curve(self) -> str:
        """Return the field of the curve that a pick should go to, "" when the glaze has none."""
        if self._panel is None:
            return ""
        if self._panel.curves is not None:
            return self._panel.curves.current
        return self._panel.hues.field.row if self._panel.hues is not None else ""

    def choose_new_point(self, before: Any, after: Any) -> None:
        """Choose the point of the open curve that `after` has and `before` has not."""
        name = self.open_curve
        if self._panel is None or not name:
            return
        old, new = getattr(before, name), getattr(after, name)
        fresh = [i for i, p in enumerate(new) if p not in old]
        if fresh and self._panel.curves is not None:
            self._panel.curves.field.choose(fresh[0])
        elif fresh and self._panel.hues is not None:
            self._panel.hues.field.choose(name, fresh[0])

    # --- edits -----------------------------------------------------------------------------------
    def _choose(self, coat_id: str) -> None:
        self._view.set("picking", "")
        self._view.set("coat", "" if self._view.get("coat") == coat_id else coat_id)

    def _edit_field(self, field: str, value: Any) -> None:
        coat_id = self._view.get("coat")
        study = self._model.study
        try:
            after = study.tuned(coat_id, **{field: value})
        except ValueRefused as error:
            self._notices.fault(error)
            return
        title = kinds(study.coat(coat_id).parameters)[field].title
        self._desk.hold()
        self._model.commit(f"{study.coat(coat_id).title}: {title}", after, (coat_id, field))

    def _edit_strength(self, coat_id: str, value: float) -> None:
        study = self._model.study
        self._desk.hold()
        after = study.set_coat(coat_id, strength=value)
        self._model.commit(f"Strength of {study.coat(coat_id).title}", after, (coat_id, "strength"))

    def _edit_look_strength(self, value: float) -> None:
        self._desk.hold()
        after = self._model.study.with_look(strength=value / 100)
        self._model.commit("Strength of the Look", after, ("look", "strength"))

    def _rename_look(self) -> None:
        name = self._look_name.text().strip() or self._model.study.look.name
        self._look_name.setText(name)
        self._model.commit("Rename the Look", self._model.study.with_look(name=name))

    def _release(self) -> None:
        self._model.end_gesture()
        self._desk.release()

    def toggle(self, coat_id: str, on: bool) -> None:
        study = self._model.study
        word = "Switch on" if on else "Switch off"
        self._model.commit(f"{word} {study.coat(coat_id).title}", study.set_coat(coat_id, on=on))

    def ask_glaze(self, ground: bool) -> None:
        """Open the menu of glazes at its button."""
        shot = self._shot()
        button = self._ground_add if ground else self._add_button
        where = shot.id if ground and shot else LOOK
        menu = glaze_menu(self, lambda key: self.add_glaze(where, key))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def add_glaze(self, where: str, key: str) -> None:
        coat = new_coat(key)
        place = "the Ground" if where != LOOK else "the Look"
        after = self._model.study.added(where, coat)
        self._model.commit(f"Add {coat.title} to {place}", after)
        self._view.set("coat", coat.id)

    def _on_dragged(self, coat_id: str, global_y: float, done: bool) -> None:
        y = self.body.mapFromGlobal(QPointF(0, global_y)).y()
        study, shot = self._model.study, self._shot()
        look_y = self._look.geometry().center().y()
        ground = shot is not None and y < look_y
        where = shot.id if ground and shot else LOOK
        others = [c for c in study.coats(where) if c.id != coat_id]
        index = sum(1 for c in others if self._rows[c.id].geometry().center().y() < y)
        if done:
            self.body.drop = None
            coat = study.coat(coat_id)
            after = study.moved(coat_id, where, index)
            self._model.commit(f"Move {coat.title}", after)
        elif index < len(others):
            self.body.drop = self._rows[others[index].id].geometry().top() - 1
        elif others:
            self.body.drop = self._rows[others[-1].id].geometry().bottom() + 1
        else:
            self.body.drop = (self._ground if ground else self._look).geometry().bottom() + 1
        self.body.update()

    def _move_start(self, joint: Joint) -> None:
        study, shot = self._model.study, self._shot()
        if joint is study.span.start or shot is None:
            self.body.place_ends()
            return
        if joint is Joint.GROUND:
            self.set_span(Span(joint, study.span.end))
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(
            "Include this shot's Ground", lambda: self.set_span(Span(joint, study.span.end))
        ).setObjectName("include")
        menu.addAction("Leave the Ground out")
        menu.aboutToHide.connect(lambda: QTimer.singleShot(0, self, self.body.place_ends))
        menu.popup(self.body.start.mapToGlobal(self.body.start.rect().bottomLeft()))

    def _move_end(self, joint: Joint) -> None:
        self.set_span(Span(self._model.study.span.start, joint))
        self.body.place_ends()

    def set_span(self, span: Span) -> None:
        self._model.commit("Change the Span", attrs.evolve(self._model.study, span=span))

    def choose_encoding(self) -> None:
        """Open the menu of encodings for the shot's source."""
        shot = self._shot()
        if shot is None:
            return
        menu = encoding_menu(self, lambda name: self.set_encoding(shot.id, name), shot.encoding)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self._source_change.mapToGlobal(self._source_change.rect().bottomLeft()))

    def set_encoding(self, shot_id: str, name: str) -> None:
        """Say what a shot's source is; the first of a study decides its working encoding too."""
        study = self._model.study
        alone = not study.look.coats and all(s.encoding is None for s in study.shots)
        after = study.with_shot(shot_id, encoding=name)
        if alone:
            after = after.suited_to(name)
        self._model.commit(f"Source encoding {name}", after)

    def _toggle_view(self) -> None:
        self._view_open = self._view_change.isChecked()
        if self._view_open and self._view_record is None:
            self._view_record = RecordPanel(self._model.study.view)
            self._view_record.edited.connect(self._edit_view)
            self._view_record.released.connect(self._release)
            working = QWidget()
            row = QHBoxLayout(working)
            row.setContentsMargins(0, 0, 0, 0)
            label = QLabel("Working in")
            label.setFixedWidth(112)
            self._working = Chooser()
            self._working.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self._working.setObjectName("working")
            self._working.setAccessibleName("Working encoding")
            for space in encodings().values():
                if space.family is not Family.LINEAR:
                    self._working.addItem(space.name)
            self._working.textActivated.connect(self._set_working)
            row.addWidget(label)
            row.addWidget(self._working, 1)
            self._view_column.addWidget(working)
            self._view_column.addWidget(self._view_record)
        if self._view_open:
            self._working.setCurrentText(self._model.study.working)
        self.refresh()

    def _set_working(self, name: str) -> None:
        study = self._model.study
        if study.look.coats:
            self._notices.note(
                "The glazes now act on other numbers",
                f"they were set for {study.working}; undo brings them back",
            )
        self._model.commit(f"Work in {name}", attrs.evolve(study, working=name))

    def _edit_view(self, field: str, value: Any) -> None:
        study = self._model.study
        after = attrs.evolve(study, view=attrs.evolve(study.view, **{field: value}))
        self._desk.hold()
        self._model.commit(f"View: {kinds(study.view)[field].title}", after, ("view", field))
