"""A list of many choices that is searched by typing: in groups, each with what it is, under a field."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from attrs import frozen
from PySide6.QtCore import (
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.parts import popped_up
from sfumato.app.controls.smear import paint_smear
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.theme import colour, quiet_font, strong_font

_WIDTH, _ROW, _HEAD = 320, 24, 26  # px
_SEEN = 18  # rows at most, then the list scrolls
_SMEAR = (96, 12)  # px
_KEY, _SHOWN = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_MOVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


@frozen
class Entry:
    """A choice: what it is called, the group it stands in ("" = none) and words about it."""

    key: str
    title: str
    group: str = ""
    words: str = ""

    def answers(self, asked: str) -> bool:
        """Whether every word that was typed occurs in it.

        >>> Entry("lut", "LUT", "Colour", "a file that is looked up").answers("col FILE")
        True
        """
        known = f"{self.title} {self.group} {self.words}".casefold()
        return all(word in known for word in asked.casefold().split())


class _Row(QStyledItemDelegate):
    """Headings, choices, and beside a choice the colours that it was given."""

    def __init__(self, of: QListWidget) -> None:
        super().__init__(of)
        self._list = of

    @guarded
    def sizeHint(
        self, _option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QSize:
        return QSize(_WIDTH - 40, _ROW if index.data(_KEY) is not None else _HEAD)

    @guarded
    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        room: QRect = option.rect.adjusted(8, 0, -8, 0)
        painter.save()
        if index.data(_KEY) is None:
            painter.setFont(quiet_font())
            painter.setPen(colour("quiet"))
            text = index.data() or ""
            painter.drawText(room, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, text)
            painter.restore()
            return
        if index == self._list.currentIndex():
            painter.fillRect(option.rect, colour("raised"))
        is_chosen, rows = index.data(_SHOWN) or (False, None)
        if rows is not None:
            w, h = _SMEAR
            place = QRectF(room.right() - w, room.center().y() - h // 2, w, h)
            paint_smear(painter, place, image_of(rows))
            room.setRight(room.right() - w - 8)
        if is_chosen:
            painter.setFont(strong_font())
        painter.setPen(colour("text"))
        words = painter.fontMetrics().elidedText(
            index.data() or "", Qt.TextElideMode.ElideMiddle, room.width() - 8
        )
        painter.drawText(
            room.adjusted(8, 0, 0, 0),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            words,
        )
        painter.restore()


class Picker(QFrame):
    """A pop-up: typing finds, arrows move, Enter or a click takes; Esc or a click beside it closes.

    `chosen(key)`; `more` are commands below the list, by what they are called.
    """

    chosen = Signal(str)

    def __init__(
        self,
        name: str,
        entries: Sequence[Entry],
        parent: QWidget,
        *,
        current: str | None = None,
        more: Mapping[str, Callable[[], None]] | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("picker")
        self.setAccessibleName(name)
        self._entries = {e.key: e for e in entries}
        self._current = current
        self._smears: Mapping[str, np.ndarray] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        self.line = QLineEdit()
        self.line.setObjectName("picker.find")
        self.line.setPlaceholderText("Type to find")
        self.line.setAccessibleName(f"{name}: type to find")
        self.line.setClearButtonEnabled(True)
        self.line.installEventFilter(self)
        self.line.textChanged.connect(lambda _text: self._fill())
        self.list = QListWidget()
        self.list.setObjectName("picker.list")
        self.list.setAccessibleName(name)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setMouseTracking(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setItemDelegate(_Row(self.list))
        self.list.itemEntered.connect(self._point_at)
        self.list.itemClicked.connect(self._take)
        self.list.currentItemChanged.connect(lambda _now, _before: self._describe())
        self._words = quiet("")
        self._words.setWordWrap(True)
        self._words.setAlignment(Qt.AlignmentFlag.AlignTop)
        has_words = any(e.words for e in entries)
        self._words.setFixedHeight(3 * self._words.fontMetrics().height() if has_words else 0)
        self._words.setVisible(has_words)
        for part in (self.line, self.list, self._words):
            column.addWidget(part)
        for title, call in (more or {}).items():
            button = QPushButton(title)
            button.setProperty("flat", True)
            button.clicked.connect(self.close)
            button.clicked.connect(call)
            column.addWidget(button)
        self.setFixedWidth(_WIDTH)
        self._fill()
        self.list.setFixedHeight(4 + sum(self.list.sizeHintForRow(i) for i in range(self._rows())))
        self.line.setFocus()

    def _rows(self) -> int:
        return min(_SEEN, self.list.count())

    @property
    def keys(self) -> list[str]:
        """What is offered for what was typed, in the order in which it is shown."""
        found = (self.list.item(i).data(_KEY) for i in range(self.list.count()))
        return [key for key in found if key is not None]

    def _fill(self) -> None:
        """Offer what answers to the words that were typed."""
        asked = self.line.text()
        found = [e for e in self._entries.values() if e.answers(asked)]
        groups = dict.fromkeys(e.group for e in found)
        self.list.clear()
        wanted = None
        for group in groups:
            if group:
                heading = QListWidgetItem(group)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(heading)
            for entry in (e for e in found if e.group == group):
                item = QListWidgetItem(entry.title)
                item.setData(_KEY, entry.key)
                self._show(item)
                self.list.addItem(item)
                if wanted is None or entry.key == self._current:
                    wanted = item
        # A title that begins with what was typed comes before one that only holds it.
        starts = asked.strip().casefold()
        first = next((e for e in found if e.title.casefold().startswith(starts)), None)
        if starts and first is not None:
            wanted = self._item(first.key)
        if wanted is not None:
            self.list.setCurrentItem(wanted)
            self.list.scrollToItem(wanted)
        else:
            self._words.setText("Nothing is called so.")
            self._words.setFixedHeight(3 * self._words.fontMetrics().height())
            self._words.show()

    def _item(self, key: str) -> QListWidgetItem | None:
        items = (self.list.item(i) for i in range(self.list.count()))
        return next((item for item in items if item.data(_KEY) == key), None)

    def _show(self, item: QListWidgetItem) -> None:
        key = item.data(_KEY)
        item.setData(_SHOWN, (key == self._current, self._smears.get(key)))

    def show_smears(self, smears: Mapping[str, np.ndarray]) -> None:
        """Show beside choices what they would do: uint8 (2, n, 3), before and after, by key."""
        self._smears = smears
        for i in range(self.list.count()):
            if self.list.item(i).data(_KEY) is not None:
                self._show(self.list.item(i))

    def _describe(self) -> None:
        item = self.list.currentItem()
        entry = None if item is None else self._entries.get(item.data(_KEY) or "")
        self._words.setText("" if entry is None else entry.words)

    def _point_at(self, item: QListWidgetItem) -> None:
        if item.data(_KEY) is not None:
            self.list.setCurrentItem(item)

    def _take(self, item: QListWidgetItem | None) -> None:
        key = None if item is None else item.data(_KEY)
        if key is not None:
            self.choose(key)

    def choose(self, key: str) -> None:
        """Take a choice, and close."""
        self.close()
        self.chosen.emit(key)

    def popup(self, place: QPoint) -> None:
        """Show it at a place of the screen, inside the screen."""
        popped_up(self, place)
        self.line.setFocus()

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.line and isinstance(event, QKeyEvent):
            if event.type() != QEvent.Type.KeyPress:
                return False
            if event.key() in _MOVES:
                self._move(event.key())
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.list.currentItem())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close()
                return True
        return False

    def _move(self, key: int) -> None:
        """Go to the next choice up or down, or eight of them; headings are passed over."""
        keys = self.keys
        item = self.list.currentItem()
        if not keys or item is None:
            return
        step = {_MOVES[0]: -1, _MOVES[1]: 1, _MOVES[2]: -8, _MOVES[3]: 8}[Qt.Key(key)]
        at = keys.index(item.data(_KEY)) + step
        wanted = self._item(keys[max(0, min(at, len(keys) - 1))])
        if wanted is not None:
            self.list.setCurrentItem(wanted)
