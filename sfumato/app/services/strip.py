"""What the shots strip shows: a thumbnail of each shot that is seen in it, and what its numbers look like."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from sfumato.app.services.jobs import Lane
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.measure.guess import Guess
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel

if TYPE_CHECKING:
    from sfumato.app.services.desk import Desk

THUMB = (94, 52)


class Strip(QObject):
    """Asks for what is seen, and keeps the guesses. `thumbs(dict)`: pictures or errors by id; `guesses()`."""

    thumbs = Signal(object)
    guesses = Signal()

    def __init__(self, desk: Desk, lane: Lane) -> None:
        super().__init__(desk)
        self._desk, self._lane = desk, lane
        self._seen: tuple[str, ...] = ()
        self._fresh: set[str] = set()  # shots whose thumbnails are of the study as it is
        self._guesses: dict[str, Guess] = {}
        lane.answered.connect(self._on_answered)

    def set_seen(self, shots: tuple[str, ...]) -> None:
        """Say which shots are seen, by id: only these and the chosen one need thumbnails."""
        if shots != self._seen:
            self._seen = shots
            self.ask(anew=False)

    def ask(self, *, anew: bool = True) -> None:
        """Ask for the thumbnails of what is seen, once the first picture is there.

        Args:
            anew: the study has changed: those that are there are of the one before.
        """
        desk = self._desk
        if anew:
            self._fresh.clear()
        if not desk.has_begun:
            return
        study, here = desk.model.study, desk.shot
        seen = {*self._seen, *([here.id] if here is not None else [])} - self._fresh
        wanted = [s for s in study.shots if s.id in seen]
        if not wanted and not anew:
            return
        previewer = desk.previewer

        def work(cancel: Cancel) -> tuple[Study, dict[str, Any], dict[str, Guess]]:
            found: dict[str, Any] = {}
            guesses: dict[str, Guess] = {}
            for shot in wanted:
                cancel.check()
                try:
                    found[shot.id] = previewer.thumbnail(study, shot, *THUMB)
                    guesses[shot.id] = previewer.guess(study, shot)
                except SfumatoError as error:
                    found[shot.id] = error.alone()
            return study, found, guesses

        self._lane.ask(work)

    def _on_answered(self, answer: tuple[Study, dict[str, Any], dict[str, Guess]]) -> None:
        study, found, guesses = answer
        now = self._desk.model.study
        if study is now:
            self._fresh |= found.keys()
        there = {s.id for s in now.shots}
        self._guesses = {k: g for k, g in (self._guesses | guesses).items() if k in there}
        self.thumbs.emit(found)
        self.guesses.emit()

    def guess(self, shot: Shot) -> Guess | None:
        """Return what a shot's numbers look like, None while that is not known."""
        return self._guesses.get(shot.id)

    def doubt(self, shot: Shot) -> Guess | None:
        """Return what a shot looks like when that contradicts what is stated, and was not believed."""
        found = self.guess(shot)
        if found is None or shot.encoding is None:
            return None
        if (shot.id, shot.encoding) in self._desk.view.now.believed:
            return None
        return found if found.doubts(encoding(shot.encoding)) else None
