"""The Bench: stand-ins for the devices in which a look will live."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint, QPointF
from PySide6.QtGui import QPainter, QUndoStack
from PySide6.QtWidgets import QWidget

from sfumato.app.rooms.bench import monitor_screen, places_field
from sfumato.app.rooms.bench.bench_actions import ACTIONS
from sfumato.app.rooms.bench.monitor_edits import MonitorEdits
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.monitor_page import MonitorPage
from sfumato.app.services.room import Room, RoomSpec
from sfumato.app.services.services import Services
from sfumato.core.bench.monitor import MONITORS


class BenchRoom(Room):
    """Owns the devices that are known, the pages, and what is done with them."""

    actions = ACTIONS
    keys = {
        "Places of a monitor": places_field.KEYS,
        "Screen of a monitor": monitor_screen.KEYS,
    }

    def __init__(self, services: Services) -> None:
        super().__init__("bench", services)
        self.monitors = MonitorModel(services, self.key, self)
        self.monitor_page = MonitorPage(self.monitors)
        self.monitor_edits = MonitorEdits(services, self.monitors, self.monitor_page)
        for signal in (
            self.monitors.known,
            self.monitors.screened,
            self.monitors.file_changed,
            self.monitors.recording_changed,
        ):
            signal.connect(self.changed)

    @property
    def page(self) -> QWidget:
        return self.monitor_page

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self, self.monitor_edits)

    @property
    def undo_stack(self) -> QUndoStack:
        return self.monitors.undo_stack

    def bench_monitor(self) -> None:
        """Show the page of monitors."""
        self.services.view.set(room=self.key)

    @property
    def is_busy(self) -> bool:
        return self.monitors.is_busy

    def conditions(self) -> set[str]:
        if not self.is_open:
            return set()
        met, rig = {"in_bench"}, self.monitors.rig
        if rig is None:
            return met
        met.add("has_device")
        if rig.folder.name not in MONITORS:
            met.add("has_own_device")
        if rig.has_card:
            met.add("has_card")
        if rig.place is not None:
            met.add("has_place")
        file = self.monitors.file
        if file is not None:
            met.add("can_load" if file.is_lut else "has_take")
        if self.monitors.said is not None:
            met.add("was_refused")
        if self.monitors.shown is not None and rig.state.is_on:
            met.add("has_signal")
        return met

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take LUT files onto the card, and a folder as the card, while the room is open."""
        return self.monitor_edits.take(files, at) if self.is_open else files

    def close(self) -> None:
        self.monitors.close()


def _trestle(painter: QPainter, c: QPointF) -> None:
    """A board on two trestles."""
    painter.drawLine(c + QPointF(-11, -5), c + QPointF(11, -5))
    for x in (-6.0, 6.0):
        painter.drawLine(c + QPointF(x, -5), c + QPointF(x - 2, 8))
        painter.drawLine(c + QPointF(x, -5), c + QPointF(x + 2, 8))


SPEC = RoomSpec("bench", "Bench", 60, _trestle, BenchRoom)
