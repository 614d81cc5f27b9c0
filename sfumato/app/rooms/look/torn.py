"""Easel and Instruments in windows of their own, for a second screen."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QByteArray, QEvent, Qt, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget


class Torn(QWidget):
    """A window that holds a part of the main one; closing it gives the part back: `closed()`."""

    closed = Signal()

    def __init__(self, name: str, title: str, part: QWidget, window: Any) -> None:
        super().__init__(window, Qt.WindowType.Window)
        self.setObjectName(f"torn.{name}")
        self.setWindowTitle(f"{title} — Sfumato")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setProperty("torn", True)
        self.setAcceptDrops(True)
        self._name, self._window, self.part = name, window, part
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(part)
        self.addActions(window.actions())  # the same keys work here
        self.resize(960, 620)
        geometry = window.settings.get(f"torn/{name}")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)

    def dragEnterEvent(self, event) -> None:
        self._window.dragEnterEvent(event)

    def dropEvent(self, event) -> None:
        self._window.dropEvent(event)

    def keyPressEvent(self, event) -> None:
        self._window.keyPressEvent(event)

    def changeEvent(self, event) -> None:
        if event.type() == QEvent.Type.ActivationChange:
            self.update()

    def closeEvent(self, event) -> None:
        self._window.settings.set(f"torn/{self._name}", self.saveGeometry())
        self.closed.emit()
        super().closeEvent(event)


class TornParts:
    """Which parts stand in windows of their own, and where they belong."""

    def __init__(self, window: Any) -> None:
        self._window = window
        self.windows: dict[str, Torn] = {}

    def toggle(self, name: str, title: str, part: QWidget) -> None:
        """Take a part out of the main window, or put it back into its layout."""
        torn = self.windows.get(name)
        if torn is not None:
            torn.close()
            return
        torn = Torn(name, title, part, self._window)
        self.windows[name] = torn

        def back() -> None:
            self.windows.pop(name, None)
            home = self._window.look_column
            is_easel = name == "easel"
            index = 1 if is_easel else home.indexOf(self._window.easel_gone)
            home.insertWidget(index, part, int(is_easel))
            self._window.easel_gone.setVisible("easel" in self.windows)
            if hasattr(part, "set_torn"):
                part.set_torn(False)
            part.show()

        torn.closed.connect(back)
        if hasattr(part, "set_torn"):
            part.set_torn(True)
        part.show()
        self._window.easel_gone.setVisible("easel" in self.windows)
        torn.show()

    def close(self) -> None:
        for torn in list(self.windows.values()):
            torn.close()
