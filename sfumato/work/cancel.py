"""Cancelling and progress of long work."""

from __future__ import annotations

import threading
from collections.abc import Callable

from sfumato.work.turns import give_way


class Cancelled(Exception):
    """Raised by `Cancel.check` and swallowed by the runner alone."""


class Cancel:
    """A token that one thread sets and another looks at between tiles."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def set(self) -> None:
        self._event.set()

    @property
    def is_set(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        """Raise Cancelled when the token is set; else give way to the window if it has much to do."""
        if self._event.is_set():
            raise Cancelled
        give_way()


Progress = Callable[[float, str], None]


def silent(_share: float, _words: str) -> None:
    """A progress that nobody watches."""
