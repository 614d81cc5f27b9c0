"""The Monitor page by action: files into places, how the device is used, recording."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject
from PySide6.QtGui import QUndoCommand

from sfumato.app.guard import guarded
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.monitor_page import MonitorPage
from sfumato.app.services.services import Services
from sfumato.core.bench.monitor import Refusal
from sfumato.core.errors import SfumatoError
from sfumato.work.bench import devices
from sfumato.work.bench import places as stands
from sfumato.work.bench.devices import Place, Rig
from sfumato.work.bench.takes import Recorded
from sfumato.work.cancel import Cancel, Progress

Places = tuple[Place | None, ...]


class MonitorEdits(QObject):
    """Carries out the actions of the page."""

    def __init__(self, services: Services, model: MonitorModel, page: MonitorPage) -> None:
        super().__init__(services.window)
        self.services, self.monitors, self.page = services, model, page
        self.notices = services.notices
        left, below, view = page.left, page.below, page.view
        left.run.connect(self.services.actions.run)
        left.load_wanted.connect(self.load_into)
        left.places.chosen.connect(lambda place: self._set(chosen=place))
        left.places.moved.connect(self._move)
        left.places.clear_wanted.connect(lambda _p: self.bench_clear())
        left.places.rename_wanted.connect(lambda _p: self.bench_rename())
        below.used.connect(lambda use: self._set(use=use))
        below.zebra_moved.connect(lambda level: self._hold(zebra=float(level)))
        below.released.connect(self._keep)
        below.record_wanted.connect(self.bench_record)
        view.line_moved.connect(lambda line: self._hold(line=float(line)))
        view.released.connect(self._keep)
        view.play_wanted.connect(self.play_or_hold)
        view.stepped.connect(self._step)
        page.play.clicked.connect(self.play_or_hold)
        model.recorder.recorded.connect(self._on_recorded)
        self._held: dict[str, Any] = {}

    # --- what is set -----------------------------------------------------------------------------
    def _set(self, **values: Any) -> None:
        """Set fields of the device's state and keep them."""
        rig = self.monitors.rig
        if rig is None or self.monitors.is_recording:
            self.monitors.known.emit()
            return
        try:
            self.monitors.take(devices.with_state(rig, **values))
        except SfumatoError as error:
            self.notices.fault(error)
            self.monitors.ask()

    def _hold(self, **values: Any) -> None:
        """Show what a hand is moving; it is kept when the hand lets go."""
        rig = self.monitors.rig
        if rig is None:
            return
        self._held |= values
        after = attrs.evolve(rig, state=attrs.evolve(rig.state, **self._held))
        self.monitors.show(after)

    def _keep(self) -> None:
        held, self._held = self._held, {}
        if held and not self.monitors.is_recording:
            self._set(**held)

    def _step(self, frames: int) -> None:
        clock = self.monitors.clock
        if not self.monitors.is_recording:
            clock.stop()
            clock.go_to(clock.number + frames)

    # --- places ----------------------------------------------------------------------------------
    def _change(
        self,
        title: str,
        change: Callable[[Rig], Any],
        then: Callable[[Any], None] | None = None,
    ) -> None:
        """Change the places of the device in the background, as one step to undo.

        Args:
            change: returns the device after it, or that and something for `then`.
        """
        rig = self.monitors.rig
        if rig is None:
            return

        def work(_cancel: Cancel, _progress: Progress) -> Any:
            now = devices.read_rig(rig.folder)
            files = stands.held_files(now)
            answer = change(now)
            after = answer[0] if isinstance(answer, tuple) else answer
            return now, after, files, stands.held_files(after), answer

        def done(found: Any) -> None:
            before, after, gone, came, answer = found
            self.monitors.take(after)
            if before.state.places != after.state.places:
                gone = {n: d for n, d in gone.items() if n not in came}
                came = {n: d for n, d in came.items() if n not in devices_files(before)}
                step = _Step(title, self, (before.state.places, gone), (after.state.places, came))
                self.monitors.undo_stack.push(step)
            if then is not None:
                then(answer)

        self.services.reading.add(title, work, then=done)

    def put_back(self, places: Places, files: dict[str, bytes]) -> None:
        """Let the places be as they were; for undo and redo."""
        rig = self.monitors.rig
        if rig is not None:
            self.monitors.take(stands.restored(rig, places, files))

    def bench_load(self) -> None:
        """Load the chosen file of the card into the chosen place."""
        rig, file = self.monitors.rig, self.monitors.file
        if rig is not None and file is not None and file.is_lut:
            self.load_into(rig.state.chosen, file.file)

    def load_into(self, place: int, file: Path | None) -> None:
        """Load a file into a place; one that is taken asks first."""
        rig = self.monitors.rig
        if file is None:
            chosen = self.monitors.file
            file = chosen.file if chosen is not None and chosen.is_lut else None
        if rig is None or file is None:
            self.notices.note(
                "No LUT file of the card is chosen", "choose one in the list under the places"
            )
            return
        if not self._may_work():
            return
        there = rig.state.places[place]
        if there is not None and not self.services.ports.ask_replace(
            self.services.window, f"{there.name} in place {place + 1}"
        ):
            return
        chosen_file = file

        def loaded(answer: Any) -> None:
            refused: Refusal | None = answer[1]
            self.monitors.choose_file(chosen_file.name)
            self.monitors.say(chosen_file, refused)

        self._change(
            f"Load {file.stem} into place {place + 1}",
            lambda now: stands.load(now, chosen_file, place),
            loaded,
        )

    def _may_work(self) -> bool:
        """Whether the device can do something now; says why not."""
        rig = self.monitors.rig
        if rig is not None and not rig.state.is_on:
            self.notices.note("The device is switched off", "switch it on first")
            return False
        if self.monitors.is_recording:
            self.notices.note("The device is recording", "stop that first")
            return False
        return rig is not None

    def bench_clear(self) -> None:
        rig = self.monitors.rig
        if rig is not None and rig.place is not None and self._may_work():
            at = rig.state.chosen
            self._change(f"Clear place {at + 1}", lambda now: stands.clear(now, at))

    def bench_rename(self) -> None:
        rig = self.monitors.rig
        if rig is None or rig.place is None or not self._may_work():
            return
        at = rig.state.chosen
        name = self.services.ports.ask_name(
            self.services.window, f"Name in place {at + 1}", rig.place.name
        )
        if name and name != rig.place.name:
            self._change(f"Rename place {at + 1}", lambda now: stands.rename(now, at, name))

    def _move(self, at: int, to: int) -> None:
        if self._may_work():
            self._change(f"Move to place {to + 1}", lambda now: stands.move(now, at, to))

    def _move_by(self, step: int) -> None:
        rig = self.monitors.rig
        if rig is not None and 0 <= rig.state.chosen + step < len(rig.state.places):
            self._move(rig.state.chosen, rig.state.chosen + step)

    def bench_move_back(self) -> None:
        self._move_by(-1)

    def bench_move_on(self) -> None:
        self._move_by(1)

    # --- signal and recording --------------------------------------------------------------------
    def play_or_hold(self) -> None:
        model = self.monitors
        if model.shown is not None and not model.is_recording:
            model.play(not model.clock.is_running)

    def bench_record(self) -> None:
        if self.monitors.is_recording:
            self.monitors.recorder.stop()
        else:
            self.monitors.begin_recording()
        self.monitors.recording_changed.emit()

    def _on_recorded(self, found: Recorded) -> None:
        take, where = found.take, "on the card" if found.on_card else "in the device"
        seconds = take.frames / take.rate
        words = f"{seconds:.1f} s, {take.frames} frames, {'natural' if not take.look else f'{take.look} burnt in'}"
        why = f"It ended early: {take.ended}. " if take.ended else ""
        if not found.on_card:
            why += "It goes onto the next card that is put in. "
        self.monitors.choose_file(found.file.name)
        say = self.notices.note if take.ended else self.notices.good
        say(
            f"{found.file.name} is {where}: {words}",
            why.strip(),
            "Bring it in",
            lambda: self.services.desk.bring.emit([found.file]),
        )

    def bench_power(self) -> None:
        rig = self.monitors.rig
        if rig is None:
            return
        if self.monitors.is_recording:
            self.monitors.recorder.stop(off=True)
        else:
            self._set(is_on=not rig.state.is_on)


def devices_files(rig: Rig) -> set[str]:
    """Return the names of the files of a device's places."""
    return {p.file for p in rig.state.places if p is not None}


class _Step(QUndoCommand):
    """A change of places: what stood there before and after, and the files that only one of them has."""

    def __init__(
        self,
        title: str,
        edits: MonitorEdits,
        before: tuple[Places, dict[str, bytes]],
        after: tuple[Places, dict[str, bytes]],
    ) -> None:
        super().__init__(title)
        self._edits, self._before, self._after = edits, before, after
        self._is_done = True  # it was, before it was pushed

    def _go(self, to: tuple[Places, dict[str, bytes]]) -> None:
        try:
            self._edits.put_back(*to)
        except SfumatoError as error:
            self.setObsolete(True)
            self._edits.notices.fault(error)

    @guarded
    def redo(self) -> None:
        if self._is_done:
            self._is_done = False
        else:
            self._go(self._after)

    @guarded
    def undo(self) -> None:
        self._go(self._before)
