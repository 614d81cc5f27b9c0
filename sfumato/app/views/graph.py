"""A graph that is zoomed, moved and turned: what instruments of pictures and of LUT files share."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import KeptPainting, line_of
from sfumato.app.theme import RADIUS, focus_ring
from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.cube import Cube
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.measure.graticule import PERCENT, Graduation, marks

ALIGN = Qt.AlignmentFlag
WAYS: dict[int, tuple[int, int]] = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}
_MOST_ZOOM = 16.0


class Graph(QWidget):
    """Data in shares, x to the right and y upwards, in `area`; zoom is a window on those shares."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._changes = 0  # of what is drawn
        self._kept = KeptPainting()
        self.unit = PERCENT
        self.space: Encoding = encoding("BT.1886")
        self.limits = False
        self.zoom = 1.0
        self._middle = QPointF(0.5, 0.5)
        self.cube = Cube()
        self._drag = ""
        self._from = QPointF()
        self.setMinimumSize(120, 80)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Instrument")

    # --- geometry ----------------------------------------------------------------------------------
    @property
    def turns(self) -> bool:
        """Whether it shows a cube, which the hand turns."""
        return False

    def area(self) -> QRectF:
        """Return where the data is drawn."""
        return QRectF(self.rect()).adjusted(42, 10, -12, -10)

    def zoomed(self) -> tuple[bool, bool]:
        """Whether zooming works across, and upwards."""
        return True, True

    def seen_part(self) -> QRectF:
        """Return which part of the data is seen, in shares."""
        across, up = (1 / self.zoom if on else 1.0 for on in self.zoomed())
        x = min(max(self._middle.x() - across / 2, 0), 1 - across) if across < 1 else 0.0
        y = min(max(self._middle.y() - up / 2, 0), 1 - up) if up < 1 else 0.0
        return QRectF(x, y, across, up)

    def place(self, x: float, y: float) -> QPointF:
        """Return where a share of the data lies on the widget."""
        r, seen = self.area(), self.seen_part()
        return QPointF(
            r.left() + (x - seen.left()) / seen.width() * r.width(),
            r.bottom() - (y - seen.top()) / seen.height() * r.height(),
        )

    def line(self, x: Any, y: Any) -> QPolygonF:
        """Return the line through shares of the data, (n,) each."""
        r, seen = self.area(), self.seen_part()
        return line_of(
            r.left() + (x - seen.left()) / seen.width() * r.width(),
            r.bottom() - (y - seen.top()) / seen.height() * r.height(),
        )

    def share_at(self, at: QPointF) -> QPointF:
        """Return which share of the data lies at a point of the widget."""
        r, seen = self.area(), self.seen_part()
        return QPointF(
            seen.left() + (at.x() - r.left()) / r.width() * seen.width(),
            seen.top() + (r.bottom() - at.y()) / r.height() * seen.height(),
        )

    # --- hand --------------------------------------------------------------------------------------
    def reset(self) -> None:
        """Show all of it."""
        self.zoom, self._middle, self.cube.size = 1.0, QPointF(0.5, 0.5), 1.0
        self.update()

    def zoom_by(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom, keeping what lies under a point of the widget."""
        if self.turns:
            self.cube.size = min(max(self.cube.size * factor, 0.5), 8.0)
            self.update()
            return
        at = about or self.area().center()
        before = self.share_at(at)
        self.zoom = min(max(self.zoom * factor, 1.0), _MOST_ZOOM)
        after = self.share_at(at)
        self._middle += before - after
        seen = self.seen_part()
        self._middle = QPointF(seen.center().x(), seen.top() + seen.height() / 2)
        self.update()

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.zoom_by(1.25 if event.angleDelta().y() > 0 else 0.8, event.position())

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.reset()

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = "pan"
        elif event.button() == Qt.MouseButton.LeftButton:
            self._drag = "turn" if self.turns else ""

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag == "turn":
            self.cube.turned((at.x() - self._from.x()) / 120, (at.y() - self._from.y()) / 120)
            self._from = at
            self.update()
        elif self._drag == "pan":
            self._middle += self.share_at(self._from) - self.share_at(at)
            self._from = at
            self.update()

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._drag = ""

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom_by(0.8)
        elif key == Qt.Key.Key_0:
            self.reset()
        elif self.turns and key in WAYS:
            self.cube.turned(0.1 * WAYS[key][0], -0.1 * WAYS[key][1])
            self.update()
        else:
            super().keyPressEvent(event)

    # --- look --------------------------------------------------------------------------------------
    @guarded
    def update(self, *where: Any) -> None:
        """Draw anew what is shown; without this it is drawn as it was, whatever passed over it."""
        self._changes += 1
        super().update(*where)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._kept.draw(painter, self, self._changes, self._paint_well)
        focus_ring(self, painter)

    def _paint_well(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        self.paint_data(painter)

    def paint_data(self, painter: QPainter) -> None:
        """Draw what is shown, on the empty well."""
        raise NotImplementedError

    def paint_levels(self, painter: QPainter, scale: list[Graduation] | None = None) -> None:
        """Draw the graticule of a level axis that runs upwards; `scale` None = that of the unit."""
        r, seen = self.area(), self.seen_part()
        own = marks(self.unit, self.space, seen.top(), seen.top() + seen.height())
        for mark in own if scale is None else scale:
            y = self.place(0, mark.at).y()
            painter.setPen(QPen(colour("line" if mark.strong else "panel"), 1))
            painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))
            painter.setPen(colour("quiet"))
            box = QRectF(0, y - 8, r.left() - 5, 16)
            painter.drawText(box, ALIGN.AlignRight | ALIGN.AlignVCenter, mark.words)
        if self.limits and scale is None:
            for level in LEGAL:
                y = self.place(0, level).y()
                if r.top() - 1 <= y <= r.bottom() + 1:
                    painter.setPen(QPen(colour("yellow"), 1, Qt.PenStyle.DashLine))
                    painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))

    def paint_foot(self, painter: QPainter, titles: tuple[str, ...]) -> None:
        """Write words under the data, from its left to its right."""
        r = self.area()
        painter.setPen(colour("quiet"))
        for i, title in enumerate(titles):
            x = r.left() + r.width() * i / (len(titles) - 1)
            last = i == len(titles) - 1
            flag = ALIGN.AlignLeft if i == 0 else ALIGN.AlignRight if last else ALIGN.AlignHCenter
            box = QRectF(x - (0 if i == 0 else 120 if last else 60), r.bottom() + 2, 120, 14)
            painter.drawText(box, flag | ALIGN.AlignTop, title)

    def paint_cross(self, painter: QPainter, at: QPointF) -> None:
        """Mark a place, where it is within the data."""
        r = self.area()
        if not r.adjusted(-1, -1, 1, 1).contains(at):
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 4, 4)
        painter.drawLine(at + QPointF(-7, 0), at + QPointF(-4, 0))
        painter.drawLine(at + QPointF(4, 0), at + QPointF(7, 0))

    def paint_box(self, painter: QPainter, box: QRectF) -> None:
        """Mark a part of the data."""
        painter.setPen(QPen(colour("yellow"), 1))
        fill = colour("yellow")
        fill.setAlphaF(0.13)
        painter.setBrush(fill)
        painter.drawRect(box)
        painter.setBrush(Qt.BrushStyle.NoBrush)
