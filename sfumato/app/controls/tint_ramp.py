"""The tint ramp: stops of colour on the axis from black to white."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from sfumato.app.controls.chroma_pad import ChromaPad
from sfumato.app.controls.editor import Editor, fresh, quiet
from sfumato.app.controls.hand import Field, arrow, bounded, distance, qcolor, srgb
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import colour, focus_ring
from sfumato.core.controls import MOST_STOPS, STOP, STOP_GAP, Ramp, Stop, Stops
from sfumato.core.glazes.tints import shifts, with_stop
from sfumato.core.pchip import evaluate

KEYS = (
    ("Left, Right", "move the chosen stop along the tones (Shift coarse, Alt fine)"),
    ("Up, Down", "make its tint stronger or weaker"),
    ("Page Up, Page Down", "choose the next stop"),
    ("Insert", "add a stop in the widest gap"),
    ("Delete, right click", "take the stop away"),
)
_EDGE, _GREYS, _TINTS, _STOPS = 8, 10, 24, 18
_MOST_CHROMA = 0.12  # at the edge of the pad


class TintRamp(Field):
    """The stops as circles under the ramp they make. `edited(stops)`, `released()`, `chosen_changed()`."""

    edited = Signal(object)
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__(
            "Tint ramp",
            "Click to add a stop at a tone, drag it along the tones; Delete or right click takes it away.\n"
            "Left and Right move it, Up and Down change its chroma; Page Up and Page Down choose.",
        )
        self.stops: Stops = ()
        self.chosen = -1
        self.setFixedHeight(_GREYS + _TINTS + _STOPS + 4)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)

    # --- geometry and state ----------------------------------------------------------------------
    def place(self, tone: float) -> QPointF:
        """Return where the circle of a stop lies."""
        return QPointF(_EDGE + tone * (self.width() - 2 * _EDGE), _GREYS + _TINTS + _STOPS / 2 + 2)

    def _tone(self, x: float) -> float:
        return bounded((x - _EDGE) / (self.width() - 2 * _EDGE), 0.0, 1.0)

    def show_stops(self, stops: Stops) -> None:
        if stops != self.stops:
            self.stops = stops
            self.chosen = min(self.chosen, len(stops) - 1)
            if self.chosen < 0 and stops:
                self.chosen = 0
            self.update()

    def stop(self) -> Stop | None:
        return self.stops[self.chosen] if 0 <= self.chosen < len(self.stops) else None

    def choose(self, index: int) -> None:
        self.chosen = index
        self.chosen_changed.emit()
        self.update()

    def add(self, tone: float) -> None:
        """Put a stop at a tone, of the tint that is there, and choose it."""
        stops = with_stop(self.stops, tone)
        changed = stops != self.stops
        self.stops = stops
        if stops:
            self.choose(min(range(len(stops)), key=lambda i: abs(stops[i][0] - tone)))
        if changed:
            self.edited.emit(stops)

    def put(self, stop: Stop) -> None:
        """Give the chosen stop other numbers, its tone held between its neighbours."""
        if self.stop() is None:
            return
        tone, hue, chroma, width = (
            round(bounded(v, k.least, k.most), 4) for v, k in zip(stop, STOP, strict=True)
        )
        low = self.stops[self.chosen - 1][0] + STOP_GAP if self.chosen else 0.0
        last = self.chosen + 1 == len(self.stops)
        high = 1.0 if last else self.stops[self.chosen + 1][0] - STOP_GAP
        stop = (round(bounded(tone, low, high), 4), hue, chroma, width)
        if stop != self.stop():
            self.stops = (*self.stops[: self.chosen], stop, *self.stops[self.chosen + 1 :])
            self.update()
            self.edited.emit(self.stops)

    def remove(self) -> None:
        if self.stop() is not None:
            self.stops = (*self.stops[: self.chosen], *self.stops[self.chosen + 1 :])
            self.choose(min(self.chosen, len(self.stops) - 1))
            self.edited.emit(self.stops)
            self.released.emit()

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        near = [i for i, s in enumerate(self.stops) if distance(self.place(s[0]), at) < 11]
        if event.button() == Qt.MouseButton.RightButton:
            if near:
                self.choose(near[0])
                self.remove()
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if near:
            self.choose(near[0])
        elif len(self.stops) < MOST_STOPS:
            self.add(self._tone(at.x()))
        self._held = True

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        stop = self.stop()
        if self._held and stop is not None:
            self.put((self._tone(event.position().x()), *stop[1:]))

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, stop, step = event.key(), self.stop(), arrow(event, 0.01, 0.002)
        if step is not None and stop is not None:
            tone, hue, chroma, width = stop
            self.put((tone + step[0], hue, chroma + step[1], width))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key == Qt.Key.Key_Insert:
            tones = [0.0, *(s[0] for s in self.stops), 1.0]
            gaps = [(b - a, (a + b) / 2) for a, b in zip(tones, tones[1:], strict=False)]
            self.add(max(gaps)[1])
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self.stops:
            self.choose((self.chosen + (1 if key == Qt.Key.Key_PageUp else -1)) % len(self.stops))
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        tones = np.linspace(0, 1, 128, dtype=np.float32)
        lab = np.zeros((128, 3), np.float32)
        lab[:, 0] = 0.12 + 0.85 * tones
        across = QRectF(_EDGE, 0, self.width() - 2 * _EDGE, _GREYS)
        painter.drawImage(across, image_of(srgb(lab)[None]))
        if self.stops:
            for axis, curve in enumerate(shifts(self.stops), 1):
                lab[:, axis] = evaluate(curve, tones)
        painter.drawImage(
            QRectF(across.left(), _GREYS + 1, across.width(), _TINTS), image_of(srgb(lab)[None])
        )
        line = self.place(0).y()
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(self.place(0), self.place(1))
        for i, (tone, hue, chroma, width) in enumerate(self.stops):
            at, angle = self.place(tone), math.radians(hue)
            half = width / 2 * across.width()
            painter.setPen(QPen(colour("text"), 3, c=Qt.PenCapStyle.FlatCap))
            painter.drawLine(
                QPointF(max(at.x() - half, _EDGE), line),
                QPointF(min(at.x() + half, across.right()), line),
            )
            painter.setPen(QPen(colour("text"), 1))
            painter.drawLine(QPointF(at.x(), _GREYS), QPointF(at.x(), line - 6))
            shown = srgb([0.66, 3 * chroma * math.cos(angle), 3 * chroma * math.sin(angle)])
            painter.setPen(QPen(colour("yellow" if i == self.chosen else "text"), 2))
            painter.setBrush(qcolor(shown))
            painter.drawEllipse(at, 6.5, 6.5)
        if not self.stops:
            painter.setPen(colour("quiet"))
            box = self.rect().adjusted(0, _GREYS + _TINTS + 2, 0, 0)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "Click a tone to tint it")
        focus_ring(self, painter)


class RampEditor(Editor):
    """The ramp, and for the chosen stop a chroma pad and its four numbers."""

    def __init__(self, field: str, kind: Ramp, _default: Stops) -> None:
        super().__init__()
        self._field = field
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.ramp = TintRamp()
        self.ramp.setObjectName("ramp")
        set_tip(self, kind.help)
        column.addWidget(self.ramp)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.pad = ChromaPad("Tint of the stop", 92)
        self.pad.setObjectName("tint.pad")
        row.addWidget(self.pad)
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        self._which = quiet("")
        grid.addWidget(self._which, 0, 0, 1, 2)
        self.numbers: list[ScrubNumber] = []
        for i, part in enumerate(STOP):
            number = ScrubNumber(part, -1.0)
            number.setObjectName(f"stop.{part.title.lower()}")
            number.edited.connect(self._typed)
            number.released.connect(self.released)
            label = quiet(part.title)
            set_tip(label, part.help)
            grid.addWidget(label, i + 1, 0)
            grid.addWidget(number, i + 1, 1)
            self.numbers.append(number)
        row.addLayout(grid, 1)
        column.addLayout(row)
        self.ramp.edited.connect(self._moved)
        self.ramp.released.connect(self.released)
        self.ramp.chosen_changed.connect(self._show_stop)
        self.pad.moved.connect(self._tinted)
        self.pad.released.connect(self.released)
        self._show_stop()

    def _moved(self, stops: Stops) -> None:
        self.edited.emit(self._field, stops)
        self._show_stop()

    def _typed(self, _value: float) -> None:
        tone, hue, chroma, width = (n.value() for n in self.numbers)
        self.ramp.put((tone, hue, chroma, width))

    def _tinted(self, x: float, y: float) -> None:
        stop = self.ramp.stop()
        if stop is not None:
            hue = round(math.degrees(math.atan2(y, x)) % 360, 1) % 360
            chroma = round(math.hypot(x, y) * _MOST_CHROMA, 4)
            self.ramp.put((stop[0], hue if chroma else stop[1], chroma, stop[3]))

    def _show_stop(self) -> None:
        stop = self.ramp.stop()
        for each in (*self.numbers, self.pad):
            each.setEnabled(stop is not None)
        if stop is None:
            self._which.setText("no stop yet")
            return
        self._which.setText(f"stop {self.ramp.chosen + 1} of {len(self.ramp.stops)}")
        for number, value in zip(self.numbers, stop, strict=True):
            number.show_value(value)
        angle, size = math.radians(stop[1]), stop[2] / _MOST_CHROMA
        self.pad.show_place(round(size * math.cos(angle), 4), round(size * math.sin(angle), 4))

    def show_record(self, record: Any) -> None:
        self.ramp.show_stops(getattr(record, self._field))
        self._show_stop()

    def choose_new(self, before: Any, after: Any) -> None:
        index = fresh(getattr(before, self._field), getattr(after, self._field))
        if index is not None:
            self.ramp.choose(index)
