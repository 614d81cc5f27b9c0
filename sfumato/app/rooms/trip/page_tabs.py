"""The two pages of the room, at the top of each one's left panel."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

CARRIERS, BORROW = "Carriers", "Borrow"


class PageTabs(QWidget):
    """`wanted(page)`: the other page is asked for."""

    wanted = Signal(str)

    def __init__(self, here: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(4)
        for page in (CARRIERS, BORROW):
            button = QPushButton(page)
            button.setObjectName(f"trip.page.{page.casefold()}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.setChecked(page == here)
            button.clicked.connect(lambda _on, p=page, b=button: self._choose(p, here, b))
            row.addWidget(button, 1)

    def _choose(self, page: str, here: str, button: QPushButton) -> None:
        button.setChecked(page == here)
        if page != here:
            self.wanted.emit(page)
