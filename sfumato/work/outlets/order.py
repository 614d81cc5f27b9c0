"""What an outlet's form is asked to write, and what it says of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import attrs
from attrs import field, frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.path.path import SPANS, span_names
from sfumato.core.path.span import Span
from sfumato.core.study import outlet as outlets
from sfumato.core.study.outlet import AS_STUDY, Outlet, filled, stem_for
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import cut_name, exists, typed_folder
from sfumato.work.frames import Frames
from sfumato.work.luts.deliver import REFUSE, REPLACE, Loss, free_place
from sfumato.work.luts.proof import Yardstick


@frozen(eq=False)
class Order:
    """One look for one outlet.

    Attributes:
        study: with the look, View, Span and fit as the outlet wants them; see `suited`.
        file: where the (first) file goes.
        when: the local time of the version, ISO 8601 to the minute.
        existing: REFUSE, VERSION or REPLACE of `deliver`.
        taken: places that the run has given already.
        yardstick: gives what the file is measured by; None leaves measuring out.
    """

    study: Study
    outlet: Outlet
    frames: Frames
    file: Path
    when: str
    shot: Shot | None = None
    title: str = ""
    existing: str = REFUSE
    taken: set[Path] = field(factory=set)
    yardstick: Callable[[], Yardstick] | None = field(kw_only=True, default=None)
    cancel: Cancel = field(factory=Cancel)
    progress: Progress = silent

    @property
    def ends(self) -> tuple[str, str]:
        """The encodings that the look takes and gives."""
        return span_names(self.study, self.shot)


@frozen(eq=False)
class Written:
    """What a form wrote.

    Attributes:
        files: all of them, the one that counts first.
        loss: of what our reader makes of it, None where there is nothing to measure.
        readers: who else read it and confirmed it.
        said: what was done to the look, and what the file does not keep.
        wrong: why it is not good though it was written, "" when it is.
    """

    files: tuple[Path, ...]
    loss: Loss | None = None
    readers: tuple[str, ...] = ()
    said: tuple[str, ...] = ()
    wrong: str = ""


@frozen(eq=False)
class Form:
    """A way of writing: SPEC in a module of `forms`.

    Attributes:
        key: one of `core.study.outlet.FORMS`.
        ending: the suffix of an outlet's (first) file.
        inside: the name of the file that counts, where a folder is written: one without an ending.
    """

    key: str
    write: Callable[[Order], Written]
    ending: Callable[[Outlet], str]
    inside: str = ""

    def main_of(self, outlet: Outlet, place: Path) -> Path:
        """Return the file that counts at a place: itself, or one inside of a folder."""
        return place if self.ending(outlet) else place / self.inside

    def place_of(self, outlet: Outlet, main: Path) -> Path:
        """Return the place whose file that counts is `main`."""
        return main if self.ending(outlet) else main.parent


def suited(study: Study, outlet: Outlet, shot: Shot | None = None) -> Study:
    """Return a study with the View, Span, grid and fit that an outlet wants.

    Raises:
        ValueRefused: its Span does not fit the study.
    """
    if outlet.display != AS_STUDY:
        study = attrs.evolve(study, view=attrs.evolve(study.view, encoding=outlet.display))
    if outlet.peak:
        study = attrs.evolve(study, view=attrs.evolve(study.view, peak=max(outlet.peak, 203.0)))
    if outlet.span != AS_STUDY:
        choice = next(c for c in SPANS if c.key == outlets.SPANS[outlet.span])
        first = shot or next((s for s in study.shots if s.encoding), None)
        study = attrs.evolve(study, span=choice.span(study, first))
    elif outlet.display != AS_STUDY and study.span.leave:
        study = attrs.evolve(study, span=_to_display(study.span, outlet.display))
    if outlet.fit != AS_STUDY:
        study = attrs.evolve(study, fit=outlet.fit == "fitted")
    return attrs.evolve(study, grid=outlet.grid)


def _to_display(span: Span, display: str) -> Span:
    """Let a Span that ends in a display end in another one."""
    return attrs.evolve(span, leave="") if not encoding(span.leave).is_scene else span


def fields_of(study: Study, outlet: Outlet, when: str, version: int, number: int) -> dict[str, str]:
    """Return what the fields of an outlet's names stand for.

    Args:
        study: as `suited` returns it.
        when: the date; version: of the look; number: of the look among those that are sent.
    """
    entry, leave = span_names(study)
    return {
        "look": study.look.name,
        "study": study.name,
        "date": when[:10],
        "in": entry,
        "out": leave,
        "grid": str(outlet.grid),
        "version": str(version),
        "number": f"{number:02}",
    }


def place_for(outlet: Outlet, values: dict[str, str], ending: str) -> tuple[Path, str]:
    """Return where a file goes, and what was done to its name.

    Raises:
        ValueRefused: the outlet has no folder, or its pattern a field that is not known.
    """
    stem, said = stem_for(outlet, values)
    return typed_folder(outlet.folder) / f"{cut_name(stem, 180)}{ending}", said


def free_together(order: Order, endings: tuple[str, ...]) -> tuple[Path, ...]:
    """Return where files that belong together go: of one name, so that none is in the way.

    Raises:
        ExportError: one is there, and the order refuses that.
    """
    base = order.file.name.removesuffix(endings[0]) if endings[0] else order.file.name
    version, stem = 1, base
    while True:
        files = tuple(order.file.with_name(f"{stem}{ending}") for ending in endings)
        taken = any(f in order.taken for f in files)
        there = [f for f in files if order.existing != REPLACE and exists(f)]
        if there and order.existing == REFUSE and not taken:
            free_place(there[0], REFUSE)
        if not taken and not there:
            order.taken.update(files)
            return files
        version += 1
        stem = f"{base}_{version}"


def heading_of(outlet: Outlet, values: dict[str, str]) -> str:
    """Return the title inside the file; one whose pattern is wrong is refused as a name is."""
    try:
        return filled(outlet.heading, values)[:200]
    except ValueRefused as error:
        raise ValueRefused(f"the title: {error.summary}", hint=error.hint) from error
