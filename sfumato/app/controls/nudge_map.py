"""The nudge map: the shot's colours in the a/b plane, and arrows from picked colours to their targets."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap

from sfumato.app.controls.hand import Field, arrow, bounded, distance, plane, qcolor, share
from sfumato.app.guard import guarded
from sfumato.app.theme import colour, focus_ring
from sfumato.core.controls import MOST_PAIRS, REACH, Lab, Pair
from sfumato.work.colours import Incoming

KEYS = (
    ("Arrow keys", "move the target of the chosen nudge (Shift coarse, Alt fine)"),
    ("+, −", "widen or narrow its reach"),
    ("Page Up, Page Down", "choose the next nudge"),
    ("Delete", "take the nudge away"),
)
_HEIGHT = 220
_LEAST_RADIUS, _NEAR = 0.12, 24  # of the plane that is shown; cloud points asked for a lightness


class NudgeMap(Field):
    """`edited(pairs)` while moving, `released()`, `chosen_changed()`."""

    edited = Signal(object)
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__(
            "Nudge map",
            "The shot's colours: across is green to red, up is blue to yellow.\n"
            "Drag from a colour to where it should be. Circles are picked colours, squares their\n"
            "targets; drag either, or the dashed ring for the reach. Arrow keys move the target.",
        )
        self.pairs: tuple[Pair, ...] = ()
        self.chosen = -1
        self.radius = _LEAST_RADIUS
        self.entry: Incoming | None = None
        self._kept: tuple[object, QPixmap] | None = None
        self.setFixedHeight(_HEIGHT)

    # --- geometry --------------------------------------------------------------------------------
    def _unit(self) -> float:
        return min(self.width(), self.height()) / 2 / self.radius

    def place(self, lab: Lab) -> QPointF:
        """Return where a colour lies in the widget."""
        unit = self._unit()
        x = bounded(self.width() / 2 + lab[1] * unit, 2, self.width() - 2)
        return QPointF(x, bounded(self.height() / 2 - lab[2] * unit, 2, self.height() - 2))

    def _ab(self, at: QPointF) -> tuple[float, float]:
        unit = self._unit()
        return (at.x() - self.width() / 2) / unit, (self.height() / 2 - at.y()) / unit

    def _fit(self) -> None:
        """Show all of the cloud and all pairs."""
        sizes = [np.hypot(*p[1:]) for q in self.pairs for p in (q.source, q.goal)]
        if self.entry is not None and len(self.entry.lab):
            chroma = np.hypot(self.entry.lab[:, 1], self.entry.lab[:, 2])
            sizes.append(float(np.percentile(chroma, 98)))
        self.radius = max([_LEAST_RADIUS, *(1.15 * float(s) for s in sizes)])

    def _lightness(self, a: float, b: float) -> float:
        """Return the lightness of the shot's colours about a place of the plane."""
        if self.entry is None or not len(self.entry.lab):
            return 0.6
        lab = self.entry.lab
        away = np.hypot(lab[:, 1] - a, lab[:, 2] - b)
        return float(np.median(lab[np.argsort(away)[:_NEAR], 0]))

    # --- state -----------------------------------------------------------------------------------
    def show_pairs(self, pairs: tuple[Pair, ...]) -> None:
        if pairs != self.pairs:
            self.pairs = pairs
            self.chosen = min(self.chosen, len(pairs) - 1)
            if self.chosen < 0 and pairs:
                self.chosen = 0
            if not self._held:
                self._fit()
            self.update()

    def show_entry(self, entry: Incoming) -> None:
        self.entry = entry
        if not self._held:
            self._fit()
        self.update()

    def pair(self) -> Pair | None:
        return self.pairs[self.chosen] if 0 <= self.chosen < len(self.pairs) else None

    def choose(self, index: int) -> None:
        self.chosen = index
        self.chosen_changed.emit()
        self.update()

    def put(self, **values: object) -> None:
        """Change the chosen pair."""
        pair = self.pair()
        if pair is None:
            return
        fresh = Pair(**{**_fields(pair), **values})  # type: ignore[arg-type]
        if fresh != pair:
            self.pairs = (*self.pairs[: self.chosen], fresh, *self.pairs[self.chosen + 1 :])
            self.update()
            self.edited.emit(self.pairs)

    def set_reach(self, reach: float) -> None:
        self.put(reach=round(bounded(reach, REACH.least, REACH.most), 4))

    def remove(self) -> None:
        if self.pair() is not None:
            self.pairs = (*self.pairs[: self.chosen], *self.pairs[self.chosen + 1 :])
            self.choose(min(self.chosen, len(self.pairs) - 1))
            self.edited.emit(self.pairs)
            self.released.emit()

    # --- mouse and keys --------------------------------------------------------------------------
    def _hit(self, at: QPointF) -> tuple[int, str]:
        """Return the pair under the hand and which part of it; the part is "" beside all."""
        order = [self.chosen, *range(len(self.pairs))] if self.pair() else range(len(self.pairs))
        for i in order:
            each = self.pairs[i]
            if distance(self.place(each.goal), at) < 9 and each.goal != each.source:
                return i, "target"
            if distance(self.place(each.source), at) < 9:
                return i, "source" if each.goal != each.source else "target"
        pair = self.pair()
        if pair is not None:
            ring = pair.reach * self._unit()
            if abs(distance(self.place(pair.source), at) - ring) < 5:
                return self.chosen, "reach"
        return -1, ""

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        index, part = self._hit(at)
        if part:
            self.choose(index)
            self._held = part
        elif len(self.pairs) < MOST_PAIRS:
            a, b = self._ab(at)
            lab = (round(self._lightness(a, b), 4), round(a, 4), round(b, 4))
            self.pairs = (*self.pairs, Pair(lab, lab))
            self._held = "target"
            self.choose(len(self.pairs) - 1)
            self.edited.emit(self.pairs)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pair = self.pair()
        if not self._held or pair is None:
            _index, part = self._hit(event.position())
            self.setCursor(Qt.CursorShape.SizeAllCursor if part else Qt.CursorShape.CrossCursor)
            return
        if self._held == "reach":
            self.set_reach(distance(self.place(pair.source), event.position()) / self._unit())
            return
        a, b = (round(v, 4) for v in self._ab(event.position()))
        if self._held == "target":
            self.put(target=(pair.target[0], a, b))
        else:
            self.put(source=(round(self._lightness(a, b), 4), a, b))

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, pair, step = event.key(), self.pair(), arrow(event, 0.004)
        if step is not None and pair is not None:
            light, a, b = pair.target
            self.put(target=(light, round(a + step[0], 4), round(b + step[1], 4)))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus) and pair is not None:
            way = -1 if key == Qt.Key.Key_Minus else 1
            self.set_reach(pair.reach + way * 0.004 * share(event))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self.pairs:
            self.choose((self.chosen + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self.pairs))
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect())
        side = 2 * max(self.width(), self.height()) / min(self.width(), self.height()) * self.radius
        wide = side / 2 * self._unit()
        middle = box.center()
        painter.fillRect(box, colour("well"))
        painter.setOpacity(0.35)
        painter.drawImage(
            QRectF(middle.x() - wide, middle.y() - wide, 2 * wide, 2 * wide), plane(0.34, 0.08)
        )
        painter.setOpacity(1.0)
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(middle.x(), 0), QPointF(middle.x(), box.bottom()))
        painter.drawLine(QPointF(0, middle.y()), QPointF(box.right(), middle.y()))
        painter.drawPixmap(0, 0, self._cloud())
        for i, pair in enumerate(self.pairs):
            self._paint_pair(painter, pair, i == self.chosen)
        if not self.pairs:
            painter.setPen(colour("text"))
            painter.drawText(
                box.adjusted(0, 0, 0, -8),
                Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom,
                "Drag from a colour to what it should be",
            )
        focus_ring(self, painter)

    def _cloud(self) -> QPixmap:
        """Return the shot's colours as points; painted anew only when they or the scale change."""
        key = (self.entry, self.radius, self.width(), self.devicePixelRatioF())
        if self._kept is not None and self._kept[0] == key:
            return self._kept[1]
        picture = QPixmap(self.size() * self.devicePixelRatioF())
        picture.setDevicePixelRatio(self.devicePixelRatioF())
        picture.fill(Qt.GlobalColor.transparent)
        if self.entry is not None:
            unit = self._unit()
            x = self.width() / 2 + self.entry.lab[:, 1] * unit
            y = self.height() / 2 - self.entry.lab[:, 2] * unit
            with QPainter(picture) as painter:
                for px, py, rgb in zip(x, y, self.entry.colours, strict=True):
                    painter.fillRect(QRectF(px - 0.8, py - 0.8, 1.6, 1.6), qcolor(rgb))
        self._kept = (key, picture)
        return picture

    def _paint_pair(self, painter: QPainter, pair: Pair, chosen: bool) -> None:
        source, goal = self.place(pair.source), self.place(pair.goal)
        tone = colour("yellow" if chosen else "text")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if chosen:
            painter.setPen(QPen(colour("text"), 1, Qt.PenStyle.DashLine))
            ring = pair.reach * self._unit()
            painter.drawEllipse(source, ring, ring)
        painter.setPen(QPen(tone, 1.8))
        painter.drawLine(source, goal)
        painter.setPen(QPen(colour("text"), 1.6))
        painter.setBrush(colour("well"))
        painter.drawEllipse(source, 4.5, 4.5)
        painter.setBrush(tone)
        painter.drawRect(QRectF(goal.x() - 4.5, goal.y() - 4.5, 9, 9))


def _fields(pair: Pair) -> dict[str, object]:
    return {n: getattr(pair, n) for n in ("source", "target", "reach", "depth", "keep")}
