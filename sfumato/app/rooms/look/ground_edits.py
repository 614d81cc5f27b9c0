"""Edits of whole Grounds by action: proposed, matched to another shot, copied."""

from __future__ import annotations

from typing import TYPE_CHECKING

import attrs
from PySide6.QtCore import QObject

from sfumato.app.services.services import Services
from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.measure.auto import Proposal, proposed
from sfumato.core.path.path import through_ground
from sfumato.core.study.coat import new_coat, renewed
from sfumato.core.study.shot import Shot
from sfumato.work.cancel import Cancel, Progress

if TYPE_CHECKING:  # loaded when shots are matched, not with the window
    from sfumato.core.borrow.explain import Explained

_MATCHED = 360  # pixels across of shots that are matched


class GroundEdits(QObject):
    """Carries out the actions on Grounds."""

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services = services
        self.model, self.view, self.desk = services.model, services.view, services.desk
        self.notices = services.notices

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
        right, study, previewer = self.desk.shot, self.model.study, self.desk.previewer
        if right is None:
            return
        ids = [i for i in self.view.now.marked_shots if i != right.id]
        marked = [s for s in study.shots if s.id in ids]
        if not marked:
            return
        target, working, view = right, encoding(study.working), study.view

        def graded(shot: Shot) -> Rgb:
            return through_ground(shot, study, previewer.entering_ground(study, shot, _MATCHED))

        def work(cancel: Cancel, progress: Progress) -> list[tuple[str, Explained | SfumatoError]]:
            from sfumato.core.borrow.uniform import like

            wanted, found = graded(target), []
            for i, shot in enumerate(marked):
                progress(i / len(marked), shot.name)
                answer: Explained | SfumatoError
                try:
                    display = encoding(view.encoding)
                    answer = like(graded(shot), wanted, working, view, display, cancel.check)
                except SfumatoError as error:
                    answer = error.alone()
                found.append((shot.id, answer))
            return found

        self.services.queue.add(
            f"Matching {len(marked)} shots to {target.name}",
            work,
            then=lambda found: self._matched(target.name, found),
        )

    def _matched(self, name: str, found: list[tuple[str, Explained | SfumatoError]]) -> None:
        """Lay what was found, as one step, and say how far apart the shots were and are."""
        study, said, left = self.model.study, [], []
        for shot_id, answer in found:
            if all(s.id != shot_id for s in study.shots):
                continue
            shot = study.shot(shot_id)
            if isinstance(answer, SfumatoError):
                left.append(answer)
                continue
            for step in answer.steps:
                coat = attrs.evolve(
                    new_coat(step.key), parameters=step.parameters, note=f"matched to {name}"
                )
                study = study.added(shot_id, coat)
            said.append(f"{shot.name} {answer.off:.1f} → {answer.left:.1f} {answer.unit}")
        if left and not said:
            self.notices.fault(left[0])
        elif said:
            said += [f"left as it is: {error.sentence()}" for error in left]
            self.model.commit(f"Match to {name}", study)
            self.notices.note(
                f"Matched to {name}", f"how far apart, before → after: {', '.join(said)}"
            )

    def copy_ground_on(self) -> None:
        shot, study = self.desk.shot, self.model.study
        if shot is None:
            return
        index = [s.id for s in study.shots].index(shot.id)
        for later in study.shots[index + 1 :]:
            study = study.with_shot(later.id, ground=tuple(map(renewed, shot.ground)))
        self.model.commit(f"Copy the Ground of {shot.name} onwards", study)
