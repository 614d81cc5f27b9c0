"""Shots brought to one that is right, or to a card: what their Grounds get, and how far apart they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import attrs
import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow.card import Corners, Layout, layout_of, measured
from sfumato.core.borrow.explain import DELTA_E, Step
from sfumato.core.borrow.uniform import FromCard, from_card, from_patches, from_pixels, like
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.path.path import through_ground, through_look, through_view
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.loan import Region
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.references import part_of
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import read_json
from sfumato.work.preview.preview import Previewer

PIXELS, PART, CARD, VALUES = "pixels", "part", "card", "values"
_WIDTH = 280  # pixels across of shots that are matched: twice as many take half as long again, and gain nothing
_WIDTH_OF_CARDS = 1280
_MOST_OF_A_LAYOUT = 1 << 20  # bytes


@frozen
class Way:
    """How shots are compared: all pixels, a part of each, a card in each, or a card's own values.

    `parts` and `corners` are by the id of a shot; a shot without its own takes those of `right`.
    """

    kind: str = PIXELS
    parts: Mapping[str, Region] = field(factory=dict)
    corners: Mapping[str, Corners] = field(factory=dict)
    layout: Layout | None = None
    with_matrix: bool = True


@frozen(eq=False)
class Alike:
    """What one shot got: glazes, how far it was and is off, and each patch of a card; pictures before and after."""

    shot_id: str
    name: str
    steps: tuple[Step, ...]
    off: float
    left: float
    unit: str
    patches: tuple[tuple[str, float], ...] = ()
    before: Array | None = None
    after: Array | None = None

    @property
    def said(self) -> str:
        return f"{self.name} {self.off:.1f} → {self.left:.1f} {self.unit}"

    def coats(self, note: str) -> tuple[Coat, ...]:
        """Return the glazes for the end of its Ground."""
        return tuple(
            attrs.evolve(new_coat(s.key), parameters=s.parameters, note=note) for s in self.steps
        )


def read_layout(file: Path) -> Layout:
    """Read the layout of a card.

    Raises:
        SfumatoError: the file cannot be read, or is none.
    """
    hint = "choose a file as the demo's portrait_card.json"
    return layout_of(read_json(file, "a layout of a card", hint, _MOST_OF_A_LAYOUT), file.stem)


def alike(
    shots: Sequence[Shot],
    right: Shot | None,
    way: Way,
    study: Study,
    previewer: Previewer,
    cancel: Cancel,
    progress: Progress = silent,
) -> list[tuple[str, Alike | SfumatoError]]:
    """Bring shots to the one that is right (by a card's values: to those); what cannot be is said for each.

    Raises:
        SfumatoError: the shot that is right cannot be read, or its card not be found.
    """
    width = _WIDTH_OF_CARDS if way.kind in (CARD, VALUES) else _WIDTH
    one = _One(way, study, previewer, width, cancel)
    wanted = None if right is None else one.graded(right)
    aim = None
    if way.kind == CARD:
        assert right is not None
        assert wanted is not None
        aim = one.patches(right, wanted, right)
    elif way.kind == VALUES:
        assert way.layout is not None
        aim = way.layout.values(encoding(study.working))
    found: list[tuple[str, Alike | SfumatoError]] = []
    for i, shot in enumerate(shots):
        cancel.check()
        progress(i / len(shots), shot.name)
        try:
            found.append((shot.id, one.brought(shot, right, wanted, aim)))
        except SfumatoError as error:
            found.append((shot.id, error.alone()))
    return found


@frozen(eq=False)
class _One:
    """Brings one shot after the other."""

    way: Way
    study: Study
    previewer: Previewer
    width: int
    cancel: Cancel

    def graded(self, shot: Shot) -> Rgb:
        """Return a small picture of a shot through its Ground."""
        entering = self.previewer.entering_ground(self.study, shot, self.width)
        return through_ground(shot, self.study, entering)

    def patches(self, shot: Shot, code: Rgb, right: Shot | None) -> Rgb:
        layout = self.way.layout
        assert layout is not None
        corners = self.way.corners.get(shot.id) or self.way.corners.get(right.id if right else "")
        return measured(code, corners or layout.home, layout, encoding(self.study.working))

    def part(self, shot: Shot, code: Rgb, right: Shot) -> Rgb:
        region = self.way.parts.get(shot.id) or self.way.parts.get(right.id)
        return code if region is None else part_of(code, region)

    def brought(self, shot: Shot, right: Shot | None, wanted: Rgb | None, aim: Rgb | None) -> Alike:
        working, view = encoding(self.study.working), self.study.view
        display = encoding(view.encoding)
        code = self.graded(shot)
        if aim is not None:
            layout = self.way.layout
            assert layout is not None
            here = self.patches(shot, code, right)
            solve = from_patches if self.way.kind == CARD else from_card
            card = solve(
                here, aim, layout.names, working, view, display, with_matrix=self.way.with_matrix
            )
            return self._seen(_of_card(shot, card), shot, code)
        assert right is not None
        assert wanted is not None
        if self.way.kind == PART:
            here, there = self.part(shot, code, right), self.part(right, wanted, right)
            told = from_pixels(here, there, working, view, display, self.cancel.check)
        else:
            told = like(code, wanted, working, view, display, self.cancel.check)
        found = Alike(shot.id, shot.name, told.steps, told.off, told.left, told.unit)
        return self._seen(found, shot, code)

    def _seen(self, found: Alike, shot: Shot, code: Rgb) -> Alike:
        """Return it with the shot through Look and View, before and after."""
        every = max(1, code.shape[1] // _WIDTH)
        small = np.ascontiguousarray(code[::every, ::every])
        more = attrs.evolve(shot, ground=found.coats(""))

        def shown(codes: Rgb) -> Array:
            picture = through_view(self.study, through_look(self.study, codes))
            return self.previewer.screened_whole(self.study, picture)

        after = through_ground(more, self.study, small)
        return attrs.evolve(found, before=shown(small), after=shown(after))


def _of_card(shot: Shot, card: FromCard) -> Alike:
    return Alike(shot.id, shot.name, card.steps, card.off, card.left, DELTA_E, card.patches)
