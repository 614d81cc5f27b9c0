"""Rows of tables: a chosen row keeps the colours of its words, no cell of it has a frame of its own, and
where there is no room for all words the longest give way first."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QPalette, QResizeEvent
from PySide6.QtWidgets import (
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
)

from sfumato.app.guard import guarded
from sfumato.app.theme import colour


class TableRow(QStyledItemDelegate):
    @guarded
    def initStyleOption(
        self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().initStyleOption(option, index)
        brush = index.data(Qt.ItemDataRole.ForegroundRole)
        tone = brush.color() if brush is not None else colour("text")
        option.palette.setColor(QPalette.ColorRole.HighlightedText, tone)
        option.state &= ~QStyle.StateFlag.State_HasFocus


def even_widths(wanted: list[int], room: int) -> list[int]:
    """Return what each of several gets of a room that is too small for all: the widest give way first.

    >>> even_widths([40, 200, 90], 240)
    [40, 110, 90]
    """
    widths, left = list(wanted), max(room, 0)
    narrow_first = sorted(range(len(wanted)), key=wanted.__getitem__)
    for n, i in enumerate(narrow_first):
        widths[i] = min(wanted[i], left // (len(wanted) - n))
        left -= widths[i]
    return widths


class SharingHeader(QHeaderView):
    """The head of a table whose columns are as wide as their words; some share what the others leave.

    What is left over goes to the last of those that share.
    """

    def __init__(self, table: QTableWidget, sharing: tuple[int, ...]) -> None:
        super().__init__(Qt.Orientation.Horizontal, table)
        self._table, self._sharing = table, sharing
        table.setHorizontalHeader(self)
        table.setWordWrap(False)  # a cell is shortened at its end, not after the last whole word
        self.setSectionsClickable(
            True
        )  # as the head that a table makes itself: it shows what is chosen
        self.setHighlightSections(True)
        self.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(self.count()):
            mode = QHeaderView.ResizeMode.ResizeToContents
            mode = QHeaderView.ResizeMode.Fixed if column in sharing else mode
            self.setSectionResizeMode(column, mode)

    @guarded
    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.share()

    def share(self) -> None:
        """Give the columns their widths; for whoever has filled the table."""
        sharing = self._sharing
        others = sum(self.sectionSize(c) for c in range(self.count()) if c not in sharing)
        room = self._table.viewport().width() - others
        wanted = [max(self._table.sizeHintForColumn(c), self.sectionSizeHint(c)) for c in sharing]
        widths = even_widths(wanted, room)
        widths[-1] += max(room - sum(widths), 0)
        for column, width in zip(sharing, widths, strict=True):
            self.resizeSection(column, width)
