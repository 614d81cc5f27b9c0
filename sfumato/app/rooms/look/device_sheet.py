"""The target whose sight of the LUT is shown: what it holds, and what that costs on the shot."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtWidgets import QVBoxLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.labels import set_tip
from sfumato.app.rooms.look.record_sheet import RecordSheet
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.core.lut.device import DEVICES, Device
from sfumato.core.lut.difference import CLOSE
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.preview.asks import Ask

_OWN = "Own numbers"


class DeviceSheet(RecordSheet):
    LABEL = "Target"

    def __init__(self, model: StudyModel, desk: Desk, parent: QWidget) -> None:
        words = "Side B shows the picture as this target makes it with the LUT."
        super().__init__(model, desk, parent, "target", "Target to simulate", words)

    def record(self, study: Study) -> Device:
        return study.device

    def evolved(self, study: Study, **values: Any) -> Study:
        return attrs.evolve(study, device=attrs.evolve(study.device, **values))

    def measured(self, ask: Ask, cancel: Cancel) -> Any:
        return self._desk.previewer.device_loss(ask, cancel)

    def said(self, loss: Any) -> tuple[str, bool]:
        return f"On this shot: {loss.words()}", loss.p99 <= CLOSE

    def _fill_top(self, column: QVBoxLayout) -> None:
        self.preset = Chooser()
        self.preset.setObjectName("target.preset")
        self.preset.setAccessibleName("Usual targets")
        set_tip(
            self.preset,
            "Fills in how usual devices read a LUT; every number can be changed after it.",
        )
        self.preset.textActivated.connect(self._take)
        column.addWidget(self.preset)

    def show_study(self, study: Study) -> None:
        super().show_study(study)
        known = next((n for n, t in DEVICES.items() if t == study.device), _OWN)
        self.preset.offer((*DEVICES, *((_OWN,) if known == _OWN else ())))
        self.preset.setCurrentText(known)

    def _take(self, name: str) -> None:
        if name in DEVICES:
            after = attrs.evolve(self._model.study, device=DEVICES[name])
            self._model.commit(f"Target: {name}", after)
