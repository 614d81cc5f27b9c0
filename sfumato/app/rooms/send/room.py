"""The Send room: looks to outlets, whether the targets' pictures agree, and what was sent."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.send.kept import keeps_current
from sfumato.app.rooms.send.send_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.send.send_room import SendRoom

    return SendRoom


def _spread(painter: QPainter, c: QPointF) -> None:
    """One line that parts into three."""
    start = QPointF(c.x() - 10, c.y())
    for dy in (-8, 0, 8):
        painter.drawLine(start, QPointF(c.x() + 9, c.y() + dy))
    for dy in (-8, 0, 8):
        painter.drawEllipse(QPointF(c.x() + 9, c.y() + dy), 1.5, 1.5)


SPEC = RoomSpec(
    "send",
    "Send",
    35,
    _spread,
    _load,
    ACTIONS,
    works_unseen=lambda services: (
        keeps_current(services.settings) and bool(services.model.study.outlets)
    ),
)
