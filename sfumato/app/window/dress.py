"""The window's dress: the theme's sheet on each of its parts, given to hidden ones when they are shown."""

from __future__ import annotations

from PySide6.QtCore import QChildEvent, QEvent, QObject
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import QApplication, QMainWindow, QWidget
from shiboken6 import isValid

from sfumato.app import theme
from sfumato.app.guard import guarded


class Dress(QObject):
    """Keeps the parts of a window, and the windows that open from it, in the chosen theme.

    A sheet of the whole window would dress the rooms that nobody sees as well, at a tenth of a
    millisecond for each widget: 0.3 s where a room or two would take 0.1 s.
    """

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._parts: list[QWidget] = []
        window.installEventFilter(self)

    def add(self, *parts: QWidget) -> None:
        """Dress parts of the window from now on; none lies in another."""
        self._parts = [p for p in self._parts if isValid(p)]  # menus and sheets come and go
        for part in parts:
            self._parts.append(part)
            part.installEventFilter(self)
            part.setStyleSheet(theme.sheet())

    def choose(self, light: bool) -> None:
        """Change the theme: of what is seen at once."""
        theme.choose(light)
        palette = QPalette(self._window.palette())
        palette.setColor(QPalette.ColorRole.Window, theme.colour("window"))
        self._window.setPalette(palette)
        for part in self._parts:
            if isValid(part) and part.isVisible():
                part.setStyleSheet(theme.sheet())
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
