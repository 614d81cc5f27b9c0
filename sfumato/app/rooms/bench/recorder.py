"""The recorder of a monitor: a take that runs until somebody, the card or the device ends it."""

from __future__ import annotations

from threading import Event

from PySide6.QtCore import QObject, Qt, Signal

from sfumato.app.services.jobs import FINISHED, Queue
from sfumato.app.services.notices import Notices
from sfumato.core.bench.signal import Signal as Video
from sfumato.work.bench.devices import Rig
from sfumato.work.bench.feeds import Feed, signal_of
from sfumato.work.bench.screens import Looks
from sfumato.work.bench.takes import Recorded, record
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.frames import Frames


class Recorder(QObject):
    """`came(number, signal)`: a frame was recorded, None while one before it waits to be shown;
    `told(words)`: how long it is; `recorded(Recorded)`;
    `ended(off, is_good)`: no take runs any more, `off` because the device is switched off."""

    came = Signal(int, object)
    _came = Signal(int, object)
    told = Signal(str)
    recorded = Signal(object)
    ended = Signal(bool, bool)

    def __init__(self, notices: Notices, parent: QObject) -> None:
        super().__init__(parent)
        self.feed: Feed | None = None  # of the take that runs, or ran last
        self._stop, self._off = Event(), Event()
        # A frame waits to be shown: before a window that is behind they would pile up.
        self._waits = Event()
        self._came.connect(self._on_came, Qt.ConnectionType.QueuedConnection)
        self._queue = Queue(self)
        self._queue.crashed.connect(notices.bug)
        self._queue.refused.connect(notices.fault)
        self._queue.progressed.connect(
            lambda _share, words: self.told.emit(words), Qt.ConnectionType.QueuedConnection
        )

    @property
    def runs(self) -> bool:
        return self._queue.is_busy

    @property
    def ends(self) -> bool:
        """Whether a take runs that was told to end."""
        return self.runs and (self._stop.is_set() or self._off.is_set())

    def begin(self, rig: Rig, feed: Feed, number: int, looks: Looks) -> None:
        """Record from a frame of the feed on."""
        self.feed = feed
        stop, off = self._stop, self._off
        for flag in (stop, off, self._waits):
            flag.clear()
        frames = Frames(keep=2)  # a decoder of its own: the picture's would be sought to and fro

        def ends(_count: int) -> str | None:
            if off.is_set():
                return "the device was switched off"
            return "" if stop.is_set() else None

        def work(cancel: Cancel, progress: Progress) -> Recorded:
            return record(
                rig,
                feed,
                lambda n: signal_of(feed, n, frames),
                looks.of(rig, rig.place),
                ends,
                start=number,
                in_time=True,
                cancel=cancel,
                told=progress,
                seen=self._seen,
            )

        self._queue.add("Recording", work, then=self.recorded.emit, ended=self._on_ended)

    def _seen(self, number: int, natural: Video) -> None:
        """Pass a frame on, in the worker."""
        waits = self._waits.is_set()
        self._waits.set()
        self._came.emit(number, None if waits else natural)

    def _on_came(self, number: int, natural: Video | None) -> None:
        if natural is not None:
            self._waits.clear()
        self.came.emit(number, natural)

    def stop(self, *, off: bool = False) -> None:
        """End the take; `off`: because the device is switched off."""
        (self._off if off else self._stop).set()

    def _on_ended(self, how: str) -> None:
        self.ended.emit(self._off.is_set(), how == FINISHED)

    def close(self) -> None:
        """End a take that runs, whole, and let the worker go."""
        self.stop()
        self._queue.close(cancel=False)
