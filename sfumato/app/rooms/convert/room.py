"""The Convert room: LUT files in, examined and put right, LUT files out."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.convert.convert_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.convert.convert_room import ConvertRoom

    return ConvertRoom


def _passage(painter: QPainter, c: QPointF) -> None:
    """A square that becomes a circle."""
    painter.drawRect(QRectF(c.x() - 12, c.y() - 9, 9, 9))
    painter.drawLine(QPointF(c.x() - 2, c.y() - 3), QPointF(c.x() + 3, c.y() + 2))
    painter.drawEllipse(QRectF(c.x() + 2, c.y(), 10, 10))


SPEC = RoomSpec(
    "convert",
    "Convert",
    30,
    _passage,
    _load,
    ACTIONS,
    takes_unseen=True,
)
