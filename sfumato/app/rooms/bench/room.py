"""The Bench: stand-ins for the devices in which a look will live."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter

from sfumato.app.rooms.bench.bench_actions import ACTIONS
from sfumato.app.services.room import RoomMaker, RoomSpec


def _load() -> RoomMaker:
    from sfumato.app.rooms.bench.bench_room import BenchRoom

    return BenchRoom


def _trestle(painter: QPainter, c: QPointF) -> None:
    """A board on two trestles."""
    painter.drawLine(c + QPointF(-11, -5), c + QPointF(11, -5))
    for x in (-6.0, 6.0):
        painter.drawLine(c + QPointF(x, -5), c + QPointF(x - 2, 8))
        painter.drawLine(c + QPointF(x, -5), c + QPointF(x + 2, 8))


SPEC = RoomSpec(
    "bench",
    "Bench",
    60,
    _trestle,
    _load,
    ACTIONS,
)
