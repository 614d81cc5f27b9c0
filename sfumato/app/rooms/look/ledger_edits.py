"""What the Ledger's rows and controls do to the study."""

from __future__ import annotations

from typing import Any

import attrs

from sfumato.app.rooms.look.ends_ask import ANSWERS, AS_IS, DISPLAY, LOG
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import USUAL, ViewModel
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import kinds
from sfumato.core.errors import ValueRefused
from sfumato.core.glazes.lut import AS_IT_IS
from sfumato.core.path.span import Span
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK


class LedgerEdits:
    """Each edit is one undo step for each gesture; a refused one is said and changes nothing."""

    def __init__(self, model: StudyModel, view: ViewModel, desk: Desk, notices: Any) -> None:
        self._model, self._view, self._desk, self._notices = model, view, desk, notices

    def _is_there(self, coat_id: str, field: str = "") -> bool:
        """Whether a glaze whose row or panel speaks is still in the study, and still of the kind it shows.

        A drag, an open list or a name that is being typed may outlive it: undone, taken out, or another
        study with the same id.
        """
        found = next((c for c in self._model.study.every_coat() if c.id == coat_id), None)
        return found is not None and (not field or field in kinds(found.parameters))

    def field(self, coat_id: str, field: str, value: Any) -> None:
        """Set a control of a glaze."""
        study = self._model.study
        if not self._is_there(coat_id, field):
            return
        try:
            after = study.tuned(coat_id, **{field: value})
        except ValueRefused as error:
            self._notices.fault(error)
            return
        title = kinds(study.coat(coat_id).parameters)[field].title
        self._desk.hold()
        self._model.commit(f"{study.coat(coat_id).title}: {title}", after, (coat_id, field))

    def ends(self, coat_id: str, answer: str) -> None:
        """Take an answer to the question what a LUT is for."""
        study = self._model.study
        if not self._is_there(coat_id, "expects"):
            return
        shown = study.view.encoding
        ends = {
            LOG: {"expects": AS_IT_IS, "gives": shown},
            DISPLAY: {"expects": shown, "gives": shown},
            AS_IS: {"expects": AS_IT_IS, "gives": AS_IT_IS},
        }.get(answer, {})
        coat = study.coat(coat_id)
        parameters = attrs.evolve(coat.parameters, sure=True, **ends)
        self._model.commit(
            f"{coat.title}: {ANSWERS[answer][0]}", study.set_coat(coat_id, parameters=parameters)
        )

    def laying(self, coat_id: str, values: dict[str, Any]) -> None:
        """Set blend or Reach of a glaze."""
        study = self._model.study
        if not self._is_there(coat_id):
            return
        coat = study.coat(coat_id)
        after = study.set_coat(coat_id, laying=attrs.evolve(coat.laying, **values))
        first = next(iter(values))
        self._desk.hold()
        title = kinds(coat.laying)[first].title
        self._model.commit(f"{coat.title}: {title}", after, (coat_id, "laying", *sorted(values)))

    def strength(self, coat_id: str, value: float) -> None:
        study = self._model.study
        if not self._is_there(coat_id):
            return
        self._desk.hold()
        after = study.set_coat(coat_id, strength=value)
        self._model.commit(f"Strength of {study.coat(coat_id).title}", after, (coat_id, "strength"))

    def rename(self, coat_id: str, name: str) -> None:
        study = self._model.study
        if not self._is_there(coat_id):
            return
        before = study.coat(coat_id)
        if name != before.name:
            self._model.commit(f"Rename {before.title}", study.set_coat(coat_id, name=name))

    def toggle(self, coat_id: str, on: bool) -> None:
        study = self._model.study
        if not self._is_there(coat_id):
            return
        word = "Switch on" if on else "Switch off"
        self._model.commit(f"{word} {study.coat(coat_id).title}", study.set_coat(coat_id, on=on))

    def add(self, where: str, key: str) -> None:
        coat = new_coat(key, encoding(self._model.study.working))
        place = "the Ground" if where != LOOK else "the Look"
        self._model.commit(f"Add {coat.title} to {place}", self._model.study.added(where, coat))
        self._view.set(coat=coat.id, curve=USUAL.curve)

    def move(self, coat_id: str, where: str, index: int) -> None:
        study = self._model.study
        after = study.moved(coat_id, where, index)
        self._model.commit(f"Move {study.coat(coat_id).title}", after)

    def release(self) -> None:
        """The hand let go of a control."""
        self._model.end_gesture()
        self._desk.release()

    # --- the Look, the View, the Span --------------------------------------------------------------
    def look_strength(self, value: float) -> None:
        self._desk.hold()
        after = self._model.study.with_look(strength=value / 100)
        self._model.commit("Strength of the Look", after, ("look", "strength"))

    def look_name(self, name: str) -> None:
        self._model.commit("Rename the Look", self._model.study.with_look(name=name))

    def span(self, span: Span) -> None:
        self._model.commit("Change the Span", attrs.evolve(self._model.study, span=span))

    def encoding(self, shot_id: str, name: str) -> None:
        self._model.state_encoding(shot_id, name)

    def working(self, name: str) -> None:
        study = self._model.study
        if study.look.coats:
            self._notices.note(
                "The glazes now act on other numbers",
                f"they were set for {study.working}; undo brings them back",
            )
        self._model.commit(f"Work in {name}", attrs.evolve(study, working=name))

    def view(self, field: str, value: Any) -> None:
        study = self._model.study
        after = attrs.evolve(study, view=attrs.evolve(study.view, **{field: value}))
        self._desk.hold()
        self._model.commit(f"View: {kinds(study.view)[field].title}", after, ("view", field))
