"""The pages of a room, at the top of each one's left panel."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from sfumato.app.controls.guide_button import GuideButton
from sfumato.app.labels import set_tip


class PageTabs(QWidget):
    """`wanted(page)`: another page is asked for. `pages` are titles with a tip each."""

    wanted = Signal(str)

    def __init__(self, room: str, pages: dict[str, str], here: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(4)
        for page, tip in pages.items():
            button = QPushButton(page)
            button.setObjectName(f"{room}.page.{page.casefold()}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.setChecked(page == here)
            set_tip(button, tip)
            button.clicked.connect(lambda _on, p=page, b=button: self._choose(p, here, b))
            row.addWidget(button, 1)
        row.addWidget(GuideButton("Guide"))

    def _choose(self, page: str, here: str, button: QPushButton) -> None:
        button.setChecked(page == here)
        if page != here:
            self.wanted.emit(page)
