"""The Apply room: shots through their Ground and the Look into new files, and painting on stills."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.apply.apply_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec
from sfumato.work.frames import is_still


def _load() -> RoomMaker:
    from sfumato.app.rooms.apply.apply_room import ApplyRoom

    return ApplyRoom


def _coats(painter: QPainter, c: QPointF) -> None:
    """A broad stroke over a row of frames."""
    for i in range(3):
        painter.drawRect(QRectF(c.x() - 12 + 9 * i, c.y() - 2, 6, 9))
    painter.drawLine(QPointF(c.x() - 12, c.y() - 8), QPointF(c.x() + 12, c.y() - 8))


SPEC = RoomSpec(
    "apply",
    "Apply",
    40,
    _coats,
    _load,
    ACTIONS,
    unseen_conditions=lambda services: {"has_still"} if is_still(services.desk.shot) else set(),
)
