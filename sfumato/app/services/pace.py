"""How work in the background and the window keep pace: workers learn whether it answers, answers come one by one."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from types import FunctionType
from typing import Any

from PySide6.QtCore import QCoreApplication, QObject, QTimer
from shiboken6 import isValid

from sfumato.app.services.once import Once
from sfumato.work import turns

_BEAT, _IDLE_BEATS = 8, 25  # ms between two; how many follow when nothing is under way


def is_there(then: Callable[..., Any]) -> bool:
    """Whether what is to be told still exists: a sheet may be closed before its work is done.

    Of a function that was made within a method, that is the method's own object.
    """
    owner = getattr(then, "__self__", None)
    if isinstance(then, FunctionType) and "self" in then.__code__.co_freevars:
        cells = then.__closure__ or ()
        owner = cells[then.__code__.co_freevars.index("self")].cell_contents
    return not isinstance(owner, QObject) or isValid(owner)


class Pulse(QObject):
    """Says, while anything is under way, that the window answers: workers give way when it does not."""

    def __init__(self) -> None:
        super().__init__(QCoreApplication.instance())
        self._lock = threading.Lock()
        self._works = self._idle = 0
        self._timer = QTimer(self)
        self._timer.setInterval(_BEAT)
        self._timer.timeout.connect(self._beats)

    def begin(self) -> None:
        """Work is asked for, in the window's thread."""
        self._idle = 0
        if not self._timer.isActive():
            self._timer.start()

    @property
    def is_at_rest(self) -> bool:
        """Whether nothing is under way, and was not a moment ago."""
        return not self._timer.isActive()

    @contextmanager
    def work(self) -> Iterator[None]:
        """Count what is under way, in a worker."""
        with self._lock:
            self._works += 1
        try:
            yield
        finally:
            with self._lock:
                self._works -= 1

    def _beats(self) -> None:
        self._idle = 0 if self._works else self._idle + 1
        if self._idle < _IDLE_BEATS:
            turns.beat()
        else:
            self._timer.stop()
            turns.no_beats()


pulse = Once(Pulse)


class Counter(QObject):
    """Hands answers over one at a time, with a turn of the window's loop between: four that came
    at once kept the window from painting for 240 ms."""

    def __init__(self) -> None:
        super().__init__(QCoreApplication.instance())
        self._waiting: deque[partial[None]] = deque()
        self._handed = False  # an answer, in this turn

    def take(self, hand: Callable[..., None], *answer: Any) -> None:
        """Hand an answer over at once, or after those that came before it."""
        self._waiting.append(partial(hand, *answer))
        if not self._handed:
            self._next()

    def _next(self) -> None:
        self._handed = bool(self._waiting)
        if self._waiting:
            hand = self._waiting.popleft()
            # Asked for before: an answer may open a sheet with a loop of its own. A timer of no
            # time would be an event in the same turn.
            QTimer.singleShot(1, self, self._next)
            if is_there(hand.func):
                hand()


counter = Once(Counter)
