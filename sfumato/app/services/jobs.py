"""The only bridge between background work and Qt.

A Lane keeps the newest answer only (preview, probes, thumbnails); a Queue does every job in order.
Work is `work(cancel)` or `work(cancel, progress)` over immutable inputs and touches no Qt object.
"""

from __future__ import annotations

import threading
import time
import traceback
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, nullcontext
from enum import Enum
from typing import Any, TypeVar

from attrs import frozen
from PySide6.QtCore import QObject, Qt, QTimer, Signal

from sfumato.app.services.pace import counter, is_there, pulse
from sfumato.app.services.sweeper import later
from sfumato.core.errors import SfumatoError
from sfumato.work import turns
from sfumato.work.cancel import Cancel, Cancelled, Progress
from sfumato.work.memory import give_back, told_when_it_waits
from sfumato.work.tiles import workers
from sfumato.work.turns import behind

T = TypeVar("T")
Work = Callable[[Cancel], Any]


class Turn(Enum):
    """When a lane may work beside others; more at once than there are processors only take memory."""

    FIRST = "at once"  # a hand waits for it, and it is short
    SHARED = "as soon as there is room"
    LAST = "after those"  # nobody's hand waits for it: never in the way of the others


_AHEAD = 2  # answers of a lane that may wait for the window: pictures of some megabytes each
_PATIENCE = 1.0  # seconds between two looks whether work is still wanted, should nobody say so


class _Room:
    """Room for work in the background: one processor is left to the window, and half to what comes LAST."""

    def __init__(self, processors: int) -> None:
        self._changed = threading.Condition()
        self._free, self._free_for_last = max(1, processors - 1), max(1, processors // 2)
        self._waiting = 0  # of those that share

    def look_again(self) -> None:
        """Say that something which may wait for room is no longer wanted."""
        with self._changed:
            self._changed.notify_all()

    @contextmanager
    def taken(self, turn: Turn, cancel: Cancel) -> Iterator[None]:
        """Wait for room, and give it back; Cancelled when the work is dropped meanwhile."""
        last = turn is Turn.LAST
        with self._changed:
            self._waiting += not last
            try:
                while not self._free or (last and (self._waiting or not self._free_for_last)):
                    self._changed.wait(_PATIENCE)
                    if cancel.is_set:  # no `check`, which may wait: others stand at this door
                        raise Cancelled
            finally:
                self._waiting -= not last
            self._free -= 1
            self._free_for_last -= last
        try:
            yield
        finally:
            with self._changed:
                self._free += 1
                self._free_for_last += last
                self._changed.notify_all()


_ROOM = _Room(workers())


def _let_go(pool: ThreadPoolExecutor) -> None:
    """Wait for the end of a pool; its work need not give way to a window that waits for it."""
    turns.no_beats()
    pool.shutdown(wait=True, cancel_futures=True)


class Lane(QObject):
    """One worker; a new ask replaces the one that waits, and hurries the one that runs.

    A patient ask lets the running one finish, so that a long drag still shows its steps. Lanes
    whose turn comes LAST make thumbnails, tiles, examinations: the window, which needs the same
    interpreter to paint, does not wait behind eight of them.
    """

    answered = Signal(object)
    refused = Signal(object)
    crashed = Signal(str)
    _done = Signal(int, object, object)

    def __init__(
        self, name: str, parent: QObject | None = None, *, turn: Turn = Turn.SHARED
    ) -> None:
        super().__init__(parent)
        self._rank = turn
        self._pulse = pulse()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix=name, initializer=behind)
        self._lock = threading.Lock()
        self._waiting: tuple[int, Work] | None = None
        self._running: Cancel | None = None
        self._turn = 0
        self._delivered = 0
        self._out = 0  # answers that wait to be delivered
        self._closed = False
        self._done.connect(self._arrive, Qt.ConnectionType.QueuedConnection)

    def ask(self, work: Work, *, patient: bool = False) -> None:
        with self._lock:
            if self._closed:
                return
            self._pulse.begin()
            self._turn += 1
            self._waiting = (self._turn, work)
            if self._running is not None and not patient:
                self._running.set()
                _ROOM.look_again()
            self._go_on()

    def drop(self) -> None:
        """Whatever is asked or under way is no longer wanted."""
        with self._lock:
            self._waiting = None
            if self._running is not None:
                self._running.set()
                _ROOM.look_again()
            self._turn += 1
            self._delivered = self._turn

    @property
    def is_busy(self) -> bool:
        with self._lock:
            return self._running is not None or self._delivered < self._turn

    def _go_on(self) -> None:
        """Begin what waits, unless the window is behind: it takes one answer a turn, of all lanes together."""
        if (
            self._waiting is None
            or self._running is not None
            or self._closed
            or self._out >= _AHEAD
        ):
            return
        turn, work = self._waiting
        self._waiting = None
        self._running = Cancel()
        self._pool.submit(self._run, turn, work, self._running)

    def _run(self, turn: int, work: Work, cancel: Cancel) -> None:
        answer: Any = None
        fault: Any = None
        try:
            room = nullcontext() if self._rank is Turn.FIRST else _ROOM.taken(self._rank, cancel)
            with room, self._pulse.work():
                answer = work(cancel)
        except Cancelled:
            fault = Cancelled()
        except SfumatoError as error:
            fault = error.alone()
        except Exception:
            fault = traceback.format_exc()
        later(work)
        with self._lock:
            self._running = None
            self._out += 1
            self._go_on()
            at_rest = self._running is None
        if not self._closed:
            self._done.emit(turn, answer, fault)
        if at_rest:
            give_back()

    def _arrive(self, *answer: Any) -> None:
        counter().take(self._deliver, *answer)

    def _deliver(self, turn: int, answer: Any, fault: Any) -> None:
        with self._lock:
            self._out -= 1
            self._go_on()
        if turn < self._delivered or self._closed:
            return
        self._delivered = turn
        if isinstance(fault, Cancelled):
            return
        if isinstance(fault, SfumatoError):
            self.refused.emit(fault)
        elif fault is not None:
            self.crashed.emit(fault)
        else:
            self.answered.emit(answer)

    def close(self) -> None:
        with self._lock:
            self._closed = True
            self._waiting = None
            if self._running is not None:
                self._running.set()
                _ROOM.look_again()
        _let_go(self._pool)


