"""Rows of a settings column: a title of one width, then what is set."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.labels import Label
from sfumato.core.controls import Number

TITLE_WIDTH = 96
STRENGTH = Number(
    title="Strength", least=0, most=200, step=1, digits=0, unit="%", help="How much of the look."
)


def as_panel(widget: QWidget, *, width: int = 0, height: int = 0) -> None:
    """Give a widget the ground of a panel, and a fixed width or height where one is said."""
    widget.setObjectName("panel")
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    if width:
        widget.setFixedWidth(width)
    if height:
        widget.setFixedHeight(height)


def panel_column(panel: QWidget, width: int) -> QVBoxLayout:
    """Make a widget a panel of a room, of that width; return its column."""
    as_panel(panel, width=width)
    column = QVBoxLayout(panel)
    column.setContentsMargins(14, 14, 14, 12)
    column.setSpacing(6)
    return column


def scrolled_panel(panel: QWidget, width: int) -> QVBoxLayout:
    """Make a widget a panel of that width whose column scrolls; return the column of what scrolls."""
    as_panel(panel, width=width)
    whole = QVBoxLayout(panel)
    whole.setContentsMargins(0, 0, 0, 0)
    inner = QWidget()
    column = QVBoxLayout(inner)
    column.setContentsMargins(14, 12, 14, 12)
    column.setSpacing(6)
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setWidget(inner)
    whole.addWidget(scroll)
    return column


class Row(QWidget):
    """A title and widgets beside it; the first fills the row unless it has a width of its own."""

    def __init__(
        self, title: str, *widgets: QWidget, stretch: int = 1, title_width: int = TITLE_WIDTH
    ) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        label = Label(title)
        label.setFixedWidth(title_width)
        line.addWidget(label)
        for i, widget in enumerate(widgets):
            line.addWidget(widget, stretch if i == 0 else 0)
            if not widget.accessibleName():
                widget.setAccessibleName(title)


def chooser(name: str, options: tuple[str, ...]) -> Chooser:
    box = Chooser()
    box.setObjectName(name)
    box.addItems(options)
    return box
