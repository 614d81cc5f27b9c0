"""Painting by action: a still is opened to paint on, layers come from LUT files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QStackedWidget

from sfumato.app.rooms.apply.apply_room import ApplyRoom
from sfumato.app.rooms.apply.paint_model import PaintModel
from sfumato.app.rooms.apply.paint_page import PaintPage
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane
from sfumato.app.services.notices import Notices
from sfumato.core import controls
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.study.mask import Brush
from sfumato.work.results.apply import is_clip
from sfumato.work.stores.study_store import read_lut_file


class PaintEdits(QObject):
    """Switches the Apply room between its shots and the still that is painted on."""

    def __init__(
        self,
        window: Any,
        pages: QStackedWidget,
        room: ApplyRoom,
        page: PaintPage,
        model: PaintModel,
        desk: Desk,
        notices: Notices,
    ) -> None:
        super().__init__(window)
        self._window, self._pages, self._room, self._page = window, pages, room, page
        self._paint, self._desk, self._notices = model, desk, notices
        self._take_brush(str(window.settings.get("brush", "")))
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
        if shot is not None and not is_clip(shot.path):
            frames = self._desk.frames
            self._sizes.ask(lambda _cancel: (shot.id, frames.still(shot).size))

    def _on_size(self, answer: tuple[str, tuple[int, int]]) -> None:
        shot_id, size = answer
        self._desk.view.set("room", "apply")
        self._pages.setCurrentWidget(self._page)
        self._paint.open(shot_id)
        self._page.open_with(size)

    def back(self) -> None:
        self._paint.open("")
        self._pages.setCurrentWidget(self._room)
        self._room.refresh()

    def _on_chosen(self) -> None:
        self._window.refresh_actions()
        if not self._paint.shot_id and self._pages.currentWidget() is self._page:
            self._pages.setCurrentWidget(self._room)  # the shot is gone

    @property
    def can_paint(self) -> bool:
        """Whether a still is chosen where the window is."""
        room = self._desk.view.get("room")
        if room == "apply":
            return bool(self._room.chosen_still)
        shot = self._desk.shot
        return room == "look" and shot is not None and not is_clip(shot.path)

    # --- actions -------------------------------------------------------------------------------------
    def paint_still(self) -> None:
        """Paint on the still that is chosen in the Apply room, or shown in the Look room."""
        if self._desk.view.get("room") == "apply":
            self.open(self._room.chosen_still)
        elif self._desk.shot is not None:
            self.open(self._desk.shot.id)

    def paint_layer(self) -> None:
        files = self._window.ports.choose_luts(self._window, str(Path.home()))
        for file in files:
            self.add_layer(file)

    def add_layer(self, file: Path) -> None:
        """Lay a LUT file on the still."""
        try:
            self._paint.add(read_lut_file(file))
        except SfumatoError as error:
            self._notices.fault(error)

    def mask_invert(self) -> None:
        self._paint.invert()

    def mask_full(self) -> None:
        self._paint.fill(True)

    def mask_empty(self) -> None:
        self._paint.fill(False)

    def close(self) -> None:
        self._window.settings.set("brush", json.dumps(controls.dump(self._paint.brush)))
        self._sizes.close()
        self._paint.close()
