"""The hue table: three curves along the circle of hues, edited by their points."""

from __future__ import annotations

from functools import cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.images import image_of, line_of
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import HuePoints
from sfumato.core.glazes.hue_table import along, with_hue

KEYS = (
    ("Arrow keys", "move the chosen point (Shift coarse, Alt fine)"),
    ("Page Up, Page Down", "choose the next point, on through the rows"),
    ("Insert", "add a point in the widest gap"),
    ("Delete, right click", "take the point away"),
)
_ROW, _GAP, _BAND = 58, 8, 7
_LEFT = 2


@cache
def _hues() -> QImage:
    """Return a band of all hues at one lightness and chroma."""
    angle = np.radians(np.arange(360, dtype=np.float32))
    lab = np.stack([np.full(360, 0.68), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], -1)
    space = encoding("sRGB")
    code = np.clip(space.encode(oklab.to_light(lab.astype(np.float32), space)), 0, 1)
    return image_of((code * 255 + 0.5).astype(np.uint8)[None])


class HueField(Field):
    """Rows of curves by field name. `edited(field, points)`, `released()`, `chosen_changed()`."""

    edited = Signal(str, object)
    chosen_changed = Signal()

    def __init__(self, rows: dict[str, str]) -> None:
        super().__init__(
            "Hue table",
            "Click to add a point at a hue, drag it up or down, Delete or right click takes it away.\n"
            "Arrow keys move the chosen point (Shift coarse, Alt fine); Page Up and Page Down choose;\n"
            "Insert adds a point in the widest gap.",
        )
        self.titles = rows
        self.rows: dict[str, HuePoints] = dict.fromkeys(rows, ())
        self.row = next(iter(rows))
        self.chosen = -1
        self.setFixedHeight(len(rows) * (_ROW + _GAP))
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)

    # --- geometry --------------------------------------------------------------------------------
    def _box(self, field: str) -> QRectF:
        index = list(self.rows).index(field)
        top = index * (_ROW + _GAP)
        return QRectF(_LEFT, top, self.width() - 2 * _LEFT, _ROW - _BAND)

    def place(self, field: str, hue: float, value: float) -> QPointF:
        """Return where a point of a row lies in the widget."""
        r = self._box(field)
        return QPointF(r.left() + hue / 360 * r.width(), r.center().y() - value * r.height() / 2)

    def _at(self, at: QPointF) -> tuple[str, float, float]:
        """Return the row under a place, the hue and the value there."""
        index = min(max(int(at.y() // (_ROW + _GAP)), 0), len(self.rows) - 1)
        field = list(self.rows)[index]
        r = self._box(field)
        hue = (at.x() - r.left()) / r.width() * 360
        value = (r.center().y() - at.y()) / (r.height() / 2)
        return field, min(max(hue, 0.0), 359.5), min(max(value, -1.0), 1.0)

    # --- state -----------------------------------------------------------------------------------
    def show_rows(self, rows: dict[str, HuePoints]) -> None:
        if rows != self.rows:
            self.rows = rows
            self.chosen = min(self.chosen, len(rows[self.row]) - 1)
            self.update()

    def choose(self, field: str, index: int) -> None:
        self.row, self.chosen = field, index
        self.chosen_changed.emit()
        self.update()

    def add(self, field: str, hue: float) -> None:
        """Put a point on a row's curve at a hue, and choose it."""
        points = with_hue(self.rows[field], round(hue, 1))
        fresh = points != self.rows[field]
        self.rows = {**self.rows, field: points}
        near = min(range(len(points)), key=lambda i: abs(points[i][0] - hue))
        self.choose(field, near)
        if fresh:
            self.edited.emit(field, points)

    def move_point(self, hue: float, value: float) -> None:
        """Put the chosen point somewhere, kept between its neighbours."""
        points = self.rows[self.row]
        if not 0 <= self.chosen < len(points):
            return
        low = points[self.chosen - 1][0] + 1 if self.chosen else 0.0
        last = self.chosen + 1 == len(points)
        high = 359.0 if last else points[self.chosen + 1][0] - 1
        if last and len(points) > 1:
            high = min(high, points[0][0] + 359)
        point = (round(min(max(hue, low), high), 1), round(min(max(value, -1.0), 1.0), 4))
        if point != points[self.chosen]:
            points = (*points[: self.chosen], point, *points[self.chosen + 1 :])
            self.rows = {**self.rows, self.row: points}
            self.update()
            self.edited.emit(self.row, points)

    def remove(self) -> None:
        points = self.rows[self.row]
        if 0 <= self.chosen < len(points):
            points = (*points[: self.chosen], *points[self.chosen + 1 :])
            self.rows = {**self.rows, self.row: points}
            self.choose(self.row, min(self.chosen, len(points) - 1))
            self.edited.emit(self.row, points)
            self.released.emit()

    def point(self) -> tuple[float, float] | None:
        points = self.rows[self.row]
        return points[self.chosen] if 0 <= self.chosen < len(points) else None

    # --- mouse and keys --------------------------------------------------------------------------
    def _nearest(self, at: QPointF) -> tuple[str, int] | None:
        field = self._at(at)[0]
        best, found = 10.0, None
        for i, (hue, value) in enumerate(self.rows[field]):
            d = self.place(field, hue, value) - at
            length = (d.x() ** 2 + d.y() ** 2) ** 0.5
            if length < best:
                best, found = length, (field, i)
        return found

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        found = self._nearest(at)
        if event.button() == Qt.MouseButton.RightButton:
            if found is not None:
                self.choose(*found)
                self.remove()
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if found is not None:
            self.choose(*found)
        else:
            field, hue, value = self._at(at)
            self.add(field, hue)
            if abs(value) > 0.12:
                self.move_point(hue, value)
        self._held = True

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            r = self._box(self.row)
            hue = (event.position().x() - r.left()) / r.width() * 360
            value = (r.center().y() - event.position().y()) / (r.height() / 2)
            point = self.point()
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and point is not None:
                hue = point[0]
            self.move_point(hue, value)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, modifiers = event.key(), event.modifiers()
        share = 1.0
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            share = 5.0
        elif modifiers & Qt.KeyboardModifier.AltModifier:
            share = 0.1
        moves: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-2.0, 0.0),
            Qt.Key.Key_Right: (2.0, 0.0),
            Qt.Key.Key_Up: (0.0, 0.02),
            Qt.Key.Key_Down: (0.0, -0.02),
        }
        point = self.point()
        if key in moves and point is not None:
            self.move_point(point[0] + moves[key][0] * share, point[1] + moves[key][1] * share)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key == Qt.Key.Key_Insert:
            self.add(self.row, self._widest())
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._step(1 if key == Qt.Key.Key_PageDown else -1)
        else:
            super().keyPressEvent(event)

    def _widest(self) -> float:
        """Return the middle of the widest gap between the points of the row."""
        hues = [h for h, _ in self.rows[self.row]]
        if not hues:
            return 30.0
        gaps = [(b - a, (a + b) / 2) for a, b in zip(hues, [*hues[1:], hues[0] + 360], strict=True)]
        return max(gaps)[1] % 360

    def _step(self, by: int) -> None:
        """Choose the next point, on through the rows."""
        every = [(f, i) for f, points in self.rows.items() for i in range(len(points))]
        if every:
            now = (self.row, self.chosen)
            place = every.index(now) + by if now in every else 0
            self.choose(*every[place % len(every)])

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        for field, title in self.titles.items():
            r = self._box(field)
            painter.setPen(QPen(colour("line"), 1))
            painter.setBrush(colour("well"))
            painter.drawRoundedRect(r.adjusted(0, 0, 0, _BAND), RADIUS, RADIUS)
            painter.drawImage(QRectF(r.left() + 1, r.bottom(), r.width() - 2, _BAND - 1), _hues())
            painter.setPen(QPen(colour("panel"), 1))
            for hue in (90, 180, 270):
                painter.drawLine(self.place(field, hue, 1), self.place(field, hue, -1))
            painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(self.place(field, 0, 0), self.place(field, 360, 0))
            painter.setPen(colour("quiet"))
            painter.drawText(r.adjusted(6, 3, 0, 0), Qt.AlignmentFlag.AlignLeft, title)
            hues = np.linspace(0, 359.99, 181)
            values = np.clip(along(self.rows[field], hues), -1, 1)
            painter.setPen(QPen(colour("text"), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            across, up = hues / 360 * r.width(), values * r.height() / 2
            painter.drawPolyline(line_of(r.left() + across, r.center().y() - up))
            for i, point in enumerate(self.rows[field]):
                chosen = field == self.row and i == self.chosen
                painter.setPen(QPen(colour("text"), 1.6))
                painter.setBrush(colour("yellow" if chosen else "well"))
                painter.drawEllipse(self.place(field, *point), 4.5, 4.5)
        focus_ring(self, painter)
