"""The state of the Send room: what is ticked, how looks stand at outlets, what the targets make of them."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal

from sfumato.app.rooms.send.kept import keeps_current
from sfumato.app.services.jobs import Lane, single_shot
from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError
from sfumato.core.study.outlet import CORRECTIONS, Outlet
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.outlets.accord import Accord, accord
from sfumato.work.outlets.looks import of_file, of_study
from sfumato.work.outlets.sending import REFUSED, Row
from sfumato.work.outlets.sent import Sending
from sfumato.work.outlets.states import BEHIND, Standing, Where, folders, standings

_MOST_FILES = 60
RESULTS, ACCORD, VERSIONS, OUTLET = "Results", "Accord", "Versions", "Outlet"
PAGES = {
    RESULTS: "What was written, how near it comes to the look, and who else has read it.",
    ACCORD: "How far the pictures of the targets lie from the Look, and from one another.",
    VERSIONS: "Every state that was sent: compared, named, gone back to.",
    OUTLET: "What the chosen outlet takes, where it lies, and how its files are named.",
}


class SendModel(QObject):
    """`ticks_changed()`, `known()` when standings are there, `rows_changed()`, `accord_changed()`,
    `page_changed()`, `chosen_changed()` for the outlet that is looked at."""

    ticks_changed = Signal()
    known = Signal()
    rows_changed = Signal()
    accord_changed = Signal()
    page_changed = Signal()
    chosen_changed = Signal()

    def __init__(self, services: Services, key: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.services, self._key = services, key
        self.files: tuple[Path, ...] = ()  # looks that were added
        self.looks: tuple[Sending, ...] = ()  # that could be read, the study's own first
        self._off: set[str] = set(json.loads(str(services.settings.get("send_off", "[]"))))
        self.standings: dict[tuple[str, str], Standing] = {}
        self.where: dict[str, Where] = {}
        self.rows: tuple[Row, ...] = ()
        self.page = RESULTS
        outlets = services.model.study.outlets
        self.chosen = outlets[0].key if outlets else ""
        self.keeps = keeps_current(services.settings)
        self.accord: Accord | None = None
        self.is_old = False  # the accord is of a study that was changed since
        self._compared: Any = None
        self._states = Lane("outlets", self)
        self._states.answered.connect(self._on_states)
        self._states.refused.connect(services.notices.fault)
        self._states.crashed.connect(services.notices.bug)
        self._compare = Lane("accord", self)
        self._compare.answered.connect(self._on_accord)
        self._compare.refused.connect(services.notices.fault)
        self._compare.crashed.connect(services.notices.bug)
        self._later = single_shot(self, services.desk.rests.picture, self.ask)
        self._much_later = single_shot(self, services.desk.rests.order, self.ask_accord)
        services.model.changed.connect(self._on_study)
        services.view.changed.connect(self._on_view)

    # --- what is chosen --------------------------------------------------------------------------
    @property
    def study(self) -> Study:
        return self.services.model.study

    @property
    def outlet(self) -> Outlet | None:
        """The outlet that is looked at."""
        return next((o for o in self.study.outlets if o.key == self.chosen), None)

    def is_on(self, name: str) -> bool:
        """Whether a look or outlet is ticked; both are, until somebody takes the mark away."""
        return name not in self._off

    def tick(self, name: str, on: bool) -> None:
        self._off = self._off - {name} if on else self._off | {name}
        self.services.settings.set("send_off", json.dumps(sorted(self._off)[:500]))
        self.ticks_changed.emit()
        self._much_later.start()

    def current(self, look: Sending) -> Sending:
        """Return a look as it is this moment: edits since it was read belong to it."""
        own = bool(self.looks) and look is self.looks[0]
        study = self.study if own else attrs.evolve(self.study, look=look.study.look)
        return attrs.evolve(look, study=study)

    def ticked_looks(self) -> list[Sending]:
        return [s for s in self.looks if self.is_on(look_tick(s.name))]

    def ticked_outlets(self) -> list[Outlet]:
        return [o for o in self.study.outlets if self.is_on(o.key)]

    def choose(self, key: str) -> None:
        if key != self.chosen:
            self.chosen = key
            self.chosen_changed.emit()

    def show_page(self, page: str) -> None:
        if page != self.page:
            self.page = page
            self.page_changed.emit()
        if page == ACCORD:
            self.ask_accord()

    def set_files(self, files: list[Path]) -> None:
        """Take files of looks beside the study's own."""
        self.files = tuple(dict.fromkeys(files))[:_MOST_FILES]
        self.ask()

    # --- how things stand ------------------------------------------------------------------------
    @property
    def _is_seen(self) -> bool:
        return self.services.view.now.room == self._key

    def _on_study(self, before: Study, after: Study) -> None:
        if self.chosen not in {o.key for o in after.outlets}:
            self.chosen = after.outlets[0].key if after.outlets else ""
            self.chosen_changed.emit()
        self.is_old = self.accord is not None
        if self._is_seen or self.keeps:  # files are read for it: not while nobody asks
            self._later.start()
        self._much_later.start()

    def _on_view(self, before: Any, after: Any) -> None:
        if before.shot != after.shot and self._is_seen:
            self._later.start()

    def ask(self) -> None:
        """Have looks read and their files at the outlets looked at."""
        study, shot, files = self.study, self.services.desk.shot, self.files

        def work(cancel: Cancel) -> Any:
            looks, faults = [of_study(study, shot)], list[SfumatoError]()
            for file in files:
                cancel.check()
                try:
                    looks.append(of_file(study, file))
                except SfumatoError as error:
                    faults.append(error.alone())
            found = standings(looks, study.outlets)
            return tuple(looks), faults, found, folders(study.outlets)

        self._states.ask(work)

    def _on_states(self, answer: Any) -> None:
        self.looks, faults, self.standings, self.where = answer
        for fault in faults:
            self.services.notices.fault(fault)
        if faults:
            read = {s.name for s in self.looks}
            self.files = tuple(f for f in self.files if f.stem in read)
        self.known.emit()

    def behind(self) -> list[tuple[str, str]]:
        """Return looks and outlets where what was sent is no longer as it is now."""
        return [pair for pair, s in self.standings.items() if s.state == BEHIND]

    def show_rows(self, rows: list[Row]) -> None:
        """Take what became of a sending: newer rows take the place of older ones of the same pair."""
        fresh = {(r.look, r.outlet.key) for r in rows}
        kept = [r for r in self.rows if (r.look, r.outlet.key) not in fresh]
        self.rows = (*rows, *kept)[:500]
        self.rows_changed.emit()

    def refused(self) -> list[Row]:
        return [r for r in self.rows if r.state == REFUSED]

    # --- do they agree ---------------------------------------------------------------------------
    def ask_accord(self) -> None:
        """Have the ticked targets compared, when the page is seen and something has changed."""
        if not self._is_seen or self.page != ACCORD:
            return
        study, shot, frames = self.study, self.services.desk.shot, self.services.desk.frames
        outlets = tuple(o for o in self.ticked_outlets() if o.form != CORRECTIONS)
        spanned = shot if study.span.with_ground else None
        plain = attrs.evolve(study, outlets=(), versions=(), journeys=())
        wanted = (plain, tuple(attrs.evolve(o, folder="") for o in outlets), spanned)
        if wanted == self._compared:
            return
        self._compared = wanted
        if not outlets:
            self.accord, self.is_old = None, False
            self._compare.drop()
            self.accord_changed.emit()
            return

        def work(cancel: Cancel) -> Accord:
            return accord(study, outlets, frames, spanned, cancel=cancel)

        self._compare.ask(work)
        self.accord_changed.emit()

    @property
    def is_comparing(self) -> bool:
        return self._compare.is_busy

    def _on_accord(self, found: Accord) -> None:
        self.accord, self.is_old = found, False
        self.accord_changed.emit()

    @property
    def is_busy(self) -> bool:
        waiting = self._later.isActive() or (self._much_later.isActive() and self.page == ACCORD)
        return self._states.is_busy or self._compare.is_busy or (self._is_seen and waiting)

    def close(self) -> None:
        self._states.close()
        self._compare.close()


def look_tick(name: str) -> str:
    """Return what a look is ticked by: its name, told apart from keys of outlets."""
    return f"look: {name}"
