"""A list of choices."""

from __future__ import annotations

import html
from functools import lru_cache

import attrs
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFont, QFontMetrics, QPaintEvent, QPalette, QWheelEvent
from PySide6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QStylePainter, QWidget

from sfumato.app import theme
from sfumato.app.controls.picker import Entry, Picker
from sfumato.app.guard import guarded
from sfumato.app.labels import Shortens
from sfumato.app.services.once import Once
from sfumato.core.colour.encodings import Encoding, encodings

_LEAST = 72  # px wide
_MANY = 12  # choices that can be overlooked without a search


def encoding_entry(space: Encoding) -> Entry:
    """Return an encoding as an entry of a list: those of a config under its name, without it in each."""
    kind = "views" if space.is_view else space.family.value
    if not space.config:
        return Entry(space.name, space.title, kind.capitalize(), space.source)
    title = space.title.removeprefix(f"{space.config}: ")
    return Entry(space.name, title, f"{space.config}: {kind}", space.name)


_shelf = Once(QWidget)  # holds the lists of choosers that were never opened; nobody sees it


@lru_cache(maxsize=64)
def _letters(font: str, texts: tuple[str, ...], beside: int) -> int:
    """Return how many letters X are as wide as the longest of texts, less so many px.

    The same lists come again and again, and seventy choices take half a millisecond.
    """
    known = QFont()
    known.fromString(font)
    metrics = QFontMetrics(known)
    longest = metrics.size(0, "\n".join(texts)).width()
    return max(1, -(-(longest - beside) // max(metrics.horizontalAdvance("X"), 1)))


class Chooser(Shortens, QComboBox):
    """A list of choices that a wheel passing over it does not change: only after a click, or by Tab.

    A choice that is longer than the place it has is shortened there, and is its tip.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(
            Qt.FocusPolicy.StrongFocus
        )  # by itself the wheel would give it the focus
        # By itself it measures all choices anew whenever it is dressed: 4 ms for 70.
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._offered: tuple[str, ...] | None = None  # all choices, while nobody else changed them
        self._coming: tuple[str, ...] = ()  # choices that are on their way into the list
        self._shown: tuple[object, str] = (None, "")  # what is seen of which choice at which width
        model = self.model()
        model.rowsInserted.connect(lambda _p, first, last: self._make_room(first, last))
        model.dataChanged.connect(lambda a, b: self._make_room(a.row(), b.row()))
        model.rowsRemoved.connect(self._take_room)
        self.currentTextChanged.connect(self._renew_tip)
        # What the list opens in is made with the rest: eight widgets more to be dressed with this one.
        self._popup = self.view().window()
        self._popup.setParent(_shelf(), self._popup.windowFlags())
        self.destroyed.connect(self._popup.deleteLater)

    def _make_room(self, first: int, last: int) -> None:
        """Be wide enough for some of the choices."""
        texts = self._coming or tuple(self.itemText(i) for i in range(first, last + 1))
        self._offered = None
        beside = self.iconSize().width() + 4  # which Qt adds to the letters
        letters = _letters(self.font().toString(), texts, beside)
        self.setMinimumContentsLength(max(letters, self.minimumContentsLength()))

    def _take_room(self) -> None:
        self._offered = None
        if self.count() == 0:
            self.setMinimumContentsLength(0)

    def offer(self, options: tuple[str, ...]) -> None:
        """Fill the list anew when it is another one; what is chosen stays where it can."""
        if self._offered != options:
            chosen = self.currentText()
            self.clear()
            self._coming = options
            self.addItems(options)
            self._coming, self._offered = (), options
            self.setCurrentText(chosen)

    @guarded
    def showPopup(self) -> None:
        """Show the choices: many of them in a list that is searched by typing."""
        if self.count() <= _MANY:
            # What holds the list shows around it; no style sheet reaches it, and its style makes the
            # ground lighter and the line darker than the palette says.
            holder = self._popup
            if holder.parentWidget() is not self:
                holder.setParent(self, holder.windowFlags())
            palette = holder.palette()
            palette.setColor(QPalette.ColorRole.Window, theme.colour("line").lighter(160))
            palette.setColor(QPalette.ColorRole.Base, theme.colour("panel").darker(108))
            holder.setPalette(palette)
            super().showPopup()
            return
        entries = [self._entry(i) for i in range(self.count())]
        name = self.accessibleName() or "Choices"
        picker = Picker(name, entries, self, current=str(self.currentIndex()))
        picker.chosen.connect(self._picked)
        picker.popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _entry(self, index: int) -> Entry:
        text, words = self.itemText(index), self.itemData(index, Qt.ItemDataRole.ToolTipRole)
        known = encodings().get(text)
        if known is not None:
            return attrs.evolve(encoding_entry(known), key=str(index))
        return Entry(str(index), text, "", html.unescape(str(words or "")))

    def _picked(self, key: str) -> None:
        index = int(key)
        if index < self.count():  # it may have been filled anew meanwhile
            self.setCurrentIndex(index)
            self.activated.emit(index)
            self.textActivated.emit(self.itemText(index))

    def whole(self) -> str:
        return self.currentText()

    def shown(self) -> str:
        key = (self.currentText(), self.width(), theme.sheet())
        if self._shown[0] != key:
            option = QStyleOptionComboBox()
            self.initStyleOption(option)
            field = QStyle.SubControl.SC_ComboBoxEditField
            kind = QStyle.ComplexControl.CC_ComboBox
            room = self.style().subControlRect(kind, option, field, self).width() - 2
            words = self.fontMetrics().elidedText(key[0], Qt.TextElideMode.ElideRight, room)
            self._shown = (key, words)
        return self._shown[1]

    @guarded
    def paintEvent(self, event: QPaintEvent) -> None:
        if not self.is_short:
            super().paintEvent(event)
            return
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        option.currentText = self.shown()
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)

    @guarded
    def minimumSizeHint(self) -> QSize:
        """Long choices never make a panel wider: they are shortened where they stand, not in the list."""
        least = super().minimumSizeHint()
        return QSize(min(_LEAST, least.width()), least.height())

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()
