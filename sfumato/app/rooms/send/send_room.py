"""The Send room: looks to outlets, whether the targets' pictures agree, and what was sent."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QWidget

from sfumato.app.rooms.send.outlet_edits import OutletEdits
from sfumato.app.rooms.send.send_edits import SendEdits
from sfumato.app.rooms.send.send_model import SendModel
from sfumato.app.rooms.send.send_page import SendPage
from sfumato.app.services.room import Room
from sfumato.app.services.services import Services


class SendRoom(Room):
    """Owns what is ticked, the pages, and what is done with outlets."""

    def __init__(self, services: Services) -> None:
        super().__init__("send", services)
        self.model = SendModel(services, self.key, self)
        self._page = SendPage(self.model)
        self.edits = SendEdits(services, self.model, self._page)
        self.outlets = OutletEdits(services, self.model, self._page)
        for signal in (
            self.model.known,
            self.model.ticks_changed,
            self.model.accord_changed,
            self.model.chosen_changed,
        ):
            signal.connect(self.changed)
        if self.model.keeps:
            self.model.ask()

    @property
    def guide(self) -> str:
        return "presets-to-an-editor"

    @property
    def page(self) -> QWidget:
        return self._page

    @property
    def owners(self) -> tuple[QObject, ...]:
        return self.edits, self.outlets

    @property
    def is_busy(self) -> bool:
        return self.model.is_busy or self.edits.is_busy or self._page.versions.is_busy

    def conditions(self) -> set[str]:
        if not self.is_open:
            return set()
        met = {"in_send"}
        if self.model.ticked_looks() and self.model.ticked_outlets():
            met.add("can_send")
        if self.model.behind():
            met.add("is_behind")
        if self.model.outlet is not None:
            met.add("has_outlet")
        if self.model.accord is not None:
            met.add("has_accord")
        return met

    def enter(self) -> None:
        self.model.ask()
        self.model.ask_accord()

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take files of looks that are dropped while the room is open."""
        return self.edits.take(files) if self.is_open else files

    def close(self) -> None:
        self.model.close()
        self._page.versions.close_lane()
