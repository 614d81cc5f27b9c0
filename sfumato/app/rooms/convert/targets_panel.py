"""The right side of the Convert room: formats out, their choices, names and the place."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted, quiet
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.target_form import TargetForm, choices_of
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.convert.convert_model import ConvertModel, Goal, Outcome, domain_in
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.registry import formats
from sfumato.work.luts.batch import EXISTING, FIELDS, Made, named

_FIT = {"sampled": False, "fitted, kept only if better": True}


class _GoalRow(QWidget):
    """One format: its mark, what it would hold, what that costs; its choices unfold under it."""

    def __init__(self, goal: Goal, panel: TargetsPanel) -> None:
        super().__init__()
        self.key = goal.key
        self._goal, self._own = goal, 0  # points of the chosen LUT in this format, 0 = not known
        self._panel = panel
        spec = formats()[goal.key]
        self._column = column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 3)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setSpacing(2)
        self.mark = Tick(spec.title)
        self.mark.setObjectName(f"goal.{goal.key}")
        set_tip(self.mark, f"Writes every file as {spec.title} too ({' '.join(spec.suffixes)}).")
        self.mark.clicked.connect(lambda on: panel.change(self.key, on=on))
        top.addWidget(self.mark)
        top.addStretch(1)
        self._loss = Label()
        self._loss.setObjectName(f"loss.{goal.key}")
        top.addWidget(self._loss)
        column.addLayout(top)
        line = QHBoxLayout()
        line.setContentsMargins(24, 0, 0, 0)
        self._words = quiet("")
        self._words.setWordWrap(True)
        line.addWidget(self._words, 1)
        self._more = QPushButton("Set")
        self._more.setObjectName(f"set.{goal.key}")
        self._more.setAccessibleName(f"Choices of {spec.title}")
        set_tip(self._more, "Grid, depth, layout and what else this format has a choice of.")
        self._more.setProperty("flat", True)
        self._more.setCheckable(True)
        self._more.clicked.connect(self._unfold)
        line.addWidget(self._more)
        column.addLayout(line)
        self._box: TargetForm | None = None  # made when it is first unfolded: there are thirteen
        self._more.setVisible(spec.bakes or bool(choices_of(spec)))

    def _unfold(self, on: bool) -> None:
        if self._box is None:
            self._box = box = TargetForm(formats()[self.key], f"{{}}.{self.key}")
            box.form.setContentsMargins(24, 0, 0, 4)
            box.form.setVerticalSpacing(1)
            box.edited.connect(lambda field, value: self._panel.change(self.key, **{field: value}))
            self._column.addWidget(box)
            self._show_choices()
        self._box.setVisible(on)

    def show_goal(self, goal: Goal) -> None:
        self.mark.setChecked(goal.on)
        self._goal = goal
        self._show_choices()

    def _show_choices(self) -> None:
        goal = self._goal
        if self._box is not None:
            self._box.show_choices(
                goal.grid, self._own, depth=goal.depth, layout=goal.layout, suffix=goal.suffix
            )

    def show_outcome(self, outcome: Outcome | None) -> None:
        if self._goal.grid is None:
            self._own = outcome.grid if outcome is not None else 0
            self._show_choices()
        if outcome is None:
            self._loss.setText("")
            self._words.setText("")
            return
        if outcome.refused:
            self._words.setText(outcome.refused)
            self._loss.setText("not held")
            painted(self._loss, "")
            set_tip(self._loss, "")
            return
        self._words.setText(outcome.words)
        loss = outcome.loss
        if loss is None:
            return
        self._loss.setText(f"{loss.mean:.2f} ΔE" if loss.mean >= 0.005 else "0.00 ΔE")
        good = loss.p99 <= 0.5
        painted(self._loss, "malachite" if good else "yellow" if loss.p99 <= 2 else "cinnabar")
        set_tip(
            self._loss,
            f"Written, read back and compared over the cube: {loss.mean:.4f} ΔE in the mean, "
            f"{loss.p99:.3f} at 99 %, {loss.worst:.2f} at worst.",
        )


class TargetsPanel(QWidget):
    """`convert_wanted()` starts the batch; `folder_wanted()` asks for the folder."""

    convert_wanted = Signal()
    folder_wanted = Signal()

    def __init__(self, model: ConvertModel) -> None:
        super().__init__()
        self._model = model
        model.examined.connect(self._on_examined)
        self._outcomes: dict[str, Outcome] = {}
        as_panel(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 12, 12)
        column.setSpacing(6)
        title = Label("Files out")
        title.setProperty("strong", True)
        column.addWidget(title)
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder = QWidget()
        rows = QVBoxLayout(holder)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setSpacing(1)
        self._rows: dict[str, _GoalRow] = {}
        for goal in sorted(model.bench.goals, key=lambda g: (not g.on, formats()[g.key].title)):
            row = _GoalRow(goal, self)
            rows.addWidget(row)
            self._rows[goal.key] = row
        rows.addStretch(1)
        area.setWidget(holder)
        column.addWidget(area, 1)
        form = QFormLayout()
        form.setVerticalSpacing(5)
        form.setHorizontalSpacing(8)
        self.fit = Chooser()
        self.fit.setObjectName("out.fit")
        set_tip(
            self.fit,
            "How a grid becomes another: sampled, or fitted to what lies between its nodes.",
        )
        self.fit.setAccessibleName("Grid change")
        for words, value in _FIT.items():
            self.fit.addItem(words, value)
        self.fit.activated.connect(
            lambda _i: self._set("Grid change", fitted=self.fit.currentData())
        )
        form.addRow("Grid", self.fit)
        self.shaper = Tick("make a shaper")
        self.shaper.setObjectName("out.shaper")
        set_tip(
            self.shaper, "Put a 1D table of 4096 entries before the grid, where the format can."
        )
        self.shaper.clicked.connect(lambda on: self._set("Shaper", shaper=on))
        form.addRow("", self.shaper)
        self.domain = QLineEdit()
        self.domain.setObjectName("out.domain")
        self.domain.setAccessibleName("Inputs that the table covers")
        self.domain.setPlaceholderText("as it is")
        set_tip(
            self.domain, "Inputs that tables cover, as LO:HI; formats without a domain keep 0 to 1."
        )
        self.domain.editingFinished.connect(self._edit_domain)
        form.addRow("Domain", self.domain)
        self.names = QLineEdit()
        self.names.setObjectName("out.names")
        set_tip(self.names, "May hold " + ", ".join(f"{{{f}}}" for f in FIELDS))
        self.names.editingFinished.connect(lambda: self._set("Names", names=self.names.text()))
        form.addRow("Names", self.names)
        self.folder = QLineEdit()
        self.folder.setObjectName("out.folder")
        self.folder.setAccessibleName("Folder for the results")
        set_tip(self.folder, "Where the results go.")
        self.folder.editingFinished.connect(lambda: self._set("Folder", folder=self.folder.text()))
        browse = QPushButton("…")
        browse.setProperty("flat", True)
        browse.setAccessibleName("Choose the folder")
        set_tip(browse, "Where the results go.")
        browse.setFixedWidth(32)
        browse.clicked.connect(self.folder_wanted)
        line = QHBoxLayout()
        line.addWidget(self.folder, 1)
        line.addWidget(browse)
        form.addRow("Folder", line)
        self.existing = Chooser()
        self.existing.setObjectName("out.existing")
        set_tip(self.existing, "What is done with a result whose name is taken.")
        self.existing.setAccessibleName("If it exists")
        self.existing.addItems(list(EXISTING))
        self.existing.textActivated.connect(lambda t: self._set("If it exists", existing=t))
        form.addRow("If there", self.existing)
        column.addLayout(form)
        self._lost = Label()
        self._lost.setObjectName("out.lost")
        self._lost.setWordWrap(True)
        self._lost.setProperty("quiet", True)
        column.addWidget(self._lost)
        self.go = QPushButton()
        self.go.setObjectName("convert.go")
        set_tip(self.go, "Writes every file in every format that is ticked, and measures each.")
        self.go.setProperty("main", True)
        self.go.setMinimumHeight(34)
        self.go.clicked.connect(self.convert_wanted)
        column.addWidget(self.go)
        model.changed.connect(self._on_changed)
        model.chosen_changed.connect(self._forget)
        model.outcome.connect(self._on_outcome)
        self.refresh()

    def change(self, key: str, **changes: Any) -> None:
        title = formats()[key].title
        self._model.commit(title, self._model.bench.with_goal(key, **changes))

    def _set(self, title: str, **changes: Any) -> None:
        self._model.commit(title, attrs.evolve(self._model.bench, **changes))

    def _edit_domain(self) -> None:
        try:
            domain_in(self.domain.text())
        except ValueRefused as error:
            self._lost.setText(error.sentence() + ".")
            return
        self._set("Domain", domain=self.domain.text().strip())

    def _on_changed(self, before: Any, after: Any) -> None:
        if before.recipe != after.recipe or before.entries != after.entries:
            self._forget()
        self.refresh()

    def _forget(self) -> None:
        self._outcomes.clear()
        for row in self._rows.values():
            row.show_outcome(None)
        self._lost.setText("")

    def _on_outcome(self, outcome: Outcome) -> None:
        self._outcomes[outcome.key] = outcome
        self._rows[outcome.key].show_outcome(outcome)
        self._show_lost()

    def _show_lost(self) -> None:
        lines = []
        for goal in self._model.bench.goals:
            outcome = self._outcomes.get(goal.key)
            if goal.on and outcome is not None:
                said = [outcome.refused] if outcome.refused else list(outcome.said)
                if said:
                    lines.append(f"{goal.key}: {'; '.join(said)}.")
        self._lost.setText("\n".join(lines[:5]))

    def _on_examined(self, path: Path) -> None:
        if path in self._model.unreadable:  # it is not counted
            self.refresh()

    def refresh(self) -> None:
        bench = self._model.bench
        for goal in bench.goals:
            self._rows[goal.key].show_goal(goal)
        self.fit.setCurrentIndex(self.fit.findData(bench.fitted))
        self.shaper.setChecked(bench.shaper)
        for field, value in (
            (self.domain, bench.domain),
            (self.names, bench.names),
            (self.folder, bench.folder),
        ):
            if field.text() != value:
                field.setText(value)
        self.existing.setCurrentText(bench.existing)
        files, wanted = self._model.readable, sum(g.on for g in bench.goals)
        good = bool(files and wanted and bench.folder)
        fault = ""
        if wanted:
            try:
                named(bench.names, Made("x", Transform()), bench.wanted()[0], 1, 33)
            except ValueRefused as error:
                fault, good = error.sentence(), False
        self.go.setEnabled(good)
        many = f"{files} file{'s' if files != 1 else ''}"
        if bench.recipe.together and files > 1:
            many = f"{files} files as one"
        kinds = f"{wanted} format{'s' if wanted != 1 else ''}"
        self.go.setText(f"Convert {many} to {kinds}" if files and wanted else "Convert")
        set_tip(self.names, fault or "May hold " + ", ".join(f"{{{f}}}" for f in FIELDS))
        if fault:
            self._lost.setText(fault)
        else:
            self._show_lost()
