"""What all rooms stand in, by action: the zoom of the picture, the screen's colours, light or dark."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QByteArray, QObject
from PySide6.QtGui import QGuiApplication

from sfumato._version import VERSION
from sfumato.app.services.room import Zooming
from sfumato.app.services.screen_profile import x11_profile
from sfumato.app.services.services import Services
from sfumato.app.window.dress import Dress
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.surround import PHONE, ROOM, Surround, in_surround
from sfumato.core.errors import MediaError, SfumatoError
from sfumato.work.files import read_bytes
from sfumato.work.screen import screen_of

DESKTOP, PLAIN = "desktop", "plain"
_MOST_PROFILE = 16 << 20


class Surroundings(QObject):
    """`easel` returns the picture of the room that is open."""

    def __init__(
        self, services: Services, easel: Callable[[], Zooming | None], dress: Dress
    ) -> None:
        super().__init__(services.window)
        self.services, self._easel, self._dress = services, easel, dress
        self._screen_there: Encoding | None = None
        self._surround: Surround | None = None  # in which pictures are seen just now; never kept

    def conditions(self) -> set[str]:
        """Return which of the choices are on, as `ActionSpec.on` names them."""
        how = self.services.settings.get("screen", DESKTOP)
        on = {f"screen_{how if how in (DESKTOP, PLAIN) else 'profile'}"}
        if self._surround is not None:
            on.add("on_phone" if self._surround is PHONE else "in_room")
        return on

    def restore(self) -> None:
        """Let the window lie where it lay, and show pictures for the screen of before."""
        geometry = self.services.settings.get("geometry")
        if isinstance(geometry, QByteArray):
            self.services.window.restoreGeometry(geometry)
        self._stay_inside()
        self.take_screen(str(self.services.settings.get("screen", DESKTOP)))

    def _stay_inside(self) -> None:
        """Keep the window within its screen, which may be smaller than where it was made."""
        window = self.services.window
        screen = window.screen()
        if screen is None or window.isMaximized() or window.isFullScreen():
            return
        room = screen.availableGeometry()
        window.resize(window.size().boundedTo(room.size()))
        place = window.frameGeometry()
        x = max(room.left(), min(place.x(), room.right() + 1 - place.width()))
        y = max(room.top(), min(place.y(), room.bottom() + 1 - place.height()))
        if (x, y) != (place.x(), place.y()):
            window.move(x, y)

    def about(self) -> None:
        self.services.notices.note(
            f"Sfumato {VERSION}: builds LUTs from grades and proves them", "MIT licence"
        )

    # --- zoom --------------------------------------------------------------------------------------
    def _zoom(self, zoom: float | None) -> None:
        easel = self._easel()
        if easel is not None:
            easel.set_zoom(zoom)

    def _step(self, closer: bool) -> None:
        easel = self._easel()
        if easel is not None:
            easel.step_zoom(closer)

    def zoom_fit(self) -> None:
        self._zoom(None)

    def zoom_actual(self) -> None:
        self._zoom(1.0)

    def zoom_in(self) -> None:
        self._step(True)

    def zoom_out(self) -> None:
        self._step(False)

    # --- the screen --------------------------------------------------------------------------------
    def screen_desktop(self) -> None:
        self.take_screen(DESKTOP)
        screen = self._screen_there
        if screen is not None and screen.name == "sRGB":
            self.services.notices.note(
                "This desktop does not tell of its screen: it is taken for sRGB",
                "another can be chosen: View, Screen, Show pictures for a screen profile",
            )

    def screen_plain(self) -> None:
        self.take_screen(PLAIN)

    def screen_profile(self) -> None:
        file = self.services.ports.choose_profile(self.services.window)
        if file is not None:
            self.take_screen(str(file))

    def take_screen(self, how: str) -> None:
        """Show pictures for the desktop's screen, for that of a profile file, or their plain codes."""
        try:
            self._show_on(self._screen(how))
        except SfumatoError as error:
            self.services.notices.fault(error)
            if self._screen_there is None:
                self._show_on(encoding("sRGB"))
            return
        self.services.settings.set("screen", how)

    def _show_on(self, screen: Encoding | None) -> None:
        self._screen_there = screen
        if self._surround is not None:
            screen = in_surround(screen or encoding("sRGB"), self._surround)
        self.services.desk.set_screen(screen)

    def see_on_phone(self) -> None:
        self._see(PHONE)

    def see_in_room(self) -> None:
        self._see(ROOM)

    def _see(self, surround: Surround) -> None:
        """Show pictures as they look elsewhere; once more, as they are."""
        self._surround = None if surround is self._surround else surround
        self._show_on(self._screen_there)
        if self._surround is not None:
            self.services.notices.note(
                f"Pictures are shown as they look {surround.title}",
                "for the eye alone: no number, LUT or file changes; the same command ends it",
            )

    def _screen(self, how: str) -> Encoding | None:
        if how == PLAIN:
            return None
        if how != DESKTOP:
            return screen_of(read_bytes(Path(how), MediaError, _MOST_PROFILE))
        profile = None
        if QGuiApplication.platformName() == "xcb":
            screens = QGuiApplication.screens()
            here = self.services.window.screen()
            profile = x11_profile(screens.index(here) if here in screens else 0)
        return screen_of(profile) if profile else encoding("sRGB")

    # --- light or dark -----------------------------------------------------------------------------
    def toggle_theme(self) -> None:
        light = not self.services.settings.get("light", False)
        self.services.settings.set("light", light)
        self._dress.choose(light)
