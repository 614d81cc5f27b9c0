"""Shots beside the one that is worked on: small, whole, through the exact path."""

from __future__ import annotations

from sfumato.core.arrays import Array, Rgb
from sfumato.core.measure.guess import Guess, guess
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.memory import Kept
from sfumato.work.preview.asks import EXACT, Ask
from sfumato.work.preview.sides import Sides

GUESS_WIDTH = 160


class Thumbnails(Sides):
    """Keeps what shots were guessed to be."""

    def forget(self) -> None:
        super().forget()
        self._guesses = Kept(memory.GUESSES)

    def thumbnail(self, study: Study, shot: Shot, width: int, height: int) -> Array:
        """Return the shot as it is seen, uint8, filling the box (middle cut out)."""
        ask = Ask(study, shot, b=EXACT)
        shown = self.side(ask, EXACT)(self.cut(study, shot, width, height))
        return self.screened(study, shown)

    def guess(self, study: Study, shot: Shot) -> Guess:
        """Return what a shot's numbers look like; the other shots' encodings count."""
        source = self.frames.sample(shot, GUESS_WIDTH)
        others = tuple(s.encoding for s in study.shots if s.id != shot.id and s.encoding)

        def make() -> tuple[Rgb, Guess]:
            is_float = self.frames.told(shot).is_float
            return source, guess(source, is_float, others)

        kept: tuple[Rgb, Guess] = self._guesses.get((id(source), others), make)
        return kept[1]
