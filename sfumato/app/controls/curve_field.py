"""The curve field: curves over the histogram of what enters the glaze."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.images import line_of
from sfumato.app.theme import RADIUS, colour, focus_ring
from sfumato.core.controls import STRAIGHT, Points
from sfumato.core.glazes.curves import with_point
from sfumato.core.pchip import evaluate

KEYS = (
    ("Arrow keys", "move the chosen point (Shift coarse, Alt fine)"),
    ("Page Up, Page Down", "choose the next point"),
    ("Insert", "a point on the curve, half way to the next"),
    ("Delete, right click", "take the point away"),
    ("Shift while dragging", "move up and down only"),
)
_PIGMENTS = {"neutral": "text", "luma": "text", "red": "red", "green": "green", "blue": "blue"}
_EDGE = 7
MOST_POINTS = 64
_GAP = 0.002


class CurveField(Field):
    """Edits the points of one curve; the others are drawn thin behind it."""

    edited = Signal(object)
    chosen_changed = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            "Curve",
            "Click to add a point, drag to move it, Delete or right click to take it away.\n"
            "Arrow keys move the chosen point (Shift coarse, Alt fine); Page Up and Page Down choose.",
            parent,
        )
        self.points: Points = STRAIGHT
        self.pigment = "neutral"
        self.behind: list[tuple[Points, str]] = []
        self.histogram: np.ndarray | None = None
        self.chosen = 0
        self._grab = QPointF()
        self.setMinimumHeight(180)
        self.setMouseTracking(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)

    @guarded
    def sizeHint(self) -> QSize:
        return super().sizeHint().expandedTo(self.minimumSize())

    # --- geometry --------------------------------------------------------------------------------
    def _frame(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_EDGE, _EDGE, -_EDGE, -_EDGE)

    def place(self, x: float, y: float) -> QPointF:
        """Return where a point of the curve lies in the widget."""
        f = self._frame()
        return QPointF(f.left() + x * f.width(), f.bottom() - y * f.height())

    def _value(self, at: QPointF) -> tuple[float, float]:
        f = self._frame()
        return (at.x() - f.left()) / f.width(), (f.bottom() - at.y()) / f.height()

    def _nearest(self, at: QPointF) -> int | None:
        best, found = 11.0, None
        for i, (x, y) in enumerate(self.points):
            d = self.place(min(max(x, 0), 1), min(max(y, 0), 1)) - at
            length = (d.x() ** 2 + d.y() ** 2) ** 0.5
            if length < best:
                best, found = length, i
        return found

    # --- state -----------------------------------------------------------------------------------
    def show_curve(self, points: Points, pigment: str, behind: list[tuple[Points, str]]) -> None:
        if (points, pigment, behind) != (self.points, self.pigment, self.behind):
            self.points, self.pigment, self.behind = points, pigment, behind
            self.chosen = min(self.chosen, len(points) - 1)
            self.update()

    def show_histogram(self, counts: np.ndarray | None) -> None:
        self.histogram = counts
        self.update()

    def choose(self, index: int) -> None:
        index = min(max(index, 0), len(self.points) - 1)
        if index != self.chosen:
            self.chosen = index
            self.chosen_changed.emit(index)
            self.update()

    def move_point(self, index: int, x: float, y: float) -> None:
        """Put a point somewhere, kept between its neighbours."""
        low = self.points[index - 1][0] + _GAP if index else 0.0
        high = self.points[index + 1][0] - _GAP if index + 1 < len(self.points) else 1.0
        point = (round(min(max(x, low), high), 4), round(min(max(y, -0.5), 1.5), 4))
        if point != self.points[index]:
            self.points = (*self.points[:index], point, *self.points[index + 1 :])
            self.update()
            self.edited.emit(self.points)

    def remove_point(self, index: int) -> None:
        """Take a point away; the two ends stay."""
        if 0 < index < len(self.points) - 1:
            self.points = (*self.points[:index], *self.points[index + 1 :])
            self.choose(index - 1)
            self.update()
            self.edited.emit(self.points)
            self.released.emit()

    def add_point(self) -> None:
        """Lay a point onto the curve half way between the chosen point and its neighbour."""
        if len(self.points) >= MOST_POINTS:
            return
        one = min(self.chosen, len(self.points) - 2)
        x = round((self.points[one][0] + self.points[one + 1][0]) / 2, 4)
        self.points = with_point(
            self.points, x, round(float(evaluate(self.points, np.float64(x))), 4)
        )
        self.choose(one + 1)
        self.update()
        self.edited.emit(self.points)
        self.released.emit()

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        index = self._nearest(at)
        if event.button() == Qt.MouseButton.RightButton:
            if index is not None:
                self.remove_point(index)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if index is None:
            x, _ = self._value(at)
            x = round(min(max(x, 0.0), 1.0), 4)
            y = round(float(evaluate(self.points, np.float64(x))), 4)
            _, wanted = self._value(at)
            if abs(wanted - y) > 0.03:
                y = round(min(max(wanted, 0.0), 1.0), 4)
            if len(self.points) < MOST_POINTS:
                self.points = with_point(self.points, x, y)
                index = min(range(len(self.points)), key=lambda i: abs(self.points[i][0] - x))
                # Several near points may have become this one: the old place may be gone.
                self.chosen = index
                self.edited.emit(self.points)
        if index is not None:
            self.chosen = -1
            self.choose(index)
            self._held = True
            self._grab = self.place(*self.points[index]) - at

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            x, y = self._value(event.position() + self._grab)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                x = self.points[self.chosen][0]
            self.move_point(self.chosen, x, y)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, modifiers = event.key(), event.modifiers()
        step = 0.01
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            step = 0.05
        elif modifiers & Qt.KeyboardModifier.AltModifier:
            step = 0.001
        moves: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-step, 0.0),
            Qt.Key.Key_Right: (step, 0.0),
            Qt.Key.Key_Up: (0.0, step),
            Qt.Key.Key_Down: (0.0, -step),
        }
        x, y = self.points[self.chosen]
        if key in moves:
            dx, dy = moves[key]
            self.move_point(self.chosen, x + dx, y + dy)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_point(self.chosen)
        elif key == Qt.Key.Key_Insert:
            self.add_point()
        elif key == Qt.Key.Key_PageUp:
            self.choose(self.chosen + 1)
        elif key == Qt.Key.Key_PageDown:
            self.choose(self.chosen - 1)
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        f = self._frame()
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(f, RADIUS, RADIUS)
        self._paint_histogram(painter, f)
        grid = colour("panel")
        painter.setPen(QPen(grid, 1))
        for i in (1, 2, 3):
            painter.drawLine(self.place(i / 4, 0), self.place(i / 4, 1))
            painter.drawLine(self.place(0, i / 4), self.place(1, i / 4))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(self.place(0, 0), self.place(1, 1))
        painter.save()
        painter.setClipRect(f)
        for points, pigment in self.behind:
            tone = colour(_PIGMENTS[pigment])
            tone.setAlphaF(0.55)
            self._paint_curve(painter, points, QPen(tone, 1))
        self._paint_curve(painter, self.points, QPen(colour(_PIGMENTS[self.pigment]), 2))
        painter.restore()
        for i, (x, y) in enumerate(self.points):
            at = self.place(min(max(x, 0), 1), min(max(y, 0), 1))
            chosen = i == self.chosen
            painter.setPen(QPen(colour("text"), 1.6))
            painter.setBrush(colour("yellow" if chosen else "well"))
            painter.drawEllipse(at, 4.5, 4.5)
        focus_ring(self, painter)

    def _paint_curve(self, painter: QPainter, points: Points, pen: QPen) -> None:
        x = np.linspace(0, 1, 161)
        y = evaluate(points, x)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        f = self._frame()
        painter.drawPolyline(line_of(f.left() + x * f.width(), f.bottom() - y * f.height()))

    def _paint_histogram(self, painter: QPainter, f: QRectF) -> None:
        counts = self.histogram
        if counts is None:
            return
        channel = {"red": 0, "green": 1, "blue": 2}.get(self.pigment)
        row = counts[channel] if channel is not None else counts.mean(axis=0)
        peak = np.sort(row)[-max(2, len(row) // 50)] or 1
        heights = np.sqrt(np.clip(row / peak, 0, 1)) * 0.92
        across = np.concatenate([[0], (np.arange(len(row)) + 0.5) / len(row), [1]])
        up = np.concatenate([[0], heights, [0]])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("heap"))
        painter.drawPolygon(line_of(f.left() + across * f.width(), f.bottom() - up * f.height()))
