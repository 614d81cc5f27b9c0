"""The instruments, two to four side by side; they follow side B."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.parts import part, tabbed
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import set_tip
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import ViewModel, ViewState
from sfumato.app.views.scope import ScopeView, instruments
from sfumato.core.colour.encodings import encoding
from sfumato.core.measure.graticule import UNITS

LEAST, MOST = 2, 4
HEIGHT = 206


def _scale(state: ViewState) -> tuple[object, ...]:
    return state.scope_unit, state.limits, state.band


class Instruments(QWidget):
    """Takes marks from the hand and passes them on by the view."""

    def __init__(self, model: StudyModel, view: ViewModel, desk: Desk) -> None:
        super().__init__()
        self._model, self._view, self._desk = model, view, desk
        self._torn = False
        self._shown: Any = None
        self.boxes: list[Chooser] = []
        self.scopes: list[ScopeView] = []
        self._cells: list[QWidget] = []
        self.setFixedHeight(HEIGHT)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(10, 4, 6, 10)
        whole.setSpacing(8)
        self._grid = QGridLayout()
        self._grid.setSpacing(10)
        whole.addLayout(self._grid, 1)
        self._tools = self._make_tools()
        whole.addWidget(self._tools)
        desk.shown.connect(self._on_shown)
        desk.probed.connect(self._on_probed)
        view.changed.connect(self._on_view)
        self._rebuild()
        self.setVisible(view.now.instruments_shown)

    def _make_tools(self) -> QWidget:
        """The scale, the legal limits, and how many instruments stand here."""
        tools = QWidget()
        tools.setFixedWidth(94)
        column = QVBoxLayout(tools)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.unit = Chooser()
        self.unit.setObjectName("scopes.unit")
        self.unit.setAccessibleName("Scale of the instruments")
        set_tip(self.unit, "What the scale counts: percent of code, 10-bit codes or stops.")
        self.unit.addItems(UNITS)
        self.unit.textActivated.connect(lambda u: self._view.set(scope_unit=u))
        self.limits = Tick("Limits")
        self.limits.setObjectName("scopes.limits")
        set_tip(
            self.limits,
            "Show the limits of the legal range, and mark with F3 what lies beyond them.",
        )
        self.limits.clicked.connect(lambda on: self._view.set(limits=on))
        column.addWidget(self.unit)
        column.addWidget(self.limits)
        for sign, name, words, step in (
            ("−", "less", "One instrument less", -1),
            ("+", "more", "One instrument more", 1),
        ):
            button = QPushButton(sign)
            button.setObjectName(f"scopes.{name}")
            button.setProperty("flat", True)
            button.setAccessibleName(words)
            set_tip(button, words)
            button.setFixedWidth(22)
            button.clicked.connect(lambda _on, s=step: self._change_count(s))
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        return tools

    def _change_count(self, step: int) -> None:
        kinds = list(self._view.now.instruments)
        if step < 0 and len(kinds) > LEAST:
            kinds.pop()
        elif step > 0 and len(kinds) < MOST:
            kinds.append(next(k for k in instruments() if k not in kinds))
        self._view.set(instruments=tuple(kinds))

    def set_torn(self, torn: bool) -> None:
        """In a window of their own the instruments grow, two rows of them when there are many."""
        self._torn = torn
        if torn:
            self.setMinimumHeight(HEIGHT)
            self.setMaximumHeight(16777215)
        else:
            self.setFixedHeight(HEIGHT)
        self._rebuild()

    def _rebuild(self) -> None:
        kinds = self._view.now.instruments
        for cell in self._cells:
            cell.setParent(None)
            cell.deleteLater()
        self.boxes, self.scopes, self._cells = [], [], []
        across = 2 if self._torn and len(kinds) > 2 else len(kinds)
        for i in range(MOST):
            self._grid.setColumnStretch(i, int(i < across))
        for i, kind in enumerate(kinds):
            cell = QWidget()
            column = QVBoxLayout(cell)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(2)
            box = Chooser()
            box.setObjectName(f"instrument.{i}")
            box.setAccessibleName(f"Instrument {i + 1}")
            set_tip(box, "Which instrument stands here; all follow side B.")
            box.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
            for key, spec in instruments().items():
                box.addItem(spec.title, key)
                box.setItemData(box.count() - 1, spec.help, Qt.ItemDataRole.ToolTipRole)
            box.setCurrentIndex(box.findData(kind))
            box.activated.connect(lambda _n, i=i, b=box: self._choose(i, b.currentData()))
            line = QHBoxLayout()
            line.setSpacing(4)
            line.addWidget(box)
            line.addStretch(1)
            scope = ScopeView(kind)
            scope.setObjectName(f"scope.{i}")
            scope.band_marked.connect(lambda band: self._view.set(band=band))
            column.addLayout(line)
            column.addWidget(scope, 1)
            self._grid.addWidget(cell, i // across, i % across)
            self.boxes.append(box)
            self.scopes.append(scope)
            self._cells.append(cell)
        self.order_tabs()
        self._show_tools()
        if self._shown is not None:
            self._on_shown(self._shown)

    def order_tabs(self) -> None:
        """Let Tab go from the left to the right."""
        tabbed((*self._cells, self._tools))

    def _show_tools(self) -> None:
        view = self._view
        count = len(view.now.instruments)
        self.unit.setCurrentText(view.now.scope_unit)
        self.limits.setChecked(view.now.limits)
        part(self._tools, QPushButton, "scopes.less").setEnabled(count > LEAST)
        part(self._tools, QPushButton, "scopes.more").setEnabled(count < MOST)
        working = encoding(self._model.study.working)
        space = self._shown.space if self._shown is not None and self._shown.space else working
        for scope in self.scopes:
            of = working if scope.spec.is_of_working else space
            scope.show_scale(view.now.scope_unit, of, view.now.limits)
            scope.show_band(view.now.band)

    def _choose(self, index: int, kind: str) -> None:
        kinds = list(self._view.now.instruments)
        kinds[index] = kind
        self._view.set(instruments=tuple(kinds))

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.instruments != after.instruments:
            if len(after.instruments) != len(self.boxes):
                self._rebuild()
            for box, kind in zip(self.boxes, after.instruments, strict=True):
                box.setCurrentIndex(box.findData(kind))
        if _scale(before) != _scale(after):
            self._show_tools()
        if before.instruments_shown != after.instruments_shown:
            self.setVisible(after.instruments_shown)

    def _on_shown(self, shown: Any) -> None:
        self._shown = shown
        for scope, kind in zip(self.scopes, self._view.now.instruments, strict=True):
            if kind in shown.instruments:
                scope.show_data(kind, shown.instruments[kind], shown.reference.get(kind))
        self._show_tools()

    def _on_probed(self, probe: Any) -> None:
        """Show the colour under the hand on every instrument."""
        width = self._shown.size[0] if self._shown is not None else 0
        for scope in self.scopes:
            scope.show_pick(probe.b, probe.entering_look, probe.x / width if width else 0.0)

    def clear_pick(self) -> None:
        for scope in self.scopes:
            scope.show_pick(None)
