"""How much memory is kept for quick answers: every cache's share in one place, in bytes.

Each cache keeps at least its newest answer, however large that is.
"""

from __future__ import annotations

import ctypes
import gc
import itertools
import linecache
import os
import threading
import time
import weakref
from collections import OrderedDict, deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import attrs
import numpy as np

_MB = 1 << 20
STILLS = 40 * _MB  # decoded pictures
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
LOANS = 24 * _MB  # pictures that looks are borrowed from
RETURNS = 32 * _MB  # looks that came back, of the Round trip room
TOGETHER = 56 * _MB  # all of the above that are a `Kept`
# Beside those, so that large ones do not push them out:
TOLD = 4 * _MB  # what files say of their pictures, metadata among it
SMALL = 12 * _MB  # pictures of the size of thumbnails


_PAUSE = 2.0  # seconds between two returns
_returned = [0.0]
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD, _M_ARENA_MAX = -1, -3, -8  # of malloc.h in the GNU C library
_ARENAS = 2  # heaps that all threads share
_LARGE = 320 << 10  # bytes; a table of 33 points and a small picture lie above it
_MOVING = 4 << 20  # bytes; above every array of a drag
_are_apart = False
_KEPT = 16 << 20  # bytes that stay free at the end of a heap, until `give_back`


def keep_large_apart() -> None:
    """Have every large array mapped by itself, so that it goes back whole as soon as it is freed.

    Left alone, the GNU C library learns from the first large array that it frees to take the next
    ones from its heaps, where small ones that stay hold them open: over 1,600 random deeds the
    window then held 1.0 to 1.1 GB, with this 0.7 to 0.8. Two heaps do for all threads: with four of them, and
    arrays of up to 1 MB in them, 50 to 90 MB lay free between what stayed, with this 14. To say the one
    also ends what the library learns about the ends of its heaps: without a word on them it returned
    each after every step of a glaze, and the exact path of a picture took twice as long.
    """
    global _are_apart
    _are_apart = True
    _tell(_M_MMAP_THRESHOLD, _LARGE)
    _tell(_M_TRIM_THRESHOLD, _KEPT)
    _tell(_M_ARENA_MAX, _ARENAS)


def while_the_hand_moves(moves: bool) -> None:
    """Take large arrays from the heaps while a control is dragged, and map them apart again after it.

    A fresh mapping costs more than what is done with it: each of its pages is made when it is first
    touched. What a step of a drag frees, the next one takes again; `give_back` follows at rest.
    """
    if _are_apart:
        _tell(_M_MMAP_THRESHOLD, _MOVING if moves else _LARGE)


def _tell(parameter: int, value: int) -> None:
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(parameter, value)


def give_back() -> None:
    """Return memory that was freed to the system, at most every two seconds; for workers at rest.

    Large arrays that come and go leave holes in the C library's heaps: over a thousand random deeds
    the window held up to 1.1 GB without this, 0.8 to 0.9 GB with it.
    """
    now = time.monotonic()
    if now - _returned[0] < _PAUSE:
        return
    _returned[0] = now
    linecache.clearcache()  # 9 MB of the sources of kernels, which nobody asks for again
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # of the GNU C library alone
    if trim is not None:
        trim(0)


def keep_for_good() -> None:
    """Take all that is there now out of what the collector of cycles looks through.

    For when everything is built: a full collection then took 0.13 s, in which nothing else of Python
    runs, and 0.03 s after this.
    """
    gc.freeze()


_DONTNEED = 4  # MADV_DONTNEED of sys/mman.h


def let_pages_go(library: str) -> int:
    """Give the pages of a library back that were read from its file; return how many bytes.

    For one that has done its work: the compiler of the kernels holds 67 MB after it has loaded them.
    A page that is wanted again after all comes from the file. Pages with values of this process stay.
    """
    advise = getattr(ctypes.CDLL(None), "madvise", None)
    try:
        lines = Path("/proc/self/smaps").read_text().splitlines()
    except OSError:
        return 0
    if advise is None:
        return 0
    gone, start, size, held = 0, 0, 0, 0
    for line in lines:
        words = line.split()
        if not words[0].endswith(":"):
            first, last = (int(n, 16) for n in words[0].split("-"))
            mine = library in words[-1] and "w" not in words[1]
            start, size = (first, last - first) if mine else (0, 0)
        elif words[0] == "Rss:":
            held = int(words[1]) << 10
        elif words[0] == "Anonymous:" and start and words[1] == "0":
            done = advise(ctypes.c_void_p(start), ctypes.c_size_t(size), _DONTNEED)
            gone += held if done == 0 else 0
    return gone


