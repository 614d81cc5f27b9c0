"""Edits of shots by action: bring in, step, copy the Ground, take out."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import QObject

from sfumato.app.controls.parts import passing_menu
from sfumato.app.rooms.look.ledger import Ledger
from sfumato.app.services.player import Player
from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError
from sfumato.core.study.coat import new_id
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import FrameFacts
from sfumato.work.bench.burnt import Burnt, carried
from sfumato.work.bench.takes import take_of
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import is_file
from sfumato.work.footage import MOST, with_folders
from sfumato.work.noise import noise_of
from sfumato.work.preview.asks import PINNED, Shown

_FEW, _MANY = 8, 60  # new shots, and shots at all, that are looked at for a look burnt in


@frozen
class _BroughtIn:
    shots: list[Shot]
    faults: list[SfumatoError]
    remarks: list[str]
    noise: float | None


class ShotEdits(QObject):
    """Carries out the actions on shots."""

    def __init__(self, services: Services, ledger: Ledger) -> None:
        super().__init__(services.window)
        self.services, self._ledger = services, ledger
        self.model, self.view, self.desk = services.model, services.view, services.desk
        self.notices = services.notices
        self._shown: Shown | None = None
        self.player = Player(self.view, self.desk, self)
        self.player.stopped.connect(self._on_stopped)
        self.desk.shown.connect(self._on_shown)
        self.desk.bring.connect(self.bring_in_files)

    def bring_in(self) -> None:
        folder = self.services.settings.get("folder", str(Path.home()))
        self.bring_in_files(self.services.ports.choose_pictures(self.services.window, folder))

    def bring_in_files(self, files: list[Path]) -> None:
        """Bring pictures and clips into the study, in the background; what fails is said."""
        if not files:
            return
        self.services.settings.set("folder", str(files[0].parent))
        frames = self.desk.frames
        are_first = not self.model.study.shots

        def work(cancel: Cancel, progress: Progress) -> _BroughtIn:
            shots: list[Shot] = []
            faults: list[SfumatoError] = []
            remarks: list[str] = []
            inside = with_folders(files)
            if len(inside) > MOST:
                remarks.append(f"Of {len(inside)} files the first {MOST} were brought in")
                inside = inside[:MOST]
            for i, file in enumerate(inside):
                cancel.check()
                progress(i / len(inside), file.name)
                shot = Shot(os.path.abspath(file), file.stem, None, 0, (), new_id())
                try:
                    facts = frames.still(shot).facts  # decoded once: it is shown next
                except SfumatoError as error:
                    faults.append(error)
                    continue
                remarks += [f"{file.name}: {r}" for r in facts.remarks]
                take = take_of(file)
                if take is not None and take.look:
                    remarks.append(f"{file.name} was recorded with {take.look} burnt in")
                known = take.encoding if take is not None else ""
                shots.append(attrs.evolve(shot, encoding=facts.encoding or known or None))
            noise = noise_of(shots, frames, cancel)[0] if are_first else None
            return _BroughtIn(shots, faults, remarks, noise)

        self.services.reading.add(
            f"Bringing in {len(files)} file{'s' if len(files) != 1 else ''}",
            work,
            then=self._brought_in,
        )

    def _brought_in(self, answer: _BroughtIn) -> None:
        shots, faults, remarks = answer.shots, answer.faults, answer.remarks
        if shots:
            after = self.model.study.brought_in(tuple(shots))
            if answer.noise is not None and not self.model.study.shots:
                after = attrs.evolve(after, view=attrs.evolve(after.view, noise=answer.noise))
            names = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
            self.model.commit(f"Bring in {names}", after)
            self.view.set(shot=shots[0].id)
            if len(shots) <= _FEW and not remarks:
                self._look_for_burnt(tuple(shots))
        for fault in faults:
            self.notices.fault(fault)
        if remarks and not faults:
            self.notices.note(remarks[0])

    def _look_for_burnt(self, shots: tuple[Shot, ...]) -> None:
        """Say of shots that were just brought in when one seems to carry the Look already."""
        study, frames = self.model.study, self.desk.frames

        def work(cancel: Cancel, progress: Progress) -> list[tuple[Shot, Burnt]]:
            found = []
            for i, shot in enumerate(shots):
                progress(i / len(shots), shot.name)
                burnt = carried(shot, study, frames, cancel)
                if burnt is not None:
                    found.append((shot, burnt))
            return found

        def then(found: list[tuple[Shot, Burnt]]) -> None:
            if found:
                shot, burnt = found[0]
                more = f" ({len(found) - 1} more do too)" if len(found) > 1 else ""
                self.notices.note(
                    f"{shot.name} seems to carry {burnt.look} already{more}",
                    f"{burnt.of} through it is {burnt.with_look:.1f} ΔE away from it, "
                    f"without it {burnt.without:.1f}",
                )

        if len(study.shots) <= _MANY and any(c.acts for c in study.look.coats):
            self.services.reading.add("Comparing with the other shots", work, then=then)

    def show_menu(self, shot_id: str, place: Any) -> None:
        self.view.set(shot=shot_id)
        menu = passing_menu(self.services.window)
        for name in (
            "rename_shot",
            "choose_encoding",
            "pin_shot",
            "propose_ground",
            "copy_ground_on",
            "copy_ground_marked",
            "match_marked",
            "group_shots",
            "mark_group",
            "copy_ground_group",
            "leave_group",
            "shot_earlier",
            "shot_later",
            "relink_shot",
            "remove_shot",
        ):
            menu.addAction(self.services.actions.by_id[name])
        menu.popup(place)

    def _step_shot(self, step: int) -> None:
        shots, now = self.model.study.shots, self.desk.shot
        if now is not None:
            index = [s.id for s in shots].index(now.id)
            self.view.set(shot=shots[(index + step) % len(shots)].id)

    def mark(self, shot_id: str) -> None:
        """Mark a shot beside the chosen one, or no longer."""
        marked = self.view.now.marked_shots
        if shot_id in marked:
            self.view.set(marked_shots=tuple(i for i in marked if i != shot_id))
        elif self.desk.shot is not None and shot_id != self.desk.shot.id:
            self.view.set(marked_shots=(*marked, shot_id))

    # --- groups ------------------------------------------------------------------------------------
    def group_shots(self) -> None:
        """Give this shot and the marked ones a name that they share."""
        shot = self.desk.shot
        if shot is None:
            return
        ids = (shot.id, *(i for i in self.view.now.marked_shots if i != shot.id))
        name = self.services.ports.ask_name(
            self.services.window, "Name of the group", shot.group or "Group"
        )
        if name:
            self.model.commit(f"Group {name}", self.model.study.with_group(ids, name))

    def mark_group(self) -> None:
        """Mark the other shots of this shot's group."""
        shot = self.desk.shot
        if shot is not None:
            others = (s.id for s in self.model.study.of_group(shot.group) if s.id != shot.id)
            self.view.set(marked_shots=tuple(others))

    def leave_group(self) -> None:
        shot = self.desk.shot
        if shot is not None:
            after = self.model.study.with_group((shot.id,), "")
            self.model.commit(f"Take {shot.name} out of {shot.group}", after)

    # --- encodings ---------------------------------------------------------------------------------
    def take_guess(self) -> None:
        """Take the encoding that the shot's numbers look like."""
        shot = self.desk.shot
        found = self.desk.strip.guess(shot) if shot is not None else None
        if shot is not None and found is not None:
            self._ledger.edits.encoding(shot.id, found.name)

    def dismiss_doubt(self) -> None:
        """Believe what is stated after all."""
        shot = self.desk.shot
        if shot is not None:
            known = self.view.now.believed
            self.view.set(believed=(*known, (shot.id, shot.encoding)))

    def pin_shot(self) -> None:
        """Keep this shot on side A, beside the others; the same again lets it go."""
        shot = self.desk.shot
        if shot is None or self.view.now.pinned == shot.id:
            self.unpin()
            return
        self.view.set(pinned=shot.id)
        self.view.set(a=PINNED)
        if self.view.now.mode in ("one", "all", "difference"):
            self.view.set(mode="side")

    def unpin(self) -> None:
        if self.view.now.pinned:
            self.view.set(pinned="")
            if self.view.now.a == PINNED:
                self.view.set(a="ground")

    def rename_shot(self) -> None:
        shot = self.desk.shot
        if shot is None:
            return
        name = self.services.ports.ask_name(self.services.window, "Rename the shot", shot.name)
        if name and name != shot.name:
            after = self.model.study.with_shot(shot.id, name=name)
            self.model.commit(f"Rename {shot.name}", after)

    def move(self, shot_id: str, index: int) -> None:
        """Put a shot at another place in the row."""
        study = self.model.study
        after = study.moved_shot(shot_id, index)
        self.model.commit(f"Move {study.shot(shot_id).name}", after)

    def _step_place(self, step: int) -> None:
        shot, study = self.desk.shot, self.model.study
        if shot is not None:
            index = [s.id for s in study.shots].index(shot.id) + step
            if 0 <= index < len(study.shots):
                self.move(shot.id, index)

    def shot_earlier(self) -> None:
        self._step_place(-1)

    def shot_later(self) -> None:
        self._step_place(1)

    def relink_shot(self) -> None:
        """Choose where the file of the shot is now; others that moved along are found with it."""
        shot = self.desk.shot
        if shot is None:
            return
        folder = str(Path(shot.path).parent)
        files = self.services.ports.choose_pictures(
            self.services.window, folder, f"Where {Path(shot.path).name} is now"
        )
        if not files:
            return
        study = self.model.study.with_shot(shot.id, path=os.path.abspath(files[0]))
        found = 0
        for other in study.shots:
            beside = files[0].parent / Path(other.path).name
            if not is_file(Path(other.path)) and is_file(beside):
                study = study.with_shot(other.id, path=os.path.abspath(beside))
                found += 1
        self.model.commit(f"Find {shot.name} again", study)
        if found:
            what = "1 more shot was" if found == 1 else f"{found} more shots were"
            self.notices.good(f"{what} found there", str(files[0].parent))

    # --- frames of a clip --------------------------------------------------------------------------
    def _facts(self) -> FrameFacts | None:
        """Return what is known of the shot that is on the Easel, when it is a clip."""
        shown, shot = self._shown, self.desk.shot
        if shown is None or shot is None or shown.ask.shot.id != shot.id:
            return None
        return shown.facts if shown.facts is not None and shown.facts.frames > 1 else None

    @property
    def is_clip(self) -> bool:
        return self._facts() is not None

    def _on_shown(self, shown: Shown) -> None:
        self._shown = shown

    def set_frame(self, frame: int) -> None:
        """Choose the frame of the clip that is shown, graded and measured."""
        shot, facts = self.desk.shot, self._facts()
        if shot is None or facts is None:
            return
        self.player.stop()
        frame = min(max(frame, 0), facts.frames - 1)
        self.desk.hold()
        after = self.model.study.with_shot(shot.id, frame=frame)
        self.model.commit(f"Frame {frame + 1} of {shot.name}", after, ("frame", shot.id))

    def set_range(self, first: int, last: int | None) -> None:
        """Say which frames of the clip belong to the shot."""
        shot = self.desk.shot
        if shot is not None:
            after = self.model.study.with_shot(shot.id, first=first, last=last)
            self.model.commit(f"Range of {shot.name}", after, ("range", shot.id))

    def frames_released(self) -> None:
        self.model.end_gesture()
        self.desk.release()

    def previous_frame(self) -> None:
        self._step_frame(-1)

    def next_frame(self) -> None:
        self._step_frame(1)

    def _step_frame(self, step: int) -> None:
        if self.desk.shot is not None:
            self.set_frame(self.desk.shot.frame + step)
            self.frames_released()

    def play_clip(self) -> None:
        """Play the shot, or pause on the frame that is shown."""
        shot, facts = self.desk.shot, self._facts()
        if self.player.is_playing:
            self.player.stop()
        elif shot is not None and facts is not None:
            self.player.play(shot, facts)

    def _on_stopped(self, shot_id: str, frame: int) -> None:
        """Stay on the frame where playing ended."""
        if any(s.id == shot_id for s in self.model.study.shots):
            self.model.look_at(shot_id, frame)

    def close(self) -> None:
        self.player.close()

    def previous_shot(self) -> None:
        self._step_shot(-1)

    def next_shot(self) -> None:
        self._step_shot(1)

    def remove_shot(self) -> None:
        if self.desk.shot is not None:
            self.remove(self.desk.shot.id)

    def remove(self, shot_id: str) -> None:
        study = self.model.study
        self.model.commit(f"Take out {study.shot(shot_id).name}", study.without_shot(shot_id))

    def choose_encoding(self) -> None:
        self._ledger.choose_encoding()
