"""A list of bars: titles, lengths and numbers."""

from __future__ import annotations

from attrs import frozen
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour


@frozen
class Bar:
    """A row of the list: what it is, how long its bar is (0..1, None for no bar), and the number."""

    title: str
    share: float | None
    words: str
    pigment: str = "quiet"


_NUMBER = 72  # px, at least: lists under one another have their bars end together


class Bars(QWidget):
    """Titles, bars and numbers under one another."""

    _EACH = 21

    def __init__(self, name: str, heading: str, title_width: int = 88) -> None:
        super().__init__()
        self._title_width = title_width
        self.rows: tuple[Bar, ...] = ()
        self._heading = heading
        self.setObjectName(name)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(0)

    def show_rows(self, rows: tuple[Bar, ...]) -> None:
        if rows == self.rows:
            return
        self.rows = rows
        self.setFixedHeight(self._EACH * len(rows))
        said = "; ".join(f"{r.title} {r.words}".strip() for r in rows)
        self.setAccessibleName(f"{self._heading}: {said}")
        set_tip(self, "\n".join(f"{r.title}  {r.words}" for r in rows))
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        left = Qt.AlignmentFlag.AlignVCenter
        width, title = self.width(), self._title_width
        number = max(
            (painter.fontMetrics().horizontalAdvance(r.words) for r in self.rows), default=0
        )
        number = max(number + 8, _NUMBER)  # px, with the room before it
        for i, row in enumerate(self.rows):
            y = self._EACH * i
            painter.setPen(colour("text"))
            room = title if row.share is not None else width - number
            words = painter.fontMetrics().elidedText(row.title, Qt.TextElideMode.ElideRight, room)
            painter.drawText(QRectF(0, y, room, self._EACH), left, words)
            if row.share is not None:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour(row.pigment))
                length = max((width - number - title - 6) * min(max(row.share, 0), 1), 1)
                painter.drawRoundedRect(QRectF(title + 2, y + 6, length, 9), RADIUS, RADIUS)
            painter.setPen(colour("quiet"))
            painter.drawText(QRectF(width - number, y, number, self._EACH), right, row.words)
