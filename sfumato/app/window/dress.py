"""The window's dress: the theme's sheet on each of its parts, given to hidden ones when they are shown."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QChildEvent, QEvent, QObject, Qt
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import QApplication, QMainWindow, QWidget
from shiboken6 import isValid

from sfumato.app import theme
from sfumato.app.guard import guarded
from sfumato.app.services.jobs import single_shot


class Dress(QObject):
    """Keeps the parts of a window, and the windows that open from it, in the chosen theme.

    A sheet of the whole window would dress the rooms that nobody sees as well, at up to a fifth of a
    millisecond for each widget: half a second where what is seen takes a tenth.
    """

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._parts: list[QWidget] = []
        self._waiting: list[QWidget] = []
        self._next = single_shot(self, 0, self._dress_next)
        window.installEventFilter(self)

    def add(self, *parts: QWidget, pages: Sequence[QWidget] = ()) -> None:
        """Dress parts of the window from now on, and each column of pages; none lies in another."""
        direct = Qt.FindChildOption.FindDirectChildrenOnly
        parts += tuple(c for page in pages for c in page.findChildren(QWidget, options=direct))
        self._parts = [p for p in self._parts if isValid(p)]  # menus and sheets come and go
        for part in parts:
            self._parts.append(part)
            part.installEventFilter(self)
            part.setStyleSheet(theme.sheet())

    def choose(self, light: bool) -> None:
        """Change the theme of what is seen; the rest follows when it is shown."""
        theme.choose(light)
        palette = QPalette(self._window.palette())
        palette.setColor(QPalette.ColorRole.Window, theme.colour("window"))
        self._window.setPalette(palette)
        self._waiting = [p for p in self._parts if isValid(p) and p.isVisible()]
        self._next.start()

    def _dress_next(self) -> None:
        """Dress one part a turn of the event loop, so that the window stays live; then paint anew."""
        while self._waiting:
            part = self._waiting.pop(0)
            if isValid(part) and part.styleSheet() != theme.sheet():
                part.setStyleSheet(theme.sheet())
                self._next.start()
                return
        for widget in QApplication.allWidgets():
            widget.update()

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self._window:
            if event.type() == QEvent.Type.ChildPolished and isinstance(event, QChildEvent):
                child = event.child()
                if isinstance(child, QWidget) and child.isWindow() and child not in self._parts:
                    self.add(child)
        elif (
            event.type() == QEvent.Type.Show
            and isinstance(watched, QWidget)
            and watched.styleSheet() != theme.sheet()
        ):
            watched.setStyleSheet(theme.sheet())
        return False
