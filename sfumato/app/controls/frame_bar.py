"""The frames of a clip: the one that is shown, where the shot begins and ends, playing."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.theme import RADIUS, colour, focus_ring

KEYS = (
    ("Left, Right", "one frame (Shift ten)"),
    ("Home, End", "the first or last frame of the shot"),
    ("Space", "play or pause"),
    ("I, O", "the shot begins or ends here; with Shift: with the clip"),
)
_EDGE = 8


class FrameBar(Field):
    """A line of frames. `moved(frame)`, `released()`, `limited(first, last)`, `play_wanted()`."""

    moved = Signal(int)
    limited = Signal(int, object)
    play_wanted = Signal()

    def __init__(self) -> None:
        super().__init__(
            "Frames of the clip",
            "Drag to choose the frame; drag the brackets for where the shot begins and ends.\n"
            "Left and Right step (Shift ten), Space plays, I and O set the ends.",
        )
        self.count, self.frame, self.first = 1, 0, 0
        self.last: int | None = None
        self.setFixedHeight(22)
        self.setMinimumWidth(200)

    def show_frames(self, count: int, frame: int, first: int, last: int | None) -> None:
        if (count, frame, first, last) != (self.count, self.frame, self.first, self.last):
            self.count, self.frame, self.first, self.last = count, frame, first, last
            self.setAccessibleDescription(f"frame {frame + 1} of {count}")
            self.update()

    @property
    def end(self) -> int:
        """The last frame of the shot."""
        return self.count - 1 if self.last is None else min(self.last, self.count - 1)

    def place(self, frame: int) -> QPointF:
        """Return where a frame lies."""
        share = frame / max(self.count - 1, 1)
        return QPointF(_EDGE + share * (self.width() - 2 * _EDGE), self.height() / 2)

    def _at(self, x: float) -> int:
        share = (x - _EDGE) / max(self.width() - 2 * _EDGE, 1)
        return min(max(round(share * (self.count - 1)), 0), self.count - 1)

    def _go(self, frame: int) -> None:
        frame = min(max(frame, 0), self.count - 1)
        if frame != self.frame:
            self.frame = frame
            self.update()
            self.moved.emit(frame)

    def _limit(self, first: int, last: int | None) -> None:
        """Keep the ends in order, and an end at the clip's own as open."""
        self.first = min(max(first, 0), self.count - 1)
        self.last = None if last is None or last >= self.count - 1 else max(last, self.first)
        self.update()
        self.limited.emit(self.first, self.last)

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        low, high, here = (self.place(f).x() for f in (self.first, self.end, self.frame))
        lower = event.position().y() > self.height() - 8
        if lower and abs(x - low) < 7:
            self._held = "first"
        elif lower and abs(x - high) < 7:
            self._held = "last"
        else:
            self._held = "frame"
            if abs(x - here) > 4:
                self._go(self._at(x))

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        frame = self._at(event.position().x())
        if self._held == "frame":
            self._go(frame)
        elif self._held == "first":
            self._limit(min(frame, self.end), self.last)
        elif self._held == "last":
            self._limit(self.first, max(frame, self.first))

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (10 if shift else 1) * (1 if key == Qt.Key.Key_Right else -1)
            self._go(self.frame + step)
        elif key == Qt.Key.Key_Home:
            self._go(self.first)
        elif key == Qt.Key.Key_End:
            self._go(self.end)
        elif key == Qt.Key.Key_Space:
            self.play_wanted.emit()
        elif key == Qt.Key.Key_I:
            self._limit(0 if shift else self.frame, self.last)
        elif key == Qt.Key.Key_O:
            self._limit(self.first, None if shift else self.frame)
        else:
            super().keyPressEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        painter.setPen(QPen(colour("line"), 2))
        painter.drawLine(self.place(0), self.place(self.count - 1))
        low, high = self.place(self.first).x(), self.place(self.end).x()
        painter.setPen(QPen(colour("quiet"), 2))
        painter.drawLine(QPointF(low, y), QPointF(high, y))
        for x, inward in ((low, 1), (high, -1)):
            painter.drawPolyline(
                [
                    QPointF(x + 4 * inward, y - 6),
                    QPointF(x, y - 6),
                    QPointF(x, y + 6),
                    QPointF(x + 4 * inward, y + 6),
                ]
            )
        at = self.place(self.frame).x()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("yellow"))
        painter.drawRoundedRect(QRectF(at - 2, y - 8, 4, 16), RADIUS / 2, RADIUS / 2)
        focus_ring(self, painter)
