"""What there is one of in the program that runs, made when it is first wanted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from PySide6.QtCore import QObject
from shiboken6 import isValid

T = TypeVar("T", bound=QObject)


class Once(Generic[T]):
    """Calls give the one object; another is made when Qt has deleted it, with its application."""

    def __init__(self, make: Callable[[], T]) -> None:
        self._make = make
        self._made: T | None = None

    def __call__(self) -> T:
        if self._made is None or not isValid(self._made):
            self._made = self._make()
        return self._made
