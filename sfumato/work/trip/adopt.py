"""Looks that came back, made one's own: written as LUT files that say where they come from."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import attrs
from attrs import frozen

from sfumato.core.colour import span_note
from sfumato.core.study.coat import Coat
from sfumato.core.study.journey import Journey, Return
from sfumato.core.study.study import Study
from sfumato.work.files import free, plain_name
from sfumato.work.luts.deliver import write_lut
from sfumato.work.luts.ends import Ends
from sfumato.work.stores.coats import coat_of
from sfumato.work.trip.examined import Returns, note_of


def free_in(folder: Path, name: str) -> Path:
    """Return where a look of that name goes in a folder: a path that no file has yet."""
    return free(folder / f"{plain_name(name)}.cube")


def may_write(folder: Path) -> bool:
    return os.access(folder, os.W_OK)


@frozen(eq=False)
class Adopted:
    """A look that was written: from which return, to which file, and the glaze that it is."""

    name: str
    back: Path
    file: Path
    coat: Coat
    remarks: tuple[str, ...] = ()

    def said(self, what: str) -> str:
        """Say what is to be known of it."""
        words = [*self.remarks] or [str(self.file)]
        if what in ("a glaze", "the Look"):
            words = ["Alt+1 shows it", *self.remarks]
        elif what == "a swatch":
            words.append(f"the Swatchbook shows it in {self.file.parent.name}")
        return "; ".join(words)


def adopt(
    returns: Returns,
    journey: Journey,
    back: Path,
    name: str,
    place: Callable[[str], Path],
    study: Study,
    *,
    force: bool = False,
) -> Adopted:
    """Write the look of a return as a LUT file, and make a glaze of it.

    Raises:
        SfumatoError: no look is in it, or the file cannot be written.
    """
    there = journey.back(str(back)) or Return(str(back))
    found = returns.look(back, journey, corners=there.corners)
    came = there.came
    note = note_of(journey if journey.path else None, back, came, found)
    space = journey.encoding
    comments = (span_note.written(space, space), note) if space else (note,)
    transform = attrs.evolve(found.transform, comments=comments, title=name)
    file = place(name)
    held = write_lut(transform, file, title=name, force=force)
    ends = Ends(space, space) if space else None
    coat = attrs.evolve(coat_of(file, study, ends), name=name, note=note)
    return Adopted(name, back, file, coat, tuple(held.said))
