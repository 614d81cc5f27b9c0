"""Whose turn it is: the window's own thread comes before workers, for a processor and for the interpreter."""

from __future__ import annotations

import contextlib
import ctypes
import os
import struct
import sys
import threading
import time

from sfumato.core.breath import pause_by

_TURN = 0.0005  # seconds
_SLICE = 100_000  # nanoseconds, the least there is
_SCHED_SETATTR = {"x86_64": 314, "aarch64": 274}  # numbers of the call, of asm/unistd.h
_RESET_ON_FORK = 1  # of linux/sched.h
_BEHIND = 10  # of 19; the window's own thread has 0
_AT_WORK, _TOO_LONG = 0.02, 0.4  # seconds without an answer: workers wait between them


def behind() -> None:
    """Let the calling thread stand behind the window's when both want a processor.

    Where a thread cannot be given a priority of its own it keeps the one it has.
    """
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _BEHIND)


def one_thread_a_product() -> None:
    """Have matrices multiplied in one thread; called before NumPy is there, which looks at its start.

    Threads of its own wait for the next product by asking for it over and over, on processors that tiles
    and workers need: a look out of a pair took 15 % more of their time with two, and came no sooner.
    """
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def short_turns() -> None:
    """Let threads give the interpreter on ten times as often as usual, and the calling one, the window's,
    have a processor as soon as it wants one.

    The window's thread lets go of the interpreter at nearly every call of Qt, and waits for it behind all
    workers that want it: over 1,500 random deeds the longest stall was 0.5 to 0.6 s, with this 0.2 to 0.3 s.
    """
    sys.setswitchinterval(_TURN)
    pause_by(give_way)
    _ask_short_slices()


def _ask_short_slices() -> None:
    """Ask Linux to let the calling thread run at once when it wakes, in return for short slices of time.

    Where the processors were full of workers, the slowest of 100 wakings waited 3.8 ms, with this 0.13.
    From Linux 6.12 on; older ones take no notice, and threads that are started later are as usual.
    """
    number = _SCHED_SETATTR.get(os.uname().machine)
    call = getattr(ctypes.CDLL(None), "syscall", None)
    if number is None or call is None:
        return
    nice = os.getpriority(os.PRIO_PROCESS, threading.get_native_id())
    # struct sched_attr: its size, policy, flags, nice, priority, slice, deadline, period, two hints
    wish = struct.pack("IIQiIQQQII", 56, 0, _RESET_ON_FORK, nice, 0, _SLICE, 0, 0, 0, 0)
    call(number, 0, wish, 0)


class _Window:
    """When the window's thread last said that it can answer; None while it is not asked to say so."""

    def __init__(self) -> None:
        self.thread = 0
        self.beat: float | None = None
        self.changed = threading.Condition()
        self.waiting = 0  # workers; for none of them the window takes no lock


_WINDOW = _Window()


def beat() -> None:
    """The window's thread, the calling one, is in its loop of events: it answers."""
    _WINDOW.thread = threading.get_ident()
    _say(time.perf_counter())


def no_beats() -> None:
    """The window's thread says no more whether it answers: nobody works, or it waits for who does."""
    _say(None)


def _say(when: float | None) -> None:
    _WINDOW.beat = when
    if _WINDOW.waiting:
        with _WINDOW.changed:
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
            _WINDOW.waiting += 1  # before the look at the beat: one of the two sees the other
            try:
                _WINDOW.changed.wait_for(lambda: _WINDOW.beat != last, _TOO_LONG - spent)
            finally:
                _WINDOW.waiting -= 1
