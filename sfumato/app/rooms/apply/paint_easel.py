"""The Easel with a brush: strokes by mouse, pen or keyboard, places as shares of the picture."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QTabletEvent,
    QWheelEvent,
)

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.views.easel import Easel
from sfumato.core.arrays import Array
from sfumato.core.study.mask import Rect
from sfumato.work.frames import Region

KEYS = (
    ("Drag", "paint, or pull a gradient"),
    ("Shift and wheel", "size of the brush"),
    ("Arrow keys, Enter", "move the brush, put it down (Shift coarse)"),
    ("Esc", "let the stroke go; back to the shots"),
)
_COARSE = 5

Place = tuple[float, float]  # in shares of the picture


class PaintEasel(Easel):
    """`began(x, y, pressure)`, `moved(x, y, pressure)`, `ended()`, `given_up()`, `resized(steps)`."""

    began = Signal(float, float, float)
    moved = Signal(float, float, float)
    ended = Signal()
    given_up = Signal()
    resized = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Picture to paint on")
        self.across_share = 0.12  # the brush, of the longer side
        self.hard_share = 0.4  # of the brush
        self.gradient: tuple[Place, Place] | None = None
        self.is_brush = True
        self._hand: QPointF | None = None
        self._down = False
        self._pen = False

    # --- what is shown ---------------------------------------------------------------------------
    def show_whole(self, pixels: Array, region: Region) -> None:
        self._region = region
        self._b = image_of(pixels)
        self.update()

    def show_part(self, pixels: Array, rect: Rect) -> None:
        """Replace a rectangle of what is shown, in its pixels."""
        if self._b is None:
            return
        left, top, right, bottom = rect
        with QPainter(self._b) as painter:
            painter.drawImage(left, top, image_of(pixels))
        target = self._target(self.panes()[-1][0])
        sx, sy = target.width() / self._b.width(), target.height() / self._b.height()
        area = QRectF(
            target.left() + left * sx,
            target.top() + top * sy,
            (right - left) * sx,
            (bottom - top) * sy,
        )
        self.update(area.toAlignedRect().adjusted(-2, -2, 2, 2))

    def show_brush(self, across_share: float, hard_share: float, is_brush: bool) -> None:
        self.across_share, self.hard_share, self.is_brush = across_share, hard_share, is_brush
        self.update()

    def show_gradient(self, ends: tuple[Place, Place] | None) -> None:
        self.gradient = ends
        self.update()

    # --- hand --------------------------------------------------------------------------------------
    def _place(self, at: QPointF) -> tuple[float, float]:
        r = self.picture_rect(self.panes()[-1][0])
        return (at.x() - r.left()) / r.width(), (at.y() - r.top()) / r.height()

    def _near(self, at: QPointF) -> bool:
        """Whether the brush reaches the picture from there."""
        margin = self._radius()
        r = self.picture_rect(self.panes()[-1][0])
        return bool(self.picture[0]) and r.adjusted(-margin, -margin, margin, margin).contains(at)

    def _radius(self) -> float:
        r = self.picture_rect(self.panes()[-1][0])
        return self.across_share * max(r.width(), r.height()) / 2

    def _press(self, at: QPointF, pressure: float) -> None:
        if self._near(at):
            self._down = True
            self.began.emit(*self._place(at), pressure)

    def _go(self, at: QPointF, pressure: float) -> None:
        before, self._hand = self._hand, at
        if self._down:
            self.moved.emit(*self._place(at), pressure)
        for place in (before, at):
            if place is not None:
                reach = self._radius() + 4
                area = QRectF(place.x() - reach, place.y() - reach, 2 * reach, 2 * reach)
                self.update(area.toAlignedRect())

    def _lift(self) -> None:
        if self._down:
            self._down = False
            self.ended.emit()

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        plain = event.button() == Qt.MouseButton.LeftButton and not self._space
        if plain and not self._pen:
            self._press(event.position(), 1.0)
        else:
            super().mousePressEvent(event)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag:
            super().mouseMoveEvent(event)
        elif not self._pen:
            self._go(event.position(), 1.0)
            self._point(event.position())

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and not self._pen:
            self._lift()
        super().mouseReleaseEvent(event)

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)  # two dabs, no zoom

    @guarded
    def tabletEvent(self, event: QTabletEvent) -> None:
        """Take a pen as the brush, with its pressure."""
        kind, at = event.type(), event.position()
        if kind == QTabletEvent.Type.TabletPress:
            self._pen = True
            self._press(at, event.pressure())
        elif kind == QTabletEvent.Type.TabletMove:
            self._go(at, event.pressure())
        elif kind == QTabletEvent.Type.TabletRelease:
            self._lift()
            self._pen = False
        event.accept()

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        turned = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and turned:
            self.resized.emit(1 if turned > 0 else -1)
        else:
            super().wheelEvent(event)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        moves: dict[int, tuple[int, int]] = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        if key == Qt.Key.Key_Escape:
            self._down = False
            self.given_up.emit()
        elif key in moves:
            coarse = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            step = max(2.0, self._radius() / 4) * (_COARSE if coarse else 1)
            dx, dy = moves[key]
            at = self._hand or self.picture_rect(self.panes()[-1][0]).center()
            self._go(QPointF(at.x() + dx * step, at.y() + dy * step), 1.0)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            at = self._hand or self.picture_rect(self.panes()[-1][0]).center()
            if self._down:
                self._lift()
            elif self.is_brush:
                self._press(at, 1.0)
                self._lift()
            else:
                self._press(at, 1.0)  # the first end; arrow keys move the other, Enter lays it
        else:
            super().keyPressEvent(event)

    @guarded
    def leaveEvent(self, event: QEvent) -> None:
        if not self._down:
            self._hand = None
            self.update()
        super().leaveEvent(event)

    def _point(self, at: QPointF) -> None:
        if self._space or self._drag:
            super()._point(at)
        else:
            self.setCursor(Qt.CursorShape.CrossCursor)

    # --- look --------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.picture[0]:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._hand is not None and self.is_brush:
            # Dark beside light: seen on any picture. The inner circle is where the edge begins.
            for radius, faint in ((self._radius(), 1.0), (self._radius() * self.hard_share, 0.6)):
                for tone, width in ((QColor(20, 20, 20), 3.0), (QColor(235, 235, 235), 1.0)):
                    tone.setAlphaF(faint)
                    painter.setPen(QPen(tone, width))
                    painter.drawEllipse(self._hand, radius, radius)
        if self.gradient is not None:
            r = self.picture_rect(self.panes()[-1][0])
            a, b = (
                QPointF(r.left() + x * r.width(), r.top() + y * r.height())
                for x, y in self.gradient
            )
            for tone, width in ((QColor(20, 20, 20), 3.0), (QColor(235, 235, 235), 1.0)):
                painter.setPen(QPen(tone, width))
                painter.drawLine(a, b)
                painter.drawEllipse(a, 4, 4)
                painter.drawRect(QRectF(b.x() - 3, b.y() - 3, 6, 6))
