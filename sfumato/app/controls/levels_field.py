"""Levels on the histogram: black, middle and white as handles, and what they become below."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from sfumato.app.controls.editor import TabbedEditor, quiet
from sfumato.app.controls.hand import Field, arrow, bounded, distance
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.guard import guarded
from sfumato.app.images import line_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, focus_ring
from sfumato.core.arrays import Array
from sfumato.core.controls import LEVELS, STRAIGHT_LEVELS, LevelSet
from sfumato.work.colours import Incoming

KEYS = (
    ("Page Up, Page Down", "choose the next handle"),
    ("Left, Right", "move it (Shift coarse, Alt fine)"),
    ("Delete, double click", "put it back"),
)
_EDGE, _HIGH, _RAMP = 8, 96, 12
_LOW, _SPAN = -0.05, 1.1  # what the field shows of the code values
Five = tuple[float, float, float, float, float]


def heights(counts: Array) -> Array:
    """Return a histogram row as heights 0..1; a few towering bins do not flatten the rest."""
    peak = np.sort(counts)[-max(2, len(counts) // 50)] or 1
    return np.asarray(np.sqrt(np.clip(counts / peak, 0, 1)))


class LevelsField(Field):
    """Edits five levels. `edited(levels)`, `released()`."""

    edited = Signal(object)

    def __init__(self) -> None:
        super().__init__(
            "Levels",
            "Drag the handles: black, middle and white above; what black and white become below.\n"
            "Page Up and Page Down choose a handle, Left and Right move it; double click puts it back.",
        )
        self.levels: Five = STRAIGHT_LEVELS
        self.pigment = "neutral"
        self.histogram: Array | None = None
        self.chosen = 0
        self.setFixedHeight(_HIGH + 18 + _RAMP + 16)

    # --- geometry --------------------------------------------------------------------------------
    def _x(self, code: float) -> float:
        return _EDGE + (code - _LOW) / _SPAN * (self.width() - 2 * _EDGE)

    def _code(self, x: float) -> float:
        return (x - _EDGE) / (self.width() - 2 * _EDGE) * _SPAN + _LOW

    def _tones(self) -> tuple[float, ...]:
        """Return where the five handles stand; the middle is the tone that becomes one half."""
        black, gamma, white, low, high = self.levels
        middle = black + max(white - black, 0.01) * 0.5**gamma
        return black, middle, white, low, high

    def place(self, index: int) -> QPointF:
        """Return where a handle lies in the widget."""
        y = _HIGH + 8 if index < 3 else _HIGH + 18 + _RAMP + 6
        return QPointF(bounded(self._x(self._tones()[index]), 4, self.width() - 4), y)

    # --- state -----------------------------------------------------------------------------------
    def show_levels(self, levels: Five, pigment: str) -> None:
        if (levels, pigment) != (self.levels, self.pigment):
            self.levels, self.pigment = levels, pigment
            self.update()

    def show_histogram(self, counts: Array) -> None:
        self.histogram = counts
        self.update()

    def put(self, index: int, value: float) -> None:
        """Set one of the five numbers; black in stays below white in."""
        kind = LEVELS[index]
        value = bounded(value, kind.least, kind.most)
        if index == 0:
            value = min(value, self.levels[2] - 0.02)
        elif index == 2:
            value = max(value, self.levels[0] + 0.02)
        values = (*self.levels[:index], round(value, 4), *self.levels[index + 1 :])
        black, gamma, white, low, high = values
        if values != self.levels:
            self.levels = (black, gamma, white, low, high)
            self.update()
            self.edited.emit(self.levels)

    def move_handle(self, index: int, code: float) -> None:
        """Bring a handle to a code value."""
        if index == 1:
            black, _, white, _, _ = self.levels
            share = bounded((code - black) / max(white - black, 0.01), 0.001, 0.999)
            self.put(1, float(np.log(share) / np.log(0.5)))
        else:
            self.put(index, code)

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            at = event.position()
            away = [distance(self.place(i), at) for i in range(5)]
            self.chosen = int(np.argmin(away))
            self._held = away[self.chosen] < 30
            self.update()

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self.move_handle(self.chosen, self._code(event.position().x()))

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.put(self.chosen, STRAIGHT_LEVELS[self.chosen])
        self.released.emit()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, step = event.key(), arrow(event, 0.005)
        if step is not None:
            self.move_handle(self.chosen, self._tones()[self.chosen] + step[0] + step[1])
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_PageDown else -1)) % 5
            self.update()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.put(self.chosen, STRAIGHT_LEVELS[self.chosen])
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        well = QRectF(_EDGE - 4, 0, self.width() - 2 * _EDGE + 8, _HIGH)
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(well, RADIUS, RADIUS)
        if self.histogram is not None:
            channel = {"red": 0, "green": 1, "blue": 2}.get(self.pigment)
            counts = self.histogram.mean(0) if channel is None else self.histogram[channel]
            left, wide = self._x(0), self._x(1) - self._x(0)
            across = np.concatenate([[0], (np.arange(len(counts)) + 0.5) / len(counts), [1]])
            up = np.concatenate([[0], heights(counts), [0]]) * (_HIGH - 8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("heap" if channel is None else self.pigment))
            painter.drawPolygon(line_of(left + across * wide, _HIGH - 1 - up))
        ramp = QRectF(self._x(0), _HIGH + 18, self._x(1) - self._x(0), _RAMP)
        shade = QLinearGradient(ramp.topLeft(), ramp.topRight())
        shade.setColorAt(0, Qt.GlobalColor.black)
        shade.setColorAt(1, Qt.GlobalColor.white)
        painter.fillRect(ramp, shade)
        for i in range(5):
            at = self.place(i)
            painter.setPen(QPen(colour("text"), 1))
            if i < 3:
                painter.drawLine(QPointF(at.x(), 1), QPointF(at.x(), at.y() - 5))
            painter.setPen(QPen(colour("yellow" if i == self.chosen else "text"), 1.6))
            grey = (20, 140, 245, 20, 245)[i]
            painter.setBrush(Qt.GlobalColor.transparent)
            fill = colour("text")
            fill.setRgb(grey, grey, grey)
            painter.setBrush(fill)
            painter.drawRoundedRect(QRectF(at.x() - 5, at.y() - 5, 10, 10), 2, 2)
        focus_ring(self, painter)


class LevelsEditor(TabbedEditor):
    """All LevelSet fields of a record, a tab each, with their five numbers."""

    def __init__(self, sets: dict[str, LevelSet]) -> None:
        super().__init__(sets)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(self.tabs)
        self.field = LevelsField()
        self.field.setObjectName("levels")
        column.addWidget(self.field)
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(0)
        self.numbers: list[ScrubNumber] = []
        for i, kind in enumerate(LEVELS):
            number = ScrubNumber(kind, STRAIGHT_LEVELS[i])
            number.setObjectName(f"levels.{i}")
            number.left = True
            number.edited.connect(lambda v, n=i: self.field.put(n, v))
            number.released.connect(self.released)
            label = quiet(kind.title)
            set_tip(label, kind.help)
            grid.addWidget(label, 2 * (i // 3), i % 3)
            grid.addWidget(number, 2 * (i // 3) + 1, i % 3)
            self.numbers.append(number)
        column.addLayout(grid)
        self.field.edited.connect(lambda levels: self.edited.emit(self.current, levels))
        self.field.released.connect(self.released)
        self.show_part(self.current)

    def show_record(self, record: Any) -> None:
        self._record = record
        levels = getattr(record, self.current)
        self.field.show_levels(levels, self._kinds[self.current].pigment)
        for number, value in zip(self.numbers, levels, strict=True):
            number.show_value(value)

    def show_entry(self, entry: Incoming) -> None:
        self.field.show_histogram(entry.histogram)
