"""The Convert room: LUT files in, examined and put right, LUT files out."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QWidget

from sfumato.app.rooms.convert.conversions import Conversions
from sfumato.app.rooms.convert.convert_model import ConvertModel
from sfumato.app.rooms.convert.convert_page import ConvertPage
from sfumato.app.services.room import Room
from sfumato.app.services.services import Services
from sfumato.formats.parts.registry import by_suffix
from sfumato.work.files import is_folder
from sfumato.work.luts.looks import SUFFIXES as LOOKS


class ConvertRoom(Room):
    """Owns the list of files, its page and what is done with them."""

    def __init__(self, services: Services) -> None:
        super().__init__("convert", services)
        self.model = ConvertModel(services.notices, self)
        self._page = ConvertPage(self.model)
        self.edits = Conversions(services, self.model, self._page, self.key)
        self.model.undo_stack.indexChanged.connect(self.changed)
        self.model.chosen_changed.connect(self.changed)

    @property
    def guide(self) -> str:
        return "formats"

    @property
    def page(self) -> QWidget:
        return self._page

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self.edits,)

    @property
    def undo_stack(self) -> QUndoStack:
        return self.model.undo_stack

    @property
    def is_busy(self) -> bool:
        return self.edits.is_busy

    def conditions(self) -> set[str]:
        return {"has_lut"} if self.is_open and self.model.entry() is not None else set()

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take LUT files and folders; from other rooms only when a folder is among them."""
        luts = [f for f in files if is_folder(f) or by_suffix(f.name) is not None]
        if self.is_open:
            luts += [f for f in files if f.suffix in LOOKS]
        if not luts or not (self.is_open or any(is_folder(f) for f in luts)):
            return files
        self.edits.take(luts)
        return [f for f in files if f not in luts]

    def keep(self) -> None:
        self.services.settings.set("convert", self.model.bench.kept())

    def close(self) -> None:
        self.edits.close()
