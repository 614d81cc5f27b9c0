"""The target whose sight of the LUT is shown: what it holds, and what that costs on the shot."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sfumato.app.controls.editor import Chooser, painted
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.guard import guarded
from sfumato.app.labels import Label
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane
from sfumato.app.services.study_model import StudyModel
from sfumato.core.controls import kinds
from sfumato.core.lut.device import DEVICES
from sfumato.core.lut.difference import CLOSE

_OWN = "Own numbers"


class DeviceSheet(QDialog):
    def __init__(self, model: StudyModel, desk: Desk, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("target")
        self.setWindowTitle("Target to simulate")
        self.setFixedWidth(360)
        self._model, self._desk = model, desk
        self._lane = Lane("target", self)
        self._lane.answered.connect(self._show_loss)
        self._lane.crashed.connect(desk.notices.bug)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        words = Label("Side B shows the picture as this target makes it with the LUT.")
        words.setWordWrap(True)
        column.addWidget(words)
        self.preset = Chooser()
        self.preset.setObjectName("target.preset")
        self.preset.setAccessibleName("Usual targets")
        self.preset.textActivated.connect(self._take)
        column.addWidget(self.preset)
        self.panel = RecordPanel(model.study.device)
        self.panel.edited.connect(self._edit)
        self.panel.released.connect(self._release)
        column.addWidget(self.panel)
        self.loss = Label()
        self.loss.setObjectName("target.loss")
        column.addWidget(self.loss)
        column.addStretch(1)
        model.changed.connect(self._on_changed)
        desk.shown.connect(self._on_shown)
        self._show()
        self._measure()

    def _show(self) -> None:
        target = self._model.study.device
        known = next((n for n, t in DEVICES.items() if t == target), _OWN)
        self.preset.offer((*DEVICES, *((_OWN,) if known == _OWN else ())))
        self.preset.setCurrentText(known)
        self.panel.show_record(target)

    def _take(self, name: str) -> None:
        if name in DEVICES:
            after = attrs.evolve(self._model.study, device=DEVICES[name])
            self._model.commit(f"Target: {name}", after)

    def _edit(self, field: str, value: Any) -> None:
        study = self._model.study
        self._desk.hold()
        title = kinds(study.device)[field].title
        after = attrs.evolve(study, device=attrs.evolve(study.device, **{field: value}))
        self._model.commit(f"Target: {title}", after, ("target", field))

    def _release(self) -> None:
        self._model.end_gesture()
        self._desk.release()

    def _on_changed(self, _before: Any, _after: Any) -> None:
        self._show()
        self.loss.setText("measuring …")
        painted(self.loss, "")

    def _on_shown(self, shown: Any) -> None:
        if not shown.ask.dragging:
            self._measure()

    def _measure(self) -> None:
        ask = self._desk.ask()
        if ask is None:
            self.loss.setText("no shot to measure on")
            return
        previewer = self._desk.previewer
        self._lane.ask(lambda cancel: previewer.device_loss(ask, cancel))

    def _show_loss(self, loss: Any) -> None:
        self.loss.setText(
            f"On this shot: {loss.mean:.3f} ΔE mean, {loss.p99:.2f} at 99 %, {loss.worst:.2f} at worst"
        )
        painted(self.loss, "malachite" if loss.p99 <= CLOSE else "cinnabar")

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy

    @guarded
    def done(self, code: int) -> None:
        self._lane.close()
        super().done(code)

    @guarded
    def closeEvent(self, event: QCloseEvent) -> None:
        self._lane.close()
        super().closeEvent(event)
