"""What a side of the Easel shows: functions from working values to those of the display."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import attrs
import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.device import through_device
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.path.laying import matte
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import LOOK, Study
from sfumato.media.parts.inked import print_of
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.luts.ends import seen
from sfumato.work.luts.proof import LookTable, look_table
from sfumato.work.memory import Kept
from sfumato.work.preview.asks import (
    DEVICE,
    EXACT,
    FILE,
    GROUND,
    MATTE,
    PRINTED,
    Ask,
    written_key,
)
from sfumato.work.preview.prints import Prints
from sfumato.work.tiles import run_tiled


def unviewed(study: Study, code: Rgb) -> Rgb:
    """Return what takes the View back from working values that are shown: their display codes without it, less
    those with it."""
    bare = convert(code, study.working, study.view.encoding)
    return np.asarray(bare - path.through_view(study, code), np.float32)


class Sides(Prints):
    """Keeps the tables that would be written while nothing in them changes."""

    def forget(self) -> None:
        super().forget()
        self._tables = Kept(memory.TABLES, 12)
        # Apart: a fit takes seconds, and its newest always stays.
        self._written = Kept(memory.TABLES, 4)

    def look_table(self, ask: Ask, cancel: Cancel | None = None) -> LookTable:
        """Return the table that the Seal would write, kept while nothing in it changes."""
        made: LookTable = self._written.get(
            written_key(ask), lambda: look_table(ask.study, self.frames, ask.shot, cancel)
        )
        return made

    def awaits_fit(self, ask: Ask) -> bool:
        """Whether the table is to be fitted and is not there: side B is seen through a sampled one meanwhile."""
        return ask.study.fit and self._written.peek(written_key(ask)) is None

    def written_table(self, ask: Ask, cancel: Cancel | None = None) -> Table3D:
        """Return the table to look through: the one that will be written, or sampled until it is fitted."""
        kept: LookTable | None = self._written.peek(written_key(ask))
        if kept is not None or not ask.study.fit:
            return (kept or self.look_table(ask, cancel)).table
        plain = attrs.evolve(ask, study=attrs.evolve(ask.study, fit=False))
        return self.look_table(plain, cancel).table

    def side(self, ask: Ask, which: str, cancel: Cancel | None = None) -> Callable[[Rgb], Rgb]:
        """Return the function from working values (before the Ground) to display values of a side."""
        study, shot = ask.study, ask.shot

        def ground(code: Rgb) -> Rgb:
            return path.through_view(study, path.through_ground(shot, study, code))

        def exact(code: Rgb) -> Rgb:
            graded = path.through_look(study, path.through_ground(shot, study, code))
            return path.through_view(study, graded)

        if which == GROUND:
            return ground
        if which == EXACT:
            return exact
        if which == MATTE:
            return self._matte(ask)
        if which == PRINTED:
            press, how, meant = self.press(ask)[0], study.printing, self.for_print(ask)
            return lambda code: print_of(meant(code), study.view.encoding, press, how).codes
        if which in ask.others:
            other = seen(ask.others[which].transform, study, ask.others[which].ends)
            if study.span.with_ground:  # as the LUTs of this study
                return other
            return lambda code: other(path.through_ground(shot, study, code))
        lut: Callable[[Rgb], Rgb]
        if which == FILE and ask.exported is not None:
            lut = ask.exported.apply
        elif which == DEVICE:
            lut = self._device(ask, cancel)
        else:
            lut = Transform((self.written_table(ask, cancel),)).apply

        def through(code: Rgb) -> Rgb:
            if not study.span.with_ground:
                code = path.through_ground(shot, study, code)
            return path.from_leave(study, lut(path.into_entry(study, shot, code)))

        return through

    def for_print(self, ask: Ask) -> Callable[[Rgb], Rgb]:
        """Return what goes to print: working values (before the Ground) to display values.

        A picture that is kept in Lab or inks gets what the Look changes, as its result does: what the View alone
        does to a picture of a display is not part of that.
        """
        exact, study = self.side(ask, EXACT), ask.study
        if not self.frames.is_plated(ask.shot):
            return exact
        return lambda code: exact(code) + unviewed(study, code)

    def _device(self, ask: Ask, cancel: Cancel | None) -> Callable[[Rgb], Rgb]:
        """Return the LUT of the study's target's grid as that target applies it."""
        target = ask.study.device
        sized = attrs.evolve(ask, study=attrs.evolve(ask.study, grid=int(target.grid)))
        return partial(through_device, target, self.written_table(sized, cancel))

    def _matte(self, ask: Ask) -> Callable[[Rgb], Rgb]:
        """Return the Reach of the chosen coat as greys: white where it fully acts."""
        working = encoding(ask.study.working)
        coat = ask.study.coat(ask.coat) if ask.coat else None

        def shown(code: Rgb) -> Rgb:
            if coat is None:
                return np.ones_like(code)
            entering = self.entering(ask, code)
            share = matte(coat.laying, entering, working, ask.study.view.noise_floor)
            return np.repeat(share, 3, axis=-1)

        return shown

    def entering(self, ask: Ask, code: Rgb) -> Rgb:
        """Return working values as they enter the chosen coat."""
        study, shot = ask.study, ask.shot
        working = encoding(study.working)
        root, home = study.root(ask.coat), study.home(ask.coat)
        if root == LOOK:
            code = path.through_ground(shot, study, code)
        steps = [(home, ask.coat)] if home == root else [(root, home), (home, ask.coat)]
        for where, until in steps:
            coats = study.coats(where)
            index = [c.id for c in coats].index(until)
            code = path.through_coats(coats[:index], code, working, study.view)
        return code

    def whole_picture(
        self, study: Study, shot: Shot, width: int, height: int, cancel: Cancel | None = None
    ) -> Rgb:
        """Return the whole shot through Ground, Look and View, as large as fits the box."""
        ask = Ask(study, shot, b=EXACT)
        return run_tiled(self.side(ask, EXACT), self.fitted(study, shot, width, height), cancel)
