"""The thread down the Ledger's margin, with the Span's bracket on it."""

from __future__ import annotations

from bisect import bisect_left

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import colour, focus_ring
from sfumato.core.path.span import Joint, Span

THREAD = 22  # where the thread runs, in pixels from the left
INDENT = 40  # where the rows begin


class SpanEnd(QWidget):
    """One end of the Span's bracket: dragged, or moved by the arrow keys, between two joints."""

    moved = Signal(object)

    def __init__(self, joints: tuple[Joint, Joint], name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.joints = joints
        self.joint = joints[1]
        self.places: dict[Joint, float] = {}
        self.setFixedSize(30, 15)
        self.setCursor(Qt.CursorShape.SizeVerCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setObjectName(f"span.{name.split()[-1]}")
        self._pressed = False

    def show_joint(self, joint: Joint) -> None:
        self.joint = joint
        words = {
            Joint.SOURCE: "before this shot's Ground",
            Joint.GROUND: "after the Ground",
            Joint.LOOK: "after the Look",
            Joint.VIEW: "after the View",
        }
        set_tip(
            self,
            f"{self.accessibleName()}: the LUT {'starts' if self.joints[0] is Joint.SOURCE else 'ends'} "
            f"{words[joint]}. Drag it, or press Up or Down.",
        )
        self.update()

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.button() == Qt.MouseButton.LeftButton
        self.setFocus()

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed:
            y = self.mapToParent(event.position().toPoint()).y()
            nearest = min(self.joints, key=lambda j: abs(self.places.get(j, 0) - y))
            self.move(self.x(), int(self.places[nearest]) - 7)

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed:
            self._pressed = False
            y = self.mapToParent(event.position().toPoint()).y()
            self.moved.emit(min(self.joints, key=lambda j: abs(self.places.get(j, 0) - y)))

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Up:
            self.moved.emit(self.joints[0])
        elif event.key() == Qt.Key.Key_Down:
            self.moved.emit(self.joints[1])
        else:
            super().keyPressEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("yellow"), 3, c=Qt.PenCapStyle.FlatCap))
        x = THREAD - self.x()
        painter.drawLine(QPointF(x - 9, 7.5), QPointF(x + 9, 7.5))
        focus_ring(self, painter)


def _middle(node: tuple[QWidget, str]) -> int:
    return node[0].geometry().center().y()


class ThreadBody(QWidget):
    """The scrolled part; paints the thread down its left margin."""

    def __init__(self) -> None:
        super().__init__()
        self.nodes: list[tuple[QWidget, str]] = []
        self.look_top: QWidget | None = None
        self.view_row: QWidget | None = None
        self.span = Span()
        self.drop: float | None = None
        self.start = SpanEnd((Joint.SOURCE, Joint.GROUND), "Span start", self)
        self.end = SpanEnd((Joint.LOOK, Joint.VIEW), "Span end", self)

    def place_ends(self) -> None:
        if self.look_top is None or self.view_row is None or not self.nodes:
            return
        source = self.nodes[0][0]
        top = self.look_top.geometry().top() if source.isHidden() else source.geometry().bottom()
        self.start.places = {
            Joint.SOURCE: top + 2,
            Joint.GROUND: self.look_top.geometry().center().y(),
        }
        self.end.places = {
            Joint.LOOK: self.view_row.geometry().top() - 1,
            Joint.VIEW: self.view_row.geometry().bottom() + 2,
        }
        self.start.move(THREAD - 15, int(self.start.places[self.span.start]) - 7)
        self.end.move(THREAD - 15, int(self.end.places[self.span.end]) - 7)
        self.start.raise_()
        self.end.raise_()
        self.update()

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        self.place_ends()

    @guarded
    def paintEvent(self, event: QPaintEvent) -> None:
        if not self.nodes or not self.start.places or self.look_top is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        first_row = self.nodes[0][0]
        top = (self.look_top if first_row.isHidden() else first_row).geometry().center().y()
        bottom = self.height()
        first, last = self.start.places[self.span.start], self.end.places[self.span.end]
        ground_end = self.start.places[Joint.GROUND]
        painter.setPen(QPen(colour("line"), 2))
        painter.drawLine(QPointF(THREAD, top), QPointF(THREAD, bottom))
        painter.setPen(QPen(colour("azurite"), 2))
        painter.drawLine(QPointF(THREAD, top), QPointF(THREAD, ground_end))
        painter.setPen(QPen(colour("yellow"), 4, c=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(THREAD, first), QPointF(THREAD, last))
        seen = event.rect().adjusted(0, -8, 0, 8)
        # They lie below one another: of hundreds, only those that are painted are asked where they lie.
        first_seen = bisect_left(self.nodes, seen.top(), lo=1, key=_middle)
        for widget, pigment in (self.nodes[0], *self.nodes[first_seen:]):
            middle = _middle((widget, pigment))
            if middle > seen.bottom():
                break
            if widget.isHidden() or middle < seen.top():
                continue
            at = QPointF(THREAD, middle + 0.5)
            painter.setPen(QPen(colour("panel"), 2))
            painter.setBrush(colour(pigment))
            painter.drawEllipse(at, 5, 5)
        if self.drop is not None:
            painter.setPen(QPen(colour("yellow"), 2))
            painter.drawLine(QPointF(INDENT - 6, self.drop), QPointF(self.width() - 4, self.drop))
