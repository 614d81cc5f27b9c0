"""A person's hands and eyes on a real window; only the choosers of the desktop are stood in for."""

from __future__ import annotations

import faulthandler
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QEventLoop, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent, QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QWidget

from sfumato.app.controls.picker import Picker
from sfumato.app.labels import Shortens
from sfumato.app.services.rests import Rests
from sfumato.app.window.main_window import MainWindow

PATIENCE = 300  # seconds until what is waited for counts as never coming; a slow machine needs some
RESTS = Rests(
    picture=30, loss=40, folder=60, order=100, rooms=1_000_000
)  # rooms when they are opened
ROOMS = {  # what opens each room and page, with the button that fills it
    "room_look": "",
    "room_swatchbook": "",
    "trip_carriers": "",
    "trip_borrow": "",
    "room_convert": "luts.demo",
    "room_send": "",
    "room_apply": "",
    "bench_monitor": "",
    "bench_engine": "",
    "bench_filter": "",
}


class StandInPorts:
    """Answers for the person: what is set beforehand."""

    def __init__(self) -> None:
        self.pictures: list[Path] = []
        self.luts: list[Path] = []
        self.cdl: Path | None = None
        self.study: Path | None = None
        self.save: Path | None = None
        self.profile: Path | None = None
        self.lut_save: Path | None = None
        self.look_save: Path | None = None
        self.layout: Path | None = None
        self.sheet: Path | None = None
        self.revealed: Path | None = None
        self.config: Path | None = None
        self.folder: Path | None = None
        self.carrier: Path | None = None
        self.press: Path | None = None
        self.profile_save: Path | None = None
        self.unsaved = "drop"
        self.changed = "replace"
        self.stop = True
        self.parts: list[int] = []
        self.asked: list[str] = []
        self.name: str | None = None
        self.replace = False
        self.delete = True

    def choose_pictures(self, _parent, _folder, _title=None):
        return self.pictures

    def choose_luts(self, _parent, _folder, _title=None):
        return self.luts

    def choose_study(self, _parent, _folder):
        return self.study

    def choose_save(self, _parent, _suggested):
        return self.save

    def choose_cdl(self, _parent, _suggested):
        return self.cdl

    def choose_profile(self, _parent):
        return self.profile

    def choose_press(self, _parent):
        return self.press

    def choose_profile_save(self, _parent, _suggested):
        return self.profile_save

    def choose_lut_save(self, _parent, _suggested):
        return self.lut_save

    def choose_look_save(self, _parent, _suggested):
        return self.look_save

    def choose_carrier(self, _parent, _suggested):
        return self.carrier

    def choose_sheet(self, _parent, _suggested, _title=None):
        return self.sheet

    def choose_pack(self, _parent, _suggested):
        return self.sheet

    def choose_layout(self, _parent, _folder):
        return self.layout

    def choose_json(self, _parent, _suggested):
        return self.sheet

    def reveal(self, file):
        self.revealed = file

    def choose_config(self, _parent):
        return self.config

    def choose_folder(self, _parent, _folder, _title=None):
        return self.folder

    def ask_name(self, _parent, _title, suggested):
        return self.name or suggested

    def ask_replace(self, _parent, _name):
        return self.replace

    def ask_delete(self, _parent, _name, _words):
        return self.delete

    def choose_parts(self, _parent, name, looks, _one):
        self.asked.append(f"{name}: {', '.join(looks)}")
        return self.parts

    def ask_unsaved(self, _parent, _name):
        return self.unsaved

    def ask_changed(self, _parent, name):
        self.asked.append(name)
        return self.changed

    def ask_running(self, _parent, what):
        self.asked.append(what)
        return self.stop


