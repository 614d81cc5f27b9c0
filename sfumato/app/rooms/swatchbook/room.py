"""The Swatchbook room: the current shot through many looks."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.swatchbook.swatch_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.swatchbook.swatchbook_room import SwatchbookRoom

    return SwatchbookRoom


def _fan(painter: QPainter, c: QPointF) -> None:
    """Three slips of paper, fanned out."""
    for turn in (-28, 0, 28):
        painter.save()
        painter.translate(c.x(), c.y() + 9)
        painter.rotate(turn)
        painter.drawRect(QRectF(-3.5, -19, 7, 17))
        painter.restore()


SPEC = RoomSpec(
    "swatchbook",
    "Swatchbook",
    20,
    _fan,
    _load,
    ACTIONS,
)
