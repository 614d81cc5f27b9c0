"""What a glaze or one of its controls does to colour, in a small window beside it."""

from __future__ import annotations

import inspect
from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.guide_button import GuideButton
from sfumato.app.controls.parts import popped_up
from sfumato.app.labels import Label
from sfumato.app.theme import strong_font
from sfumato.core.controls import Choice, Kind, Number, Pad, Triple, kinds
from sfumato.core.glaze import GlazeSpec


def facts(kind: Kind, default: Any) -> str:
    """Return the range and the default of a control in words, "" when there is nothing to say."""
    if isinstance(kind, Number):
        unit = f" {kind.unit}" if kind.unit else ""
        return f"From {kind.least:g} to {kind.most:g}{unit}; {default:g}{unit} by default."
    if isinstance(kind, Triple | Pad):
        span = f"From {kind.least:g} to {kind.most:g} for red, green and blue"
        return f"{span}; {default[0]:g} by default."
    if isinstance(kind, Choice):
        return "One of: " + ", ".join(kind.options) + "."
    return ""


def of_control(title: str, record: Any, field: str) -> tuple[str, list[str]]:
    """Return a heading and paragraphs about one control of a record."""
    kind = kinds(record)[field]
    found = [kind.help, facts(kind, getattr(type(record)(), field))]
    return f"{title}: {kind.title}" if title else kind.title, [f for f in found if f]


def of_glaze(spec: GlazeSpec) -> tuple[str, list[str]]:
    """Return a heading and paragraphs: what it does, when to use it, its controls, its rule."""
    controls = "\n".join(f"{k.title}: {k.help}" for k in spec.controls().values())
    return spec.title, [spec.help, spec.more, controls, inspect.getdoc(spec.run) or ""]


class Explanation(QFrame):
    """A pop-up; a click beside it or Esc closes it."""

    def __init__(self, heading: str, paragraphs: list[str], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("explanation")
        self.setFixedWidth(380)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 14)
        column.setSpacing(8)
        title = Label(heading)
        title.setFont(strong_font(15))
        column.addWidget(title)
        for i, text in enumerate(p for p in paragraphs if p):
            label = Label(text) if i < 2 else quiet(text)
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(label)
        more = GuideButton("More in the guide")
        more.clicked.connect(self.close)
        column.addWidget(more, 0, Qt.AlignmentFlag.AlignLeft)
        self.setAccessibleName(heading)

    def popup(self, place: QPoint) -> None:
        """Show it at a place of the screen, inside the screen."""
        popped_up(self, place)
