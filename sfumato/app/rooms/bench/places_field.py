"""The numbered places of a device: what stands in each, and which is used."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.theme import RADIUS, colour, focus_ring, quiet_font
from sfumato.core.arrays import Array
from sfumato.work.bench.devices import Rig

KEYS = (
    ("Arrows", "choose a place"),
    ("Enter", "load the chosen file of the card into it"),
    ("Delete", "clear it"),
    ("F2", "rename what stands in it"),
    ("Ctrl+Shift and arrows", "move what stands in it to the next place"),
)
_ACROSS, _GAP, _HIGH, _FOOT = 2, 8, 66, 20
_STEPS = {
    Qt.Key.Key_Left: -1,
    Qt.Key.Key_Right: 1,
    Qt.Key.Key_Up: -_ACROSS,
    Qt.Key.Key_Down: _ACROSS,
}
_MIME = "application/x-sfumato-place"


class PlacesField(Field):
    """`chosen(place)`, `load_wanted(place)`, `clear_wanted(place)`, `rename_wanted(place)`,
    `moved(place, to)`, `dropped(place, files)`, `menu_wanted(place, where)`; places from 0."""

    chosen = Signal(int)
    load_wanted = Signal(int)
    clear_wanted = Signal(int)
    rename_wanted = Signal(int)
    moved = Signal(int, int)
    dropped = Signal(int, object)
    menu_wanted = Signal(int, object)

    def __init__(self) -> None:
        super().__init__(
            "Places",
            "The LUTs that the device keeps. Enter loads the chosen file of the card; drag to move.",
        )
        self.setObjectName("bench.places")
        self.setAcceptDrops(True)
        self._rig: Rig | None = None
        self._images: dict[int, QImage] = {}
        self._from: QPointF | None = None

    def show_places(self, rig: Rig | None, pictures: dict[int, Array]) -> None:
        """Show the places of a device, with a small picture of what each does."""
        self._rig = rig
        self._images = {i: image_of(p) for i, p in pictures.items()}
        rows = -(-len(rig.state.places) // _ACROSS) if rig is not None else 0
        self.setFixedHeight(max(rows * (_HIGH + _GAP) - _GAP, 20))
        if rig is not None:
            place = rig.place
            held = place.name if place is not None else "empty"
            self.setAccessibleDescription(f"place {rig.state.chosen + 1}: {held}")
        self.update()

    def box(self, place: int) -> QRectF:
        """Return where a place lies."""
        wide = (self.width() - _GAP * (_ACROSS - 1)) / _ACROSS
        return QRectF(
            place % _ACROSS * (wide + _GAP), place // _ACROSS * (_HIGH + _GAP), wide, _HIGH
        )

    def place_at(self, at: QPointF) -> int | None:
        """Return the place under a point."""
        count = len(self._rig.state.places) if self._rig is not None else 0
        return next((i for i in range(count) if self.box(i).contains(at)), None)

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        if place is None:
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self._from = event.position()
            self.chosen.emit(place)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        start = self._from
        if start is None or (event.position() - start).manhattanLength() < 8:
            return
        self._from = None
        place = self.place_at(start)
        if place is None or self._rig is None or self._rig.state.places[place] is None:
            return
        drag, data = QDrag(self), QMimeData()
        data.setData(_MIME, str(place).encode())
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.MoveAction)

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None
        super().mouseReleaseEvent(event)

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        if place is not None:
            self.load_wanted.emit(place)

    @guarded
    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        place = self.place_at(QPointF(event.pos()))
        if place is None and self._rig is not None:
            place = self._rig.state.chosen
        if place is not None:
            self.menu_wanted.emit(place, event.globalPos())

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        rig, key = self._rig, event.key()
        if rig is None:
            super().keyPressEvent(event)
            return
        at, count = rig.state.chosen, len(rig.state.places)
        step = _STEPS.get(Qt.Key(key))
        if step is not None:
            to = at + step
            moves = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            if 0 <= to < count and moves and rig.state.places[at] is not None:
                self.moved.emit(at, to)
            elif 0 <= to < count:
                self.chosen.emit(to)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.load_wanted.emit(at)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.clear_wanted.emit(at)
        elif key == Qt.Key.Key_F2:
            self.rename_wanted.emit(at)
        else:
            super().keyPressEvent(event)

    @guarded
    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(_MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()

    @guarded
    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if self.place_at(event.position()) is not None:
            event.acceptProposedAction()
        else:
            event.ignore()

    @guarded
    def dropEvent(self, event: QDropEvent) -> None:
        place = self.place_at(event.position())
        if place is None:
            return
        data = event.mimeData()
        if data.hasFormat(_MIME):
            start = int(data.data(_MIME).data())
            if start != place:
                self.moved.emit(start, place)
        else:
            self.dropped.emit(place, [u.toLocalFile() for u in data.urls() if u.isLocalFile()])
        event.acceptProposedAction()

    # --- painting --------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        rig = self._rig
        for i in range(len(rig.state.places) if rig is not None else 0):
            self._paint_place(painter, i)
        focus_ring(self, painter)

    def _paint_place(self, painter: QPainter, i: int) -> None:
        assert self._rig is not None
        box, state = self.box(i), self._rig.state
        place, is_chosen = state.places[i], i == state.chosen
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("raised" if place is not None else "panel"))
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        image = self._images.get(i)
        if place is not None and image is not None:
            room = QRectF(box.left(), box.top(), box.width(), box.height() - _FOOT)
            share = room.height() / room.width()
            high = min(image.height(), image.width() * share)
            part = QRectF(0, (image.height() - high) / 2, image.width(), high)
            painter.drawImage(room, image, part)
        foot = QRectF(box.left() + 8, box.bottom() - _FOOT, box.width() - 16, _FOOT)
        name = place.name if place is not None else "empty"
        painter.setFont(self.font() if place is not None else quiet_font())
        words = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(foot.width() - 20)
        )
        painter.setPen(colour("text" if place is not None else "quiet"))
        painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, words)
        painter.setFont(quiet_font())
        painter.setPen(colour("yellow" if is_chosen else "quiet"))
        painter.drawText(
            foot, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(i + 1)
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour("yellow" if is_chosen else "line"), 2 if is_chosen else 1))
        inset = 1.0 if is_chosen else 0.5
        painter.drawRoundedRect(box.adjusted(inset, inset, -inset, -inset), RADIUS, RADIUS)
