"""The Reach strip: tones, hues and chromas on which a glaze acts, each with soft edges."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout

from sfumato.app.controls.editor import Editor, quiet, quiet_line
from sfumato.app.controls.hand import Field, arrow, bounded, distance, srgb
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, focus_ring
from sfumato.core.controls import kinds
from sfumato.core.path.laying import ALL_CHROMA, ALL_HUES, Laying

KEYS = (
    ("Page Up, Page Down", "choose the next handle"),
    ("Arrow keys", "move it (Shift coarse, Alt fine)"),
    ("Delete, double click", "open the range again on that side"),
)
_EDGE, _STRIP, _WELL = 6, 7, 34
_WAYS = {"tone": 1.0, "hue": 360.0, "chroma": ALL_CHROMA}  # how far each strip runs
_NUMBERS = {
    "tone": ("tone_from", "tone_to", "tone_soft"),
    "hue": ("hue", "hue_width", "hue_soft"),
    "chroma": ("chroma_from", "chroma_to", "chroma_soft"),
}


def _strip(way: str) -> QImage:
    t = np.linspace(0, 1, 180, dtype=np.float32)
    lab = np.zeros((180, 3), np.float32)
    if way == "tone":
        lab[:, 0] = 0.05 + 0.95 * t
    elif way == "hue":
        angle = np.radians(360 * t)
        lab = np.stack([np.full(180, 0.68), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], -1)
    else:
        angle = np.radians(265)
        lab = np.stack([0.6 + 0 * t, 0.22 * t * np.cos(angle), 0.22 * t * np.sin(angle)], -1)
    return image_of(srgb(lab)[None])


def said(laying: Laying, way: str) -> str:
    """Return a range in words."""
    if way == "tone":
        low, high, soft = laying.tone_from, laying.tone_to, laying.tone_soft
        if not laying.by_tone:
            return "all tones"
        below = f", soft from {max(low - soft, 0) * 100:.0f}" if low > 0 else ""
        above = f", soft to {min(high + soft, 1) * 100:.0f}" if high < 1 else ""
        return f"{low * 100:.0f} to {high * 100:.0f} %{below}{above}"
    if way == "hue":
        if not laying.by_hue:
            return "all hues"
        half = laying.hue_width / 2
        return f"{(laying.hue - half) % 360:.0f}° to {(laying.hue + half) % 360:.0f}°"
    if not laying.by_chroma:
        return "all chromas"
    if laying.chroma_to >= ALL_CHROMA:
        return f"from {laying.chroma_from:.3f}"
    return f"{laying.chroma_from:.3f} to {laying.chroma_to:.3f}"


class ReachStrip(Field):
    """One range. `edited({field: value})` while it moves, `released()` after."""

    edited = Signal(object)

    def __init__(self, way: str) -> None:
        super().__init__(
            f"Reach, {way}",
            "Drag the upper handles for the range, the lower ones for its soft edges.\n"
            "Page Up and Page Down choose a handle, arrow keys move it; double click opens that side.",
        )
        self.way = way
        self.laying = Laying()
        self.chosen = 0
        self._image = _strip(way)
        self.setFixedHeight(_STRIP + _WELL + 2)

    # --- geometry --------------------------------------------------------------------------------
    def _x(self, value: float) -> float:
        return _EDGE + value / _WAYS[self.way] * (self.width() - 2 * _EDGE)

    def _value(self, x: float) -> float:
        return (x - _EDGE) / (self.width() - 2 * _EDGE) * _WAYS[self.way]

    def ends(self) -> tuple[float, float, float]:
        """Return low, high and the soft width, in the strip's own unit (hues may pass 360)."""
        g = self.laying
        if self.way == "hue":
            return g.hue - g.hue_width / 2, g.hue + g.hue_width / 2, g.hue_soft
        names = _NUMBERS[self.way]
        return getattr(g, names[0]), getattr(g, names[1]), getattr(g, names[2])

    def handles(self) -> list[tuple[str, float, bool]]:
        """Return what can be dragged: its name, its value, whether it is an upper handle."""
        low, high, soft = self.ends()
        if self.way == "hue" and not self.laying.by_hue:
            return [("low", 0.0, True), ("high", 360.0, True)]
        out = [("low", low, True), ("high", high, True)]
        top = _WAYS[self.way]
        if low > 0 or self.way == "hue":
            out.append(("soft low", low - soft, False))
        if high < top or self.way == "hue":
            out.append(("soft high", high + soft, False))
        return out

    def place(self, name: str) -> QPointF:
        """Return where a handle lies in the widget."""
        for handle, value, upper in self.handles():
            if handle == name:
                y = _STRIP + (8 if upper else _WELL - 5)
                value = value % 360 if self.way == "hue" and value != 360 else value
                return QPointF(bounded(self._x(value), 4, self.width() - 4), y)
        raise KeyError(name)

    # --- state -----------------------------------------------------------------------------------
    def show_laying(self, laying: Laying) -> None:
        if laying != self.laying:
            self.laying = laying
            self.update()

    def _put(self, **values: float) -> None:
        table = kinds(Laying)
        held: dict[str, Any] = {
            n: round(bounded(v, table[n].least, table[n].most), 3)  # type: ignore[attr-defined]
            for n, v in values.items()
        }
        fresh = attrs.evolve(self.laying, **held)
        if fresh != self.laying:
            self.laying = fresh
            self.update()
            self.edited.emit(held)

    def move_handle(self, name: str, value: float) -> None:
        """Bring a handle to a value of the strip's unit."""
        low, high, _soft = self.ends()
        if self.way == "hue":
            self._move_hue(name, value)
            return
        first, last, edge = _NUMBERS[self.way]
        if name == "low":
            self._put(**{first: min(value, high)})
        elif name == "high":
            self._put(**{last: max(value, low)})
        else:
            self._put(**{edge: low - value if name == "soft low" else value - high})

    def _move_hue(self, name: str, value: float) -> None:
        low, high, _soft = self.ends()
        if not self.laying.by_hue:
            low, high = 0.0, 360.0
        near = value + 360 * round(((low if "low" in name else high) - value) / 360)
        if name == "low":
            low = bounded(near, high - 359, high - 2)
        elif name == "high":
            high = bounded(near, low + 2, low + 359)
        elif name == "middle":
            half = (high - low) / 2
            low, high = value - half, value + half
        else:
            self._put(hue_soft=low - near if name == "soft low" else near - high)
            return
        self._put(hue=((low + high) / 2) % 360, hue_width=high - low)

    def _open(self, name: str) -> None:
        """Take the limit away on one side."""
        if self.way == "hue":
            self._put(hue_width=ALL_HUES)
        elif "low" in name:
            self._put(**{_NUMBERS[self.way][0]: 0.0})
        else:
            self._put(**{_NUMBERS[self.way][1]: _WAYS[self.way]})

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        names = [h[0] for h in self.handles()]
        away = [distance(self.place(n), at) for n in names]
        nearest = int(np.argmin(away))
        if away[nearest] < 14 or self.way != "hue":
            self.chosen = nearest
            self._held = (names[nearest], 0.0)
        elif self.laying.by_hue:
            self._held = ("middle", self.laying.hue - self._value(at.x()))
        self.update()

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            name, apart = self._held
            self.move_handle(name, self._value(event.position().x()) + apart)

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._held = None
        self._open(self.handles()[self.chosen][0])
        self.released.emit()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        step = arrow(event, 2.0 if self.way == "hue" else _WAYS[self.way] / 100)
        handles = self.handles()
        self.chosen = min(self.chosen, len(handles) - 1)
        if step is not None:
            name, value, _upper = handles[self.chosen]
            self.move_handle(name, value + step[0] + step[1])
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_PageDown else -1)) % len(handles)
            self.update()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._open(handles[self.chosen][0])
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    def _share(self, x: Any) -> Any:
        """Return how much of the glaze acts at values of the strip: the shape of `laying.matte`."""
        low, high, soft = self.ends()
        top = _WAYS[self.way]

        def eased(t: Any) -> Any:
            t = np.clip(t, 0, 1)
            return t * t * (3 - 2 * t)

        if self.way == "hue":
            if not self.laying.by_hue:
                return np.ones_like(x)
            away = np.abs((x - self.laying.hue + 180) % 360 - 180)
            return eased((self.laying.hue_width / 2 + soft - away) / soft)
        out = np.ones_like(x)
        if low > 0:
            out = out * eased((x - low + soft) / soft)
        if high < top:
            out = out * eased((high + soft - x) / soft)
        return out

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        left, wide = _EDGE, self.width() - 2 * _EDGE
        painter.drawImage(QRectF(left, 0, wide, _STRIP), self._image)
        well = QRectF(left, _STRIP + 1, wide, _WELL)
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(well, RADIUS, RADIUS)
        values = np.linspace(0, _WAYS[self.way], 181)
        share = self._share(values)
        share = 1 - share if self.laying.inverted and self.laying.is_limited else share
        floor, room = well.bottom() - 5, _WELL - 12
        line = [QPointF(self._x(v), floor - s * room) for v, s in zip(values, share, strict=True)]
        limited = bool(share.min() < 1)
        tone = colour("yellow" if limited else "quiet")
        faint = colour("yellow" if limited else "quiet")
        faint.setAlphaF(0.18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(faint)
        ends = [QPointF(line[-1].x(), floor), QPointF(line[0].x(), floor)]
        painter.drawPolygon(QPolygonF([*line, *ends]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(tone, 1.6))
        painter.drawPolyline(QPolygonF(line))
        for i, (name, _value, _upper) in enumerate(self.handles()):
            painter.setPen(QPen(colour("text"), 1.4))
            painter.setBrush(colour("yellow" if i == self.chosen and self.hasFocus() else "well"))
            painter.drawEllipse(self.place(name), 4, 4)
        focus_ring(self, painter)


class ReachEditor(Editor):
    """The three strips with their numbers, the matte, and a pick from the picture."""

    pick_wanted = Signal(bool)
    matte_wanted = Signal(bool)
    explain_wanted = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.strips: dict[str, ReachStrip] = {}
        self.numbers: dict[str, ScrubNumber] = {}
        self._said: dict[str, Any] = {}
        table, defaults = kinds(Laying), Laying()
        for way, fields in _NUMBERS.items():
            head = QHBoxLayout()
            head.addWidget(quiet(way))
            head.addStretch(1)
            self._said[way] = quiet_line("")
            head.addWidget(self._said[way])
            column.addLayout(head)
            strip = ReachStrip(way)
            strip.setObjectName(f"reach.{way}")
            strip.edited.connect(lambda values: self.edited.emit("", values))
            strip.released.connect(self.released)
            self.strips[way] = strip
            column.addWidget(strip)
            row = QGridLayout()
            row.setHorizontalSpacing(2)
            for i, field in enumerate(fields):
                kind: Any = table[field]
                number = ScrubNumber(kind, getattr(defaults, field))
                number.setObjectName(field)
                number.edited.connect(lambda v, f=field: self.edited.emit(f, v))
                number.released.connect(self.released)
                label = quiet(
                    ("from", "to", "edge")[i] if way != "hue" else ("at", "width", "edge")[i]
                )
                set_tip(label, kind.help)
                row.addWidget(label, 0, 2 * i)
                row.addWidget(number, 0, 2 * i + 1)
                self.numbers[field] = number
            column.addLayout(row)
        row2 = QHBoxLayout()
        self.matte = Tick("Matte on the Easel")
        self.matte.setObjectName("laying.matte")
        set_tip(self.matte, "Show on side B where the glaze acts: white fully, black not at all.")
        self.matte.clicked.connect(self.matte_wanted)
        row2.addWidget(self.matte)
        row2.addStretch(1)
        self.covers = quiet_line("")
        row2.addWidget(self.covers)
        column.addLayout(row2)
        row3 = QHBoxLayout()
        self.inside_out = Tick("Inside out")
        self.inside_out.setObjectName("inverted")
        set_tip(self.inside_out, table["inverted"].help)
        self.inside_out.clicked.connect(self._invert)
        row3.addWidget(self.inside_out)
        row3.addStretch(1)
        self.pick = QPushButton("Pick a hue")
        self.pick.setObjectName("reach.pick")
        self.pick.setCheckable(True)
        set_tip(
            self.pick,
            "Click a colour in the picture: the Reach closes round its hue; a grey gives its tone.",
        )
        self.pick.clicked.connect(self.pick_wanted)
        row3.addWidget(self.pick)
        column.addLayout(row3)

    @guarded
    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Ask for more about the number or the strip under the hand."""
        under = self.childAt(event.pos())
        names = [n for n, w in self.numbers.items() if w is under]
        names += [_NUMBERS[way][1] for way, strip in self.strips.items() if strip is under]
        self.explain_wanted.emit(names[0] if names else "inverted", event.globalPos())

    def _invert(self, on: bool) -> None:
        self.edited.emit("inverted", on)
        self.released.emit()

    def show_record(self, record: Any) -> None:
        for way, strip in self.strips.items():
            strip.show_laying(record)
            self._said[way].setText(said(record, way))
        for field, number in self.numbers.items():
            number.show_value(getattr(record, field))
        self.inside_out.setChecked(record.inverted)

    def show_cover(self, share: float | None) -> None:
        """Say how much of the shot takes the glaze, when that is known."""
        self.covers.setText("" if share is None else f"covers {share * 100:.0f} % of this shot")
