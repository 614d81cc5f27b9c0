"""The Monitor page of the Bench: the device at the left, its screen in the middle, its uses under it."""

from __future__ import annotations

from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet, steady
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.bench.monitor_below import MonitorBelow
from sfumato.app.rooms.bench.monitor_left import MonitorLeft
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.monitor_screen import MonitorScreen
from sfumato.core.bench.monitor import HALF, RECORDING
from sfumato.work.bench.coding import RATE

_EMPTY = (
    "No shot is in the study.\nBring one in: it comes in here as video, 10 bit, 4:2:2, legal range."
)


class MonitorPage(QWidget):
    """Lays the parts out."""

    def __init__(self, model: MonitorModel) -> None:
        super().__init__()
        self._model = model
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.left = MonitorLeft(model)
        row.addWidget(self.left)
        right = QVBoxLayout()
        right.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(18, 8, 18, 8)
        self.signal = Line()
        self.signal.setObjectName("bench.signal")
        head.setSpacing(12)
        head.addWidget(quiet("Signal"))
        head.addWidget(self.signal, 1)
        self.rate = steady(quiet(""), "100.0 frames a second shown")
        self.rate.setObjectName("bench.rate")
        head.addWidget(self.rate)
        self.play = QPushButton("Play")
        self.play.setObjectName("bench.play")
        set_tip(self.play, "Sends the clip through the device.")
        self.play.setProperty("flat", True)
        head.addWidget(self.play)
        self.timecode = steady(Label(""), "00:00:00:00")
        self.timecode.setObjectName("bench.timecode")
        head.addWidget(self.timecode)
        right.addLayout(head)
        self.view = MonitorScreen()
        right.addWidget(self.view, 1)
        right.addSpacing(10)
        self.below = MonitorBelow(model)
        self.below.setMinimumHeight(268)
        right.addWidget(self.below)
        row.addLayout(right, 1)
        model.screened.connect(self.refresh)
        model.known.connect(self.refresh)
        model.recording_changed.connect(self.refresh)
        model.clock.measured.connect(self._show_rate)
        self.refresh()

    def refresh(self) -> None:
        """Show the frame that is there."""
        model, rig, shown = self._model, self._model.rig, self._model.shown
        feed = model.feed
        self.play.setEnabled(shown is not None and not model.is_recording)
        self.play.setText("Hold" if model.clock.is_running else "Play")
        if not model.clock.is_running:
            self.rate.setText("")
        if shown is None or rig is None or feed is None:
            words = "" if model.shot is not None else _EMPTY
            if model.fault is not None and model.shot is not None:
                words = f"{model.fault.summary[:1].upper()}{model.fault.summary[1:]}"
            self.signal.setText("" if model.shot is None else model.shot.name)
            self.view.show_screen(None, None, "", "", words)
            self.timecode.setText("")
            return
        kind = f"{feed.count} frames" if feed.count > 1 else "a still"
        name = feed.encoding or "encoding not known"
        self.signal.setText(
            f"{feed.shot.name} · {feed.width} × {feed.height} · 10 bit 4:2:2 legal, {RATE} fps · "
            f"{name} · {kind}"
        )
        self.timecode.setText(shown.timecode)
        place, halves = rig.place, rig.state.use == HALF
        held = f"place {rig.state.chosen + 1}: {place.name}" if place is not None else ""
        if not rig.state.is_on:
            self.view.show_screen(image_of(shown.picture), None, "", "", "Switched off")
            return
        left = "natural"
        if place is not None and not halves:
            burns = rig.state.use == RECORDING
            left = "the recorder gets just this" if burns else "the recorder gets it natural"
        line = rig.state.line if halves and place is not None else None
        self.view.show_screen(image_of(shown.picture), line, left, held, "")

    def _show_rate(self, rate: float) -> None:
        if self._model.clock.is_running:
            self.rate.setText(f"{rate:.1f} frames a second shown")

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._model.open(True)
        self.left.places.setFocus()

    @guarded
    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._model.open(False)
