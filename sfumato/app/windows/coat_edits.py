"""Edits of glazes by action: undo, add, move, reset, pick."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QMenu

from sfumato.app.actions import Actions
from sfumato.app.model.desk import Desk
from sfumato.app.model.study_model import StudyModel
from sfumato.app.model.view_state import ViewState
from sfumato.app.panels.ledger import Ledger
from sfumato.core.encodings import encoding
from sfumato.core.study import Joint, Span, new_coat


class CoatEdits(QObject):
    """Carries out the actions on the chosen glaze."""

    def __init__(
        self, window: Any, model: StudyModel, view: ViewState, desk: Desk, ledger: Ledger
    ) -> None:
        super().__init__(window)
        self._window, self.model, self.view = window, model, view
        self._desk, self._ledger = desk, ledger

    @property
    def _actions(self) -> Actions:
        actions: Actions = self._window.actions_table
        return actions

    # --- glazes ----------------------------------------------------------------------------------
    def add_glaze(self) -> None:
        self._ledger.ask_glaze(ground=False)

    def add_ground_glaze(self) -> None:
        self._ledger.ask_glaze(ground=True)

    def show_menu(self, _coat_id: str, place: Any) -> None:
        menu = QMenu(self._window)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in (
            "toggle_glaze",
            "reset_glaze",
            "duplicate_glaze",
            "glaze_up",
            "glaze_down",
            "remove_glaze",
        ):
            menu.addAction(self._actions.by_id[name])
        menu.popup(place)

    def _coat(self) -> Any:
        return self.model.study.coat(self.view.get("coat"))

    def duplicate_glaze(self) -> None:
        coat = self._coat()
        self.model.commit(f"Duplicate {coat.title}", self.model.study.duplicated(coat.id))

    def toggle_glaze(self) -> None:
        self._ledger.toggle(self._coat().id, not self._coat().on)

    def reset_glaze(self) -> None:
        coat = self._coat()
        if coat.spec is not None:
            fresh = new_coat(coat.key).parameters
            after = self.model.study.set_coat(coat.id, parameters=fresh, strength=1.0)
            self.model.commit(f"Reset {coat.title}", after)

    def _move_glaze(self, step: int) -> None:
        coat, study = self._coat(), self.model.study
        where = study.home(coat.id)
        index = [c.id for c in study.coats(where)].index(coat.id) + step
        if 0 <= index < len(study.coats(where)):
            self.model.commit(f"Move {coat.title}", study.moved(coat.id, where, index))

    def glaze_up(self) -> None:
        self._move_glaze(-1)

    def glaze_down(self) -> None:
        self._move_glaze(1)

    def remove_glaze(self) -> None:
        coat = self._coat()
        self.model.commit(f"Remove {coat.title}", self.model.study.removed(coat.id))

    def pick(self) -> None:
        coat = self.view.get("coat")
        self.view.set("picking", "" if self.view.get("picking") else coat)

    def take_pick(self, x: int, y: int) -> None:
        """Answer a click in the picture for the glaze that asked for it (mean of 5 x 5 pixels)."""
        coat_id, ask = self.view.get("picking"), self._desk.ask()
        if not coat_id or ask is None:
            return
        coat = self.model.study.coat(coat_id)
        if coat.spec is None or coat.spec.pick is None:
            return
        entering = self._desk.previewer.probe(
            attrs.evolve(ask, coat=coat_id, dragging=False), x, y, 2
        ).entering
        working = self.model.study.working
        extra = {"curve": self.view.get("curve")} if self._ledger.has_curves else {}
        picked = coat.spec.pick(coat.parameters, entering, encoding(working), **extra)
        after = self.model.study.set_coat(coat_id, parameters=picked)
        self.model.commit(f"{coat.title}: {coat.spec.pick_title.lower()}", after)
        if extra:
            self._ledger.choose_new_point(coat.parameters, picked)

    def include_ground(self) -> None:
        span = self.model.study.span
        start = Joint.GROUND if span.with_ground else Joint.SOURCE
        self._ledger.set_span(Span(start, span.end))
