"""Whose turn it is: the window's own thread comes before workers, for a processor and for the interpreter."""

from __future__ import annotations

import contextlib
import os
import sys
import threading
import time

_TURN = 0.0005  # seconds
_BEHIND = 10  # of 19; the window's own thread has 0
_AT_WORK, _TOO_LONG = (
    0.02,
    0.4,
)  # seconds without an answer, from which and until which workers wait


def behind() -> None:
    """Let the calling thread stand behind the window's when both want a processor.

    Where a thread cannot be given a priority of its own it keeps the one it has.
    """
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _BEHIND)


def short_turns() -> None:
    """Let threads give the interpreter on ten times as often as usual.

    The window's thread lets go of it at nearly every call of Qt, and waits for it behind all workers
    that want it: over 1,500 random deeds the longest stall was 0.5 to 0.6 s, with this 0.2 to 0.3 s.
    """
    sys.setswitchinterval(_TURN)


class _Window:
    """When the window's thread last said that it can answer; None while it is not asked to say so."""

    def __init__(self) -> None:
        self.thread = 0
        self.beat: float | None = None
        self.changed = threading.Condition()


_WINDOW = _Window()


def beat() -> None:
    """The window's thread, the calling one, is in its loop of events: it answers."""
    _WINDOW.thread = threading.get_ident()
    with _WINDOW.changed:
        _WINDOW.beat = time.perf_counter()
        _WINDOW.changed.notify_all()


def no_beats() -> None:
    """The window's thread says no more whether it answers: nobody works, or it waits for who does."""
    with _WINDOW.changed:
        _WINDOW.beat = None
        _WINDOW.changed.notify_all()


def give_way() -> None:
    """Wait, in a worker between two steps, while the window has much to do.

    A worker that holds the interpreter while other workers, or other programs, have the processors
    holds the window up, and the window asks for the interpreter again after nearly every call of Qt.
    So workers pause when it has not answered for 20 ms; after 400 ms they go on whatever it does.
    """
    last = _WINDOW.beat
    if last is None or threading.get_ident() == _WINDOW.thread:
        return
    spent = time.perf_counter() - last
    if _AT_WORK < spent < _TOO_LONG:
        with _WINDOW.changed:
            _WINDOW.changed.wait_for(lambda: _WINDOW.beat != last, _TOO_LONG - spent)