class Hand:
    """A person's hands and eyes on one window."""

    def __init__(self, window: MainWindow, ports: StandInPorts) -> None:
        self.window, self.ports = window, ports
        self.shown: list = []
        window.desk.shown.connect(self.shown.append)
        self.notices: list[str] = []
        window.notices.said.connect(lambda *words: self.notices.append(" ".join(words[:4])))
        self.bugs: list[str] = []  # faults of the program itself, in work that nobody waited for
        window.notices.bug.connect(self.bugs.append)

    @property
    def study(self):
        return self.window.model.study

    def wait(self, ms: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(ms, loop.quit)
        loop.exec()

    def settle(self) -> None:
        """Wait until nothing is under way any more."""
        quiet = 0
        end = time.monotonic() + PATIENCE
        while quiet < 3:
            self.wait(20)
            quiet = 0 if self.window.is_busy else quiet + 1
            if time.monotonic() > end:
                faulthandler.dump_traceback(all_threads=True)
                raise AssertionError(f"the window did not come to rest: {self._busy()}")

    def words_cut(self) -> list[str]:
        """Return labels and buttons without room for their words, which do not say so by an ellipsis.

        Two pixels are no letter.
        """
        QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)
        found = []
        for kind in (QLabel, QPushButton):
            for widget in self.window.findChildren(kind):
                if not widget.isVisible():
                    continue
                wide, high = widget.width(), widget.height()
                least = widget.minimumSizeHint()
                needs = least.width()
                down = widget.heightForWidth(wide) if widget.hasHeightForWidth() else least.height()
                what = f"{type(widget).__name__} {widget.objectName()} {widget.text()[:60]!r}"
                if needs > wide + 2 and not isinstance(widget, Shortens):
                    found.append(f"{what} has {wide} pixels of {needs}")
                if down > high + 4:  # a line has 17; of 4 none of its letters goes
                    found.append(f"{what} has {high} pixels down of {down}")
        return found

    def until(self, ready: Callable[[], object]) -> None:
        """Wait until something is so."""
        end = time.monotonic() + PATIENCE
        while not ready():
            self.wait(20)
            assert time.monotonic() < end, "what is waited for did not come"

    def _busy(self) -> list[str]:
        """Return what is still under way, to the lane, timer or flag."""
        window = self.window
        parts = {"desk": window.desk, "queue": window.queue, "reading": window.reading}
        parts |= {"files": window.files, "dress": window.dress}
        parts |= {room.key: room for room in window.rooms}
        found, seen = [], set()

        def look(name: str, part: object, depth: int) -> None:
            if id(part) in seen or depth == 4 or not getattr(part, "is_busy", False):
                return
            seen.add(id(part))
            inner = vars(part) | getattr(part, "_lanes", {})
            flags = [k for k, v in inner.items() if v is True and "running" in k]
            found.append(" ".join([name, *flags]))
            for key, each in inner.items():
                if isinstance(each, QTimer) and each.isActive():
                    found.append(f"{name}.{key}")
                look(f"{name}.{key}", each, depth + 1)

        for name, part in parts.items():
            look(name, part, 0)
        return found

    def find(self, kind: type, name: str) -> QWidget:
        found = [w for w in self.window.findChildren(kind, name) if w.isVisible()]
        assert found, f"no visible {kind.__name__} named {name}"
        return found[-1]

    def click(
        self, widget: QWidget, at: QPointF | None = None, button=Qt.MouseButton.LeftButton
    ) -> None:
        QTest.mouseClick(
            widget, button, pos=at.toPoint() if at is not None else widget.rect().center()
        )

    def drag(self, widget: QWidget, start: QPointF, end: QPointF, steps: int = 6) -> None:
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start.toPoint())
        for i in range(1, steps + 1):
            at = start + (end - start) * (i / steps)
            QTest.mouseMove(widget, at.toPoint())
            QApplication.processEvents()
            self.wait(5)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end.toPoint())

    def keys(self, widget: QWidget, *keys, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        for key in keys:
            QTest.keyClick(widget, key, modifier)

    def turn(
        self,
        widget: QWidget,
        eighths: int,
        at: QPointF | None = None,
        held=Qt.KeyboardModifier.NoModifier,
    ) -> None:
        """Turn the wheel over a widget, in eighths of a degree: 120 are a notch."""
        place = at if at is not None else QPointF(widget.rect().center())
        event = QWheelEvent(
            place,
            QPointF(widget.mapToGlobal(place.toPoint())),
            QPoint(),
            QPoint(0, eighths),
            Qt.MouseButton.NoButton,
            held,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(widget, event)

    def drop(self, *files: Path, at: QPointF | None = None) -> None:
        """Drop files on the window, in its middle or at a place."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
        event = QDropEvent(
            at or QPointF(400, 400),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        self.window.dropEvent(event)
        while self.window.reading.is_busy:  # files are read by workers
            self.wait(10)

    def act(self, name: str) -> None:
        """Trigger an action by its id; it must be able to run."""
        action = self.window.actions_table.by_id[name]
        assert action.isEnabled(), f"{name} cannot run now"
        action.trigger()

    def menu(self, name: str) -> None:
        """Choose an entry of the menu that is open, by object name; of a list, by its key."""
        popup = QApplication.activePopupWidget()
        assert popup is not None
        if isinstance(popup, Picker):
            key = name.partition(".")[2]
            assert key in popup.keys
            popup.choose(key)
            return
        action = next(a for a in popup.actions() if a.objectName() == name)
        action.trigger()
        popup.close()

    def picture(self) -> QImage:
        return self.window.rooms["look"].easel_panel.easel.grab().toImage()

    def sees_elsewhere(self, picture: Callable[[], QImage | np.ndarray]) -> bool:
        """Whether a picture gets a veil as on a phone, and is as it was afterwards."""

        def pixels() -> np.ndarray:
            seen = picture()
            if not isinstance(seen, QImage):
                return seen.copy()
            seen = seen.convertToFormat(QImage.Format.Format_RGBX8888)
            return np.frombuffer(seen.constBits(), np.uint8).reshape(-1, 4)[:, :3].copy()

        plain = pixels()
        self.act("see_on_phone")
        self.settle()
        veiled = pixels()
        self.act("see_on_phone")
        self.settle()
        darkest = (float(np.percentile(p.mean(-1), 1)) for p in (plain, veiled))
        return next(darkest) + 2 < next(darkest) and np.array_equal(pixels(), plain)

    def easel_place(self, x: int, y: int) -> QPointF:
        """Return where a pixel of the picture lies on the Easel."""
        return self.window.rooms["look"].easel_panel.easel.widget_at(x, y)

    def pick(self, button: str, x: int, y: int) -> None:
        """Press a button that asks for a pick, and click a pixel of the picture."""
        self.click(self.find(QPushButton, button))
        self.settle()
        self.click(self.window.rooms["look"].easel_panel.easel, self.easel_place(x, y))
        self.settle()

    def colour_at(self, x: int, y: int) -> tuple[int, int, int]:
        """Return the colour on the screen of a pixel of the picture."""
        at = self.easel_place(x, y).toPoint()
        c = self.picture().pixelColor(at)
        return c.red(), c.green(), c.blue()
