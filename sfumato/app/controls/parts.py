"""Parts of a widget: found by name, taken out of a layout; menus that go when they are closed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TypeVar

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QLayout, QMenu, QWidget

W = TypeVar("W", bound=QWidget)


def part(parent: QWidget, kind: type[W], name: str) -> W:
    """Return the widget of that name inside another.

    Raises:
        KeyError: there is none.
    """
    found = parent.findChild(kind, name)
    if found is None:
        raise KeyError(name)
    return found


def tabbed(widgets: Iterable[QWidget]) -> None:
    """Let Tab go through widgets, and what is in each, in this order."""
    chain: list[QWidget] = []
    for widget in widgets:
        inside = (widget, *widget.findChildren(QWidget))
        here = [
            w for w in inside if w.window() is widget.window()
        ]  # lists that drop down stand apart
        chain += [w for w in here if w.focusPolicy() & Qt.FocusPolicy.TabFocus]
    for one, two in zip(chain, chain[1:], strict=False):
        QWidget.setTabOrder(one, two)


def passing_menu(parent: QWidget) -> QMenu:
    """Return a menu that goes when it is closed; one inside another goes with that."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, not isinstance(parent, QMenu))
    return menu


def popped_up(window: QWidget, place: QPoint) -> None:
    """Show a pop-up at a place of the screen, inside the screen."""
    window.adjustSize()
    room = window.screen().availableGeometry()
    x = min(place.x(), room.right() - window.width())
    y = min(place.y(), room.bottom() - window.height())
    window.move(max(x, room.left()), max(y, room.top()))
    window.show()


def taken(layout: QLayout) -> Iterator[QWidget]:
    """Take everything out of a layout, and yield the widgets of it."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            yield widget
