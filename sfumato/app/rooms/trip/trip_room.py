"""The Round trip room: a look out of any program, by a carrier or out of pictures that show it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QStackedWidget, QWidget

from sfumato.app.rooms.trip.loan_edits import LoanEdits
from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.app.rooms.trip.loan_page import LoanPage
from sfumato.app.rooms.trip.trip_edits import TripEdits
from sfumato.app.rooms.trip.trip_model import BORROW, CARRIERS, TripModel
from sfumato.app.rooms.trip.trip_page import TripPage
from sfumato.app.services.room import Room, Zooming
from sfumato.app.services.services import Services
from sfumato.app.views import part_field
from sfumato.work.trip.arrivals import may_return


class TripRoom(Room):
    """Owns what is chosen, the page, and what is done with carriers and returns."""

    keys = {"Parts of pictures": part_field.KEYS}

    def __init__(self, services: Services) -> None:
        super().__init__("trip", services)
        self.model = TripModel(services, self.key, self)
        self.loans = LoanModel(services, self.key, self)
        self.carriers = TripPage(self.model)
        self.borrow = LoanPage(self.loans)
        self._pages = QStackedWidget()
        for page in (self.carriers, self.borrow):
            self._pages.addWidget(page)
        self.edits = TripEdits(services, self.model, self.carriers)
        self.loan_edits = LoanEdits(services, self.loans, self.borrow)
        for tabs in (self.carriers.tabs, self.borrow.inputs.tabs):
            tabs.wanted.connect(self.show_page)
        for signal in (
            self.model.chosen_changed,
            self.model.known,
            self.carriers.panel.chosen_changed,
            self.loans.edited,
            self.loans.known,
        ):
            signal.connect(self.changed)
        self.model.follow(services.model.study)
        self.show_page(str(services.settings.get("trip_page", CARRIERS)))

    @property
    def guide(self) -> str:
        return "before-and-after" if self.borrows else "program-without-export"

    @property
    def page(self) -> QWidget:
        return self._pages

    @property
    def borrows(self) -> bool:
        """Whether the Borrow page is the one that is shown."""
        return self._pages.currentWidget() is self.borrow

    def show_page(self, page: str) -> None:
        """Show the page of carriers, or the one of borrowing."""
        shown = self.borrow if page == BORROW else self.carriers
        if self._pages.currentWidget() is not shown:
            self._pages.setCurrentWidget(shown)
            self.services.settings.set("trip_page", page)
            self.changed.emit()

    @property
    def owners(self) -> tuple[QObject, ...]:
        return (self, self.edits, self.loan_edits)

    def _open(self, page: str) -> None:
        """Enter the room at a page: it is chosen first, so that the one before is not made ready too."""
        self.show_page(page)
        self.services.view.set(room=self.key)

    def trip_carriers(self) -> None:
        """Show the page of carriers."""
        self._open(CARRIERS)

    def trip_borrow(self) -> None:
        """Show the page of borrowing."""
        self._open(BORROW)

    @property
    def easel(self) -> Zooming | None:
        if not self.is_open:
            return None
        if self.borrows:
            return self.borrow.middle.easel if self.loans.is_pair else None
        shown = self.carriers.middle.currentWidget() is self.carriers.panel
        return self.carriers.panel.easel if shown else None

    @property
    def is_busy(self) -> bool:
        return (
            self.model.is_busy
            or self.edits.is_busy
            or self.carriers.form.is_busy
            or self.loans.is_busy
        )

    def escape(self) -> bool:
        return self.is_open and self.borrows and self.borrow.middle.escape()

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
            if len(self.carriers.chosen_returns()) == 1:
                met.add("has_one_return")
        loan = self.loans.loan
        if loan.before or loan.after or loan.references:
            met.add("borrows")
        if loan.references and not self.loans.is_pair:
            met.add("follows")
        if self.loans.outcome is not None:
            met.add("borrowed")
        return met

    def enter(self) -> None:
        self.carriers.form.refresh()
        self.edits.watch.look()
        self.model.ask()
        self.model.ask_thumbs()

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take pictures and folders that are dropped while the room is open: as returns, or to borrow from."""
        if not self.is_open:
            return files
        returns = [f for f in files if may_return(f)]
        if returns and self.borrows:
            at = None if at is None else self.borrow.mapFrom(self._pages, at)
            self.loan_edits.take(returns, self.borrow.well_at(at))
        elif returns:
            self.edits.take(returns)
        return [f for f in files if f not in returns]

    def close(self) -> None:
        self.model.close()
        self.loans.close()
        self.edits.close()
        self.carriers.form.close_lane()
