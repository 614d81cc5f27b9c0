"""Painting by action: a still is opened to paint on, layers come from LUT files."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QStackedWidget

from sfumato.app.rooms.apply.apply_page import ApplyPage
from sfumato.app.rooms.apply.paint_model import PaintModel
from sfumato.app.rooms.apply.paint_page import PaintPage
from sfumato.app.services.jobs import Lane
from sfumato.app.services.parts import with_parts
from sfumato.app.services.services import Services
from sfumato.core import controls
from sfumato.core.controls import LutFile
from sfumato.core.errors import ValueRefused
from sfumato.core.study.mask import Brush
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.frames import is_still
from sfumato.work.stores.study_store import read_lut_file


class PaintEdits(QObject):
    """Switches the Apply room between its shots and the still that is painted on."""

    def __init__(
        self,
        services: Services,
        pages: QStackedWidget,
        room: ApplyPage,
        page: PaintPage,
        model: PaintModel,
        key: str,
    ) -> None:
        super().__init__(services.window)
        self.services, self._pages, self._room, self._page = services, pages, room, page
        self._paint, self._desk, self._key = model, services.desk, key
        notices = services.notices
        self._take_brush(str(services.settings.get("brush", "")))
        self._sizes = Lane("paint size", self)
        self._sizes.answered.connect(self._on_size)
        self._sizes.refused.connect(notices.fault)
        self._sizes.crashed.connect(notices.bug)
        room.paint_wanted.connect(self.open)
        page.back_wanted.connect(self.back)
        page.lut_wanted.connect(self.paint_layer)
        model.chosen_changed.connect(self._on_chosen)

    def _take_brush(self, text: str) -> None:
        """Take the brush of before; a damaged one is passed over."""
        try:
            self._paint.set_brush(controls.load(Brush, dict(json.loads(text))))
        except (ValueError, TypeError, ValueRefused):
            return

    @property
    def is_busy(self) -> bool:
        return self._sizes.is_busy or self._paint.is_busy

    def open(self, shot_id: str) -> None:
        """Show a still to paint on, as soon as it is decoded."""
        shot = next((s for s in self._desk.model.study.shots if s.id == shot_id), None)
        if shot is not None and is_still(shot):
            frames = self._desk.frames
            self._sizes.ask(lambda _cancel: (shot.id, frames.size(shot)))

    def _on_size(self, answer: tuple[str, tuple[int, int]]) -> None:
        shot_id, size = answer
        if all(s.id != shot_id for s in self._desk.model.study.shots):
            return  # taken out while its size was read
        self._paint.open(shot_id)
        self._pages.setCurrentWidget(self._page)
        self._desk.view.set(room=self._key)
        self._page.open_with(size)

    def back(self) -> None:
        self._paint.open("")
        self._pages.setCurrentWidget(self._room)
        self._room.refresh()

    def _on_chosen(self) -> None:
        if not self._paint.shot_id and self._pages.currentWidget() is self._page:
            self._pages.setCurrentWidget(self._room)  # the shot is gone

    @property
    def can_paint(self) -> bool:
        """Whether a still is chosen where the window is."""
        return bool(self._room.chosen_still) if self._is_open else is_still(self._desk.shot)

    @property
    def _is_open(self) -> bool:
        return self._desk.view.now.room == self._key

    # --- actions -------------------------------------------------------------------------------------
    def paint_still(self) -> None:
        """Paint on the still that is chosen in this room, or shown in another."""
        if self._is_open:
            self.open(self._room.chosen_still)
        elif self._desk.shot is not None:
            self.open(self._desk.shot.id)

    def paint_layer(self) -> None:
        files = self.services.ports.choose_luts(
            self.services.window, str(Path.home()), "LUT files for layers"
        )
        self.add_layers(files)

    def add_layers(self, files: list[Path]) -> None:
        """Lay LUT files on the still, one over the other."""
        with_parts(self.services, files, self._add_looks)

    def _add_looks(self, files: list[Path]) -> None:
        for file in files:
            self.services.reading.add(
                f"Reading {file.name}",
                _reading(file),
                then=self._paint.add,
            )

    def mask_invert(self) -> None:
        self._paint.invert()

    def mask_full(self) -> None:
        self._paint.fill(True)

    def mask_empty(self) -> None:
        self._paint.fill(False)

    def kept_brush(self) -> str:
        """Return the brush as it is kept between sessions."""
        return json.dumps(controls.dump(self._paint.brush))

    def close(self) -> None:
        self._sizes.close()
        self._paint.close()


def _reading(file: Path) -> Callable[[Cancel, Progress], LutFile]:
    return lambda _cancel, _progress: read_lut_file(file)
