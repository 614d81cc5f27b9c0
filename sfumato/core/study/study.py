"""The study: an immutable value; every edit is a pure method that returns a new one."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import attrs
from attrs import field, frozen

from sfumato.core.colour.encodings import Family, encoding
from sfumato.core.controls import File, LutFile, kinds
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.bake import baked
from sfumato.core.lut.device import Device
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import span_transform
from sfumato.core.path.span import Span
from sfumato.core.study.coat import Coat, drawn_anew, every, grouped, renewed
from sfumato.core.study.journey import Journey
from sfumato.core.study.loan import Loan
from sfumato.core.study.look import Look
from sfumato.core.study.outlet import Outlet
from sfumato.core.study.printing import Printing
from sfumato.core.study.results import Results
from sfumato.core.study.shot import Layer, Shot
from sfumato.core.study.version import Version
from sfumato.core.study.view import View, shown_anew

LOOK = "look"


@frozen
class Study:
    """The document: shots, Look, View, Span, and the grid that the Seal will write."""

    name: str = "Untitled"
    shots: tuple[Shot, ...] = ()
    look: Look = field(factory=Look)
    working: str = "sRGB"
    view: View = field(factory=lambda: View(encoding="sRGB"))
    span: Span = field(factory=Span)
    grid: int = 33
    fit: bool = False  # whether the nodes of the LUT are fitted rather than sampled
    notes: str = ""
    device: Device = Device()  # whose sight of the LUT is shown
    configs: tuple[str, ...] = ()  # OCIO configs whose colour spaces are among the encodings
    results: Results = field(factory=Results)  # what the shots become in the Apply room
    journeys: tuple[Journey, ...] = ()  # carriers that were sent, and what came back
    outlets: tuple[Outlet, ...] = ()  # where the Look is sent
    versions: tuple[Version, ...] = ()  # what was sent, the newest last
    loan: Loan = field(factory=Loan)  # what a look is borrowed from
    printing: Printing = Printing()  # how colours go onto paper

    # --- looking -------------------------------------------------------------------------------
    def shot(self, shot_id: str) -> Shot:
        """Return the shot of that id.

        Raises:
            KeyError: there is none.
        """
        for shot in self.shots:
            if shot.id == shot_id:
                return shot
        raise KeyError(shot_id)

    def coats(self, where: str) -> tuple[Coat, ...]:
        """Return the coats of the Look (`where` = LOOK), of a shot's Ground, or of a group (its id)."""
        if where == LOOK:
            return self.look.coats
        for shot in self.shots:
            if shot.id == where:
                return shot.ground
        return self.coat(where).members

    def root(self, coat_id: str) -> str:
        """Return on which path a coat lies: LOOK or a shot's id.

        Raises:
            KeyError: it lies nowhere.
        """
        for where, coats in ((LOOK, self.look.coats), *((s.id, s.ground) for s in self.shots)):
            if any(c.id == coat_id for c in every(coats)):
                return where
        raise KeyError(coat_id)

    def home(self, coat_id: str) -> str:
        """Return what holds a coat: LOOK, a shot's id or a group's id.

        Raises:
            KeyError: it lies nowhere.
        """
        root = self.root(coat_id)
        for coat in self.coats(root):
            if any(m.id == coat_id for m in coat.members):
                return coat.id
        return root

    def coat(self, coat_id: str) -> Coat:
        return next(c for c in every(self.coats(self.root(coat_id))) if c.id == coat_id)

    def every_coat(self) -> Iterator[Coat]:
        """Yield all coats of the Look, every Ground and every layer, groups and their members."""
        for coats in (self.look.coats, *(s.ground for s in self.shots)):
            yield from every(coats)
        for shot in self.shots:
            yield from (layer.coat for layer in shot.layers)

    @property
    def is_former(self) -> bool:
        """Whether the View or a glaze shows what it did in an older version."""
        view = self.view.is_former and encoding(self.working).is_scene
        return view or any(c.is_former for c in self.every_coat())

    def anew(self) -> Study:
        """Return the study with its View and all its glazes drawn as those of new studies are."""
        return attrs.evolve(
            self,
            view=shown_anew(self.view) if self.view.is_former else self.view,
            look=attrs.evolve(self.look, coats=tuple(map(drawn_anew, self.look.coats))),
            shots=tuple(
                attrs.evolve(
                    s,
                    ground=tuple(map(drawn_anew, s.ground)),
                    layers=tuple(attrs.evolve(e, coat=drawn_anew(e.coat)) for e in s.layers),
                )
                for s in self.shots
            ),
        )

    def is_group(self, where: str) -> bool:
        """Whether `where` names a group (and not LOOK or a shot)."""
        return where != LOOK and all(s.id != where for s in self.shots)

    # --- edits of coats ------------------------------------------------------------------------
    def with_coats(self, where: str, coats: tuple[Coat, ...]) -> Study:
        if where == LOOK:
            return attrs.evolve(self, look=attrs.evolve(self.look, coats=coats))
        if self.is_group(where):
            grouped(coats)  # refuses what a group cannot hold
            return self._each(where, lambda c: attrs.evolve(c, members=coats))
        return self.with_shot(where, ground=coats)

    def _each(self, coat_id: str, change: Callable[[Coat], Coat]) -> Study:
        where = self.home(coat_id)
        coats = tuple(change(c) if c.id == coat_id else c for c in self.coats(where))
        return self.with_coats(where, coats)

    def tuned(self, coat_id: str, **values: Any) -> Study:
        """Return the study with controls of a coat set; refuses values outside their controls."""
        return self._each(
            coat_id, lambda c: attrs.evolve(c, parameters=attrs.evolve(c.parameters, **values))
        )

    def set_coat(self, coat_id: str, **values: Any) -> Study:
        """Return the study with `on`, `strength`, `name` or `parameters` of a coat set."""
        strength = values.get("strength", 1.0)
        if not 0.0 <= strength <= 2.0:
            raise ValueRefused(
                f"Strength is {strength * 100:g} %, outside 0 to 200 %", hint="choose 0 to 200 %"
            )
        return self._each(coat_id, lambda c: attrs.evolve(c, **values))

    def added(self, where: str, coat: Coat, index: int | None = None) -> Study:
        coats = self.coats(where)
        at = len(coats) if index is None else index
        return self.with_coats(where, (*coats[:at], coat, *coats[at:]))

    def soloed(self, coat_id: str) -> Study:
        """Return the study with the other glazes of the same path switched off, for looking at one.

        Raises:
            KeyError: there is no such coat.
        """
        where, home = self.root(coat_id), self.home(coat_id)

        def alone(coat: Coat) -> Coat:
            if coat.id == home:
                members = tuple(attrs.evolve(m, on=m.id == coat_id) for m in coat.members)
                return attrs.evolve(coat, on=True, members=members)
            return attrs.evolve(coat, on=coat.id == coat_id)

        return self.with_coats(where, tuple(map(alone, self.coats(where))))

    def with_files(self, change: Callable[[LutFile], LutFile]) -> Study:
        """Change every LUT file that it refers to: to read it, or to write its path otherwise."""

        def one(coat: Coat) -> Coat:
            if coat.is_group:
                return attrs.evolve(coat, members=tuple(map(one, coat.members)))
            table = kinds(coat.parameters) if attrs.has(type(coat.parameters)) else {}
            files = {
                n: getattr(coat.parameters, n) for n, k in table.items() if isinstance(k, File)
            }
            changed = {n: change(f) for n, f in files.items() if f.path}
            if not changed:
                return coat
            return attrs.evolve(coat, parameters=attrs.evolve(coat.parameters, **changed))

        def laid(layer: Layer) -> Layer:
            return attrs.evolve(layer, coat=one(layer.coat))

        shots = tuple(
            attrs.evolve(s, ground=tuple(map(one, s.ground)), layers=tuple(map(laid, s.layers)))
            for s in self.shots
        )

        def looked(look: Look) -> Look:
            return attrs.evolve(look, coats=tuple(map(one, look.coats)))

        lut = self.results.lut
        return attrs.evolve(
            self,
            shots=shots,
            look=looked(self.look),
            results=attrs.evolve(self.results, lut=change(lut) if lut.path else lut),
            versions=tuple(attrs.evolve(v, look=looked(v.look)) for v in self.versions),
        )

    def removed(self, coat_id: str) -> Study:
        where = self.home(coat_id)
        return self.with_coats(where, tuple(c for c in self.coats(where) if c.id != coat_id))

    def moved(self, coat_id: str, where: str, index: int) -> Study:
        """Return the study with a coat at `index` of `where` (counted without the coat itself)."""
        coat = self.coat(coat_id)
        return self.removed(coat_id).added(where, coat, index)

    def duplicated(self, coat_id: str) -> Study:
        where = self.home(coat_id)
        index = [c.id for c in self.coats(where)].index(coat_id)
        return self.added(where, renewed(self.coat(coat_id)), index + 1)

    def stepped(self, coat_id: str, step: int) -> Study:
        """Return the study with a coat one place up (-1) or down (1): into, through and out of groups."""
        coat, where = self.coat(coat_id), self.home(coat_id)
        coats = self.coats(where)
        index = [c.id for c in coats].index(coat_id)
        beyond = index + step
        if not 0 <= beyond < len(coats):
            if not self.is_group(where):
                return self
            outer = self.home(where)
            place = [c.id for c in self.coats(outer)].index(where)
            return self.moved(coat_id, outer, place + (step > 0))
        beside = coats[beyond]
        if beside.is_group and not coat.is_group:
            return self.moved(coat_id, beside.id, 0 if step > 0 else len(beside.members))
        return self.moved(coat_id, where, beyond)

    def put_together(self, ids: tuple[str, ...], name: str = "") -> tuple[Study, Coat]:
        """Return the study with coats of one place under one group, where the first of them was.

        Raises:
            ValueRefused: they lie in several places, or one of them is or lies in a group.
        """
        homes = {self.home(i) for i in ids}
        if len(homes) != 1 or self.is_group(next(iter(homes))):
            raise ValueRefused(
                "these glazes cannot be put into one group",
                hint="choose glazes of the Look, or of one Ground, that are in no group yet",
            )
        where = homes.pop()
        coats = self.coats(where)
        inside = tuple(c for c in coats if c.id in ids)
        group = grouped(inside, name)
        first = coats.index(inside[0])
        rest = [c for c in coats if c.id not in ids]
        rest.insert(first, group)
        return self.with_coats(where, tuple(rest)), group

    def taken_apart(self, group_id: str) -> Study:
        """Return the study with the members of a group in its place."""
        where = self.home(group_id)
        out: list[Coat] = []
        for coat in self.coats(where):
            out.extend(coat.members if coat.id == group_id else (coat,))
        return self.with_coats(where, tuple(out))

    # --- edits of the rest ---------------------------------------------------------------------
    def with_shot(self, shot_id: str, **values: Any) -> Study:
        self.shot(shot_id)
        shots = tuple(attrs.evolve(s, **values) if s.id == shot_id else s for s in self.shots)
        return attrs.evolve(self, shots=shots)

    def with_look(self, **values: Any) -> Study:
        strength = values.get("strength", 1.0)
        if not 0.0 <= strength <= 2.0:
            raise ValueRefused(
                f"the Strength of the Look is {strength * 100:g} %, outside 0 to 200 %",
                hint="choose 0 to 200 %",
            )
        return attrs.evolve(self, look=attrs.evolve(self.look, **values))

    def brought_in(self, shots: tuple[Shot, ...]) -> Study:
        """Return the study with more shots; the first of all decides working encoding and View."""
        study = attrs.evolve(self, shots=self.shots + shots)
        stated = next((s.encoding for s in shots if s.encoding), None)
        if self.shots or stated is None or self.look.coats:
            return study
        return study.suited_to(stated)

    def with_source(self, shot_id: str, name: str) -> Study:
        """Return the study with a shot's source stated; the first to be stated decides the working
        encoding and the View too, while the Look is empty."""
        alone = not self.look.coats and all(s.encoding is None for s in self.shots)
        stated = self.with_shot(shot_id, encoding=name)
        return stated.suited_to(name) if alone else stated

    def suited_to(self, source: str) -> Study:
        """Return the study with the working encoding and View that suit a source encoding."""
        space = encoding(source)
        if space.family is Family.DISPLAY:
            return attrs.evolve(
                self, working=space.name, view=attrs.evolve(self.view, encoding=space.name)
            )
        working = space.name if space.family is Family.LOG else "ACEScct"
        return attrs.evolve(self, working=working, view=attrs.evolve(self.view, encoding="BT.1886"))

    def of_group(self, name: str) -> tuple[Shot, ...]:
        """Return the shots of a group, none for ""."""
        return tuple(s for s in self.shots if name and s.group == name)

    def with_group(self, ids: tuple[str, ...], name: str) -> Study:
        """Return the study with shots in a group, standing together where the first of them stands."""
        members = [attrs.evolve(s, group=name) for s in self.shots if s.id in ids]
        rest = [s for s in self.shots if s.id not in ids]
        if not name:
            shots = [attrs.evolve(s, group="") if s.id in ids else s for s in self.shots]
            return attrs.evolve(self, shots=tuple(shots))
        first = next(i for i, s in enumerate(self.shots) if s.id in ids)
        at = sum(1 for s in self.shots[:first] if s.id not in ids)
        return attrs.evolve(self, shots=(*rest[:at], *members, *rest[at:]))

    def moved_shot(self, shot_id: str, index: int) -> Study:
        """Return the study with a shot at `index` of the row (counted without the shot itself)."""
        shot = self.shot(shot_id)
        rest = [s for s in self.shots if s.id != shot_id]
        rest.insert(index, shot)
        return attrs.evolve(self, shots=tuple(rest))

    def without_shot(self, shot_id: str) -> Study:
        return attrs.evolve(self, shots=tuple(s for s in self.shots if s.id != shot_id))

    def journey(self, journey_id: str) -> Journey | None:
        return next((j for j in self.journeys if j.id == journey_id), None)

    def with_journey(self, journey: Journey) -> Study:
        """Return the study with a journey in the place of the one of its id, or as the newest."""
        if self.journey(journey.id) is None:
            return attrs.evolve(self, journeys=(journey, *self.journeys))
        after = tuple(journey if j.id == journey.id else j for j in self.journeys)
        return attrs.evolve(self, journeys=after)

    def without_journey(self, journey_id: str) -> Study:
        return attrs.evolve(self, journeys=tuple(j for j in self.journeys if j.id != journey_id))

    # --- what it does --------------------------------------------------------------------------
    def transform(self, span: tuple[str, str] | None = None, shot: str | None = None) -> Transform:
        """Return the exact path as a Transform.

        Args:
            span: names of the encodings the transform takes and gives; None for the study's Span.
            shot: id of the shot whose Ground to include when the study's Span starts at the source.
        """
        return span_transform(self, span, shot)

    def bake(self, grid: int | None = None, span: tuple[str, str] | None = None) -> Transform:
        """Return a Transform of one 3D table that stands for the path."""
        return baked(self.transform(span), grid or self.grid)
