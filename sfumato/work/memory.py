"""How much memory is kept for quick answers: every cache's share in one place, in bytes.

Each cache keeps at least its newest answer, however large that is.
"""

from __future__ import annotations

import ctypes
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import attrs
import numpy as np

_MB = 1 << 20
STILLS = 64 * _MB  # decoded pictures
CLIPS = 32 * _MB  # what open clips hold
COPIES = 32 * _MB  # smaller copies of very large ones
PROXIES = 32 * _MB  # pictures made smaller
WORKING = 40 * _MB  # … in working values
PLAYING = 24 * _MB  # frames of a clip that plays
TABLES = 32 * _MB  # LUTs that sides are looked at through
DRAGGED = 24 * _MB  # pictures while the hand moves
LOOKS = 16 * _MB  # LUT files of the Swatchbook
GUESSES = 8 * _MB
CONVERTED = 24 * _MB  # LUT files of the Convert room
TILES = 24 * _MB  # pictures of the Swatchbook's wall
RETURNS = 32 * _MB  # looks that came back, of the Round trip room


_PAUSE = 2.0  # seconds between two returns
_returned = [0.0]
_M_MMAP_THRESHOLD = -3  # of malloc.h in the GNU C library
_LARGE = 1 << 20  # bytes; a table of 33 points, baked at every step of a drag, lies below it


def keep_large_apart() -> None:
    """Have every large array mapped by itself, so that it goes back whole as soon as it is freed.

    Left alone, the GNU C library learns from the first large array that it frees to take the next
    ones from its heaps, where small ones that stay hold them open: over 1,600 random deeds the
    window then held 1.0 to 1.1 GB, with this 0.7 to 0.8. A step of a drag takes 5 % longer.
    """
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(_M_MMAP_THRESHOLD, _LARGE)


def give_back() -> None:
    """Return memory that was freed to the system, at most every two seconds; for workers at rest.

    Large arrays that come and go leave holes in the C library's heaps: over a thousand random deeds
    the window held up to 1.1 GB without this, 0.8 to 0.9 GB with it.
    """
    now = time.monotonic()
    if now - _returned[0] < _PAUSE:
        return
    _returned[0] = now
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # of the GNU C library alone
    if trim is not None:
        trim(0)


def held(value: Any, depth: int = 4) -> int:
    """Return about how many bytes of arrays a value holds, in records and collections too."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if depth == 0:
        return 0
    if isinstance(value, tuple | list):
        return sum(held(v, depth - 1) for v in value)
    if isinstance(value, dict):
        return sum(held(v, depth - 1) for v in value.values())
    if attrs.has(type(value)):
        return sum(held(getattr(value, f.name, None), depth - 1) for f in attrs.fields(type(value)))
    return len(value) if isinstance(value, bytes) else 0


class Kept:
    """A cache of the newest answers: at most `most`, and at most `memory` bytes of arrays."""

    def __init__(self, memory: int, most: int = 64) -> None:
        self._most, self._memory = most, memory
        self._items: OrderedDict[Any, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()
        self._making: dict[Any, threading.Lock] = {}

    def peek(self, key: Any) -> Any:
        """Return the answer for `key` when it is kept, else None."""
        with self._lock:
            return self._items.get(key, (None, 0))[0]

    def get(self, key: Any, make: Callable[[], Any]) -> Any:
        """Return the answer for `key`, made when it is not kept; by one of those who ask at once."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key][0]
            turn = self._making.setdefault(key, threading.Lock())
        with turn:
            with self._lock:
                if key in self._items:
                    return self._items[key][0]
            try:
                value = make()
                self._put(key, value)
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return value

    def _put(self, key: Any, value: Any) -> None:
        size = held(value)
        with self._lock:
            self._bytes += size - self._items.pop(key, (None, 0))[1]
            self._items[key] = (value, size)
            while len(self._items) > 1 and (
                len(self._items) > self._most or self._bytes > self._memory
            ):
                self._bytes -= self._items.popitem(last=False)[1][1]
