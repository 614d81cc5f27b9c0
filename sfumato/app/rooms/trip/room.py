"""The Round trip room: a look out of any program, by a carrier that goes out and comes back."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint, QPointF, QRectF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from sfumato.app.rooms.trip.trip_actions import ACTIONS
from sfumato.app.rooms.trip.trip_edits import TripEdits
from sfumato.app.rooms.trip.trip_model import TripModel
from sfumato.app.rooms.trip.trip_page import TripPage
from sfumato.app.services.room import Room, RoomSpec, Zooming
from sfumato.app.services.services import Services
from sfumato.work.trip.arrivals import may_return


class TripRoom(Room):
    """Owns what is chosen, the page, and what is done with carriers and returns."""

    actions = ACTIONS

    def __init__(self, services: Services) -> None:
        super().__init__("trip", services)
        self.model = TripModel(services, self.key, self)
        self._page = TripPage(self.model)
        self.edits = TripEdits(services, self.model, self._page)
        self.model.chosen_changed.connect(self.changed)
        self.model.known.connect(self.changed)
        self._page.panel.chosen_changed.connect(self.changed)

    @property
    def page(self) -> QWidget:
        return self._page

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self.edits,)

    @property
    def easel(self) -> Zooming | None:
        shown = self._page.middle.currentWidget() is self._page.panel
        return self._page.panel.easel if self.is_open and shown else None

    @property
    def is_busy(self) -> bool:
        return self.model.is_busy or self.edits.is_busy or self._page.form.is_busy

    def conditions(self) -> set[str]:
        if not self.is_open:
            return set()
        met = {"in_trip"}
        if self.model.journey is not None:
            met.add("has_journey")
        if self.model.back is not None:
            met.add("is_back")
        if self.model.examined is not None:
            met.add("has_return")
            if len(self._page.chosen_returns()) == 1:
                met.add("has_one_return")
        return met

    def enter(self) -> None:
        self._page.form.refresh()
        self.edits.watch.look()
        self.model.ask()
        self.model.ask_thumbs()

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take pictures and folders that are dropped while the room is open, as returns."""
        if not self.is_open:
            return files
        returns = [f for f in files if may_return(f)]
        if returns:
            self.edits.take(returns)
        return [f for f in files if f not in returns]

    def close(self) -> None:
        self.model.close()
        self.edits.close()
        self._page.form.close_lane()


def _there_and_back(painter: QPainter, c: QPointF) -> None:
    """A ring that is not closed yet, with a point where it comes back."""
    painter.drawArc(QRectF(c.x() - 10, c.y() - 10, 20, 20), 60 * 16, 290 * 16)
    painter.drawLine(QPointF(c.x() + 5, c.y() - 9), QPointF(c.x() + 5, c.y() - 3))
    painter.drawLine(QPointF(c.x() + 5, c.y() - 9), QPointF(c.x() + 11, c.y() - 8))


SPEC = RoomSpec("trip", "Round trip", 25, _there_and_back, TripRoom)
