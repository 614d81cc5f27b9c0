"""What is looked at and how, by action: rooms, modes of the Easel, zoom, surroundings."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication

from sfumato.app import theme
from sfumato.app.model.view_state import ViewState


class ViewEdits(QObject):
    """Carries out the actions of the View menu."""

    def __init__(self, window: Any, view: ViewState) -> None:
        super().__init__(window)
        self._window, self.view = window, view

    def room_look(self) -> None:
        self.view.set("room", "look")

    def room_convert(self) -> None:
        self.view.set("room", "convert")

    def mode_one(self) -> None:
        self.view.set("mode", "one")

    def mode_split(self) -> None:
        self.view.set("mode", "split")

    def mode_side(self) -> None:
        self.view.set("mode", "side")

    def mode_all(self) -> None:
        self.view.set("mode", "all")

    def mode_difference(self) -> None:
        self.view.set("mode", "difference")

    def turn_split(self) -> None:
        self.view.set("split_across", not self.view.get("split_across"))

    def swap_sides(self) -> None:
        a, b = self.view.get("a"), self.view.get("b")
        self.view.set("a", b)
        self.view.set("b", a)

    def zoom_fit(self) -> None:
        self._window.easel_panel.easel.set_zoom(None)

    def zoom_actual(self) -> None:
        self._window.easel_panel.easel.set_zoom(1.0)

    def zoom_in(self) -> None:
        self._window.easel_panel.easel.step_zoom(True)

    def zoom_out(self) -> None:
        self._window.easel_panel.easel.step_zoom(False)

    def next_mount(self) -> None:
        mounts = list(theme.MOUNTS)
        index = (mounts.index(self.view.get("mount")) + 1) % len(mounts)
        self.view.set("mount", mounts[index])

    def toggle_clipping(self) -> None:
        self.view.set("clipping", not self.view.get("clipping"))

    def toggle_instruments(self) -> None:
        self.view.set("instruments_shown", not self.view.get("instruments_shown"))

    def toggle_theme(self) -> None:
        light = not self._window.settings.get("light", False)
        self._window.settings.set("light", light)
        theme.install(QApplication.instance(), light)
        for widget in QApplication.allWidgets():
            widget.update()
