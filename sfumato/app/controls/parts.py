"""Parts of a widget: found by name, taken out of a layout; menus that go when they are closed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeVar

from PySide6.QtCore import Qt
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


def passing_menu(parent: QWidget) -> QMenu:
    """Return a menu that goes when it is closed; one inside another goes with that."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, not isinstance(parent, QMenu))
    return menu


def taken(layout: QLayout) -> Iterator[QWidget]:
    """Take everything out of a layout, and yield the widgets of it."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            yield widget
