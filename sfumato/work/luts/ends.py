"""What a LUT expects and gives: as it says itself, or as its numbers look. One rule for every way in."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.assay import expecting, kind_of
from sfumato.core.path import path
from sfumato.core.study.study import Study


@frozen
class Ends:
    """What a LUT is taken to expect and give: names of encodings, "" = working values.

    `sure`: the file says so, or the person; else it was guessed.
    """

    expects: str = ""
    gives: str = ""
    sure: bool = True

    @property
    def are_working(self) -> bool:
        return not self.expects and not self.gives


def is_log(transform: Transform) -> bool | None:
    """Return whether a lattice seems to expect log; None when it is unclear or there is no lattice."""
    if "3D" not in kind_of(transform)[0]:
        return None
    found = expecting(transform)
    return None if found is None or found.figure == 2 else found.figure >= 3


def evidence(transform: Transform) -> str:
    """Return in one sentence what the numbers of a LUT seem to expect."""
    found = expecting(transform) if "3D" in kind_of(transform)[0] else None
    if found is None:
        return "What it expects cannot be told from its numbers."
    return f"{found.title}: {found.sentence}"


def likely(has_lattice: bool, log: bool | None, working: Encoding, shown: str) -> Ends:
    """Return the ends of a LUT that does not say them, by how its numbers look.

    Curves, matrices and CDLs work on what is there. A lattice that seems to expect log takes
    working values and gives the display; another is for the display on both sides.

    Args:
        shown: the display of the View.
    """
    if not working.is_scene:
        return Ends(sure=not log)
    if not has_lattice:
        return Ends(sure=False)
    return Ends("" if log else shown, shown, sure=False)


def ends_in(transform: Transform, working: str, shown: str) -> Ends:
    """Return the ends of a LUT in a study: as it states, or as it looks."""
    expects, gives = span_note.read(transform.comments)
    if expects:
        return Ends(expects, gives or expects)
    has_lattice = "3D" in kind_of(transform)[0]
    return likely(has_lattice, is_log(transform), encoding(working), shown)


def laid(transform: Transform, study: Study, ends: Ends) -> Callable[[Rgb], Rgb]:
    """Return what a LUT does to the working values of a study, working values out."""
    entry, leave = (encoding(e or study.working) for e in (ends.expects, ends.gives))
    shown = not leave.is_scene and encoding(study.working).is_scene

    def run(code: Rgb) -> Rgb:
        given = transform.apply(path.entered(study, entry, code))
        return path.from_entry(study, leave, np.clip(given, 0, 1) if shown else given)

    return run


def seen(transform: Transform, study: Study, ends: Ends) -> Callable[[Rgb], Rgb]:
    """Return working values -> display codes of the View through a LUT.

    The same as `laid` and then the View, without undoing a View that is done again.
    """
    entry, scene = encoding(ends.expects or study.working), encoding(study.working).is_scene
    if not ends.gives or encoding(ends.gives).is_scene or not scene:
        layer = laid(transform, study, ends)
        return lambda code: path.through_view(study, layer(code))

    def run(code: Rgb) -> Rgb:
        given = transform.apply(path.entered(study, entry, code))
        return convert(given, ends.gives, study.view.encoding)

    return run
