"""Blinking: while a key is held, sides A and B stand swapped."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent, Qt
from PySide6.QtWidgets import QApplication, QWidget

from sfumato.app.guard import guarded
from sfumato.app.services.view_state import ViewModel

KEYS = (("Hold B", "see the other side: A and B swapped until you let go"),)
_ENDS = (QEvent.Type.WindowDeactivate, QEvent.Type.ApplicationDeactivate)


class Blink(QObject):
    """Watches keys that nobody inside of its parts wants.

    The end is looked for everywhere: a control with the keyboard may keep the release of a key to itself.
    """

    def __init__(self, view: ViewModel, parent: QObject, parts: tuple[QWidget, ...]) -> None:
        super().__init__(parent)
        self._view, self._parts = view, parts
        for part in parts:
            part.installEventFilter(self)

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self._view.now.blink:
            is_release = (
                event.type() == QEvent.Type.KeyRelease
                and isinstance(event, QKeyEvent)
                and event.key() == Qt.Key.Key_B
                and not event.isAutoRepeat()
            )
            if is_release or event.type() in _ENDS:
                self._set(False)
        elif (
            watched in self._parts
            and event.type() == QEvent.Type.KeyPress
            and isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_B
            and not event.modifiers()
            and not event.isAutoRepeat()
        ):
            self._set(True)
            return True
        return False

    def _set(self, on: bool) -> None:
        application = QApplication.instance()
        if application is not None:
            (application.installEventFilter if on else application.removeEventFilter)(self)
        self._view.set(blink=on)
