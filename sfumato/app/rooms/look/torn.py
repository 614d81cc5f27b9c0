"""Easel and Instruments in windows of their own, for a second screen."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QEvent, Qt, Signal
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from sfumato.app.guard import guarded
from sfumato.app.rooms.look.instruments_panel import Instruments
from sfumato.app.rooms.look.look_page import LookPage
from sfumato.app.services.services import Services


class Torn(QWidget):
    """A window that holds a part of the main one; closing it gives the part back: `closed()`."""

    closed = Signal()

    def __init__(self, name: str, title: str, part: QWidget, services: Services) -> None:
        super().__init__(services.window, Qt.WindowType.Window)
        self.setObjectName(f"torn.{name}")
        self.setWindowTitle(f"{title} — Sfumato")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setProperty("torn", True)
        self.setAcceptDrops(True)
        self._name, self._home, self.part = name, services.window, part
        self._settings = services.settings
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(part)
        self.addActions(self._home.actions())  # the same keys work here
        self.resize(960, 620)
        geometry = self._settings.get(f"torn/{name}")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)

    @guarded
    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        self._home.dragEnterEvent(event)

    @guarded
    def dropEvent(self, event: QDropEvent) -> None:
        self._home.dropEvent(event)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        self._home.keyPressEvent(event)

    @guarded
    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange:
            self.update()

    @guarded
    def closeEvent(self, event: QCloseEvent) -> None:
        self._settings.set(f"torn/{self._name}", self.saveGeometry())
        self.closed.emit()
        super().closeEvent(event)


class TornParts:
    """Which parts stand in windows of their own, and where they belong."""

    def __init__(self, services: Services, page: LookPage) -> None:
        self._services, self._page = services, page
        self.windows: dict[str, Torn] = {}

    def toggle(self, name: str, title: str, part: QWidget) -> None:
        """Take a part out of the main window, or put it back into its layout."""
        torn = self.windows.get(name)
        if torn is not None:
            torn.close()
            return
        torn = Torn(name, title, part, self._services)
        self.windows[name] = torn

        def back() -> None:
            self.windows.pop(name, None)
            self._page.put_back(part)
            self._show_gone()
            if isinstance(part, Instruments):
                part.set_torn(False)
            part.show()

        torn.closed.connect(back)
        if isinstance(part, Instruments):
            part.set_torn(True)
        part.show()
        self._show_gone()
        torn.show()

    def _show_gone(self) -> None:
        self._page.easel_gone.setVisible("easel" in self.windows)

    def close(self) -> None:
        for torn in list(self.windows.values()):
            torn.close()
