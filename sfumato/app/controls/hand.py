"""What all fields share: arrow keys with coarse and fine steps, and colours as painters take them."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding

COARSE, FINE = 5.0, 0.1
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


class Field(QWidget):
    """A control that is drawn. It takes the keyboard; `released()` says that the hand let go.

    `_held` is what the hand holds, nothing when it holds nothing.
    """

    released = Signal()

    def __init__(self, name: str, tip: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._held: Any = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        set_tip(self, tip)

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._held:
            self._held = None
            self.released.emit()

    @guarded
    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.released.emit()


def share(event: Any) -> float:
    """Return what the keys held down make of a step: Shift coarse, Alt fine."""
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        return COARSE
    return FINE if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0


def arrow(event: Any, step_x: float, step_y: float | None = None) -> tuple[float, float] | None:
    """Return the step that an arrow key asks for (right and up are positive), None for other keys."""
    way = _ARROWS.get(event.key())
    if way is None:
        return None
    size = share(event)
    return way[0] * step_x * size, way[1] * (step_x if step_y is None else step_y) * size


def distance(a: QPointF, b: QPointF) -> float:
    d = a - b
    return float((d.x() ** 2 + d.y() ** 2) ** 0.5)


def bounded(value: float, low: float, high: float) -> float:
    return min(max(value, low), high)


def srgb(lab: Any) -> Any:
    """Return uint8 sRGB of Oklab colours of display light, (..., 3); what sRGB lacks is clipped."""
    space = encoding("sRGB")
    light = oklab.to_light(np.asarray(lab, np.float32), space)
    return (np.clip(space.encode(light), 0, 1) * 255 + 0.5).astype(np.uint8)


def qcolor(rgb: Any) -> QColor:
    return QColor(*(int(v) for v in rgb))


@cache
def plane(light: float, radius: float, size: int = 72) -> QImage:
    """Return the Oklab plane at one lightness: a to the right, b up, both -radius..radius."""
    along = np.linspace(-radius, radius, size, dtype=np.float32)
    a, b = np.meshgrid(along, -along)
    return image_of(srgb(np.stack([np.full_like(a, light), a, b], -1)))
