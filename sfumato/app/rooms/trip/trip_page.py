"""The Round trip room: journeys and what is sent at the left, the return in the middle, adopting at the right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.invitation import Invitation
from sfumato.app.controls.page_tabs import PageTabs
from sfumato.app.controls.rows import panel_column
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.trip.adopt_panel import AdoptPanel
from sfumato.app.rooms.trip.journey_list import JourneyList, moment
from sfumato.app.rooms.trip.return_panel import ReturnPanel
from sfumato.app.rooms.trip.send_form import SendForm
from sfumato.app.rooms.trip.trip_model import CARRIERS, PAGES, TripModel
from sfumato.app.theme import strong_font
from sfumato.app.views.picture_pane import PicturePane
from sfumato.work.trip import card

_EMPTY = (
    "Many programs can grade, but cannot write a LUT. Send them a carrier: a neutral picture that "
    "takes their look along. Give it the look there, save it beside the carrier, and the look is "
    "read out of it here, with a report of what else was done to it on the way."
)


class TripPage(QWidget):
    """Lays the parts out; the middle shows what to do, the card of a carrier, or a return."""

    send_wanted = Signal()
    take_wanted = Signal()
    forget_wanted = Signal()
    corners_wanted = Signal()
    glaze_wanted = Signal()
    look_wanted = Signal()
    swatch_wanted = Signal()
    file_wanted = Signal()

    def __init__(self, model: TripModel) -> None:
        super().__init__()
        self._model = model
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_left())
        self.panel = ReturnPanel(model)
        self.middle = QStackedWidget()
        self._empty, self._card = self._make_empty(), self._make_card()
        for page in (self._empty, self._card, self.panel):
            self.middle.addWidget(page)
        row.addWidget(self.middle, 1)
        self.adopt = AdoptPanel(model)
        row.addWidget(self.adopt)
        for signal, own in (
            (self.form.send_wanted, self.send_wanted),
            (self.journeys.forget_wanted, self.forget_wanted),
            (self.panel.corners_wanted, self.corners_wanted),
            (self.adopt.glaze_wanted, self.glaze_wanted),
            (self.adopt.look_wanted, self.look_wanted),
            (self.adopt.swatch_wanted, self.swatch_wanted),
            (self.adopt.file_wanted, self.file_wanted),
        ):
            signal.connect(own)
        self.panel.chosen_changed.connect(
            lambda: self.adopt.show_count(len(self.panel.chosen_files()))
        )
        model.chosen_changed.connect(self.refresh)
        model.thumbs_changed.connect(self.refresh)
        model.services.model.changed.connect(
            lambda b, a: self.refresh() if b.journeys != a.journeys else None
        )
        self.refresh()

    def _make_left(self) -> QWidget:
        left = QWidget()
        column = panel_column(left, 290)
        self.tabs = PageTabs("trip", PAGES, CARRIERS)
        column.addWidget(self.tabs)
        head = QHBoxLayout()
        title = Label("Journeys")
        title.setProperty("strong", True)
        head.addWidget(title, 1)
        self.count = quiet("")
        self.count.setObjectName("trip.count")
        head.addWidget(self.count)
        column.addLayout(head)
        self.journeys = JourneyList(self._model)
        column.addWidget(self.journeys, 1)
        self.drop = QPushButton("Drop what came back here")
        self.drop.setObjectName("trip.drop")
        self.drop.setProperty("dashed", True)
        self.drop.setMinimumHeight(52)
        set_tip(self.drop, "Drop pictures or a folder, or press to choose them.")
        self.drop.clicked.connect(self.take_wanted)
        column.addWidget(self.drop)
        self.form = SendForm(self._model.services)
        column.addWidget(self.form)
        return left

    def _make_empty(self) -> QWidget:
        send = QPushButton("Send a carrier…")
        send.setObjectName("trip.empty.send")
        set_tip(send, "Sends a neutral picture out: graded elsewhere, it brings the look back.")
        send.setProperty("main", True)
        send.clicked.connect(self.send_wanted)
        return Invitation("A look out of any program", _EMPTY, send)

    def _make_card(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(40, 30, 40, 20)
        column.setSpacing(8)
        self._card_title = Line()
        self._card_title.setFont(strong_font(18))
        column.addWidget(self._card_title)
        self._card_facts = quiet("")
        self._card_facts.setWordWrap(True)
        column.addWidget(self._card_facts)
        column.addSpacing(8)
        self._card_steps = Label()
        self._card_steps.setObjectName("trip.card")
        self._card_steps.setWordWrap(True)
        column.addWidget(self._card_steps)
        column.addSpacing(8)
        off = Label("Switch off there")
        off.setProperty("strong", True)
        column.addWidget(off)
        column.addWidget(Label("\n".join(f"–  {what}" for what in card.OFF)))
        column.addSpacing(12)
        self.carrier = PicturePane("")
        column.addWidget(self.carrier, 1)
        for label in (self._card_steps, self._card_facts):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        return page

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show what is chosen."""
        journeys, journey = self._model.study.journeys, self._model.journey
        back = sum(bool(j.returns) for j in journeys)
        self.count.setText(f"{len(journeys) - back} out, {back} back" if journeys else "")
        if journey is None:
            self.middle.setCurrentWidget(self._empty)
        elif not journey.returns:
            self._show_card()
            self.middle.setCurrentWidget(self._card)
        else:
            self.panel.show_chosen()
            self.middle.setCurrentWidget(self.panel)
        self.adopt.setVisible(journey is not None and bool(journey.returns))
        folder = str(Path(journey.path).parent) if journey is not None and journey.path else ""
        self.drop.setText(
            "Drop what came back here" + (f"\n{self._watched(folder)}" if folder else "")
        )

    def _watched(self, folder: str) -> str:
        words = f"watching {_from_home(folder)}"
        return self.drop.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, 240)

    def _show_card(self) -> None:
        journey = self._model.journey
        assert journey is not None
        self._card_title.setText(journey.name)
        facts = [f"out since {moment(journey.sent)}, to {journey.to}", journey.says]
        facts.append(f"its codes are {journey.encoding}" if journey.encoding else "")
        self._card_facts.setText(" · ".join(f for f in facts if f))
        steps = card.steps(journey)
        path, pixels = self._model.large
        seen = (
            image_of(self._model.services.seen(pixels))
            if path == journey.path and len(pixels) > 1
            else None
        )
        self.carrier.show_picture("The carrier" if seen is not None else "", seen, None)
        words = "\n".join(f"{i}.  {step}" for i, step in enumerate(steps, 1))
        self._card_steps.setText(_from_home(words))

    def chosen_returns(self) -> list[Path]:
        """Return the returns that an adoption is of."""
        return self.panel.chosen_files()

    def name(self) -> str:
        """Return the name of the look that is adopted."""
        return self.adopt.name.text().strip() or Path(self._model.file).stem

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.journeys.setFocus()


def _from_home(words: str) -> str:
    """Return words with the path of the home folder as ~."""
    return words.replace(f"{Path.home()}/", "~/")
