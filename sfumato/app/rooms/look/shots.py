"""The shots strip: a thumbnail of each shot through the current Look."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.services.strip import THUMB
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font
from sfumato.core.errors import SfumatoError
from sfumato.core.lut.difference import clipped
from sfumato.core.study.shot import Shot

KEYS = (
    ("Left, Right", "choose the shot beside"),
    ("Ctrl+click, Ctrl+Space", "mark a shot beside the chosen one"),
    ("Drag", "another place in the row"),
    ("Delete", "take the shot out of the study"),
)
_STEP = THUMB[0] + 8
_TOP = 9


def _same(a: tuple[Shot, ...], b: tuple[Shot, ...]) -> bool:
    """Whether two rows of shots look alike here (thumbnails come separately)."""

    def seen(shots: tuple[Shot, ...]) -> list[tuple[Any, ...]]:
        return [(s.id, s.name, s.encoding, s.group, bool(s.ground), s.is_painted) for s in shots]

    return a is b or seen(a) == seen(b)


_MUCH = 0.02  # of a picture that is clipped


class ShotsStrip(QWidget):
    """One line of thumbnails; `chosen(shot id)`, `wanted_menu(shot id, place)`, `seen(shot ids)`."""

    chosen = Signal(str)
    bring_in = Signal()
    menu_wanted = Signal(str, object)
    remove_wanted = Signal(str)
    marked = Signal(str)
    moved = Signal(str, int)
    seen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shots: tuple[Shot, ...] = ()
        self._current = ""
        self._thumbs: dict[str, QImage | SfumatoError] = {}
        self._offset = 0.0
        self._marked: tuple[str, ...] = ()
        self._doubts: dict[str, tuple[str, str]] = {}
        self._clipped: dict[str, float] = {}
        self._press: tuple[str, QPointF] | None = None
        self._drop: int | None = None
        self.setFixedHeight(84)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Shots")

    def show_shots(
        self, shots: tuple[Shot, ...], current: str, marked: tuple[str, ...] = ()
    ) -> None:
        if (current, marked) == (self._current, self._marked) and _same(shots, self._shots):
            self._shots = shots
            return
        self._shots, self._current, self._marked = shots, current, marked
        there = {s.id for s in shots}
        self._thumbs = {k: v for k, v in self._thumbs.items() if k in there}
        self._clipped = {k: v for k, v in self._clipped.items() if k in there}
        if self._press is not None and all(s.id != self._press[0] for s in shots):
            self._press = self._drop = None  # what was taken up is gone
        names = [s.name for s in shots if s.id == current]
        self.setAccessibleDescription(f"{len(shots)} shots, {names[0] if names else 'none'} chosen")
        self._reveal()

    def show_thumbs(self, thumbs: dict[str, Any]) -> None:
        """Show thumbnails of some shots anew: by id, a picture or why there is none."""
        for key, value in thumbs.items():
            is_fault = isinstance(value, SfumatoError)
            self._thumbs[key] = value if is_fault else image_of(value)
            self._clipped[key] = 0.0 if is_fault else float(clipped(value)[0].mean())
        self.update()

    def show_doubts(self, doubts: dict[str, tuple[str, str]]) -> None:
        """Mark shots that look like another encoding: by id, a short mark and the reason."""
        self._doubts = doubts
        self.update()

    def box(self, index: int) -> QRectF:
        """Return the thumbnail's place; the one behind the last shot is for bringing in more."""
        return QRectF(10 + index * _STEP - self._offset, _TOP, *THUMB)

    def _in_view(self) -> range:
        """Return which shots are seen, by their place in the row."""
        first = int((self._offset - 10) // _STEP)
        last = int((self._offset + self.width()) // _STEP) + 1
        return range(min(max(first, 0), len(self._shots)), min(last, len(self._shots)))

    def _turned(self) -> None:
        """Another part of the row is seen."""
        self.update()
        self.seen.emit(tuple(self._shots[i].id for i in self._in_view()))

    def _index_at(self, at: QPointF) -> int | None:
        places: list[int] = [*self._in_view(), len(self._shots)]
        for i in places:
            if self.box(i).adjusted(-3, -3, 3, 20).contains(at):
                return i
        return None

    def shot_at(self, at: QPoint) -> str:
        """Return the id of the shot at a place of the strip, "" beside them all."""
        index = self._index_at(QPointF(at)) if self.rect().contains(at) else None
        return self._shots[index].id if index is not None and index < len(self._shots) else ""

    def _reveal(self) -> None:
        index = next((i for i, s in enumerate(self._shots) if s.id == self._current), 0)
        room = max(0.0, 20 + (len(self._shots) + 1) * _STEP - self.width())
        left = index * _STEP
        self._offset = min(max(self._offset, left + _STEP + 10 - self.width()), left, room)
        self._offset = max(self._offset, 0.0)
        self._turned()

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._index_at(event.position())
        if index is None:
            return
        if index == len(self._shots):
            self.bring_in.emit()
        elif event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(self._shots[index].id, event.globalPosition().toPoint())
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.marked.emit(self._shots[index].id)
        else:
            self.chosen.emit(self._shots[index].id)
            self._press = (self._shots[index].id, event.position())

    def _place_at(self, x: float) -> int:
        """Return before which shot a dragged one would stand."""
        middles = [self.box(i).center().x() for i in range(len(self._shots))]
        return sum(1 for m in middles if m < x)

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        press, drop = self._press, self._drop
        self._press = self._drop = None
        self.update()
        if press is not None and drop is not None:
            here = next((i for i, s in enumerate(self._shots) if s.id == press[0]), None)
            if here is not None and (index := drop - (here < drop)) != here:
                self.moved.emit(press[0], index)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and not event.buttons() & Qt.MouseButton.LeftButton:
            self._press = self._drop = None  # let go somewhere else
            self.update()
        if self._press is not None:
            if abs(event.position().x() - self._press[1].x()) > 12 or self._drop is not None:
                self._drop = self._place_at(event.position().x())
                self.update()
            return
        index = self._index_at(event.position())
        tip = ""
        if index is not None and index < len(self._shots):
            shot = self._shots[index]
            fault = self._thumbs.get(shot.id)
            tip = f"{shot.path}\n{shot.encoding or 'encoding not stated'}"
            if isinstance(fault, SfumatoError):
                tip += f"\n{fault.summary}"
            if shot.group:
                tip += f"\nin the group {shot.group}"
            if shot.is_painted:
                tip += "\npainted on in the Apply room: not in the LUT"
            if shot.id in self._doubts:
                tip += f"\n{self._doubts[shot.id][1]}"
            if self._clipped.get(shot.id, 0) > _MUCH:
                tip += f"\n{self._clipped[shot.id] * 100:.0f} % of it is clipped through the Look"
        set_tip(self, tip)

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        room = max(0.0, 20 + (len(self._shots) + 1) * _STEP - self.width())
        turn = event.angleDelta().y() or event.angleDelta().x()
        self._offset = min(max(self._offset - turn / 2, 0.0), room)
        self._turned()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = next((i for i, s in enumerate(self._shots) if s.id == self._current), 0)
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if step and self._shots:
            self.chosen.emit(self._shots[min(max(index + step, 0), len(self._shots) - 1)].id)
        elif event.key() == Qt.Key.Key_Space and self._shots:
            self.marked.emit(self._shots[index].id)
        elif event.key() == Qt.Key.Key_Delete and self._shots:
            self.remove_wanted.emit(self._shots[index].id)
        else:
            super().keyPressEvent(event)

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        self._reveal()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("window"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        for i in self._in_view():
            self._paint_shot(painter, i)
        box = self.box(len(self._shots))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        painter.setPen(colour("quiet"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "Bring in")
        if self._drop is not None:
            x = self.box(self._drop).left() - 4
            painter.setPen(QPen(colour("yellow"), 2))
            painter.drawLine(QPointF(x, _TOP), QPointF(x, _TOP + THUMB[1]))
        focus_ring(self, painter)

    def _paint_shot(self, painter: QPainter, index: int) -> None:
        box, shot = self.box(index), self._shots[index]
        thumb = self._thumbs.get(shot.id)
        if isinstance(thumb, QImage):
            painter.drawImage(box, thumb)
        else:
            painter.fillRect(box, colour("well"))
            words = "cannot be read" if isinstance(thumb, SfumatoError) else "…"
            painter.setPen(colour("cinnabar" if thumb is not None else "quiet"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        chosen = shot.id == self._current
        if chosen or shot.id in self._marked:
            painter.setPen(QPen(colour("yellow"), 2 if chosen else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), RADIUS, RADIUS)
        line = QRectF(box.left(), box.bottom() + 3, box.width(), 16)
        painter.setPen(colour("text" if chosen else "quiet"))
        marks = ""
        if shot.encoding is None:
            marks = "encoding?"
        elif shot.id in self._doubts:
            marks = self._doubts[shot.id][0]
        room = line.adjusted(0, 0, -16 - (56 if marks else 0), 0)
        name = painter.fontMetrics().elidedText(
            shot.name, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        if marks:
            painter.setPen(colour("cinnabar"))
            painter.drawText(
                line.adjusted(0, 0, -14, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                marks,
            )
        if shot.group:
            self._paint_group(painter, index)
        if self._clipped.get(shot.id, 0) > _MUCH:
            painter.setPen(QPen(colour("rail"), 1))
            painter.setBrush(colour("cinnabar"))
            painter.drawRect(QRectF(box.right() - 11, box.top() + 4, 7, 7))
        if shot.ground:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("azurite"))
            at = QPointF(line.right() - 5, line.center().y())
            painter.drawPolygon(
                [at + QPointF(-4, 0), at + QPointF(0, -4), at + QPointF(4, 0), at + QPointF(0, 4)]
            )

        if shot.is_painted:  # a brush stroke on a dark ground: seen on any picture
            at = QPointF(box.right() - 20, box.bottom() - 6)
            for tone, width in (("rail", 6.0), ("text", 2.5)):
                pen = QPen(colour(tone), width)
                pen.setCapStyle(Qt.PenCapStyle.RoundCap)
                painter.setPen(pen)
                painter.drawLine(at, at + QPointF(14, -4))

    def _paint_group(self, painter: QPainter, index: int) -> None:
        """A line over the shots of a group, with its name over the first of them."""
        box, shot = self.box(index), self._shots[index]
        before = self._shots[index - 1].group if index else ""
        left = box.left() - (_STEP - THUMB[0] if before == shot.group else 0)
        painter.setPen(QPen(colour("quiet"), 2))
        painter.drawLine(QPointF(left, box.top() - 5), QPointF(box.right(), box.top() - 5))
        if before != shot.group:
            plate = painter.fontMetrics().boundingRect(shot.group)
            size = QRectF(box.left() + 3, box.top() + 3, min(plate.width() + 8, THUMB[0] - 6), 15)
            ground = colour("rail")
            ground.setAlphaF(0.75)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ground)
            painter.drawRoundedRect(size, RADIUS, RADIUS)
            painter.setPen(colour("text"))
            name = painter.fontMetrics().elidedText(
                shot.group, Qt.TextElideMode.ElideRight, int(size.width()) - 6
            )
            painter.drawText(size, Qt.AlignmentFlag.AlignCenter, name)
