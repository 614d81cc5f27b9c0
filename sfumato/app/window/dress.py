"""The window's dress: the theme's sheet on each of its parts, given to hidden ones when they are shown."""

from __future__ import annotations

import itertools
import time
from collections.abc import Sequence

from PySide6.QtCore import QChildEvent, QEvent, QObject, Qt, Signal
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import QApplication, QFrame, QMainWindow, QStackedWidget, QWidget
from shiboken6 import isValid

from sfumato.app import theme
from sfumato.app.guard import guarded
from sfumato.app.services.jobs import single_shot

_AT_ONCE = 0.015  # seconds of dressing before what is shown is seen for the first time
_APART, _LATE = 20, 8  # ms between two parts that nobody sees; so late the loop has other work
_WHOLE = 40  # widgets of a part that is not divided
_NAMED = ("panel", "rail")  # the names of parts that rules of the sheet are for
_DIRECT = Qt.FindChildOption.FindDirectChildrenOnly


class Dress(QObject):
    """Keeps the parts of a window, and the windows that open from it, in the chosen theme.

    A sheet of the whole window would dress the rooms that nobody sees as well, at up to a fifth of a
    millisecond for each widget: half a second where what is seen takes a tenth.
    """

    opened = Signal(QWidget)  # a window of its own: a sheet, a question, a menu

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._parts: list[QWidget] = []
        self._veils = set[QWidget]()  # hidden, with parts inside that wait for their dress
        self._waiting: list[QWidget | None] = []  # None: all that is seen is dressed
        self._next = single_shot(self, 0, self._dress_next)
        self._due = 0.0  # when it is to come, by `time.perf_counter`

    def add(self, *parts: QWidget, pages: Sequence[QWidget] = (), later: bool = False) -> None:
        """Dress parts of the window from now on, and each column of pages; none lies in another.

        What a page takes in later goes into one of its columns. `later`: nobody sees them, so that they
        need not be dressed in the turn that made them.
        """
        self._parts = [p for p in self._parts if isValid(p)]  # menus and sheets come and go
        within = [c for page in pages for c in page.findChildren(QWidget, options=_DIRECT)]
        pieces = list(itertools.chain.from_iterable(map(self._pieces, (*parts, *within))))
        self._parts += pieces
        if later:
            self._waiting += pieces
            self._watch(pieces)
            self._go_on()
            return
        for part in pieces:
            part.setStyleSheet(theme.sheet())

    def _pieces(self, part: QWidget) -> list[QWidget]:
        """Return what of a part is dressed by itself: of a large one that no rule is for, its children.

        So the pages of a stack that nobody sees wait until they are shown.
        """
        held = part.objectName() in _NAMED or part.property("torn")
        frame = isinstance(part, QFrame) and not isinstance(part, QStackedWidget)
        if held or frame or part.isWindow() or len(part.findChildren(QWidget)) <= _WHOLE:
            return [part]
        found = (self._pieces(c) for c in part.findChildren(QWidget, options=_DIRECT))
        return list(itertools.chain.from_iterable(found))

    @property
    def is_busy(self) -> bool:
        """Whether something that is seen waits for its dress."""
        return None in self._waiting

    def choose(self, light: bool) -> None:
        """Change the theme of what is seen, then of the rest: that lies ready when it is shown."""
        theme.choose(light)
        if not self._window.isVisible():
            self._set_ground()
        parts = [p for p in self._parts if isValid(p)]
        seen, unseen = ([p for p in parts if p.isVisible() is s] for s in (True, False))
        self._waiting = [*seen, None, *unseen]
        self._watch(unseen)
        self._go_on()

    def _set_ground(self) -> None:
        palette = QPalette(self._window.palette())
        palette.setColor(QPalette.ColorRole.Window, theme.colour("window"))
        self._window.setPalette(palette)

    def _watch(self, unseen: list[QWidget]) -> None:
        """Hear when parts are shown. Not of each: every event of what is watched costs a call."""
        for part in unseen:
            veil, above = part, part.parentWidget()
            while above is not None and not veil.isWindow():
                veil, above = above if above.isHidden() else veil, above.parentWidget()
            self._veils.add(veil)
            veil.installEventFilter(self)

    def _dress_next(self) -> None:
        """Dress one part a turn of the event loop, so that the window stays live; then paint anew.

        Parts that nobody sees come when there is nothing else to do.
        """
        if not self.is_busy and 1000 * (time.perf_counter() - self._due) > _LATE:
            self._go_on()
            return
        while self._waiting:
            part = self._waiting.pop(0)
            if part is None:
                self._set_ground()
                for opened in QApplication.topLevelWidgets():
                    opened.update()  # and what lies in it: half the time that each by itself takes
            elif not isValid(part) or not self._renew(part):
                continue
            self._go_on()
            return
        for veil in filter(isValid, self._veils):
            veil.removeEventFilter(self)
        self._veils.clear()

    def _go_on(self) -> None:
        apart = 0 if self.is_busy else _APART
        self._due = time.perf_counter() + apart / 1000
        self._next.start(apart)

    def _renew(self, part: QWidget) -> bool:
        """Dress a part for which another theme was chosen; whether it had not been yet."""
        stale = part.styleSheet() != theme.sheet()
        if stale:
            part.setStyleSheet(theme.sheet())
        return stale

    def take_in(self, opened: QWidget) -> None:
        """Dress a window that opens from the one of the program, and tell of it."""
        if opened not in self._parts:
            self.add(opened)
            self.opened.emit(opened)

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show and isinstance(watched, QWidget):
            watched.removeEventFilter(self)
            self._veils.discard(watched)
            self._dress_shown(watched)
        return False

    def _dress_shown(self, shown: QWidget) -> None:
        """Dress the parts in something that is shown now: before all others, and at once what is quickly done.

        A large room in one turn took 100 ms.
        """
        waiting = [p for p in self._waiting if p is not None and isValid(p)]
        inside = [p for p in waiting if p is shown or shown.isAncestorOf(p)]
        self._watch([p for p in inside if not p.isVisible()])
        seen = [p for p in inside if p.isVisible()]
        seen += [p for p in waiting if p.isVisible() and p not in seen]
        until = time.perf_counter() + _AT_ONCE
        while seen and time.perf_counter() < until:
            waiting.remove(seen[0])
            self._renew(seen.pop(0))
        if seen:
            self._waiting = [*seen, None, *(p for p in waiting if p not in seen)]
            self._go_on()


class DressedWindow(QMainWindow):
    """A window that has a dress, and gives it to the windows that open from it."""

    def __init__(self) -> None:
        super().__init__()
        self.dress = Dress(self)

    @guarded
    def childEvent(self, event: QChildEvent) -> None:
        """Take in a sheet before it is shown. An event filter would be called for each event of the
        window: for each action, sixty when another room opens.
        """
        super().childEvent(event)
        child = event.child()
        is_new = event.type() == QEvent.Type.ChildPolished
        if is_new and isinstance(child, QWidget) and child.isWindow():
            self.dress.take_in(child)
