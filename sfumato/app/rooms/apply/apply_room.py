"""The Apply room: shots through their Ground and the Look into new files, and painting on stills."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QStackedWidget, QWidget

from sfumato.app.rooms.apply import paint_easel
from sfumato.app.rooms.apply.apply_edits import ApplyEdits
from sfumato.app.rooms.apply.apply_page import ApplyPage
from sfumato.app.rooms.apply.paint_edits import PaintEdits
from sfumato.app.rooms.apply.paint_model import PaintModel
from sfumato.app.rooms.apply.paint_page import PaintPage
from sfumato.app.services.room import Room, Zooming
from sfumato.app.services.services import Services
from sfumato.formats.parts.registry import by_suffix as lut_suffix
from sfumato.media.parts.registry import by_suffix
from sfumato.work.files import is_folder


class ApplyRoom(Room):
    """Two pages: the shots and what they become, and the still that is painted on."""

    keys = {"Painting on a still": paint_easel.KEYS}

    def __init__(self, services: Services) -> None:
        super().__init__("apply", services)
        self.paint_model = PaintModel(services.desk, services.notices, self.key, self)
        self.shots_page = ApplyPage(services.model, services.desk.rests)
        self.paint_page = PaintPage(self.paint_model)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.shots_page)
        self.pages.addWidget(self.paint_page)
        self.edits = ApplyEdits(services, self.shots_page)
        self.paint_edits = PaintEdits(
            services, self.pages, self.shots_page, self.paint_page, self.paint_model, self.key
        )
        self.shots_page.table.currentCellChanged.connect(lambda *_places: self.changed.emit())
        self.paint_model.chosen_changed.connect(self.changed)

    @property
    def guide(self) -> str:
        return "painted-in"

    @property
    def page(self) -> QWidget:
        return self.pages

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self.edits, self.paint_edits)

    @property
    def is_painting(self) -> bool:
        return self.is_open and bool(self.paint_model.shot_id)

    @property
    def easel(self) -> Zooming | None:
        return self.paint_page.easel if self.is_painting else None

    @property
    def is_busy(self) -> bool:
        return self.paint_edits.is_busy

    def conditions(self) -> set[str]:
        true = {"has_still": self.paint_edits.can_paint, "is_painting": self.is_painting}
        return {k for k, v in true.items() if v}

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take LUT files: as layers of the still that is painted on, else in the place of the study."""
        if not self.is_open or any(is_folder(f) for f in files):
            return files
        luts = [f for f in files if lut_suffix(f.name) is not None and by_suffix(f.name) is None]
        if luts and self.is_painting:
            self.paint_edits.add_layers(luts)
        elif luts:
            self.edits.take_lut(luts[-1])
        return [f for f in files if f not in luts]

    def keep(self) -> None:
        self.services.settings.set("brush", self.paint_edits.kept_brush())

    def close(self) -> None:
        self.edits.close()
        self.paint_edits.close()
