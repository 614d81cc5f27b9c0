"""Threads across two pictures: which part of the one goes with which of the other."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPointF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.theme import colour

Ends = Callable[
    [], list[tuple[QPointF, QPointF]]
]  # of each thread, on the widget that they lie over


class Threads(QWidget):
    """Lies over a widget without taking the mouse, as large as that; `ends()` is asked at each painting."""

    def __init__(self, over: QWidget, ends: Ends) -> None:
        super().__init__(over)
        self._ends = ends
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        over.installEventFilter(self)

    @guarded
    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and isinstance(watched, QWidget):
            self.resize(watched.size())
            self.raise_()
        return False

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for start, end in self._ends():
            path = QPainterPath(start)
            slack = max(20.0, (end.x() - start.x()) / 2)
            path.cubicTo(start + QPointF(slack, 0), end - QPointF(slack, 0), end)
            for width, role in ((3.0, "rail"), (1.2, "yellow")):
                painter.setPen(QPen(colour(role), width))
                painter.drawPath(path)
