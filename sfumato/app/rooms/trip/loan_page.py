"""The Borrow page: what is borrowed from at the left, the pictures in the middle, what it becomes at the right."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from sfumato.app.guard import guarded
from sfumato.app.rooms.trip.loan_inputs import LoanInputs
from sfumato.app.rooms.trip.loan_middle import LoanMiddle
from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.app.rooms.trip.loan_outcome import LoanOutcome


class LoanPage(QWidget):
    """Lays the parts out."""

    def __init__(self, model: LoanModel) -> None:
        super().__init__()
        self._model = model
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.inputs = LoanInputs(model)
        self.middle = LoanMiddle(model)
        self.outcome = LoanOutcome(model)
        row.addWidget(self.inputs)
        row.addWidget(self.middle, 1)
        row.addWidget(self.outcome)
        self.inputs.tool_chosen.connect(self.middle.set_tool)
        self.middle.tool_left.connect(lambda: self.inputs.use("look"))

    def well_at(self, at: QPoint | None) -> str:
        """Return the side whose well lies under a point of the page, "" for none."""
        if at is None:
            return ""
        for side, well in self.inputs.wells.items():
            here = well.mapFrom(self, at) if well.isVisible() else None
            if here is not None and well.rect().contains(here):
                return side
        return ""

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._model.open(True)
        self.inputs.modes[self._model.loan.mode].setFocus()

    @guarded
    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._model.open(False)
