"""The Bench: stand-ins for the devices in which a look will live."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QStackedWidget, QWidget

from sfumato.app.rooms.bench import engine_model, monitor_screen, places_field
from sfumato.app.rooms.bench.card_edits import CardEdits
from sfumato.app.rooms.bench.device_edits import DeviceEdits
from sfumato.app.rooms.bench.engine_edits import EngineEdits
from sfumato.app.rooms.bench.engine_model import EngineModel
from sfumato.app.rooms.bench.engine_page import EnginePage
from sfumato.app.rooms.bench.monitor_edits import MonitorEdits
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.monitor_page import MonitorPage
from sfumato.app.rooms.bench.pages import ENGINE, FILTER, MONITOR
from sfumato.app.services.room import Room
from sfumato.app.services.services import Services
from sfumato.core.bench.monitor import MONITORS
from sfumato.work.bench.gl_engine import GlEngine


class BenchRoom(Room):
    """Owns the devices that are known, the pages, and what is done with them."""

    keys = {
        "Places of a monitor": places_field.KEYS,
        "Screen of a monitor": monitor_screen.KEYS,
    }

    def __init__(self, services: Services) -> None:
        super().__init__("bench", services)
        self._gl = GlEngine()
        self.monitors = MonitorModel(services, self.key, self)
        self.monitor_page = MonitorPage(self.monitors)
        self.monitor_edits = MonitorEdits(services, self.monitors, self.monitor_page)
        self.card_edits = CardEdits(services, self.monitors)
        self.device_edits = DeviceEdits(services, self.monitors)
        self.engine = EngineModel(services, self.key, engine_model.ENGINE, self._gl, self)
        self.engine_page = EnginePage(self.engine, ENGINE)
        self.engine_edits = EngineEdits(services, self.engine, self.engine_page)
        self.filter = EngineModel(services, self.key, engine_model.FILTER, self._gl, self)
        self.filter_page = EnginePage(self.filter, FILTER)
        self.filter_edits = EngineEdits(services, self.filter, self.filter_page)
        self._pages = QStackedWidget()
        self._by_title = {
            MONITOR: self.monitor_page,
            ENGINE: self.engine_page,
            FILTER: self.filter_page,
        }
        for page in self._by_title.values():
            self._pages.addWidget(page)
        for tabs in (self.monitor_page.left.tabs, self.engine_page.tabs, self.filter_page.tabs):
            tabs.wanted.connect(self.show_page)
        for signal in (
            self.monitors.known,
            self.monitors.screened,
            self.monitors.file_changed,
            self.monitors.recording_changed,
            self.engine.drawn,
            self.filter.drawn,
        ):
            signal.connect(self._on_changed)
        self._met: set[str] = set()
        self.show_page(str(services.settings.get("bench_page", MONITOR)))

    def _on_changed(self) -> None:
        """Say that actions may be others now, when the conditions really are."""
        met = self.conditions()
        if met != self._met:
            self._met = met
            self.changed.emit()

    @property
    def guide(self) -> str:
        return "monitor-on-set" if self._pages.currentWidget() is self.monitor_page else "engine"

    @property
    def page(self) -> QWidget:
        return self._pages

    @property
    def shown(self) -> str:
        """The title of the page that is shown."""
        return next(t for t, p in self._by_title.items() if p is self._pages.currentWidget())

    def show_page(self, title: str) -> None:
        """Show the page of monitors, the engine or the filter."""
        page = self._by_title.get(title, self.monitor_page)
        if self._pages.currentWidget() is not page:
            self._pages.setCurrentWidget(page)
            self.services.settings.set("bench_page", title)
            self.changed.emit()

    def _open(self, title: str) -> None:
        """Enter the room at a page: it is chosen first, so that the one before is not made ready too."""
        self.show_page(title)
        self.services.view.set(room=self.key)

    def bench_monitor(self) -> None:
        """Show the page of monitors."""
        self._open(MONITOR)

    def bench_engine(self) -> None:
        """Show the page of the engine."""
        self._open(ENGINE)

    def bench_filter(self) -> None:
        """Show the page of the phone filter."""
        self._open(FILTER)

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self, self.monitor_edits, self.card_edits, self.device_edits)

    @property
    def undo_stack(self) -> QUndoStack:
        return self.monitors.undo_stack

    @property
    def is_busy(self) -> bool:
        return self.monitors.is_busy or self.engine.is_busy or self.filter.is_busy

    @property
    def _played(self) -> EngineModel | None:
        """The model of the page that is shown, where that is not the monitor's."""
        return {ENGINE: self.engine, FILTER: self.filter}.get(self.shown)

    def bench_play(self) -> None:
        """Play the picture of the page, or hold it."""
        model = self._played
        if model is None:
            self.monitor_edits.play_or_hold()
        elif model.sight is not None:
            model.play(not model.clock.is_running)

    def bench_save(self) -> None:
        (self.filter_edits if self.shown == FILTER else self.engine_edits).save_frame()

    def bench_screenshot(self) -> None:
        self.engine_edits.give_screenshot()

    def conditions(self) -> set[str]:
        if not self.is_open:
            return set()
        met, rig, model = {"in_bench"}, self.monitors.rig, self._played
        if model is not None:
            if model.sight is not None:
                met |= {"has_signal", "has_picture"}
                if model is self.engine and model.sight.names:
                    met.add("has_drawn")
            return met
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
            met |= {"has_signal", "can_record"}
        return met

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take what is dropped while the room is open: LUT files, cards, screenshots."""
        if not self.is_open:
            return files
        if self.shown == MONITOR:
            return self.card_edits.take(files)
        return (self.filter_edits if self.shown == FILTER else self.engine_edits).take(files)

    def close(self) -> None:
        for model in (self.monitors, self.engine, self.filter):
            model.close()
        self._gl.close()
