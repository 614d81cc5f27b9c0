"""The clock of a picture that plays: which frame is due, and how many a second were really shown."""

from __future__ import annotations

import time
from collections import deque

from PySide6.QtCore import QObject, Qt, QTimer, Signal

_SAID = 0.5  # seconds between two measurements


class Clock(QObject):
    """`due(number)`: a frame is due; `measured(rate)` about twice a second while it runs."""

    due = Signal(int)
    measured = Signal(float)

    def __init__(self, rate: float, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.rate = rate
        self.number = 0
        self._from, self._began, self._said = 0, 0.0, 0.0
        self._painted: deque[float] = deque(maxlen=60)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    @property
    def is_running(self) -> bool:
        return self._timer.isActive()

    def start(self) -> None:
        """Go on from the frame that is due now."""
        self._from, self._began = self.number, time.perf_counter()
        self._painted.clear()
        self._timer.start(max(5, int(500 / self.rate)))

    def stop(self) -> None:
        self._timer.stop()

    def go_to(self, number: int) -> None:
        """Let a frame be the one that is due."""
        self.number = max(number, 0)
        if self.is_running:
            self.start()
        self.due.emit(self.number)

    def _tick(self) -> None:
        number = self._from + int((time.perf_counter() - self._began) * self.rate)
        if number != self.number:
            self.number = number
            self.due.emit(number)

    def painted(self) -> None:
        """Count a frame that was shown."""
        if not self.is_running:
            return
        now = time.perf_counter()
        self._painted.append(now)
        if now - self._said > _SAID and len(self._painted) > 3:
            self._said = now
            self.measured.emit((len(self._painted) - 1) / (now - self._painted[0]))
