"""Lists with a mark on each row: looks, and outlets with how they stand."""

from __future__ import annotations

from collections.abc import Sequence

from attrs import frozen
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, quiet_font

Index = QModelIndex | QPersistentModelIndex
_BOX, _LEFT = 13, 10


@frozen
class TickRow:
    """A row: what it is ticked by, its words, and at the right how it stands in a pigment.

    `is_on` None: it has no mark.
    """

    key: str
    title: str
    under: str = ""
    state: str = ""
    pigment: str = "quiet"
    place: str = ""
    is_on: bool | None = True
    tip: str = ""
    is_flush: bool = False  # its words begin where marks of others do


class _Painter(QStyledItemDelegate):
    @guarded
    def sizeHint(self, _option: QStyleOptionViewItem, index: Index) -> QSize:
        row: TickRow = index.data(Qt.ItemDataRole.UserRole)
        return QSize(120, 44 if row.under else 34)

    @guarded
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row: TickRow = index.data(Qt.ItemDataRole.UserRole)
        r = QRectF(option.rect).adjusted(0, 1, 0, -1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("chosen"))
            painter.drawRoundedRect(r, RADIUS, RADIUS)
            painter.fillRect(QRectF(r.left(), r.top(), 3, r.height()), colour("yellow"))
        first = QRectF(r.left(), r.top() + (4 if row.under else 0), r.width(), 18)
        if not row.under:
            first.setHeight(r.height())
        self._box(painter, QRectF(r.left() + _LEFT, first.center().y() - 6.5, _BOX, _BOX), row)
        left, right = r.left() + _LEFT, r.right() - 8
        if not row.is_flush:
            left += _BOX + 9
        lines = (
            (row.title, "text", row.state, row.pigment),
            (row.under, "quiet", row.place, "quiet"),
        )
        for i, (words, role, beside, pigment) in enumerate(lines):
            box = QRectF(left, first.top() + 18 * i, right - left, first.height())
            small = quiet_font()
            painter.setFont(small)
            taken = painter.fontMetrics().horizontalAdvance(beside)
            limit = box.width() * (0.62 if i else 0.8)
            beside = painter.fontMetrics().elidedText(
                beside, Qt.TextElideMode.ElideMiddle, int(limit)
            )
            painter.setPen(colour(pigment))
            painter.drawText(
                box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, beside
            )
            painter.setFont(small if i else option.font)
            painter.setPen(colour(role))
            room = int(box.width() - min(taken, limit) - (10 if beside else 0))
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()

    def _box(self, painter: QPainter, box: QRectF, row: TickRow) -> None:
        if row.is_on is None:
            return
        painter.setPen(QPen(colour("text" if row.is_on else "quiet"), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, 2, 2)
        if row.is_on:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("text"))
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 1, 1)


class TickList(QListWidget):
    """`ticked(key, on)`, `chosen(key)`, `opened(key)` on Enter and a double click, `removed(key)` on Delete."""

    ticked = Signal(str, bool)
    chosen = Signal(str)
    opened = Signal(str)
    removed = Signal(str)

    def __init__(self, name: str, title: str) -> None:
        super().__init__()
        self._filling = False
        self.setObjectName(name)
        self.setAccessibleName(title)
        self.setItemDelegate(_Painter(self))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.currentItemChanged.connect(self._on_current)
        self.itemDoubleClicked.connect(lambda item: self.opened.emit(_row(item).key))

    def show_rows(self, rows: Sequence[TickRow], chosen: str = "") -> None:
        """Show rows; the one of the key is chosen."""
        self._filling = True
        while self.count() > len(rows):
            self.takeItem(self.count() - 1)
        for i, row in enumerate(rows):
            item = self.item(i)
            if item is None:
                item = QListWidgetItem()
                self.addItem(item)
            if item.data(Qt.ItemDataRole.UserRole) != row:
                item.setData(Qt.ItemDataRole.UserRole, row)
                mark = "" if row.is_on is None else "ticked" if row.is_on else "not ticked"
                said = ", ".join(w for w in (row.title, mark, row.under, row.state) if w)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, said)
                set_tip(item, row.tip)
            if row.key == chosen and self.currentRow() != i:
                self.setCurrentRow(i)
        self._filling = False

    @property
    def key(self) -> str:
        item = self.currentItem()
        return _row(item).key if item is not None else ""

    def _on_current(self, item: QListWidgetItem | None, _before: QListWidgetItem | None) -> None:
        if item is not None and not self._filling:
            self.chosen.emit(_row(item).key)

    def _toggle(self, item: QListWidgetItem) -> None:
        row = _row(item)
        if row.is_on is not None:
            self.ticked.emit(row.key, not row.is_on)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        at = event.position()
        item = self.itemAt(at.toPoint())
        if item is not None and event.button() == Qt.MouseButton.LeftButton:
            left = self.visualItemRect(item).left()
            if at.x() - left < _LEFT + _BOX + 6:
                self._toggle(item)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.currentItem()
        if item is not None and event.key() == Qt.Key.Key_Space:
            self._toggle(item)
        elif item is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(_row(item).key)
        elif item is not None and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removed.emit(_row(item).key)
        else:
            super().keyPressEvent(event)


def _row(item: QListWidgetItem) -> TickRow:
    row: TickRow = item.data(Qt.ItemDataRole.UserRole)
    return row
