"""The Look room: bring in, put right, build, compare, export."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.look.look_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.look.look_room import LookRoom

    return LookRoom


def _sheets(painter: QPainter, c: QPointF) -> None:
    """Two sheets of glass, one over the other."""
    painter.drawRect(QRectF(c.x() - 9, c.y() - 9, 12, 12))
    painter.drawRect(QRectF(c.x() - 3, c.y() - 3, 12, 12))


SPEC = RoomSpec(
    "look",
    "Look",
    10,
    _sheets,
    _load,
    ACTIONS,
    takes_unseen=True,
)
