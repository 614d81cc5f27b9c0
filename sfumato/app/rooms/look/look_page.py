"""The page of the Look room: the Ledger on the left, shots, Easel and Instruments on the right."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.grip import Grip
from sfumato.app.controls.rows import as_panel
from sfumato.app.labels import set_help
from sfumato.app.rooms.look.easel_panel import EaselPanel
from sfumato.app.rooms.look.instruments_panel import Instruments
from sfumato.app.rooms.look.ledger import Ledger
from sfumato.app.rooms.look.seal import Seal
from sfumato.app.rooms.look.shots import ShotsStrip
from sfumato.app.services.services import Services

PANEL, PANEL_BOUNDS = 340, (300, 480)  # px: how wide the panel is, and can be


class LookPage(QWidget):
    """Lays the parts out; Easel and Instruments can stand in windows of their own."""

    def __init__(self, services: Services) -> None:
        super().__init__()
        model, view, desk = services.model, services.view, services.desk
        self.ledger = Ledger(model, view, desk, services.notices)
        self.seal = Seal(model, desk)
        self.shots = ShotsStrip()
        self.shots.setObjectName("shots")
        set_help(
            self.shots, "The shots of the study: click one to see it, drag it to another place."
        )
        self.easel_panel = EaselPanel(model, view, desk)
        self.instruments = Instruments(model, view, desk)
        left = QWidget()
        as_panel(left)
        self.grip = Grip(left, PANEL, *PANEL_BOUNDS)
        self.grip.setObjectName("panel.grip")
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.ledger, 1)
        column.addWidget(self.seal)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.shots)
        column.addWidget(self.easel_panel, 1)
        column.addWidget(self.instruments)
        self.easel_gone = quiet(
            "The picture stands in a window of its own; close that to bring it back."
        )
        self.easel_gone.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.easel_gone.hide()
        column.addWidget(self.easel_gone, 1)
        self.column = column
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(left)
        row.addWidget(self.grip)
        row.addWidget(right, 1)
        self.left = left
        self.instruments.order_tabs()  # once more: now they stand in their place

    def put_back(self, part: QWidget) -> None:
        """Give a part that stood in a window of its own its place again."""
        is_easel = part is self.easel_panel
        index = 1 if is_easel else self.column.indexOf(self.easel_gone)
        self.column.insertWidget(index, part, int(is_easel))
