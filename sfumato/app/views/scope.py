"""The view of one instrument: it shows what was measured, and takes marks from the hand."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.views import instruments as package
from sfumato.app.views.graph import WAYS, Graph
from sfumato.app.views.instrument import Instrument
from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.discover import specs
from sfumato.core.measure.scopes import Band

KEYS = (
    ("Wheel, +, −", "zoom"),
    ("Double click, 0", "show all of it"),
    ("Middle button and drag", "move what is shown"),
    ("Drag", "mark a band, or turn the cube"),
    ("Up, Down", "move the band, or turn the cube (Shift coarse)"),
    ("B", "mark a band by keyboard, or let it go"),
)


@cache
def instruments() -> Mapping[str, Instrument]:
    """Return every instrument by key, in menu order: the modules of `app/views/instruments/`."""
    found = sorted(specs(package).values(), key=lambda s: s.order)
    return {spec.key: spec for spec in found}


@frozen(eq=False)
class Pick:
    """A colour under the hand: what the display shows, what enters the Look, how far across it lies."""

    shown: Rgb
    entering: Rgb | None
    across: float


class ScopeView(Graph):
    """Shows one instrument; `band_marked(Band)`, or None when it is let go."""

    band_marked = Signal(object)

    def __init__(self, kind: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.spec = instruments()[kind]
        self.data: Any = None
        self.image: QImage | None = None
        self.reference: Any = None
        self.reference_image: QImage | None = None
        self.band: Band | None = None
        self.pick: Pick | None = None

    @property
    def kind(self) -> str:
        return self.spec.key

    # --- what to show ------------------------------------------------------------------------------
    def show_data(self, kind: str, data: Any, reference: Any = None) -> None:
        """Show an instrument's data, and that of a pinned shot in grey."""
        if kind != self.kind:
            self.reset()
        self.spec = spec = instruments()[kind]
        self.data, self.reference = data, reference
        self.image = image_of(data) if spec.is_picture and data is not None else None
        lies_under = spec.is_picture and reference is not None
        self.reference_image = image_of(reference) if lies_under else None
        self.setAccessibleDescription(spec.title)
        set_tip(self, spec.help)
        self.update()

    def show_scale(self, unit: str, space: Encoding, limits: bool) -> None:
        """Say in what the graticule counts, of which encoding the levels are, and if limits are shown."""
        if (unit, space, limits) != (self.unit, self.space, self.limits):
            self.unit, self.space, self.limits = unit, space, limits
            self.update()

    def show_band(self, band: Band | None) -> None:
        if band != self.band:
            self.band = band
            self.update()

    def show_pick(self, shown: Any, entering: Any = None, across: float = 0.0) -> None:
        """Mark a colour; None lets it go."""
        self.pick = None
        if shown is not None:
            known = None if entering is None else np.asarray(entering)
            self.pick = Pick(np.asarray(shown), known, across)
        self.update()

    # --- geometry ----------------------------------------------------------------------------------
    @property
    def turns(self) -> bool:
        return self.spec.turns

    def area(self) -> QRectF:
        return self.spec.area(QRectF(self.rect()))

    def zoomed(self) -> tuple[bool, bool]:
        return self.spec.zooms

    # --- hand --------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() == Qt.MouseButton.LeftButton and self.spec.marks:
            self._drag = "band"

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        if self._drag == "band" and self._is_far(event.position()):
            band = self.spec.band_between(self, self._from, event.position())
            self.band_marked.emit(band)

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag == "band" and not self._is_far(event.position()):
            self.band_marked.emit(None)
        super().mouseReleaseEvent(event)

    def _is_far(self, at: QPointF) -> bool:
        return (at - self._from).manhattanLength() > 3

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        coarse = 5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        if key == Qt.Key.Key_B and self.spec.marks:
            self.band_marked.emit(None if self.band is not None else self.spec.first_band())
        elif not self.turns and self.band is not None and key in WAYS:
            self.band_marked.emit(_moved(self.band, *(0.01 * coarse * w for w in WAYS[key])))
        else:
            super().keyPressEvent(event)

    def paint_data(self, painter: QPainter) -> None:
        self.spec.paint(self, painter)


def _moved(band: Band, x: float, y: float) -> Band:
    """Return a band moved by steps, where it stays within the data."""
    steps = (2 * x, 2 * y) if band.plane else (x + y,)
    low = tuple(v + s for v, s in zip(band.low, steps, strict=True))
    high = tuple(v + s for v, s in zip(band.high, steps, strict=True))
    least = -1.0 if band.plane else 0.0
    if min(low) < least or max(high) > 1:
        return band
    return Band(band.channel, low, high, band.plane)
