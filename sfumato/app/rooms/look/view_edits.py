"""What is looked at and how, by action: rooms, modes of the Easel, zoom, surroundings."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication

from sfumato.app import theme
from sfumato.app.rooms.look.device_sheet import DeviceSheet
from sfumato.app.services.screen_profile import x11_profile
from sfumato.app.services.view_state import ViewState
from sfumato.app.views.easel import Easel
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.errors import MediaError, SfumatoError
from sfumato.work.files import read_bytes
from sfumato.work.preview.preview import DEVICE
from sfumato.work.screen import screen_of

DESKTOP, PLAIN = "desktop", "plain"
_MOST_PROFILE = 16 << 20


class ViewEdits(QObject):
    """Carries out the actions of the View menu."""

    def __init__(self, window: Any, view: ViewState) -> None:
        super().__init__(window)
        self._window, self.view = window, view
        self.device_sheet: DeviceSheet | None = None

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

    @property
    def _easel(self) -> Easel:
        """The Easel that is worked on: of the Look room, or the one that is painted on."""
        window = self._window
        painting = bool(window.paint_model.shot_id) and self.view.get("room") == "apply"
        return window.paint_page.easel if painting else window.easel_panel.easel

    def zoom_fit(self) -> None:
        self._easel.set_zoom(None)

    def zoom_actual(self) -> None:
        self._easel.set_zoom(1.0)

    def zoom_in(self) -> None:
        self._easel.step_zoom(True)

    def zoom_out(self) -> None:
        self._easel.step_zoom(False)

    def next_mount(self) -> None:
        mounts = list(theme.MOUNTS)
        index = (mounts.index(self.view.get("mount")) + 1) % len(mounts)
        self.view.set("mount", mounts[index])

    def simulate_target(self) -> None:
        """Show side B as a target makes it, and open the sheet of what that target is."""
        window = self._window
        self.view.set("b", DEVICE)
        if self.device_sheet is not None:
            self.device_sheet.raise_()
            return
        self.device_sheet = DeviceSheet(window.model, window.desk, window)
        self.device_sheet.destroyed.connect(self._forget_device)
        self.device_sheet.show()

    def _forget_device(self) -> None:
        self.device_sheet = None

    def tear_easel(self) -> None:
        """Put the Easel into a window of its own, or back."""
        window = self._window
        window.torn.toggle("easel", "Easel", window.easel_panel)

    def tear_instruments(self) -> None:
        """Put the Instruments into a window of their own, or back."""
        window = self._window
        self.view.set("instruments_shown", True)
        window.torn.toggle("instruments", "Instruments", window.instruments)

    def toggle_clipping(self) -> None:
        self.view.set("clipping", not self.view.get("clipping"))

    def toggle_instruments(self) -> None:
        self.view.set("instruments_shown", not self.view.get("instruments_shown"))

    # --- the screen --------------------------------------------------------------------------------
    def screen_desktop(self) -> None:
        self.take_screen(DESKTOP)

    def screen_plain(self) -> None:
        self.take_screen(PLAIN)

    def screen_profile(self) -> None:
        file = self._window.ports.choose_profile(self._window)
        if file is not None:
            self.take_screen(str(file))

    def take_screen(self, how: str) -> None:
        """Show pictures for the desktop's screen, for that of a profile file, or their plain codes."""
        try:
            self._window.desk.set_screen(self._screen(how))
        except SfumatoError as error:
            self._window.notices.fault(error)
            if self._window.desk.previewer.screen is None:
                self._window.desk.set_screen(encoding("sRGB"))
            return
        self._window.settings.set("screen", how)

    def _screen(self, how: str) -> Encoding | None:
        if how == PLAIN:
            return None
        if how != DESKTOP:
            return screen_of(read_bytes(Path(how), MediaError, _MOST_PROFILE))
        profile = None
        if QGuiApplication.platformName() == "xcb":
            screens = QGuiApplication.screens()
            here = self._window.screen()
            profile = x11_profile(screens.index(here) if here in screens else 0)
        return screen_of(profile) if profile else encoding("sRGB")

    def toggle_theme(self) -> None:
        light = not self._window.settings.get("light", False)
        self._window.settings.set("light", light)
        theme.install(QApplication.instance(), light)
        for widget in QApplication.allWidgets():
            widget.update()
