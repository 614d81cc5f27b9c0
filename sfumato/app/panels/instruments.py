"""Two instruments side by side; they follow side B."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from sfumato.app.model.desk import Desk
from sfumato.app.model.view_state import ViewState
from sfumato.app.views.scope import TITLES, ScopeView


class Instruments(QWidget):
    def __init__(self, view: ViewState, desk: Desk) -> None:
        super().__init__()
        self._view = view
        self.setFixedHeight(206)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 10, 10)
        row.setSpacing(12)
        self.boxes: list[QComboBox] = []
        self.scopes: list[ScopeView] = []
        for i, kind in enumerate(view.get("instruments")):
            column = QVBoxLayout()
            column.setSpacing(2)
            box = QComboBox()
            box.setObjectName(f"instrument.{i}")
            box.setAccessibleName(f"Instrument {i + 1}")
            for key, title in TITLES.items():
                box.addItem(title, key)
            box.activated.connect(lambda _n, i=i, b=box: self._choose(i, b.currentData()))
            line = QHBoxLayout()
            line.addWidget(box)
            line.addStretch(1)
            scope = ScopeView(kind)
            scope.setObjectName(f"scope.{i}")
            column.addLayout(line)
            column.addWidget(scope, 1)
            row.addLayout(column, 1)
            self.boxes.append(box)
            self.scopes.append(scope)
        desk.shown.connect(self._on_shown)
        view.changed.connect(self._on_view)
        self._on_view("instruments")
        self._on_view("instruments_shown")

    def _choose(self, index: int, kind: str) -> None:
        kinds = list(self._view.get("instruments"))
        kinds[index] = kind
        self._view.set("instruments", tuple(kinds))

    def _on_view(self, name: str) -> None:
        if name == "instruments":
            for box, kind in zip(self.boxes, self._view.get("instruments"), strict=True):
                box.setCurrentIndex(box.findData(kind))
        elif name == "instruments_shown":
            self.setVisible(self._view.get("instruments_shown"))

    def _on_shown(self, shown: Any) -> None:
        for scope, kind in zip(self.scopes, self._view.get("instruments"), strict=True):
            if kind in shown.instruments:
                scope.show_data(kind, shown.instruments[kind])
