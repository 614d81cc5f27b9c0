"""The state of the Round trip room: what is chosen, and what is known of the chosen return."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from sfumato.app.services.jobs import Lane, Turn
from sfumato.app.services.services import Services
from sfumato.core.arrays import Array
from sfumato.core.errors import SfumatoError
from sfumato.core.study.journey import Journey, Return
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.files import stamp_of
from sfumato.work.frames import WHOLE, open_still, scaled
from sfumato.work.preview.asks import to_bytes
from sfumato.work.trip.examined import Examined, Returns

THUMB = (72, 44)
_NO_PICTURE = np.full((1, 1, 3), 68, np.uint8)
_LARGE = (560, 420)  # pixels of the carrier's picture on its card, at most

CARRIERS, BORROW = "Carriers", "Borrow"
PAGES = {
    CARRIERS: "Neutral pictures that take a look out of another program.",
    BORROW: "A look out of a pair of pictures, or after a reference.",
}


class TripModel(QObject):
    """`chosen_changed()`: another journey or return; `known()`: what is known of the return is there."""

    chosen_changed = Signal()
    known = Signal()
    thumbs_changed = Signal()

    def __init__(self, services: Services, key: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.services, self._key = services, key
        self.returns = Returns()
        self.journey_id = ""
        self.file = ""  # the chosen return
        self.examined: Examined | None = None
        self.refused: SfumatoError | None = None
        self.thumbs: dict[str, Array] = {}  # by path of the carrier
        self.large: tuple[str, Array] = ("", _NO_PICTURE)  # the chosen carrier's path and picture
        self._asked: Any = None
        self._lane = Lane("trip", self)
        self._lane.answered.connect(self._on_examined)
        self._lane.refused.connect(self._on_refused)
        self._lane.crashed.connect(services.notices.bug)
        self._pictures = Lane("carriers", self, turn=Turn.LAST)
        self._pictures.answered.connect(self._on_thumbs)
        self._pictures.crashed.connect(services.notices.bug)
        services.model.changed.connect(self._on_changed)
        services.view.changed.connect(self._on_view)

    # --- what is chosen --------------------------------------------------------------------------
    @property
    def study(self) -> Study:
        return self.services.model.study

    @property
    def journey(self) -> Journey | None:
        return self.study.journey(self.journey_id)

    @property
    def back(self) -> Return | None:
        """The chosen return."""
        journey = self.journey
        return journey.back(self.file) if journey is not None else None

    def choose(self, journey_id: str, file: str = "") -> None:
        """Choose a journey, and of its returns one; the first when none is named."""
        journey = self.study.journey(journey_id)
        if journey is not None and journey.back(file) is None:
            file = journey.returns[0].path if journey.returns else ""
        if (journey_id, file) != (self.journey_id, self.file):
            self.journey_id, self.file = journey_id, file
            self.chosen_changed.emit()
            self.ask_thumbs()
        self.ask()

    def _on_changed(self, _before: Study, after: Study) -> None:
        self.follow(after)

    def follow(self, after: Study) -> None:
        """Choose what there is in a study, and have it looked at."""
        ids = [j.id for j in after.journeys]
        journey = after.journey(self.journey_id)
        if journey is None:
            self.choose(ids[0] if ids else "")
        elif journey.back(self.file) is None:
            self.choose(journey.id)
        self.ask()
        self.ask_thumbs()

    def _on_view(self, before: Any, after: Any) -> None:
        if before.shot != after.shot or before.room != after.room:
            self.ask()
            self.ask_thumbs()

    # --- what is known ---------------------------------------------------------------------------
    def ask(self) -> None:
        """Have the chosen return examined, when it is looked at and not known yet."""
        if self.services.view.now.room != self._key:
            return
        journey, back, shot = self.journey, self.back, self.services.desk.shot
        if journey is None or back is None:
            self._asked, self.examined, self.refused = None, None, None
            self._lane.drop()
            self.known.emit()
            return
        study = self.study
        sight = (study.view, study.working)
        wanted = (
            (journey.id, journey.path, back.path, back.corners),
            stamp_of(Path(back.path)),
            shot,
            sight,
        )
        if wanted == self._asked:
            return
        if self._asked is None or self._asked[0] != wanted[0]:
            self.examined = self.refused = None
        self._asked = wanted
        frames, returns = self.services.desk.frames, self.returns

        def work(cancel: Cancel) -> Examined:
            return returns.examine(Path(back.path), study, journey, shot, frames, cancel)

        self._lane.ask(work)
        self.known.emit()

    @property
    def is_examining(self) -> bool:
        return self._lane.is_busy

    def _on_examined(self, found: Examined) -> None:
        self.examined, self.refused = found, None
        self.known.emit()

    def _on_refused(self, error: SfumatoError) -> None:
        self.examined, self.refused = None, error
        self.known.emit()

    def ask_thumbs(self) -> None:
        """Have small pictures made of the carriers that have none, and a larger one of the chosen."""
        paths = [j.path or next((r.path for r in j.returns), "") for j in self.study.journeys]
        missing = [p for p in dict.fromkeys(paths) if p and p not in self.thumbs]
        chosen = self.journey.path if self.journey is not None else ""
        if chosen == self.large[0]:
            chosen = ""
        if not (missing or chosen) or self.services.view.now.room != self._key:
            return

        def work(cancel: Cancel) -> tuple[dict[str, Array], tuple[str, Array] | None]:
            large = (chosen, _small(chosen, _LARGE)) if chosen else None
            found: dict[str, Array] = {}
            for path in missing:
                cancel.check()
                found[path] = _small(path, (2 * THUMB[0], 2 * THUMB[1]))
            return found, large

        self._pictures.ask(work)

    def _on_thumbs(self, answer: tuple[dict[str, Array], tuple[str, Array] | None]) -> None:
        found, large = answer
        self.thumbs |= found
        self.large = large or self.large
        self.thumbs_changed.emit()

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy or self._pictures.is_busy

    def close(self) -> None:
        self._lane.close()
        self._pictures.close()


def _small(path: str, most: tuple[int, int]) -> Array:
    """Return a small picture, uint8 (h, w, 3); one pixel of grey where there is no file."""
    try:
        pixels = open_still(path).pixels
    except SfumatoError:
        return _NO_PICTURE
    height, width = pixels.shape[:2]
    share = min(most[0] / width, most[1] / height, 1.0)
    size = max(1, round(width * share)), max(1, round(height * share))
    return to_bytes(scaled(pixels, WHOLE, *size))
