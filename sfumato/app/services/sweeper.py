"""Things are taken down in the window's thread alone: what is of Qt must not end in a worker.

By itself Python looks for cycles in whichever thread has just made an object, and takes down there what it
finds: widgets of a sheet that was closed, a painter. That ended the process now and then.
"""

from __future__ import annotations

import gc
import time
from collections import deque
from typing import Any

from PySide6.QtCore import QObject, QTimer

from sfumato.app.services.pace import pulse

_EVERY = 500  # ms between two looks
_FEW = 100  # new objects, among which nobody looks
_OLDER, _ALL, _AT_LATEST = 4, 20, 60  # looks after which older ones are looked through, and all
_LATE = 0.5  # seconds until a worker has surely let go of what it was given

_late: deque[tuple[float, Any]] = deque()


def later(what: Any) -> None:
    """Keep what a worker was given until it has let go of it, so that it does not end there."""
    _late.append((time.monotonic(), what))


class Sweeper(QObject):
    """Looks for cycles, instead of Python itself, while its window is there."""

    def __init__(self, window: QObject) -> None:
        super().__init__(window)
        gc.disable()
        self.destroyed.connect(lambda *_gone: gc.enable())
        self._looks = self._since_all = 0
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Take down what nobody has any more, of the newest things; of all now and then, best at rest.

        In random use a look took 0.5 ms, at most 10, and one through everything 30.
        """
        while _late and time.monotonic() - _late[0][0] > _LATE:
            _late.popleft()
        if gc.get_count()[0] < _FEW:
            return
        self._looks += 1
        self._since_all += 1
        if self._since_all > (_ALL if pulse().is_at_rest else _AT_LATEST):
            self._since_all = 0
            gc.collect()
        else:
            gc.collect(0 if self._looks % _OLDER else 1)
