"""What a control does, by right click and by Shift+F1 on whatever has the keyboard."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from sfumato.app.controls.explanation import Explanation
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.guard import guarded
from sfumato.app.labels import HELP, tip_of
from sfumato.app.services.services import Services
from sfumato.app.window.guide_window import GuideWindow


def said_of(widget: QWidget | None) -> tuple[str, str]:
    """Return a heading and the words about a widget: its own, or those of the nearest that holds it."""
    while widget is not None:
        tip = widget.property(HELP) or (tip_of(widget) if widget.toolTip() else "")
        if tip:
            text = getattr(widget, "text", None)
            own = text() if callable(text) else ""
            heading = widget.accessibleName() or str(own).rstrip("…") or tip.split(".")[0]
            return heading, tip
        widget = widget.parentWidget()
    return "", ""


def _below(widget: QWidget | None) -> QPoint:
    return widget.mapToGlobal(widget.rect().bottomLeft()) if widget is not None else QPoint()


class Explainer(QObject):
    """Watches what nobody below wants, in the window and in its sheets.

    That is a right click on a control without a menu of its own, and in a sheet, which the window's
    actions do not reach, Shift+F1 as well.
    """

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self._services = services
        self._page_of_room: Callable[[], str] = str
        self._guide: GuideWindow | None = None

    def watch(self, centre: QWidget, page_of_room: Callable[[], str]) -> None:
        """Answer right clicks that nothing inside of a widget wants; the guide opens at the room's page."""
        self._page_of_room = page_of_room
        centre.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        centre.customContextMenuRequested.connect(
            lambda at: self._show(centre.childAt(at), centre.mapToGlobal(at))
        )

    def watch_sheet(self, opened: QWidget) -> None:
        """Answer right clicks and Shift+F1 in a sheet of the window."""
        if isinstance(opened, QDialog):
            opened.installEventFilter(self)

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(watched, QDialog) and isinstance(event, QContextMenuEvent):
            return self._show(watched.childAt(event.pos()), event.globalPos())
        if isinstance(watched, QDialog) and isinstance(event, QKeyEvent):
            asked = (Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
            if event.type() == QEvent.Type.KeyPress and (event.key(), event.modifiers()) == asked:
                here = watched.focusWidget()
                return self._show(here, _below(here))
        return super().eventFilter(watched, event)

    def open_guide(self) -> None:
        """Open the guide at the page about the room."""
        if self._guide is None:
            self._guide = GuideWindow(self._services.window)
        self._guide.show_page(self._page_of_room())
        self._guide.show()
        self._guide.raise_()
        self._guide.activateWindow()

    def explain_control(self) -> None:
        """Say what the control does that has the keyboard; on a row of the Ledger what its glaze does."""
        here = QApplication.focusWidget() or self._services.window.focusWidget()
        at: QWidget | None = here
        while at is not None and not isinstance(at, RecordPanel):
            at = at.parentWidget()
        place = _below(here)
        if isinstance(at, RecordPanel) and here is not None:
            at.explain(here, place)
            return
        glaze = self._services.actions.by_id["explain_glaze"]
        if (here is None or not self._show(here, place)) and glaze.isEnabled():
            glaze.trigger()

    def _show(self, widget: QWidget | None, place: QPoint) -> bool:
        heading, words = said_of(widget)
        if widget is not None and words:
            Explanation(heading, [words], widget.window()).popup(place)
        return bool(words)
