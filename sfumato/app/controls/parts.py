"""Parts of a widget: found by name, taken out of a layout."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeVar

from PySide6.QtWidgets import QLayout, QWidget

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


def taken(layout: QLayout) -> Iterator[QWidget]:
    """Take everything out of a layout, and yield the widgets of it."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            yield widget
