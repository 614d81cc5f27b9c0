"""The state of the Borrow page: what is borrowed from, and what has come of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import QObject, Qt, Signal

from sfumato.app.services.jobs import Lane
from sfumato.app.services.services import Services
from sfumato.app.views.scope import instruments
from sfumato.core.errors import SfumatoError
from sfumato.core.study.coat import Coat
from sfumato.core.study.loan import PAIR, REFERENCE, Loan
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.onpage import OnPage, References, followed, taken
from sfumato.work.borrow.seen import OnShot
from sfumato.work.borrow.sides import together
from sfumato.work.cancel import Cancel
from sfumato.work.files import stamp_of

MODES = {PAIR: "Before and after", REFERENCE: "A reference"}
INSTRUMENTS = ("parade", "vectorscope")


@frozen(eq=False)
class Sight:
    """What is shown beside the pictures: the shot through the look, and instruments by key."""

    on_shot: OnShot | None
    instruments: dict[str, tuple[Any, Any]]  # data, and what lies under it


class LoanModel(QObject):
    """`edited()`: what is borrowed from is another; `known()`: what came of it is there, or why nothing;
    `sighted()`: the shot and the instruments are; `told(share, words)` while it is worked on."""

    edited = Signal()
    known = Signal()
    sighted = Signal()
    told = Signal(float, str)
    _progress = Signal(float, str)

    def __init__(self, services: Services, key: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.services, self._key = services, key
        self.is_open = False  # whether the page is, while its room is
        self._outcome: OnPage | None = None
        self.refused: SfumatoError | None = None
        self.sight: Sight | None = None
        self.chosen = 0  # the pair or reference that is shown
        kept = tuple(services.settings.texts("borrow_instruments"))
        known = len(kept) == len(INSTRUMENTS) and all(k in instruments() for k in kept)
        self.kinds: tuple[str, ...] = kept if known else INSTRUMENTS
        self.laid = ""  # the id of the group that was laid into the Look
        self._asked: Any = None
        self._stopped = False  # by the hand, until something is asked anew
        self._sight_asked: Any = None
        self._pictures = References()
        self._lane = Lane("borrow", self)
        self._lane.answered.connect(self._on_found)
        self._lane.refused.connect(self._on_refused)
        self._lane.crashed.connect(self._on_crashed)
        self._seeing = Lane("borrowed", self)
        self._seeing.answered.connect(self._on_sight)
        self._seeing.crashed.connect(services.notices.bug)
        self._progress.connect(self.told, Qt.ConnectionType.QueuedConnection)
        services.model.changed.connect(self._on_study)
        services.view.changed.connect(self._on_view)
        services.desk.screen_changed.connect(self.known)

    # --- what is borrowed from -------------------------------------------------------------------
    @property
    def study(self) -> Study:
        return self.services.model.study

    @property
    def loan(self) -> Loan:
        return self.study.loan

    @property
    def shot(self) -> Shot | None:
        return self.services.desk.shot

    @property
    def outcome(self) -> OnPage | None:
        """What came of it; None while that is of the other mode, or not there yet."""
        found = self._outcome
        return found if found is not None and found.mode == self.loan.mode else None

    @property
    def is_pair(self) -> bool:
        return self.loan.mode == PAIR

    @property
    def reference(self) -> str:
        """The reference that is shown, "" without any."""
        files = self.loan.references
        return files[min(self.chosen, len(files) - 1)] if files else ""

    @property
    def pairs(self) -> list[tuple[Path, Path]]:
        return together([Path(f) for f in self.loan.before], [Path(f) for f in self.loan.after])

    @property
    def alone(self) -> tuple[list[Path], list[Path]]:
        """The pictures before, and after, that no other belongs to."""
        there = {f for pair in self.pairs for f in pair}
        before, after = (
            [Path(f) for f in files if Path(f) not in there]
            for files in (self.loan.before, self.loan.after)
        )
        return before, after

    def edit(self, title: str, *, key: str = "", **values: Any) -> None:
        """Change what is borrowed from: one step to undo; those with one `key` merge while a hand moves."""
        self.set(title, attrs.evolve(self.loan, **values), key=key)

    def set(self, title: str, loan: Loan, *, key: str = "") -> None:
        """Take another loan, as one step to undo."""
        after = attrs.evolve(self.study, loan=loan)
        self.services.model.commit(title, after, ("loan", key) if key else None)

    def choose(self, index: int) -> None:
        """Show another pair or reference."""
        if index != self.chosen:
            self.chosen = index
            self.known.emit()
            self._ask_sight()

    def show_instruments(self, kinds: tuple[str, ...]) -> None:
        if kinds != self.kinds:
            self.kinds = kinds
            self.services.settings.set("borrow_instruments", list(kinds))
            self._ask_sight()

    def _on_study(self, before: Study, after: Study) -> None:
        if before.loan != after.loan:
            count = len(self.pairs) if self.is_pair else len(after.loan.references)
            self.chosen = min(self.chosen, max(count - 1, 0))
            self.edited.emit()
        self.ask()

    def _on_view(self, before: Any, after: Any) -> None:
        if self.is_open and (before.shot != after.shot or before.room != after.room):
            self.edited.emit()
            self.ask()

    def open(self, on: bool) -> None:
        """The page came to be looked at, or is left."""
        self.is_open = on
        if on:
            self.edited.emit()
        self.ask()

    # --- what comes of it ------------------------------------------------------------------------
    def _wanted(self) -> Any:
        """Return all that the outcome depends on; None when there is nothing to borrow from yet."""
        study, loan, shot = self.study, self.loan, self.shot
        sight = (loan.mode, study.view, study.working)
        if loan.mode == PAIR:
            files = [f for pair in self.pairs for f in pair]
            if not files:
                return None
            return (*sight, loan.source, loan.result, *((f, stamp_of(f)) for f in files))
        if not loan.references or shot is None:
            return None
        stamps = tuple((f, stamp_of(Path(f))) for f in loan.references)
        base = (study.look.strength, self._base()) if loan.over_look else None
        whose = (shot, loan.said, loan.amounts, loan.ties, loan.picks, base)
        return (*sight, *whose, stamps)

    def _base(self) -> tuple[Coat, ...]:
        """Return the glazes of the Look that come before what is borrowed."""
        return tuple(c for c in self.study.look.coats if c.id != self.laid)

    def ask(self) -> None:
        """Have it worked out, when the page is looked at and something is another."""
        if not self.is_open or self.services.view.now.room != self._key:
            return
        wanted = self._wanted()
        if wanted == self._asked:
            self._ask_sight()
            return
        other = self._asked is None or wanted is None or wanted[0] != self._asked[0]
        self._asked = wanted
        if wanted is None or other:
            self._outcome, self.refused, self.sight = None, None, None
        if wanted is None:
            self._lane.drop()
            self.known.emit()
            return
        self._stopped = False
        study, loan, shot, pairs = self.study, self.loan, self.shot, self.pairs
        if loan.mode == PAIR:
            self._outcome = self.refused = None

            def work(cancel: Cancel) -> OnPage:
                return taken(pairs, loan, study, cancel, self._progress.emit)

            self._lane.ask(work)
        else:
            assert shot is not None
            base = self._base() if loan.over_look else ()
            look = attrs.evolve(study.look, coats=base)
            under = attrs.evolve(study, look=look)
            previewer, pictures = self.services.desk.previewer, self._pictures

            def follow(cancel: Cancel) -> OnPage:
                return followed(shot, under, loan, pictures, previewer, cancel, self._progress.emit)

            self._lane.ask(follow, patient=True)
        self.known.emit()

    @property
    def is_working(self) -> bool:
        """Whether something is worked out; what was given up may take a moment to end, and is not."""
        return not self._stopped and self._lane.is_busy

    def stop(self) -> None:
        """Give up what is being worked out, until something is another or `again`."""
        self._stopped = True
        self._lane.drop()
        self.known.emit()

    def again(self) -> None:
        """Work it out although nothing is another."""
        self._asked = None
        self.ask()

    def _on_found(self, found: OnPage) -> None:
        if found.mode == self.loan.mode:
            self._outcome, self.refused = found, None
            self.known.emit()
            self._ask_sight()

    def _on_refused(self, error: SfumatoError) -> None:
        self._outcome, self.refused, self.sight = None, error, None
        self.known.emit()

    def _on_crashed(self, words: str) -> None:
        self.services.notices.bug.emit(words)
        self.known.emit()

    # --- beside the pictures ---------------------------------------------------------------------
    def _ask_sight(self) -> None:
        """Have the shot and the instruments made for what is shown."""
        found, shot, study = self.outcome, self.shot, self.study
        if found is None or not self.is_open:
            return
        with_rest = self.loan.with_rest
        whose = None if shot is None else (shot.id, shot.path, shot.frame, shot.ground)
        wanted = (found, self.chosen, self.kinds, with_rest, whose, study.view, study.working)
        if wanted == self._sight_asked:
            return
        self._sight_asked = wanted
        chosen, kinds, previewer = self.chosen, self.kinds, self.services.desk.previewer
        made = {kind: instruments()[kind] for kind in kinds}

        def work(cancel: Cancel) -> Sight:
            data = {}
            for kind, spec in made.items():
                cancel.check()
                data[kind] = found.measured(spec, chosen, with_rest=with_rest)
            on_shot = None
            if shot is not None and found.mode == PAIR:
                on_shot = found.on_shot(shot, study, previewer, with_rest=with_rest)
            return Sight(on_shot, data)

        self._seeing.ask(work)

    def _on_sight(self, sight: Sight) -> None:
        self.sight = sight
        self.sighted.emit()

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy or self._seeing.is_busy

    def close(self) -> None:
        self._lane.close()
        self._seeing.close()