_MINE = threading.local()
_LOOK = 0.1  # seconds between two looks whether work that waits is still wanted


class _Turns:
    """So many turns at once, given in the order in which they were asked for.

    Whoever works through a folder would else take the next turn before one who waits has woken.
    """

    def __init__(self, count: int) -> None:
        self._changed = threading.Condition()
        self._free = count
        self._line = deque[object]()

    def take(self, check: Callable[[], None], tell: Callable[[], None] | None = None) -> None:
        """Wait for a turn; `tell` is called when that takes longer than a look."""
        mine = object()
        with self._changed:
            self._line.append(mine)
        try:
            while True:
                with self._changed:
                    if self._changed.wait_for(lambda: self._free and self._line[0] is mine, _LOOK):
                        self._free -= 1
                        return
                check()  # outside: it may wait
                if tell is not None:
                    tell()
                    tell = None
        finally:
            with self._changed:
                self._line.remove(mine)
                self._changed.notify_all()

    def give_back(self) -> None:
        with self._changed:
            self._free += 1
            self._changed.notify_all()


_HEAVY = _Turns(max(1, (os.cpu_count() or 1) // 2))


@contextmanager
def told_when_it_waits(tell: Callable[[], None]) -> Iterator[None]:
    """Have it told when this thread waits for a turn with heavy work."""
    _MINE.tell = tell
    try:
        yield
    finally:
        _MINE.tell = None


@contextmanager
def heavy(check: Callable[[], None]) -> Iterator[None]:
    """Wait for a turn with work that takes some hundred megabytes: one on two processors, first come first.

    Within a turn of the same thread there is nothing to wait for; and the main thread, which the window
    or a command lives in, waits for nobody.

    Args:
        check: raises when the work is no longer wanted.
    """
    if getattr(_MINE, "turn", False) or threading.current_thread() is threading.main_thread():
        yield
        return
    _HEAVY.take(check, getattr(_MINE, "tell", None))
    _MINE.turn = True
    try:
        yield
    finally:
        _MINE.turn = False
        _HEAVY.give_back()


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


class Lent:
    """What an answer is made of and known by, but which lies in another cache: it is not counted twice."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value


@attrs.define
class _Answer:
    value: Any
    size: int
    asked: int  # when, by the common clock


_LOCK = threading.Lock()
_ALL: weakref.WeakSet[Kept] = weakref.WeakSet()
_CLOCK = itertools.count()


class Kept:
    """A cache of the newest answers: at most `most`, and at most `memory` bytes of arrays.

    All of them together hold `TOGETHER`: beyond that goes what was asked for longest ago, in
    whichever it lies, so that a room that nobody is in makes place for the one in use. One that
    stands `apart` is bounded by itself alone.
    """

    def __init__(self, memory: int, most: int = 64, *, apart: bool = False) -> None:
        self._most, self._memory = most, memory
        self._items: OrderedDict[Any, _Answer] = OrderedDict()
        self._bytes = 0
        self._making: dict[Any, threading.Lock] = {}
        if not apart:
            with _LOCK:
                _ALL.add(self)

    def peek(self, key: Any) -> Any:
        """Return the answer for `key` when it is kept, else None."""
        with _LOCK:
            return self._asked(key) if key in self._items else None

    def get(self, key: Any, make: Callable[[], Any]) -> Any:
        """Return the answer for `key`, made when it is not kept; by one of those who ask at once."""
        with _LOCK:
            if key in self._items:
                return self._asked(key)
            turn = self._making.setdefault(key, threading.Lock())
        with turn:
            with _LOCK:
                if key in self._items:
                    return self._asked(key)
            try:
                value = make()
                self._put(key, value)
            finally:
                with _LOCK:
                    self._making.pop(key, None)
        return value

    def _asked(self, key: Any) -> Any:
        self._items.move_to_end(key)
        answer = self._items[key]
        answer.asked = next(_CLOCK)
        return answer.value

    def _put(self, key: Any, value: Any) -> None:
        size = held(value)
        with _LOCK:
            if key in self._items:
                self._bytes -= self._items.pop(key).size
            self._items[key] = _Answer(value, size, next(_CLOCK))
            self._bytes += size
            while len(self._items) > 1 and (
                len(self._items) > self._most or self._bytes > self._memory
            ):
                self._drop()
            while sum(c._bytes for c in _ALL) > TOGETHER:
                able = [c for c in _ALL if len(c._items) > 1]
                if not able:
                    break
                min(able, key=lambda c: next(iter(c._items.values())).asked)._drop()

    def _drop(self) -> None:
        self._bytes -= self._items.popitem(last=False)[1].size