@frozen(eq=False)
class _Job:
    title: str
    work: Callable[[Cancel, Progress], Any]
    then: Callable[[Any], None] | None
    refused: Callable[[SfumatoError], None] | None
    ended: Callable[[str], None] | None


FINISHED, CANCELLED, REFUSED, CRASHED = "finished", "cancelled", "refused", "crashed"


class Queue(QObject):
    """Jobs that all count, one at a time, with progress (at most 30 a second) and cancel."""

    started = Signal(str)
    progressed = Signal(float, str)
    refused = Signal(object)
    cancelled = Signal(str)
    crashed = Signal(str)
    ended = Signal(str)  # FINISHED, CANCELLED, REFUSED or CRASHED, after the job's own answer
    _done = Signal(object, object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pulse = pulse()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="queue", initializer=behind)
        self._jobs: deque[_Job] = deque()
        self._cancel: Cancel | None = None
        self.title = ""  # of what runs, or ran last
        self._last = self._share = 0.0
        self._closed = False
        self._done.connect(self._arrive, Qt.ConnectionType.QueuedConnection)

    def add(
        self,
        title: str,
        work: Callable[[Cancel, Progress], T],
        *,
        then: Callable[[T], None] | None = None,
        refused: Callable[[SfumatoError], None] | None = None,
        ended: Callable[[str], None] | None = None,
    ) -> None:
        """Do `work(cancel, progress)` on the worker, then in the window's thread what follows of it.

        Args:
            then: is given the answer of a job that finished.
            refused: is given the error of one that could not; None = it is said in the strip.
            ended: is told how it ended, whichever way.
        """
        self._jobs.append(_Job(title, work, then, refused, ended))
        if self._cancel is None:
            self._next()

    @property
    def is_busy(self) -> bool:
        return self._cancel is not None

    def cancel(self) -> None:
        if self._cancel is not None:
            self._cancel.set()

    def _next(self) -> None:
        if not self._jobs or self._closed:
            return
        job = self._jobs.popleft()
        self._cancel, self.title, self._share = Cancel(), job.title, 0.0
        self.started.emit(job.title)
        self._pulse.begin()
        self._pool.submit(self._run, job, self._cancel)

    def _progress(self, share: float, words: str) -> None:
        now = time.monotonic()
        if now - self._last >= 1 / 30 or share >= 1:
            self._last, self._share = now, share
            self.progressed.emit(share, words)

    def _waits(self) -> None:
        self.progressed.emit(self._share, "waiting for other large work to end")

    def _run(self, job: _Job, cancel: Cancel) -> None:
        answer: Any = None
        fault: Any = None
        try:
            with self._pulse.work(), told_when_it_waits(self._waits):
                answer = job.work(cancel, self._progress)
        except Cancelled:
            fault = Cancelled()
        except SfumatoError as error:
            fault = error.alone()
        except Exception:
            fault = traceback.format_exc()
        later(job)
        if not self._closed:
            self._done.emit(job, answer, fault)

    def _arrive(self, *answer: Any) -> None:
        counter().take(self._deliver, *answer)

    def _deliver(self, job: _Job, answer: Any, fault: Any) -> None:
        self._cancel = None
        how = CRASHED
        try:
            how = self._answer(job, answer, fault)
        finally:  # an error in what follows of a job keeps neither it nor the others from ending
            try:
                if job.ended is not None and is_there(job.ended):
                    job.ended(how)
                self.ended.emit(how)
            finally:
                self._next()

    def _answer(self, job: _Job, answer: Any, fault: Any) -> str:
        """Hand over what came of a job; return how it ended."""
        how = FINISHED
        if isinstance(fault, Cancelled):
            how = CANCELLED
            self.cancelled.emit(job.title)
        elif isinstance(fault, SfumatoError):
            how = REFUSED
            told = job.refused if job.refused is not None and is_there(job.refused) else None
            (told or self.refused.emit)(fault)
        elif fault is not None:
            how = CRASHED
            self.crashed.emit(fault)
        elif job.then is not None and is_there(job.then):
            job.then(answer)
        return how

    def close(self, *, cancel: bool = True) -> None:
        """Let the worker go; without `cancel` what runs comes to its own end first."""
        self._closed = True
        self._jobs.clear()
        if cancel:
            self.cancel()
        _let_go(self._pool)


def single_shot(parent: QObject, ms: int, then: Callable[[], None]) -> QTimer:
    """Return a timer that runs something once, so long after it was last started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(ms)
    timer.timeout.connect(then)
    return timer
