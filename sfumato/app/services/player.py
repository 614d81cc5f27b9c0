"""Playing a clip: which frame is due by the clock, and how many a second were really shown."""

from __future__ import annotations

import bisect
import time
from collections import deque
from typing import Any

import attrs
from PySide6.QtCore import QObject, QTimer, Signal

from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane, Turn
from sfumato.app.services.view_state import ViewModel, ViewState
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import FrameFacts

_AHEAD = 3  # frames decoded before they are due


class Player(QObject):
    """Moves the view's `play` through the frames of the shot. `shown_rate(fps)` about twice a second."""

    shown_rate = Signal(float)
    stopped = Signal(str, int)  # shot id, frame

    def __init__(self, view: ViewModel, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._view, self._desk = view, desk
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tick)
        self._lane = Lane(
            "play", self, turn=Turn.FIRST
        )  # what is refused here is refused by the picture too
        self._lane.crashed.connect(desk.notices.bug)
        self._shot: Shot | None = None
        self._began, self._length = 0.0, 1.0  # seconds
        self._times: tuple[float, ...] = (0.0,)  # when each frame is due
        self._painted: deque[float] = deque(maxlen=60)
        self._said = 0.0
        desk.shown.connect(self._on_shown)
        view.changed.connect(self._on_view)

    @property
    def is_playing(self) -> bool:
        return self._timer.isActive()

    def play(self, shot: Shot, facts: FrameFacts) -> None:
        """Play the frames of a shot round and round, from the one that is shown.

        Frames of changing length each stay as long as the file says.
        """
        last = facts.frames - 1 if shot.last is None else min(shot.last, facts.frames - 1)
        rate = facts.rate or 25.0
        count = max(last - shot.first + 1, 1)  # the file may be another, shorter one
        times = facts.times[shot.first : last + 1]
        if len(times) < count:
            times = tuple(i / rate for i in range(count))
        self._shot = shot
        self._times = tuple(t - times[0] for t in times)
        self._length = self._times[-1] + 1 / rate
        start = max(min(shot.frame, last) - shot.first, 0)
        self._began = time.perf_counter() - self._times[start]
        self._painted.clear()
        self._timer.start(max(5, int(500 / rate)))
        self._tick()

    def stop(self) -> None:
        if not self.is_playing or self._shot is None:
            return
        self._timer.stop()
        shot, frame = self._shot, self._view.now.play
        self._shot = None
        self._view.set(play=None)
        self.stopped.emit(shot.id, shot.frame if frame is None else frame)

    def _due(self) -> int:
        assert self._shot is not None
        passed = (time.perf_counter() - self._began) % self._length
        return self._shot.first + max(bisect.bisect_right(self._times, passed) - 1, 0)

    def _tick(self) -> None:
        frame, shot = self._due(), self._shot
        if shot is None or frame == self._view.now.play:
            return
        self._view.set(play=frame)
        frames, length = self._desk.frames, len(self._times)
        ahead = [shot.first + (frame - shot.first + i) % length for i in range(1, _AHEAD + 1)]
        sizes = self._desk.geometry

        def work(cancel: Any) -> None:
            for number in ahead:
                cancel.check()
                frames.quick(attrs.evolve(shot, frame=number), *sizes[:2])

        self._lane.ask(work, patient=True)

    def _on_shown(self, shown: Any) -> None:
        if not self.is_playing or self._shot is None or shown.ask.shot.id != self._shot.id:
            return
        now = time.perf_counter()
        self._painted.append(now)
        if now - self._said > 0.5 and len(self._painted) > 3:
            self._said = now
            self.shown_rate.emit((len(self._painted) - 1) / (now - self._painted[0]))

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if (before.shot, before.room) != (after.shot, after.room):
            self.stop()

    def close(self) -> None:
        self._timer.stop()
        self._lane.close()
