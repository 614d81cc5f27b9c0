"""Chroma pads: a square of the Oklab plane with a crosshair, a level bar beside it, numbers below."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from sfumato.app.controls.editor import Editor
from sfumato.app.controls.hand import Field, arrow, bounded, plane
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, set_tip
from sfumato.app.theme import colour, focus_ring, quiet_font
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import Number, Pad

KEYS = (
    ("Arrow keys", "move the crosshair (Shift coarse, Alt fine)"),
    ("Delete, double click", "back to the middle"),
)


class ChromaPad(Field):
    """A place in -1..1 by -1..1: `moved(x, y)` while the hand moves it, `released()` after."""

    moved = Signal(float, float)

    def __init__(self, name: str, size: int = 96) -> None:
        super().__init__(
            name,
            f"{name}: drag towards the colour it should take; across is green to red, up is blue to "
            "yellow.\nArrow keys move it (Shift coarse, Alt fine); double click puts it back.",
        )
        self.setFixedSize(size, size)
        self.x_, self.y_ = 0.0, 0.0

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(1, 1, -1, -1)

    def place(self) -> QPointF:
        """Return where the crosshair is in the widget; beyond the edge it stands on it."""
        r = self._box()
        x, y = (bounded(v, -1, 1) for v in (self.x_, self.y_))
        return QPointF(r.center().x() + x * r.width() / 2, r.center().y() - y * r.height() / 2)

    def show_place(self, x: float, y: float) -> None:
        if (x, y) != (self.x_, self.y_):
            self.x_, self.y_ = x, y
            self.update()

    def _put(self, x: float, y: float) -> None:
        x, y = (round(bounded(v, -1, 1), 4) for v in (x, y))
        if (x, y) != (self.x_, self.y_):
            self.show_place(x, y)
            self.moved.emit(x, y)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = (event.position(), self.x_, self.y_)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        start, x, y = self._held
        d = event.position() - start
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
        r = self._box()
        self._put(x + fine * d.x() / r.width() * 2, y - fine * d.y() / r.height() * 2)

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._held = None
        self._put(0.0, 0.0)
        self.released.emit()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = arrow(event, 0.02)
        if step is not None:
            self._put(self.x_ + step[0], self.y_ + step[1])
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Home):
            self._put(0.0, 0.0)
        else:
            super().keyPressEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        r = self._box()
        painter.drawImage(r, plane(0.5, 0.075))
        middle = r.center()
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(r)
        painter.drawLine(QPointF(middle.x(), r.top()), QPointF(middle.x(), r.bottom()))
        painter.drawLine(QPointF(r.left(), middle.y()), QPointF(r.right(), middle.y()))
        at = self.place()
        painter.setPen(QPen(colour("text"), 1.4))
        painter.drawLine(middle, at)
        painter.setBrush(colour("yellow" if (self.x_, self.y_) != (0, 0) else "well"))
        painter.drawEllipse(at, 4.5, 4.5)
        focus_ring(self, painter)


class LevelBar(Field):
    """An upright bar for the level of a pad: drag, arrow keys, double click for the default."""

    moved = Signal(float)

    def __init__(self, name: str, low: float, high: float, home: float, height: int) -> None:
        super().__init__(
            f"{name}, level",
            f"{name} of red, green and blue together. Drag or arrow keys; double click for the default.",
        )
        self._low, self._high, self._home = low, high, home
        self.level = home
        self.setFixedSize(14, height)

    def _y(self, level: float) -> float:
        t = bounded((level - self._low) / (self._high - self._low), 0, 1)
        return 4 + (1 - t) * (self.height() - 8)

    def show_level(self, level: float) -> None:
        if level != self.level:
            self.level = level
            self.update()

    def _put(self, level: float) -> None:
        level = round(bounded(level, self._low, self._high), 4)
        if level != self.level:
            self.show_level(level)
            self.moved.emit(level)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = (event.position().y(), self.level)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            y, level = self._held
            fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
            span = (self._high - self._low) / (self.height() - 8)
            self._put(level - fine * (event.position().y() - y) * span)

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._held = None
        self._put(self._home)
        self.released.emit()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = arrow(event, (self._high - self._low) / 100)
        if step is not None:
            self._put(self.level + step[0] + step[1])
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Home):
            self._put(self._home)
        else:
            super().keyPressEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = self.width() / 2
        painter.setPen(QPen(colour("well"), 6))
        painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(x - 4, self._y(self._home)), QPointF(x + 4, self._y(self._home)))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("text"))
        painter.drawRoundedRect(QRectF(x - 6, self._y(self.level) - 2, 12, 4), 1, 1)
        focus_ring(self, painter)


def _ways() -> tuple[Any, Any]:
    """Return the matrix (3, 2) from pad to departures of R, G, B from their mean, and its inverse.

    The departures that a small step in Oklab's a and b makes of a middle grey, scaled so that the
    largest at the pad's unit circle is 1.
    """
    space = encoding("sRGB")
    light, step = 0.6, 1e-3
    grey = np.array([light, 0, 0], np.float32)
    base = space.encode(oklab.to_light(grey, space)).astype(np.float64)
    ways = np.stack(
        [
            (space.encode(oklab.to_light(grey + np.float32(step) * axis, space)) - base) / step
            for axis in np.eye(3, dtype=np.float32)[1:]
        ],
        axis=1,
    )
    ways -= ways.mean(axis=0)
    ways /= np.sqrt((ways**2).sum(axis=1)).max()
    return ways, np.linalg.pinv(ways)


WAYS, BACK = _ways()


def on_pad(value: tuple[float, ...], span: float) -> tuple[float, float, float]:
    """Return the level (the mean) and the place on a pad of three numbers."""
    level = float(np.mean(value))
    x, y = BACK @ (np.array(value) - level) / span
    return level, float(x), float(y)


def off_pad(level: float, x: float, y: float, kind: Pad) -> tuple[float, float, float]:
    """Return the three numbers of a level and a place, held inside the kind's limits."""
    apart = WAYS @ np.array([x, y]) * kind.span
    r, g, b = (round(bounded(float(level + d), kind.least, kind.most), 4) for d in apart)
    return r, g, b


