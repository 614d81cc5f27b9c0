"""A picture with four corners that are dragged or moved by keys, and a loupe on the one in hand."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.theme import colour, focus_ring, quiet_font
from sfumato.core.arrays import Array
from sfumato.core.carrier.corners import Corners

NAMES = ("top left", "top right", "bottom right", "bottom left")
KEYS = (
    ("1 to 4", "choose a corner"),
    ("Arrow keys", "move it by half a pixel (Shift: ten)"),
)
_NEAR = 18  # pixels of the screen within which a corner is taken
_LOUPE, _TIMES = 132, 8  # its side on the screen, and how many times it enlarges

Outlines = Callable[[Corners], list[Array]]  # of what lies between corners, (m, 2) pixels each


class CornerField(QWidget):
    """A picture with four corners that are dragged, or moved by the arrow keys; `moved()`."""

    moved = Signal()

    def __init__(
        self,
        pixels: Array,
        corners: Corners = (),
        *,
        what: str = "nodes",
        outlines: Outlines | None = None,
    ) -> None:
        super().__init__()
        self._what, self._outlines = what, outlines
        self._image = image_of(pixels)
        width, height = self._image.width(), self._image.height()
        x, y = width * 0.1, height * 0.1
        usual = ((x, y), (width - x, y), (width - x, height - y), (x, height - y))
        self.corners: list[tuple[float, float]] = [*(corners or usual)]
        self.chosen = 0
        self._dragged = False
        self.setObjectName("corners.field")
        self.setMinimumSize(520, 320)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._say()

    def _say(self) -> None:
        x, y = self.corners[self.chosen]
        self.setAccessibleName(
            f"Corners of the {self._what}; {NAMES[self.chosen]} at {x:.1f}, {y:.1f}"
        )

    # --- geometry --------------------------------------------------------------------------------
    def _place(self) -> QRectF:
        room = QRectF(self.rect()).adjusted(10, 10, -_LOUPE - 22, -10)
        size = self._image.size().scaled(
            int(room.width()), int(room.height()), Qt.AspectRatioMode.KeepAspectRatio
        )
        box = QRectF(0, 0, max(size.width(), 1), max(size.height(), 1))
        box.moveCenter(room.center())
        return box

    def on_screen(self, corner: tuple[float, float]) -> QPointF:
        """Return where a place of the picture, in its pixels, is on the widget."""
        box = self._place()
        share = box.width() / self._image.width()
        return QPointF(box.left() + corner[0] * share, box.top() + corner[1] * share)

    def _in_picture(self, at: QPointF) -> tuple[float, float]:
        box = self._place()
        share = self._image.width() / box.width()
        return (at.x() - box.left()) * share, (at.y() - box.top()) * share

    def _move(self, x: float, y: float) -> None:
        width, height = self._image.width(), self._image.height()
        self.corners[self.chosen] = (min(max(x, -4), width + 4), min(max(y, -4), height + 4))
        self._say()
        self.moved.emit()
        self.update()

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        far = [(self.on_screen(c) - at).manhattanLength() for c in self.corners]
        nearest = int(np.argmin(far))
        if event.button() == Qt.MouseButton.LeftButton and far[nearest] <= _NEAR:
            self.chosen, self._dragged = nearest, True
            self._say()
            self.update()

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged:
            self._move(*self._in_picture(event.position()))

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._dragged = False

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        key = Qt.Key(event.key())
        if key in ways:
            step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.5
            x, y = self.corners[self.chosen]
            self._move(x + step * ways[key][0], y + step * ways[key][1])
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_4:
            self.chosen = key - Qt.Key.Key_1
            self._say()
            self.update()
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), colour("window"))
        painter.drawImage(self._place(), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_outlines(painter)
        points = [self.on_screen(c) for c in self.corners]
        for width, role in ((3.0, "rail"), (1.2, "yellow")):
            painter.setPen(QPen(colour(role), width))
            painter.drawPolygon(QPolygonF(points))
        for i, point in enumerate(points):
            painter.setPen(QPen(colour("rail"), 3 if i == self.chosen else 2))
            painter.setBrush(colour("yellow" if i == self.chosen else "text"))
            painter.drawEllipse(point, 5, 5)
        self._paint_loupe(painter)
        focus_ring(self, painter)

    def _paint_outlines(self, painter: QPainter) -> None:
        """Draw what should lie between the corners, for the hand to lay over what is seen."""
        if self._outlines is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for outline in self._outlines(tuple(self.corners)):
            shape = QPolygonF([self.on_screen((float(x), float(y))) for x, y in outline])
            for width, role in ((2.4, "rail"), (1.0, "text")):
                painter.setPen(QPen(colour(role), width))
                painter.drawPolygon(shape)

    def _paint_loupe(self, painter: QPainter) -> None:
        """Draw what lies round the chosen corner, enlarged, beside the picture and level with the corner."""
        x, y = self.corners[self.chosen]
        level = self.on_screen((x, y)).y() - _LOUPE / 2
        lowest = self.height() - _LOUPE - 28
        box = QRectF(self.width() - _LOUPE - 11, min(max(level, 10), lowest), _LOUPE, _LOUPE)
        reach = _LOUPE / _TIMES / 2
        painter.save()
        painter.setClipRect(box)
        painter.fillRect(box, colour("rail"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(box, self._image, QRectF(x - reach, y - reach, 2 * reach, 2 * reach))
        painter.setPen(QPen(colour("yellow"), 1))
        painter.drawLine(
            QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y())
        )
        painter.drawLine(
            QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom())
        )
        painter.restore()
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setFont(quiet_font())
        painter.setPen(colour("text"))
        words = f"{NAMES[self.chosen]}  {x:.1f}, {y:.1f}"
        below = QRectF(box.left(), box.bottom() + 2, _LOUPE, 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, words)
