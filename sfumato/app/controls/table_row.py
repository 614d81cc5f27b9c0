"""Rows of tables: a chosen row keeps the colours of its words, and no cell of it a frame of its own."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

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