class _OnePad(QWidget):
    """A pad with its level bar and its three numbers."""

    edited = Signal(object)
    released = Signal()

    def __init__(self, field: str, kind: Pad, default: tuple[float, ...]) -> None:
        super().__init__()
        self._kind = kind
        self.value = default
        home = default[0]
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(2)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.pad = ChromaPad(kind.title)
        self.pad.setObjectName(f"{field}.pad")
        self.bar = LevelBar(kind.title, home - kind.span, home + kind.span, home, self.pad.height())
        self.bar.setObjectName(f"{field}.level")
        row.addWidget(self.pad)
        row.addWidget(self.bar)
        row.addStretch(1)
        column.addLayout(row)
        label = Label(kind.title)
        set_tip(label, kind.help)
        column.addWidget(label)
        numbers = QHBoxLayout()
        numbers.setSpacing(0)
        self.numbers: list[ScrubNumber] = []
        for i, name in enumerate(("red", "green", "blue")):
            each = Number(
                title=f"{kind.title}, {name}",
                help=kind.help,
                least=kind.least,
                most=kind.most,
                step=kind.step,
                digits=kind.digits,
                signed=kind.signed,
            )
            number = ScrubNumber(each, default[i])
            number.setObjectName(f"{field}.{i}")
            number.setFont(quiet_font())
            number.setMinimumWidth(36)
            number.left = True
            number.edited.connect(self._typed)
            number.released.connect(self.released)
            numbers.addWidget(number)
            self.numbers.append(number)
        column.addLayout(numbers)
        self.pad.moved.connect(lambda x, y: self._put(on_pad(self.value, kind.span)[0], x, y))
        self.bar.moved.connect(self._level)
        self.pad.released.connect(self.released)
        self.bar.released.connect(self.released)

    def _put(self, level: float, x: float, y: float) -> None:
        self.edited.emit(off_pad(level, x, y, self._kind))

    def _level(self, level: float) -> None:
        kind, step = self._kind, level - float(np.mean(self.value))
        moved = (round(bounded(v + step, kind.least, kind.most), 4) for v in self.value)
        self.edited.emit(tuple(moved))

    def _typed(self, _value: float) -> None:
        self.edited.emit(tuple(n.value() for n in self.numbers))

    def show_value(self, value: tuple[float, ...]) -> None:
        self.value = value
        level, x, y = on_pad(value, self._kind.span)
        self.bar.show_level(round(level, 4))
        self.pad.show_place(round(x, 4), round(y, 4))
        for number, each in zip(self.numbers, value, strict=True):
            number.show_value(each)


class PadsEditor(Editor):
    """All Pad fields of a record, two beside each other."""

    def __init__(self, pads: dict[str, Pad], defaults: Any) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        self.pads: dict[str, _OnePad] = {}
        for i, (field, kind) in enumerate(pads.items()):
            pad = _OnePad(field, kind, getattr(defaults, field))
            pad.edited.connect(lambda value, f=field: self._edit(f, value))
            pad.released.connect(self.released)
            self.pads[field] = pad
            grid.addWidget(pad, i // 2, i % 2)

    def _edit(self, field: str, value: Any) -> None:
        self.pads[field].show_value(value)
        self.edited.emit(field, value)

    def show_record(self, record: Any) -> None:
        for field, pad in self.pads.items():
            pad.show_value(getattr(record, field))
