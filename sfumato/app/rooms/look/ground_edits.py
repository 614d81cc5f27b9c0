"""Edits of whole Grounds by action: proposed, matched to another shot, copied."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import attrs
from PySide6.QtCore import QObject, Qt, Signal

from sfumato.app.rooms.look.contact import Before
from sfumato.app.services.jobs import Lane
from sfumato.app.services.pace import is_there
from sfumato.app.services.services import Services
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.measure.auto import Proposal, proposed
from sfumato.core.study.coat import new_coat, renewed
from sfumato.core.study.shot import Shot
from sfumato.work.cancel import Cancel, Progress

if TYPE_CHECKING:  # loaded when shots are matched, not with the window
    from sfumato.work.borrow.alike import Alike, Way

    Matched = tuple[str, Alike | SfumatoError]


class GroundEdits(QObject):
    """Carries out the actions on Grounds. `compared(dict of Before)`: by shot, how matched ones were."""

    compared = Signal(object)

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services = services
        self.model, self.view, self.desk = services.model, services.view, services.desk
        self.notices = services.notices
        self.seeing = Lane("match", self)  # for the sheet, which it outlives
        self.seeing.crashed.connect(services.notices.bug)

    @property
    def is_busy(self) -> bool:
        return self.seeing.is_busy

    def close(self) -> None:
        self.seeing.close()

    def copy_ground_marked(self) -> None:
        """Give the marked shots a copy of this shot's Ground."""
        shot, study = self.desk.shot, self.model.study
        marked = [i for i in self.view.now.marked_shots if shot is not None and i != shot.id]
        if shot is None or not marked:
            return
        for other in marked:
            study = study.with_shot(other, ground=tuple(map(renewed, shot.ground)))
        self.model.commit(f"Copy the Ground of {shot.name} to {len(marked)} shots", study)

    def copy_ground_group(self) -> None:
        """Give the other shots of the group a copy of this shot's Ground."""
        shot, study = self.desk.shot, self.model.study
        if shot is None:
            return
        for other in study.of_group(shot.group):
            if other.id != shot.id:
                study = study.with_shot(other.id, ground=tuple(map(renewed, shot.ground)))
        self.model.commit(f"Copy the Ground of {shot.name} to {shot.group}", study)

    def propose_ground(self) -> None:
        """Lay exposure and balance into the Ground as a starting point, and say how much."""
        shot, study, previewer = self.desk.shot, self.model.study, self.desk.previewer
        if shot is None:
            return

        def work(_cancel: Cancel, _progress: Progress) -> tuple[str, Proposal]:
            found = proposed(previewer.entering_ground(study, shot), encoding(study.working))
            return shot.id, found

        self.services.queue.add(f"Looking at {shot.name}", work, then=self._ground_proposed)

    def _ground_proposed(self, answer: tuple[str, Proposal]) -> None:
        """Put what was proposed before the glazes of the Ground."""
        shot_id, found = answer
        study = self.model.study
        if all(s.id != shot_id for s in study.shots):
            return
        coats = [
            attrs.evolve(new_coat("exposure", stops=found.stops), name="Exposure, proposed"),
            attrs.evolve(
                new_coat("white_balance", temperature=found.temperature, tint=found.tint),
                name="Balance, proposed",
            ),
        ]
        for i, coat in enumerate(coats):
            study = study.added(shot_id, coat, i)
        name = study.shot(shot_id).name
        self.model.commit(f"Propose the Ground of {name}", study)
        self.notices.note(
            f"Laid into the Ground of {name}: {found}", "a starting point; undo takes it"
        )

    def match_marked(self) -> None:
        """Bring the marked shots to this one by plain glazes at the end of their Grounds."""
        right, study = self.desk.shot, self.model.study
        if right is None:
            return
        ids = [i for i in self.view.now.marked_shots if i != right.id]
        marked = [s for s in study.shots if s.id in ids]
        if marked:
            from sfumato.work.borrow.alike import Way

            self.match(marked, right, Way())

    def match(
        self,
        shots: list[Shot],
        right: Shot | None,
        way: Way,
        then: Callable[[list[Matched]], None] | None = None,
    ) -> None:
        """Bring shots to another, or to a card's values, as one step; `then` is told what each got."""
        study, previewer = self.model.study, self.desk.previewer
        title = right.name if right is not None else "the card"

        def work(cancel: Cancel, progress: Progress) -> list[Matched]:
            from sfumato.work.borrow.alike import alike

            return alike(shots, right, way, study, previewer, cancel, progress)

        def done(found: list[Matched]) -> None:
            self._matched(title, found)
            if then is not None and is_there(then):
                then(found)

        count = f"{len(shots)} shots" if len(shots) > 1 else shots[0].name
        self.services.queue.add(f"Matching {count} to {title}", work, then=done)

    def _matched(self, name: str, found: list[Matched]) -> None:
        """Lay what was found, as one step, and say how far apart the shots were and are."""
        study, said, left, seen = self.model.study, [], [], {}
        for shot_id, answer in found:
            if all(s.id != shot_id for s in study.shots):
                continue
            if isinstance(answer, SfumatoError):
                left.append(answer)
                continue
            for coat in answer.coats(f"matched to {name}"):
                study = study.added(shot_id, coat)
            said.append(answer.said)
            seen[shot_id] = Before(
                answer.before,
                f"{answer.off:.1f} → {answer.left:.1f} {answer.unit}",
                study.shot(shot_id).ground,
            )
        if left and not said:
            self.notices.fault(left[0])
        elif said:
            said += [f"left as it is: {error.sentence()}" for error in left]
            self.model.commit(f"Match to {name}", study)
            self.compared.emit(seen)
            self.notices.note(
                f"Matched to {name}", f"how far apart, before → after: {', '.join(said)}"
            )

    def match_sheet(self) -> None:
        """Show shots beside the one that is right: parts of them, or a card, can be marked there."""
        self._open_sheet("pixels")

    def match_card(self) -> None:
        """Show the shot, to mark a card in it whose values are known."""
        self._open_sheet("values")

    def _open_sheet(self, kind: str) -> None:
        from sfumato.app.rooms.look.match_sheet import MatchSheet

        if self.desk.shot is None:
            return
        sheet = MatchSheet(self.services, self, kind)
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.show()

    def copy_ground_on(self) -> None:
        shot, study = self.desk.shot, self.model.study
        if shot is None:
            return
        index = [s.id for s in study.shots].index(shot.id)
        for later in study.shots[index + 1 :]:
            study = study.with_shot(later.id, ground=tuple(map(renewed, shot.ground)))
        self.model.commit(f"Copy the Ground of {shot.name} onwards", study)
