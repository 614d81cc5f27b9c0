"""A picture in which parts are marked by dragging, and colours picked by a click."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font
from sfumato.core.arrays import Array
from sfumato.core.study.loan import Place, Region

KEYS = (
    ("Drag", "mark a part"),
    ("Enter, Space", "begin a part or a pick, and set it"),
    ("Arrow keys", "move it (Shift: make it larger or smaller)"),
    ("Esc", "let it go"),
)
LOOK, PART, PICK = "look", "part", "pick"
_LEAST = 0.02  # of a side, that a part has at least
_STEP = 0.01
_WAYS: dict[int, Place] = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class PartField(QWidget):
    """`marked(Region)` and `picked(Place)`, shares of the picture; `tool` says what the hand does."""

    marked = Signal(object)
    picked = Signal(object)

    def __init__(self, name: str, title: str) -> None:
        super().__init__()
        self.tool = LOOK
        self.image: QImage | None = None
        self._title = title
        self._parts: tuple[tuple[str, Region], ...] = ()
        self._places: tuple[tuple[str, Place], ...] = ()
        self.waiting: Region | Place | None = None  # marked, while the other side is not
        self._from: Place | None = None
        self._by_key: Region | None = None  # what is moved by keys, until it is set
        self.setObjectName(name)
        self.setAccessibleName(title)
        self.setMinimumSize(200, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    # --- what is shown ---------------------------------------------------------------------------
    def show_pixels(self, pixels: Array | None) -> None:
        """Show a picture, uint8 (h, w, 3)."""
        self.image = None if pixels is None else image_of(pixels)
        self.update()

    def show_marks(
        self,
        parts: Sequence[tuple[str, Region]] = (),
        places: Sequence[tuple[str, Place]] = (),
        waiting: Region | Place | None = None,
    ) -> None:
        """Show parts and places with their names, and what waits for its counterpart."""
        self._parts, self._places, self.waiting = tuple(parts), tuple(places), waiting
        self.update()

    def set_tool(self, tool: str) -> None:
        """Take up a tool: LOOK, PART or PICK."""
        self.tool, self._from, self._by_key = tool, None, None
        cross = Qt.CursorShape.CrossCursor if tool != LOOK else Qt.CursorShape.ArrowCursor
        self.setCursor(cross)
        self.update()

    def box(self) -> QRectF:
        """Return where the picture lies on the widget."""
        if self.image is None:
            return QRectF()
        size = self.image.size().scaled(
            max(self.width(), 1), max(self.height(), 1), Qt.AspectRatioMode.KeepAspectRatio
        )
        box = QRectF(0, 0, max(size.width(), 1), max(size.height(), 1))
        box.moveCenter(QRectF(self.rect()).center())
        return box

    def on_screen(self, place: Place) -> QPointF:
        """Return where a place of the picture is on the widget."""
        box = self.box()
        return QPointF(box.left() + place[0] * box.width(), box.top() + place[1] * box.height())

    def _place(self, at: QPointF) -> Place:
        box = self.box()
        x, y = (at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height()
        return min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if event.button() != Qt.MouseButton.LeftButton or not self.box().contains(at):
            return
        if self.tool == PART:
            self._from = self._place(at)
        elif self.tool == PICK:
            self.picked.emit(self._place(at))

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self.waiting = _between(self._from, self._place(event.position()))
            self.update()

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        start, self._from = self._from, None
        if start is None:
            return
        region = _between(start, self._place(event.position()))
        if region[2] - region[0] >= _LEAST and region[3] - region[1] >= _LEAST:
            self.marked.emit(region)
        else:
            self.waiting = None
            self.update()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self.tool == LOOK or self.image is None:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._begin_or_set()
        elif key in _WAYS and self._by_key is not None:
            larger = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._by_key = _moved(self._by_key, _WAYS[key], larger=larger and self.tool == PART)
            self.update()
        elif key == Qt.Key.Key_Escape and self._by_key is not None:
            self._by_key = None
            self.update()
        else:
            super().keyPressEvent(event)

    def _begin_or_set(self) -> None:
        now, self._by_key = self._by_key, None
        if now is None:
            half = 0.15 if self.tool == PART else 0.0
            self._by_key = (0.5 - half, 0.5 - half, 0.5 + half, 0.5 + half)
        elif self.tool == PART:
            self.marked.emit(now)
        else:
            self.picked.emit((now[0], now[1]))
        self.update()

    @guarded
    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._by_key = None
        super().focusOutEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(quiet_font())
        if self.image is None:
            painter.setPen(colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._title)
            return
        painter.drawImage(self.box(), self.image)
        for name, region in self._parts:
            self._paint_part(painter, region, name, "yellow")
        for name, place in self._places:
            self._paint_place(painter, place, name, "yellow")
        for loose in (self.waiting, self._by_key):
            if loose is None:
                continue
            if len(loose) == 4 and self.tool != PICK:
                self._paint_part(painter, loose, "", "text")
            else:
                self._paint_place(painter, (loose[0], loose[1]), "", "text")
        focus_ring(self, painter)

    def _paint_part(self, painter: QPainter, region: Region, name: str, role: str) -> None:
        box = QRectF(self.on_screen((region[0], region[1])), self.on_screen((region[2], region[3])))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, tone in ((3.0, "rail"), (1.3, role)):
            painter.setPen(QPen(colour(tone), width))
            painter.drawRect(box)
        self._paint_name(painter, box.topLeft() + QPointF(3, 3), name)

    def _paint_place(self, painter: QPainter, place: Place, name: str, role: str) -> None:
        at = self.on_screen(place)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, tone in ((3.2, "rail"), (1.5, role)):
            painter.setPen(QPen(colour(tone), width))
            painter.drawEllipse(at, 6, 6)
        self._paint_name(painter, at + QPointF(9, -8), name)

    @staticmethod
    def _paint_name(painter: QPainter, at: QPointF, name: str) -> None:
        if not name:
            return
        width = painter.fontMetrics().horizontalAdvance(name) + 8
        label = QRectF(at.x(), at.y(), width, 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("rail"))
        painter.drawRoundedRect(label, RADIUS, RADIUS)
        painter.setPen(colour("yellow"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, name)


def _between(a: Place, b: Place) -> Region:
    xs, ys = sorted((a[0], b[0])), sorted((a[1], b[1]))
    return xs[0], ys[0], xs[1], ys[1]


def _moved(region: Region, way: Place, *, larger: bool) -> Region:
    """Return a part moved by a step, or with its far corner moved; it stays within the picture.

    >>> _moved((0.4, 0.4, 0.6, 0.6), (1, 0), larger=True)
    (0.4, 0.4, 0.61, 0.6)
    """
    x, y = way[0] * _STEP, way[1] * _STEP
    x0, y0, x1, y1 = region
    if larger:
        x1, y1 = min(max(x1 + x, x0 + _LEAST), 1.0), min(max(y1 + y, y0 + _LEAST), 1.0)
    else:
        x, y = min(max(x, -x0), 1 - x1), min(max(y, -y0), 1 - y1)
        x0, y0, x1, y1 = x0 + x, y0 + y, x1 + x, y1 + y
    return x0, y0, x1, y1
