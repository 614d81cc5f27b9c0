"""The Swatchbook room: the current shot through many looks."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QWidget

from sfumato.app.rooms.swatchbook import wall
from sfumato.app.rooms.swatchbook.swatch_edits import SwatchEdits
from sfumato.app.rooms.swatchbook.swatch_model import SwatchModel
from sfumato.app.rooms.swatchbook.swatch_page import SwatchPage
from sfumato.app.services.room import Room
from sfumato.app.services.services import Services


class SwatchbookRoom(Room):
    """Owns the wall's state, its page and what is done with looks."""

    keys = {"Wall of the Swatchbook": wall.KEYS}

    def __init__(self, services: Services) -> None:
        super().__init__("swatchbook", services)
        self.model = SwatchModel(services.desk, services.notices, self.key, self)
        self._page = SwatchPage(self.model)
        self.edits = SwatchEdits(services, self.model, self._page)
        self.model.files.undo_stack.indexChanged.connect(self.changed)
        self.model.chosen_changed.connect(self.changed)

    @property
    def guide(self) -> str:
        return "presets-to-an-editor"

    @property
    def page(self) -> QWidget:
        return self._page

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self.edits,)

    @property
    def undo_stack(self) -> QUndoStack:
        return self.model.files.undo_stack

    @property
    def is_busy(self) -> bool:
        return self.model.is_busy

    def conditions(self) -> set[str]:
        if not self.is_open:
            return set()
        return {"in_swatchbook"} | ({"has_swatch"} if self.model.chosen is not None else set())

    def enter(self) -> None:
        self.edits.read_folders()
        self.model.open()
        self._page.take_focus()

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        return self.edits.take(files) if self.is_open else files

    def close(self) -> None:
        self.model.close()
