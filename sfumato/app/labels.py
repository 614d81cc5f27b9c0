"""Words on the screen are plain text: names come from strangers, and Qt would read them as pages."""

from __future__ import annotations

import html
from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget


class Label(QLabel):
    """A label that shows its text letter by letter; every label of the application is one."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class _HasTip(Protocol):
    def setToolTip(self, text: str, /) -> None: ...


HELP = "help"  # the property of a widget whose words are shown only when they are asked for


def set_help(widget: QWidget, text: str) -> None:
    """Give a widget words for Shift+F1 and a right click alone: a tip over a picture would hide it."""
    widget.setProperty(HELP, text)


def set_tip(what: _HasTip, text: str) -> None:
    """Give a widget, an item or an action a tip that shows its text letter by letter."""
    if "<" in text or "&" in text:
        text = f'<span style="white-space: pre-wrap">{html.escape(text)}</span>'
    what.setToolTip(text)
