"""Edits of glazes by action: undo, add, move, reset, pick."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QGuiApplication

from sfumato.app.controls.explanation import Explanation, of_control, of_glaze
from sfumato.app.controls.parts import passing_menu
from sfumato.app.rooms.look.ledger import Ledger
from sfumato.app.services.jobs import Lane
from sfumato.app.services.parts import with_parts
from sfumato.app.services.services import Services
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import LutFile, kinds
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.glazes import cdl
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.transform import Transform
from sfumato.core.path.laying import Laying, picked
from sfumato.core.path.span import Joint
from sfumato.core.study import coat_json
from sfumato.core.study.coat import MOST_MEMBERS, Coat, every, renewed
from sfumato.core.study.study import LOOK
from sfumato.formats.parts.registry import by_suffix as lut_suffix
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import is_file
from sfumato.work.luts.deliver import write_lut
from sfumato.work.preview.asks import SOURCE
from sfumato.work.stores.coats import coat_of, values_in
from sfumato.work.stores.study_store import lut_file, read_lut_file

_CLIP = "sfumato glaze"


def _read_again(value: LutFile) -> LutFile:
    """Read the file of a glaze that came from the clipboard; others keep what they have."""
    return lut_file(value.path) if value.is_missing else value


class CoatEdits(QObject):
    """Carries out the actions on the chosen glaze."""

    def __init__(self, services: Services, ledger: Ledger) -> None:
        super().__init__(services.window)
        self.services, self.model, self.view = services, services.model, services.view
        self._desk, self._ledger = services.desk, ledger
        self._lane = Lane("lut", self)
        self._lane.answered.connect(lambda commit: commit())
        self._lane.refused.connect(services.notices.fault)
        self._lane.crashed.connect(services.notices.bug)

    # --- files ---------------------------------------------------------------------------------
    def choose_file(self, coat_id: str, field: str, how: str) -> None:
        """Choose another file for a glaze, or step to a neighbour in its folder."""
        now = getattr(self.model.study.coat(coat_id).parameters, field)
        if how == "choose" or not now.path:
            folder = str(Path(now.path).parent if now.path else Path.home())
            files = self.services.ports.choose_luts(
                self.services.window, folder, "LUT file for the glaze"
            )
            if files:
                with_parts(
                    self.services,
                    files[:1],
                    lambda found: self._lay(coat_id, field, found[0]),
                    one=True,
                )
            return
        here = Path(now.path)
        try:
            names = [p for p in here.parent.iterdir() if lut_suffix(p.name) and is_file(p)]
        except OSError:
            return
        beside = sorted({here, *names}, key=lambda p: p.name.casefold())
        step = 1 if how == "next" else -1
        place = beside.index(here)
        order = [beside[(place + step * i) % len(beside)] for i in range(1, len(beside))]
        if order:
            self._lay(coat_id, field, *order)

    def _lay(self, coat_id: str, field: str, *files: Path) -> None:
        """Put the first of `files` that can be read into a glaze, with what it expects and gives."""

        def work(cancel: Cancel) -> Callable[[], None]:
            refusal: SfumatoError | None = None
            for file in files:
                cancel.check()
                try:
                    return committing(read_lut_file(file), file)
                except SfumatoError as error:
                    refusal = refusal or error
            assert refusal is not None
            raise refusal

        def committing(value: LutFile, file: Path) -> Callable[[], None]:
            def commit() -> None:
                study = self.model.study
                try:
                    coat = study.coat(coat_id)
                except KeyError:
                    return  # it was taken out meanwhile
                fresh = attrs.evolve(coat.parameters, **values_in(value, study))
                after = study.set_coat(coat_id, parameters=fresh)
                self.model.commit(f"{coat.title}: {file.name}", after, (coat_id, field))

            return commit

        self._lane.ask(work)

    def lay_files(self, files: list[Path]) -> None:
        """Put dropped LUT and CDL files into the Look as glazes, at its end; what fails is said."""
        with_parts(self.services, files, self._lay_looks)

    def _lay_looks(self, files: list[Path]) -> None:
        study = self.model.study

        def work(cancel: Cancel, _progress: Progress) -> tuple[list[Coat], list[SfumatoError]]:
            coats: list[Coat] = []
            faults: list[SfumatoError] = []
            for file in files:
                cancel.check()
                try:
                    coats.append(coat_of(file, study))
                except SfumatoError as error:
                    faults.append(error)
            return coats, faults

        self.services.reading.add(f"Reading {len(files)} files", work, then=self._laid)

    def _laid(self, answer: tuple[list[Coat], list[SfumatoError]]) -> None:
        coats, faults = answer
        study = self.model.study
        for coat in coats:
            study = study.added(LOOK, coat)
        if coats:
            what = coats[0].title if len(coats) == 1 else f"{len(coats)} files"
            self.model.commit(f"Lay {what}", study)
            self.view.set(coat=coats[-1].id)
        for fault in faults:
            self.services.notices.fault(fault)

    def save_cdl(self) -> None:
        """Write the chosen CDL glaze as a CDL file; what a CDL cannot say is said."""
        coat = self._coat()
        file = self.services.ports.choose_cdl(self.services.window, f"{coat.title}.cc")
        if file is None:
            return
        asked = file.suffix.lower() in (".cc", ".ccc", ".cdl")  # the chooser asked about this name
        if not asked:
            file = file.with_name(f"{file.name}.cc")
        p = coat.parameters
        stage = CdlStage(
            p.slope,
            p.offset,
            p.power,
            p.saturation,
            clamp=p.clamp == cdl.CLAMP,
            inverse=p.direction != cdl.FORWARD,
            id=coat.name or file.stem,
        )
        plain = coat.strength == 1.0 and coat.laying.is_plain
        lost = [] if plain else ["its Strength, blend and Reach are not in it"]

        def write(_cancel: Cancel, _progress: Progress) -> tuple[Path, list[str]]:
            held = write_lut(Transform((stage,), stage.id), file, force=asked)
            return file, [*held.said, *lost]

        self.services.queue.add(f"Writing {file.name}", write, then=self._cdl_saved)

    def _cdl_saved(self, answer: tuple[Path, list[str]]) -> None:
        file, lost = answer
        self.services.notices.good(f"{file.name} is written", "; ".join(lost) or str(file.parent))

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy

    def close(self) -> None:
        self._lane.close()

    # --- glazes ----------------------------------------------------------------------------------
    def add_glaze(self) -> None:
        self._ledger.ask_glaze(ground=False)

    def add_ground_glaze(self) -> None:
        self._ledger.ask_glaze(ground=True)

    def show_menu(self, coat_id: str, place: QPoint) -> None:
        self.view.set(coat=coat_id)
        menu = passing_menu(self.services.window)
        for name in (
            "toggle_glaze",
            "reset_glaze",
            "rename_glaze",
            "solo_glaze",
            "explain_glaze",
            "group_glazes",
            "take_apart",
            "save_preset",
            "copy_glaze",
            "duplicate_glaze",
            "glaze_up",
            "glaze_down",
            "remove_glaze",
        ):
            menu.addAction(self.services.actions.by_id[name])
        if self._coat().key == "cdl":
            menu.addSeparator()
            menu.addAction(self.services.actions.by_id["save_cdl"])
        menu.popup(place)

    def _coat(self) -> Coat:
        return self.model.study.coat(self.view.now.coat)

    def explain_glaze(self) -> None:
        """Say what the chosen glaze does to colour."""
        coat, row = self._coat(), self._ledger.row(self._coat().id)
        if coat.spec is not None:
            place = row.mapToGlobal(row.rect().bottomLeft())
            heading, paragraphs = of_glaze(coat.spec)
            own = [coat.note] if coat.note else []
            Explanation(heading, [*own, *paragraphs], self.services.window).popup(place)

    def explain(self, title: str, record: Any, field: str, place: QPoint) -> None:
        """Say what one control does; beside all controls, what the glaze does."""
        if field in kinds(record):
            Explanation(*of_control(title, record, field), self.services.window).popup(place)
        elif self.view.now.coat:
            self.explain_glaze()

    def rename_glaze(self) -> None:
        self._ledger.rename_row(self._coat().id)

    def solo_glaze(self) -> None:
        """Show the chosen glaze without the others of its place, or all again; the LUT stays whole."""
        now = self.view.now.solo
        self.view.set(solo="" if now == self._coat().id else self._coat().id)

    def _all_chosen(self) -> tuple[Coat, ...]:
        """Return the chosen glaze and the marked ones, in the order of the Ledger."""
        study, ids = self.model.study, {self.view.now.coat, *self.view.now.marked}
        paths = [study.look.coats, *(s.ground for s in study.shots)]
        return tuple(c for coats in paths for c in every(coats) if c.id in ids)

    def group_glazes(self) -> None:
        """Put the chosen and the marked glazes under one Strength."""
        ids = tuple(c.id for c in self._all_chosen())
        try:
            after, group = self.model.study.put_together(ids)
        except ValueRefused as error:
            self.services.notices.fault(error)
            return
        self.view.set(marked=())
        self.model.commit(f"Group {len(ids)} glaze{'s' if len(ids) > 1 else ''}", after)
        self.view.set(coat=group.id)

    def take_apart(self) -> None:
        """Put the members of the chosen group in its place; what is lost by that is said."""
        group = self._coat()
        self.model.commit(f"Take {group.title} apart", self.model.study.taken_apart(group.id))
        if group.strength != 1.0 or not group.laying.is_plain or not group.on:
            self.services.notices.note(
                "The group's own Strength, blend and Reach are gone", "undo brings them back"
            )
        if group.members:
            self.view.set(coat=group.members[0].id)

    def copy_glaze(self) -> None:
        """Put the chosen and the marked glazes on the clipboard as text that any study takes."""
        plain = [coat_json.dump_coat(c) for c in self._all_chosen()]
        QGuiApplication.clipboard().setText(json.dumps({_CLIP: plain}, ensure_ascii=False))

    def paste_glaze(self) -> None:
        self._paste(LOOK)

    def paste_glaze_ground(self) -> None:
        if self._desk.shot is not None:
            self._paste(self._desk.shot.id)

    def _paste(self, where: str) -> None:
        """Add the glazes of the clipboard, below the chosen one when that is of the same place."""
        try:
            plain = json.loads(QGuiApplication.clipboard().text())[_CLIP]
            coats = [coat_json.load_coat(p) for p in plain][:MOST_MEMBERS]
            title = coats[0].title if len(coats) == 1 else f"{len(coats)} glazes"
        except (ValueError, LookupError, TypeError, AttributeError, RecursionError, ValueRefused):
            self.services.notices.note(
                "There is no glaze on the clipboard", "copy one from the Ledger first"
            )
            return
        study, chosen = self.model.study, self.view.now.coat
        ids = [c.id for c in study.coats(where)]
        place = ids.index(chosen) + 1 if chosen in ids else len(ids)
        coats = [renewed(c) for c in coats]
        for i, coat in enumerate(coats):
            study = study.added(where, coat, place + i)
        self.model.commit(f"Paste {title}", study.with_files(_read_again))
        self.view.set(coat=coats[-1].id)

    def duplicate_glaze(self) -> None:
        coat = self._coat()
        before, after = self.model.study, self.model.study.duplicated(coat.id)
        known = {c.id for c in before.every_coat()}
        self.model.commit(f"Duplicate {coat.title}", after)
        new = next(c.id for c in after.coats(after.home(coat.id)) if c.id not in known)
        self.view.set(coat=new, marked=(), picking="")

    def toggle_glaze(self) -> None:
        self._ledger.edits.toggle(self._coat().id, not self._coat().on)

    def reset_glaze(self) -> None:
        coat = self._coat()
        if coat.spec is not None:
            fresh = coat.spec.new(encoding(self.model.study.working))
            after = self.model.study.set_coat(coat.id, parameters=fresh, strength=1.0, version=0)
        elif coat.is_group:
            after = self.model.study.set_coat(coat.id, laying=Laying(), strength=1.0)
        else:
            return  # an unknown glaze is kept as it is
        self.model.commit(f"Reset {coat.title}", after)

    def _move_glaze(self, step: int) -> None:
        coat = self._coat()
        self.model.commit(f"Move {coat.title}", self.model.study.stepped(coat.id, step))

    def glaze_up(self) -> None:
        self._move_glaze(-1)

    def glaze_down(self) -> None:
        self._move_glaze(1)

    def remove_glaze(self) -> None:
        coats, study = self._all_chosen(), self.model.study
        for coat in coats:
            with contextlib.suppress(KeyError):  # a member went with its group
                study = study.removed(coat.id)
        what = coats[0].title if len(coats) == 1 else f"{len(coats)} glazes"
        self.view.set(marked=())
        self.model.commit(f"Remove {what}", study)

    def pick(self) -> None:
        coat = self.view.now.coat
        self.view.set(pick_part="")
        self.view.set(picking="" if self.view.now.picking else coat)

    def take_pick(self, x: int, y: int) -> None:
        """Answer a click in the picture for the glaze, or the Reach, that asked for it."""
        coat_id, ask = self.view.now.picking, self._desk.ask()
        if not coat_id or ask is None:
            return
        coat, part = self.model.study.coat(coat_id), self.view.now.pick_part
        reach = self.view.now.pick_size // 2
        here = attrs.evolve(ask, coat=coat_id, dragging=False, a=SOURCE, b=SOURCE)
        try:
            entering = self._desk.previewer.probe(here, x, y, reach).entering
        except SfumatoError as error:  # the shot's file went meanwhile
            self.services.notices.fault(error)
            return
        working = encoding(self.model.study.working)
        if part == "reach":
            laying = picked(coat.laying, entering, working)
            self.model.commit(
                f"{coat.title}: pick its Reach", self.model.study.set_coat(coat_id, laying=laying)
            )
            self.view.set(picking="")
            return
        if coat.spec is None or coat.spec.pick is None:
            return
        unfolded = self._ledger.unfolded
        where = unfolded.part if unfolded is not None else ""
        extra = {"part": where} if where else {}
        after = coat.spec.pick(coat.parameters, entering, working, **extra)
        if after == coat.parameters:
            why = "it has no hue, or there is one already"
            self.services.notices.note(f"{coat.title} takes nothing from that colour", why)
        elif coat.spec.short_of is not None:
            short = coat.spec.short_of(after, entering, working)
            if short:
                self.services.notices.note(f"{coat.title}: {short}")
        self.model.commit(
            f"{coat.title}: {coat.spec.pick_title.lower()}",
            self.model.study.set_coat(coat_id, parameters=after),
        )
        if unfolded is not None and unfolded.panel is not None:
            unfolded.panel.choose_new(coat.parameters, after)
        if part == "target":
            self.view.set(picking="")

    def include_ground(self) -> None:
        span = self.model.study.span
        start = Joint.GROUND if span.with_ground else Joint.SOURCE
        self._ledger.edits.span(attrs.evolve(span, start=start, entry=""))
