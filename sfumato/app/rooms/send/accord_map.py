"""The map of Accord: the Look in the middle, each target at its distance, pairs joined by a line."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.theme import colour, focus_ring, quiet_font
from sfumato.core.lut.difference import CLOSE
from sfumato.work.outlets.accord import Accord

_RINGS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)
_MARGIN = 26.0


def pigment_of(mean: float) -> str:
    """Return the pigment of a mean ΔE: agreeing, to be looked at, out of tolerance."""
    return "malachite" if mean <= CLOSE / 2 else "yellow" if mean <= 2 * CLOSE else "cinnabar"


class AccordMap(QWidget):
    """`chosen(place)`: a target was pressed; arrow keys go round them."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._accord: Accord | None = None
        self._pair = (-1, -1)
        self._marks: list[QRectF] = []  # the figures of the rings
        self.setMinimumSize(260, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setObjectName("send.map")

    def show_accord(self, found: Accord | None, pair: tuple[int, int]) -> None:
        self._accord, self._pair = found, pair
        names = [t.outlet.title for t in found.targets] if found is not None else []
        self.setAccessibleName("Map of targets about the Look: " + ", ".join(names))
        self.update()

    # --- geometry --------------------------------------------------------------------------------
    @property
    def _reach(self) -> float:
        """The mean ΔE at the rim."""
        assert self._accord is not None
        far = [t.from_look.mean for t in self._accord.targets]
        usual = max(far, default=1.0)
        return next((r for r in _RINGS if r >= usual), _RINGS[-1])

    def _radius(self) -> float:
        return max(min(self.width(), self.height()) / 2 - _MARGIN, 20)

    def places(self) -> list[QPointF]:
        """Return where the targets are on the widget; those beyond the rim lie on it."""
        if self._accord is None:
            return []
        scale = self._radius() / np.sqrt(self._reach)
        middle = QPointF(self.width() / 2, self.height() / 2)
        found = []
        for x, y in self._accord.at:
            far = float(np.hypot(x, y)) * scale
            held = min(1.0, self._radius() / far) if far > 0 else 1.0
            found.append(middle + QPointF(x * scale * held, -y * scale * held))
        return found

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        places = self.places()
        if not places or event.button() != Qt.MouseButton.LeftButton:
            return
        far = [(p - event.position()).manhattanLength() for p in places]
        nearest = int(np.argmin(far))
        if far[nearest] < 24:
            self.chosen.emit(nearest)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        count = len(self._accord.targets) if self._accord is not None else 0
        step = steps.get(Qt.Key(event.key()))
        if step is None or not count:
            super().keyPressEvent(event)
            return
        self.chosen.emit((self._pair[0] + step) % count)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        if self._accord is None or not self._accord.targets:
            return
        middle, radius = QPointF(self.width() / 2, self.height() / 2), self._radius()
        self._marks = []
        for ring in (r for r in _RINGS if self._reach / 8 < r <= self._reach):
            r = radius * float(np.sqrt(ring / self._reach))
            painter.setPen(QPen(colour("line"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(middle, r, r)
            painter.setPen(colour("quiet"))
            words = f"{ring:g} ΔE" if ring == self._reach else f"{ring:g}"
            at = middle + QPointF(r * 0.707, -r * 0.707)
            box = QRectF(at.x() + 3, at.y() - 15, 44, 14)
            self._marks.append(box.adjusted(0, 0, -18, 0))
            painter.drawText(box, words)
        places = self.places()
        one, two = self._pair
        if 0 <= one < len(places) and 0 <= two < len(places):
            pen = QPen(colour("yellow"), 1.2, Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawLine(places[one], places[two])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("yellow"))
        painter.drawRect(QRectF(middle.x() - 5, middle.y() - 5, 10, 10))
        self._paint_targets(painter, places, middle)
        focus_ring(self, painter)

    def _paint_targets(self, painter: QPainter, places: list[QPointF], middle: QPointF) -> None:
        assert self._accord is not None
        taken = [QRectF(p.x() - 7, p.y() - 7, 14, 14) for p in places]
        taken += [QRectF(middle.x() - 8, middle.y() - 8, 16, 16), *self._marks]
        for i, (target, at) in enumerate(zip(self._accord.targets, places, strict=True)):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(pigment_of(target.from_look.mean)))
            painter.drawEllipse(at, 5, 5)
            if i in self._pair:
                painter.setPen(QPen(colour("text"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, 8, 8)
            words = _short(target.outlet.title)
            box = self._free(painter, words, at, taken)
            taken.append(box)
            painter.setPen(colour("text"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _free(self, painter: QPainter, words: str, at: QPointF, taken: list[QRectF]) -> QRectF:
        """Return where a name stands beside its point so that it lies over as little as may be."""
        width, high = painter.fontMetrics().horizontalAdvance(words) + 4.0, 14.0
        tries = [
            QRectF(at.x() + 10, at.y() - 7, width, high),
            QRectF(at.x() - 10 - width, at.y() - 7, width, high),
            QRectF(at.x() - width / 2, at.y() + 9, width, high),
            QRectF(at.x() - width / 2, at.y() - 9 - high, width, high),
            QRectF(at.x() + 8, at.y() + 7, width, high),
            QRectF(at.x() - 8 - width, at.y() + 7, width, high),
            QRectF(at.x() + 8, at.y() - 20, width, high),
            QRectF(at.x() - 8 - width, at.y() - 20, width, high),
        ]
        room = QRectF(self.rect())

        def over(box: QRectF) -> float:
            lost = 0.0 if room.contains(box) else 1e4
            for other in taken:
                common = box.intersected(other)
                lost += max(common.width(), 0) * max(common.height(), 0)
            return lost

        return min(tries, key=over)


def _short(title: str) -> str:
    return title if len(title) <= 24 else f"{title[:23]}…"
