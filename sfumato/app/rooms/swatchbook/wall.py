"""The wall of the Swatchbook: the current shot through many looks, painted only where it is seen."""

from __future__ import annotations

from attrs import frozen
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, QRectF, QSize, Qt, QUrl, Signal
from PySide6.QtGui import (
    QDrag,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, quiet_font, strong_font
from sfumato.work.luts.lut_files import part_of

KEYS = (
    ("Arrow keys, Page, Home, End", "choose the look beside"),
    ("Enter", "put it into the Look"),
    ("K, P", "keep it, pass it"),
    ("A", "hold it on side A"),
    ("Shift+wheel", "Strength of the look under the hand"),
    ("Drag", "take its file elsewhere"),
    ("F2, Delete", "rename it, put it into the trash"),
)
_GAP, _LINE = 12, 22


@frozen(eq=False)
class Tile:
    """What the wall shows of one look; `warning` is said in cinnabar, `mark` in malachite."""

    key: str
    name: str
    file: str
    picture: QImage | None = None
    mark: str = ""
    warning: str = ""
    strength: float = 1.0
    tip: str = ""


class WallView(QAbstractScrollArea):
    """Signals name tiles by key."""

    chosen = Signal(str)
    activated = Signal(str)
    strength_moved = Signal(str, float)
    key_pressed = Signal(str)
    menu_wanted = Signal(str, QPoint)
    near_changed = Signal(object)
    size_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._tiles: list[Tile] = []
        self._at: dict[str, int] = {}
        self._current = ""
        self._size = QSize(200, 112)
        self._press: tuple[str, QPointF] | None = None
        self.words = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName("Looks")
        self.verticalScrollBar().valueChanged.connect(lambda _v: self._send_near())

    # --- what is shown -----------------------------------------------------------------------------
    def show_tiles(self, tiles: list[Tile], current: str) -> None:
        """Show another row of tiles; the place of the scroll stays."""
        self._tiles = tiles
        self._at = {t.key: i for i, t in enumerate(tiles)}
        self._current = current
        self.setAccessibleDescription(f"{len(tiles)} looks")
        self._set_range()
        self._send_near()
        self.viewport().update()

    def change_tile(self, tile: Tile) -> None:
        """Show one tile anew."""
        index = self._at.get(tile.key)
        if index is not None:
            self._tiles[index] = tile
            self.viewport().update(self.box(index).toAlignedRect().adjusted(-4, -4, 4, _LINE + 6))

    def show_current(self, key: str) -> None:
        """Mark the chosen tile and bring it into sight."""
        self._current = key
        index = self._at.get(key)
        if index is not None:
            bar = self.verticalScrollBar()
            top = self._row(index) * self._step()
            if top < bar.value():
                bar.setValue(top)
            elif top + self._step() > bar.value() + self.viewport().height():
                bar.setValue(top + self._step() - self.viewport().height())
        self.viewport().update()

    @property
    def tiles(self) -> list[Tile]:
        return self._tiles

    # --- geometry ----------------------------------------------------------------------------------
    def columns(self) -> int:
        return max(1, (self.viewport().width() - _GAP) // (self._size.width() + _GAP))

    def _step(self) -> int:
        return self._size.height() + _LINE + _GAP

    def _row(self, index: int) -> int:
        return index // self.columns()

    def box(self, index: int) -> QRectF:
        """Return where the picture of a tile is in the viewport."""
        columns = self.columns()
        room = self.viewport().width() - _GAP - columns * (self._size.width() + _GAP)
        x = _GAP + room // 2 + (index % columns) * (self._size.width() + _GAP)
        y = _GAP + self._row(index) * self._step() - self.verticalScrollBar().value()
        return QRectF(x, y, self._size.width(), self._size.height())

    def index_at(self, at: QPointF) -> int | None:
        first, last = self._seen()
        for i in range(first, last):
            if self.box(i).adjusted(0, 0, 0, _LINE).contains(at):
                return i
        return None

    def _seen(self) -> tuple[int, int]:
        """Return which tiles are in sight, from and to."""
        top = self.verticalScrollBar().value()
        first = max(0, top // self._step()) * self.columns()
        rows = self.viewport().height() // self._step() + 2
        return first, min(len(self._tiles), first + rows * self.columns())

    def _set_range(self) -> None:
        rows = -(-len(self._tiles) // self.columns())
        whole = rows * self._step() + _GAP
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, whole - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(self._step() // 3)

    def _send_near(self) -> None:
        first, last = self._seen()
        after = min(len(self._tiles), last + 2 * self.columns())
        self.near_changed.emit([t.key for t in self._tiles[first:after]])

    @guarded
    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._set_range()
        self._send_near()

    # --- hand --------------------------------------------------------------------------------------
    def _key_at(self, at: QPointF) -> str:
        index = self.index_at(at)
        return self._tiles[index].key if index is not None else ""

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = self._key_at(event.position())
        if not key:
            return
        self.chosen.emit(key)
        if event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(key, event.globalPosition().toPoint())
        else:
            self._press = (key, event.position())

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._press is not None and (at - self._press[1]).manhattanLength() > 12:
            index = self._at.get(self._press[0])
            self._press = None
            if index is None:
                return  # hidden since it was taken up
            tile = self._tiles[index]
            data = QMimeData()
            data.setUrls([QUrl.fromLocalFile(part_of(tile.file)[0])])
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)
            return
        index = self.index_at(at)
        set_tip(self.viewport(), self._tiles[index].tip if index is not None else "")

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._press = None

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        key = self._key_at(event.position())
        if key:
            self.activated.emit(key)

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta().y() or event.angleDelta().x()
        index = self.index_at(event.position())
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and index is not None:
            tile = self._tiles[index]
            self.strength_moved.emit(tile.key, tile.strength + (0.05 if turn > 0 else -0.05))
        else:
            super().wheelEvent(event)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, count = event.key(), len(self._tiles)
        page = max(1, self.viewport().height() // self._step()) * self.columns()
        steps: dict[int, int] = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns(),
            Qt.Key.Key_Down: self.columns(),
            Qt.Key.Key_PageUp: -page,
            Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -count,
            Qt.Key.Key_End: count,
        }
        letters: dict[int, str] = {
            Qt.Key.Key_K: "keep",
            Qt.Key.Key_P: "pass",
            Qt.Key.Key_A: "hold",
            Qt.Key.Key_F2: "rename",
            Qt.Key.Key_Delete: "trash",
        }
        if key in steps and count:
            now = self._at.get(self._current, 0)
            self.chosen.emit(self._tiles[min(max(now + steps[key], 0), count - 1)].key)
        elif key in letters and self._current in self._at:
            self.key_pressed.emit(letters[key])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._current in self._at:
            self.activated.emit(self._current)
        else:
            super().keyPressEvent(event)

    # --- look --------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(event.rect(), colour("window"))
        if not self._tiles:
            painter.setPen(colour("quiet"))
            painter.drawText(
                QRect(self.viewport().rect()), Qt.AlignmentFlag.AlignCenter, self.words
            )
            return
        first, last = self._seen()
        for i in range(first, last):
            self._paint_tile(painter, self.box(i), self._tiles[i])

    def _paint_tile(self, painter: QPainter, box: QRectF, tile: Tile) -> None:
        if tile.picture is not None:
            painter.drawImage(box, tile.picture)
        else:
            painter.fillRect(box, colour("well"))
        chosen = tile.key == self._current
        if chosen:
            painter.setPen(QPen(colour("yellow"), 2 if self.hasFocus() else 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 3), RADIUS, RADIUS)
        line = QRectF(box.left(), box.bottom() + 3, box.width(), _LINE - 4)
        painter.setFont(quiet_font())
        side = painter.fontMetrics()
        words = tile.warning or tile.mark
        if tile.strength != 1.0:
            words = f"{words}  {tile.strength * 100:.0f} %".strip()
        taken = 0
        if words:
            painter.setPen(
                colour("cinnabar" if tile.warning else "malachite" if tile.mark else "text")
            )
            shown = side.elidedText(words, Qt.TextElideMode.ElideRight, int(line.width() * 0.6))
            taken = side.horizontalAdvance(shown) + 8
            flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(line, flags, shown)
        painter.setFont(strong_font(12) if chosen else quiet_font())
        painter.setPen(colour("text" if chosen or tile.mark != "passed" else "quiet"))
        name = painter.fontMetrics().elidedText(
            tile.name, Qt.TextElideMode.ElideRight, int(line.width()) - taken
        )
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
