"""What a glaze or one of its controls does to colour, in a small window beside it."""

from __future__ import annotations

import inspect
from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout

from sfumato.app.controls.editor import quiet
from sfumato.app.theme import strong_font
from sfumato.core.controls import Choice, Kind, Number, Triple
from sfumato.core.glaze import GlazeSpec


def facts(kind: Kind, default: Any) -> str:
    """Return the range and the default of a control in words, "" when there is nothing to say."""
    if isinstance(kind, Number):
        unit = f" {kind.unit}" if kind.unit else ""
        return f"{kind.least:g} to {kind.most:g}{unit}; {default:g} changes nothing of itself."
    if isinstance(kind, Triple):
        return (
            f"{kind.least:g} to {kind.most:g} for red, green and blue; {default[0]:g} is neutral."
        )
    if isinstance(kind, Choice):
        return "One of: " + ", ".join(kind.options) + "."
    return ""


def texts(spec: GlazeSpec, parameters: Any, field: str) -> tuple[str, list[str]]:
    """Return a heading and paragraphs: of one control, or of the whole glaze when `field` is ""."""
    table = spec.controls()
    if field in table:
        kind = table[field]
        found = [kind.help, facts(kind, getattr(type(parameters)(), field))]
        return f"{spec.title}: {kind.title}", [f for f in found if f]
    rule = inspect.getdoc(spec.run) or ""
    controls = "\n".join(f"{k.title}: {k.help}" for k in table.values())
    return spec.title, [spec.help, spec.more, controls, rule]


class Explanation(QFrame):
    """A pop-up; a click beside it or Esc closes it."""

    def __init__(self, spec: GlazeSpec, parameters: Any, field: str, parent) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("explanation")
        self.setFixedWidth(380)
        heading, paragraphs = texts(spec, parameters, field)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 14)
        column.setSpacing(8)
        title = QLabel(heading)
        title.setFont(strong_font(15))
        column.addWidget(title)
        for i, text in enumerate(p for p in paragraphs if p):
            label = QLabel(text) if i < 2 else quiet(text)
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(label)
        self.setAccessibleName(heading)

    def popup(self, place: QPoint) -> None:
        """Show it at a place of the screen, inside the screen."""
        self.adjustSize()
        room = self.screen().availableGeometry()
        x = min(place.x(), room.right() - self.width())
        y = min(place.y(), room.bottom() - self.height())
        self.move(max(x, room.left()), max(y, room.top()))
        self.show()
