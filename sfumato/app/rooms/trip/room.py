"""The Round trip room: a look out of any program, by a carrier or out of pictures that show it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.trip.trip_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.trip.trip_room import TripRoom

    return TripRoom


def _there_and_back(painter: QPainter, c: QPointF) -> None:
    """A ring that is not closed yet, with a point where it comes back."""
    painter.drawArc(QRectF(c.x() - 10, c.y() - 10, 20, 20), 60 * 16, 290 * 16)
    painter.drawLine(QPointF(c.x() + 5, c.y() - 9), QPointF(c.x() + 5, c.y() - 3))
    painter.drawLine(QPointF(c.x() + 5, c.y() - 9), QPointF(c.x() + 11, c.y() - 8))


SPEC = RoomSpec(
    "trip",
    "Round trip",
    25,
    _there_and_back,
    _load,
    ACTIONS,
    works_unseen=lambda services: bool(services.model.study.journeys),  # what comes back is said
)
