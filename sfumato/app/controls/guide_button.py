"""A way from anywhere into the guide: a button that opens the page about the room it stands in."""

from __future__ import annotations

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QPushButton, QWidget

from sfumato.app.labels import set_tip

ACTION = "open_guide"


def guide_action(widget: QWidget) -> QAction | None:
    """Return the action that opens the guide, of the window that a widget belongs to."""
    top = widget
    while (above := top.parentWidget()) is not None:
        top = above
    return top.findChild(QAction, ACTION)


class GuideButton(QPushButton):
    def __init__(self, text: str = "How it is done, step by step") -> None:
        super().__init__(text)
        self.setObjectName("guide")
        self.setProperty("flat", True)
        set_tip(self, "Opens the guide at the page about this.")
        self.clicked.connect(self._open)

    def _open(self) -> None:
        action = guide_action(self)
        if action is not None:
            action.trigger()
