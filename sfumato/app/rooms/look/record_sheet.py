"""A sheet beside the picture: the controls of a record of the study, and what they cost on the shot."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget

from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.rooms.look.lane_sheet import LaneSheet
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.core.controls import kinds
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.preview.asks import Ask


class RecordSheet(LaneSheet):
    """Edits are undoable one gesture at a time; the shot is measured anew whenever it rests."""

    LABEL = ""  # of edits, before the control's title

    def __init__(
        self, model: StudyModel, desk: Desk, parent: QWidget, name: str, title: str, words: str
    ) -> None:
        super().__init__(model, desk, parent, name, title, words, 360)
        self._fill_top(self.column)
        self.panel = RecordPanel(self.record(model.study))
        self.panel.edited.connect(self._edit)
        self.panel.released.connect(self._release)
        self.column.addWidget(self.panel)
        self.column.addWidget(self.loss)
        self._fill_foot(self.column)
        self.column.addStretch(1)
        model.changed.connect(self._on_changed)
        desk.shown.connect(self._on_shown)
        self.show_study(model.study)
        self._measure()

    # --- what a sheet is of -----------------------------------------------------------------------
    def record(self, study: Study) -> Any:
        raise NotImplementedError

    def evolved(self, study: Study, **values: Any) -> Study:
        """Return the study with fields of the record changed."""
        raise NotImplementedError

    def measured(self, ask: Ask, cancel: Cancel) -> Any:
        """Measure the shot; runs in a worker."""
        raise NotImplementedError

    def said(self, loss: Any) -> tuple[str, bool]:
        """Return what was measured in words, and whether it is good."""
        raise NotImplementedError

    def _fill_top(self, column: QVBoxLayout) -> None:
        """Put what stands above the controls."""

    def _fill_foot(self, column: QVBoxLayout) -> None:
        """Put what stands below them."""

    # --- showing and editing ----------------------------------------------------------------------
    def show_study(self, study: Study) -> None:
        self.panel.show_record(self.record(study))

    def _edit(self, field: str, value: Any) -> None:
        study = self._model.study
        self._desk.hold()
        title = kinds(self.record(study))[field].title
        after = self.evolved(study, **{field: value})
        self._model.commit(f"{self.LABEL}: {title}", after, (self.objectName(), field))

    def _release(self) -> None:
        self._model.end_gesture()
        self._desk.release()

    def _on_changed(self, _before: Any, after: Study) -> None:
        self.show_study(after)
        self.say("measuring …")

    def _on_shown(self, shown: Any) -> None:
        if not shown.ask.dragging:
            self._measure()

    def _measure(self) -> None:
        ask = self._desk.ask()
        if ask is None:
            self.say("no shot to measure on")
            return
        self._lane.ask(lambda cancel: self.measured(ask, cancel))

    def _on_answer(self, answer: Any) -> None:
        words, is_good = self.said(answer)
        self.say(words, is_good=is_good)
