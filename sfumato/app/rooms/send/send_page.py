"""The Send room: what goes where at the left, and the pages about it."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet_line
from sfumato.app.controls.rows import as_panel
from sfumato.app.labels import set_tip
from sfumato.app.rooms.send.accord_page import AccordPage
from sfumato.app.rooms.send.left_panel import LeftPanel
from sfumato.app.rooms.send.outlet_page import OutletPage
from sfumato.app.rooms.send.results_page import ResultsPage
from sfumato.app.rooms.send.send_model import ACCORD, OUTLET, PAGES, RESULTS, VERSIONS, SendModel
from sfumato.app.rooms.send.versions_page import VersionsPage


class SendPage(QWidget):
    """Lays the parts out; the buttons above choose the page."""

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.left = LeftPanel(model)
        row.addWidget(self.left)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self._make_head())
        self.results = ResultsPage(model)
        self.accord = AccordPage(model)
        self.versions = VersionsPage(model)
        self.outlet = OutletPage(model)
        self._pages = dict(
            zip(PAGES, (self.results, self.accord, self.versions, self.outlet), strict=True)
        )
        self._stack = QStackedWidget()
        for page in self._pages.values():
            self._stack.addWidget(page)
        column.addWidget(self._stack, 1)
        row.addWidget(right, 1)
        model.page_changed.connect(self.refresh)
        model.accord_changed.connect(self._say)
        model.services.model.changed.connect(
            lambda b, a: self._say() if b.look.name != a.look.name else None
        )
        self.refresh()

    def _make_head(self) -> QWidget:
        head = QWidget()
        as_panel(head, height=42)
        row = QHBoxLayout(head)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(4)
        self.buttons: dict[str, QPushButton] = {}
        for page in PAGES:
            button = QPushButton(page)
            button.setObjectName(f"send.page.{page.casefold()}")
            set_tip(button, PAGES[page])
            button.setCheckable(True)
            button.setProperty("flat", True)
            button.clicked.connect(lambda _on, p=page: self._model.show_page(p))
            row.addWidget(button)
            self.buttons[page] = button
        row.addStretch(1)
        self.facts = quiet_line("")
        row.addWidget(self.facts)
        return head

    def refresh(self) -> None:
        """Show the chosen page."""
        page = self._model.page
        for name, button in self.buttons.items():
            button.setChecked(name == page)
        self._stack.setCurrentWidget(self._pages[page])
        self._say()

    def _say(self) -> None:
        page, look = self._model.page, self._model.study.look.name
        found = self._model.accord
        words = {RESULTS: look, VERSIONS: look, OUTLET: "", ACCORD: look}[page]
        if page == ACCORD and found is not None:
            old = " · edited since, being measured again" if self._model.is_old else ""
            words = f"{found.look} · on {len(found.shots)} shots · ΔE{old}"
        self.facts.setText(words)
