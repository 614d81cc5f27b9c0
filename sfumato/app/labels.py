"""Words on the screen are plain text: names come from strangers, and Qt would read them as pages."""

from __future__ import annotations

import html
import re
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QEnterEvent, QPainter, QPaintEvent, QTextDocumentFragment
from PySide6.QtWidgets import QLabel, QWidget

from sfumato.app.guard import guarded

if TYPE_CHECKING:
    _Widget = QWidget
else:
    _Widget = object


class Label(QLabel):
    """A label that shows its text letter by letter; every label of the application is one.

    One that wraps parts long names where a line ends, and leaves out the middle of the longest. Where text
    can be copied names are not parted: the places would come along, unseen.
    """

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    @guarded
    def setText(self, text: str) -> None:
        if self.wordWrap():
            text = shortened(text)
            can_copy = self.textInteractionFlags() & Qt.TextInteractionFlag.TextSelectableByMouse
            text = text if can_copy else _parted(text)
        super().setText(text)

    @guarded
    def text(self) -> str:
        return super().text().replace(_PLACE, "")


class Shortens(_Widget):
    """What a kind of widget that shortens the text it shows has before its base: a tip that is the whole."""

    _own = ""  # its tip, without the text

    def whole(self) -> str:
        """Return the text as it would be shown with room for all of it."""
        raise NotImplementedError

    def shown(self) -> str:
        """Return the text as it is shown."""
        raise NotImplementedError

    @property
    def is_short(self) -> bool:
        """Whether a part of the text is not seen."""
        return self.shown() != self.whole()

    @guarded
    def setToolTip(self, tip: str) -> None:
        self._own = tip
        super().setToolTip(tip)

    @guarded
    def enterEvent(self, event: QEnterEvent) -> None:
        """Have a tip of the whole text. Not when it is asked for: an override of `event` is called for
        each of the dozens of events of a label that is dressed, and waits for the interpreter each time.
        """
        self._tell()
        super().enterEvent(event)

    def _renew_tip(self) -> None:
        """The text is another one now."""
        if self.underMouse():
            self._tell()

    def _tell(self) -> None:
        if self.is_short:
            parent = self.parentWidget()
            words = (self.whole(), plain(self._own) if self._own else tip_of(parent))
            super().setToolTip(as_tip("\n".join(filter(None, words))))
        else:
            super().setToolTip(self._own)


class Line(Shortens, Label):
    """A label of one line that shortens what it shows to the room it has."""

    _LEAST = 24  # px

    def whole(self) -> str:
        return self.text()

    def shown(self) -> str:
        room = self.contentsRect().width()
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room)

    @guarded
    def minimumSizeHint(self) -> QSize:
        least = super().minimumSizeHint()
        return QSize(min(self._LEAST, least.width()), least.height())

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        self.style().drawItemText(
            painter,
            self.contentsRect(),
            self.alignment(),
            self.palette(),
            self.isEnabled(),
            self.shown(),
            self.foregroundRole(),
        )

    @guarded
    def setText(self, text: str) -> None:
        super().setText(text)
        self._renew_tip()


_UNBROKEN = 80  # letters without a place to part them, of which all are shown
_FIRST, _LAST = 48, 24  # that are shown of more
_PLACE = "\u200b"  # where a line may end; takes no room
_PARTED, _PART = 24, 12  # letters in one piece from which on there are such places, and between two
_BRIEF = 32  # letters of a name on a button


def _parted(text: str) -> str:
    """Return a text with places in its longest pieces where a line may end: a panel may be narrow."""

    def part(run: re.Match[str]) -> str:
        return _PLACE.join(run[0][i : i + _PART] for i in range(0, len(run[0]), _PART))

    return re.sub(rf"[^\s/]{{{_PARTED + 1},}}", part, text)


def shortened(text: str) -> str:
    """Return a text in which names that no line has room for have lost their middle.

    >>> len(shortened("Wrote " + "x" * 250 + ".cube"))
    79
    """

    def short(run: re.Match[str]) -> str:
        return f"{run[0][:_FIRST]}…{run[0][-_LAST:]}"

    return re.sub(rf"[^\s/]{{{_UNBROKEN + 1},}}", short, text)


def brief(name: str) -> str:
    """Return a name for a button, which has one line: a long one has lost its middle.

    >>> brief("a look that somebody took much time to name.cube")
    'a look that somebody … name.cube'
    """
    half = _BRIEF // 3
    return name if len(name) <= _BRIEF else f"{name[: _BRIEF - half - 1]}…{name[-half:]}"


class _HasTip(Protocol):
    def setToolTip(self, text: str, /) -> None: ...


HELP = "help"  # the property of a widget whose words are shown only when they are asked for


def set_help(widget: QWidget, text: str) -> None:
    """Give a widget words for Shift+F1 and a right click alone: a tip over a picture would hide it."""
    widget.setProperty(HELP, text)


def set_tip(what: _HasTip, text: str) -> None:
    """Give a widget, an item or an action a tip that shows its text letter by letter."""
    what.setToolTip(as_tip(text))


def as_tip(text: str) -> str:
    """Return a text as a tip has it that shows it letter by letter."""
    if "<" in text or "&" in text:
        return f'<span style="white-space: pre-wrap">{html.escape(text)}</span>'
    return text


def tip_of(widget: QWidget | None) -> str:
    """Return the words of a widget's tip, or of the nearest that holds it and has one."""
    while widget is not None and not widget.toolTip():
        widget = widget.parentWidget()
    return plain(widget.toolTip()) if widget is not None else ""


def plain(tip: str) -> str:
    """Return the words of what `as_tip` has made."""
    return QTextDocumentFragment.fromHtml(tip).toPlainText() if tip.startswith("<span") else tip
