"""All shots of the study through the Look, side by side."""

from __future__ import annotations

import math
from typing import Any

from attrs import frozen
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.theme import MOUNTS, RADIUS, colour, focus_ring, quiet_font
from sfumato.core.errors import SfumatoError
from sfumato.core.study.coat import Coat
from sfumato.core.study.shot import Shot

KEYS = (
    ("Arrow keys", "choose the next shot"),
    ("Enter, double click", "show the chosen shot alone"),
    ("Ctrl+click, Ctrl+Space", "mark a shot beside the chosen one"),
)
_GAP, _LINE = 10, 18
_ASPECT = 16 / 9
_WAS = 0.38  # of a tile's width: how it was before it was matched


@frozen(eq=False)
class Before:
    """How a shot was before it was matched: a picture, how far it was and is, and the Ground it got."""

    picture: Any
    words: str
    ground: tuple[Coat, ...]


class Contact(QWidget):
    """`chosen(id)`, `opened(id)`, `marked(id)`, `menu_wanted(id, place)`, `size_changed()`."""

    chosen = Signal(str)
    opened = Signal(str)
    marked = Signal(str)
    menu_wanted = Signal(str, object)
    size_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._shots: tuple[Shot, ...] = ()
        self._current = ""
        self._marked: tuple[str, ...] = ()
        self._pictures: dict[str, QImage | SfumatoError] = {}
        self._before: dict[str, tuple[QImage, Before]] = {}
        self.mount = "mid"
        self._by_key = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All shots through the Look")
        set_tip(self, "Click chooses a shot, double click shows it alone; Ctrl+click marks more.")

    # --- geometry --------------------------------------------------------------------------------
    def columns(self) -> int:
        """Return how many shots stand in a row: as few as let all of them be seen largest."""
        count = max(len(self._shots), 1)
        best, most = 1, 0.0
        for columns in range(1, count + 1):
            w, h = self._cell(columns)
            size = min(w, (h - _LINE) * _ASPECT)
            if size > most:
                best, most = columns, size
        return best

    def _cell(self, columns: int) -> tuple[float, float]:
        rows = math.ceil(max(len(self._shots), 1) / columns)
        return (self.width() - _GAP) / columns - _GAP, (self.height() - _GAP) / rows - _GAP

    def tile(self) -> tuple[int, int]:
        """Return the room for one picture, in device pixels."""
        w, h = self._cell(self.columns())
        ratio = self.devicePixelRatioF()
        return max(16, int(w * ratio)), max(9, int((h - _LINE) * ratio))

    def box(self, index: int) -> QRectF:
        """Return the place of a shot: its picture and its name below."""
        columns = self.columns()
        w, h = self._cell(columns)
        x, y = index % columns, index // columns
        return QRectF(_GAP + x * (w + _GAP), _GAP + y * (h + _GAP), w, h)

    def shot_at(self, at: QPoint) -> str:
        """Return the id of the shot at a place, "" beside them all."""
        for i, shot in enumerate(self._shots):
            if self.box(i).contains(QPointF(at)):
                return shot.id
        return ""

    # --- state -----------------------------------------------------------------------------------
    def show_shots(self, shots: tuple[Shot, ...], current: str, marked: tuple[str, ...]) -> None:
        if (shots, current, marked) != (self._shots, self._current, self._marked):
            fresh = len(shots) != len(self._shots)
            self._shots, self._current, self._marked = shots, current, marked
            self.update()
            if fresh:
                self.size_changed.emit()

    def show_pictures(self, pictures: dict[str, Any]) -> None:
        self._pictures = {
            k: v if isinstance(v, SfumatoError) else image_of(v) for k, v in pictures.items()
        }
        self.update()

    def show_before(self, before: dict[str, Before]) -> None:
        """Show in a corner how matched shots were, until their Grounds are others."""
        self._before |= {k: (image_of(v.picture), v) for k, v in before.items()}
        self.update()

    def _was(self, shot: Shot) -> tuple[QImage, str] | None:
        """Return a picture of how a shot was before it was matched, and how far apart it was and is."""
        found = self._before.get(shot.id)
        if found is None:
            return None
        if shot.ground != found[1].ground:
            return None
        return found[0], found[1].words

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self.shot_at(event.position().toPoint())
        if not found:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(found, event.globalPosition().toPoint())
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.marked.emit(found)
        else:
            self.chosen.emit(found)

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        found = self.shot_at(event.position().toPoint())
        if found:
            self.opened.emit(found)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        ids = [s.id for s in self._shots]
        index = ids.index(self._current) if self._current in ids else 0
        step = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns(),
            Qt.Key.Key_Down: self.columns(),
        }.get(Qt.Key(event.key()))
        if step is not None and 0 <= index + step < len(ids):
            self.chosen.emit(ids[index + step])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and ids:
            self.opened.emit(ids[index])
        elif event.key() == Qt.Key.Key_Space and ids:
            self.marked.emit(ids[index])
        elif step is None:
            super().keyPressEvent(event)

    @guarded
    def focusInEvent(self, event: QFocusEvent) -> None:
        tabs = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_key = event.reason() in tabs
        super().focusInEvent(event)

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        self.size_changed.emit()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), MOUNTS[self.mount])
        painter.setFont(quiet_font())
        for i, shot in enumerate(self._shots):
            box = self.box(i)
            room = box.adjusted(0, 0, 0, -_LINE)
            picture = self._pictures.get(shot.id)
            if isinstance(picture, QImage):
                size = (
                    picture.size().toSizeF().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
                )
                at = QRectF(QPointF(0, 0), size)
                at.moveCenter(room.center())
                painter.drawImage(at, picture)
            else:
                at = room
                painter.setPen(colour("text"))
                words = "cannot be read" if isinstance(picture, SfumatoError) else "…"
                painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
            if shot.id == self._current or shot.id in self._marked:
                painter.setPen(QPen(colour("yellow"), 2 if shot.id == self._current else 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(at.adjusted(-3, -3, 3, 3), RADIUS, RADIUS)
            was = self._was(shot)
            if was is not None:
                self._paint_was(painter, at, was[0])
            line = QRectF(box.left(), at.bottom() + 3, box.width(), _LINE - 2)
            plate = QRectF(line)
            words = " · ".join(
                w
                for w in (
                    shot.group,
                    shot.name,
                    was[1] if was is not None else "Ground" if shot.ground else "",
                )
                if w
            )
            plate.setWidth(painter.fontMetrics().horizontalAdvance(words) + 10)
            plate.moveLeft(at.left())
            ground = colour("rail")
            ground.setAlphaF(0.7)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ground)
            painter.drawRoundedRect(plate, RADIUS, RADIUS)
            painter.setPen(colour("text"))
            painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, words)
        if self._by_key:  # a ring of colour around pictures only for those who need it
            focus_ring(self, painter)

    @staticmethod
    def _paint_was(painter: QPainter, at: QRectF, picture: QImage) -> None:
        """Draw how the shot was, small, in the lower right corner of how it is."""
        width = at.width() * _WAS
        small = QRectF(0, 0, width, width * picture.height() / max(picture.width(), 1))
        small.moveBottomRight(at.bottomRight() - QPointF(4, 4))
        painter.drawImage(small, picture)
        painter.setPen(QPen(colour("rail"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(small)
        words = "before"
        plate = QRectF(small.left(), small.top(), 0, 15)
        plate.setWidth(painter.fontMetrics().horizontalAdvance(words) + 8)
        ground = colour("rail")
        ground.setAlphaF(0.7)
        painter.fillRect(plate, ground)
        painter.setPen(colour("text"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, words)
