"""The screen of a device: its picture, and the line between the natural half and the look."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent

from sfumato.app.controls.hand import Field, arrow, bounded
from sfumato.app.guard import guarded
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font
from sfumato.app.views.divider import paint_divider

KEYS = (
    ("Left, Right", "move the line of half and half (Shift coarse, Alt fine)"),
    ("Space", "play the clip, or hold it"),
    (", and .", "one frame back, or on"),
)
_NEAR = 12


class MonitorScreen(Field):
    """`line_moved(share)` while it is dragged, `released()` after; `play_wanted()`, `stepped(frames)`."""

    line_moved = Signal(float)
    play_wanted = Signal()
    stepped = Signal(int)

    def __init__(self) -> None:
        super().__init__("The screen of the device", "Drag the line of half and half.")
        self.setObjectName("bench.screen")
        self.setMinimumSize(240, 140)
        self.image: QImage | None = None
        self.line: float | None = None
        self.left, self.right, self.words = "", "", ""

    def show_screen(
        self, image: QImage | None, line: float | None, left: str, right: str, words: str
    ) -> None:
        """Show a picture.

        Args:
            line: where the line of half and half stands, a share of the width; None for none.
            left, right: what stands in the corners; `words`: what stands there without a picture.
        """
        self.image, self.line = image, line
        self.left, self.right, self.words = left, right, words
        self.setAccessibleDescription(", ".join(w for w in (left, right, words) if w))
        self.update()

    def box(self) -> QRectF:
        """Return where the picture lies."""
        if self.image is None:
            return QRectF(self.rect())
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(
            (self.width() - size.width()) / 2,
            (self.height() - size.height()) / 2,
            size.width(),
            size.height(),
        )

    def _line_x(self) -> float:
        box = self.box()
        return box.left() + (self.line or 0.0) * box.width()

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        near = self.line is not None and abs(event.position().x() - self._line_x()) < _NEAR
        if near and event.button() == Qt.MouseButton.LeftButton:
            self._held = True

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            box = self.box()
            self.line_moved.emit(bounded((event.position().x() - box.left()) / box.width(), 0, 1))

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = arrow(event, 0.01)
        if step is not None and step[0] and self.line is not None:
            self.line_moved.emit(bounded(self.line + step[0], 0, 1))
        elif event.key() == Qt.Key.Key_Space:
            self.play_wanted.emit()
        elif event.key() in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self.stepped.emit(1 if event.key() == Qt.Key.Key_Period else -1)
        else:
            super().keyPressEvent(event)

    # --- painting --------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = self.box()
        if self.image is not None:
            painter.drawImage(box, self.image)
        if self.words:
            painter.setPen(colour("quiet"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.words)
        if self.image is not None and self.line is not None:
            x = self._line_x()
            paint_divider(painter, QPointF(x, box.top()), QPointF(x, box.bottom()))
        self._label(painter, self.left, box, at_right=False)
        self._label(painter, self.right, box, at_right=True)
        focus_ring(self, painter)

    def _label(self, painter: QPainter, words: str, box: QRectF, *, at_right: bool) -> None:
        if not words:
            return
        painter.setFont(quiet_font())
        wide = min(painter.fontMetrics().horizontalAdvance(words) + 20, box.width() / 2 - 16)
        left = box.right() - 12 - wide if at_right else box.left() + 12
        room = QRectF(left, box.bottom() - 32, wide, 22)
        ground = colour("window")
        ground.setAlphaF(0.8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(room, RADIUS, RADIUS)
        painter.setPen(colour("text"))
        words = painter.fontMetrics().elidedText(
            words, Qt.TextElideMode.ElideMiddle, int(wide - 12)
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
