"""The Monitor page by action: files into places, the card, recording, devices of one's own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject
from PySide6.QtGui import QUndoCommand

from sfumato.app.guard import guarded
from sfumato.app.rooms.bench.device_sheet import MonitorSheet
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.monitor_page import MonitorPage
from sfumato.app.services.services import Services
from sfumato.app.services.trash import to_trash
from sfumato.core.bench.monitor import Monitor, Refusal
from sfumato.core.errors import SfumatoError
from sfumato.core.study.outlet import Outlet
from sfumato.formats.parts import registry
from sfumato.work.bench import cards, devices
from sfumato.work.bench.devices import Place, Rig
from sfumato.work.bench.takes import Recorded
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import free, is_folder
from sfumato.work.luts import deliver
from sfumato.work.luts.deliver import Delivered
from sfumato.work.outlets.looks import of_study
from sfumato.work.outlets.sending import Row, send, with_sent
from sfumato.work.outlets.sent import Sending
from sfumato.work.trip.arrivals import now

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
        model.recorded.connect(self._on_recorded)
        self._sheet: MonitorSheet | None = None
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
            files = devices.held_files(now)
            answer = change(now)
            after = answer[0] if isinstance(answer, tuple) else answer
            return now, after, files, devices.held_files(after), answer

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
            self.monitors.take(devices.restored(rig, places, files))

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
            lambda now: devices.load(now, chosen_file, place),
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
            self._change(f"Clear place {at + 1}", lambda now: devices.clear(now, at))

    def bench_rename(self) -> None:
        rig = self.monitors.rig
        if rig is None or rig.place is None or not self._may_work():
            return
        at = rig.state.chosen
        name = self.services.ports.ask_name(
            self.services.window, f"Name in place {at + 1}", rig.place.name
        )
        if name and name != rig.place.name:
            self._change(f"Rename place {at + 1}", lambda now: devices.rename(now, at, name))

    def _move(self, at: int, to: int) -> None:
        if self._may_work():
            self._change(f"Move to place {to + 1}", lambda now: devices.move(now, at, to))

    def _move_by(self, step: int) -> None:
        rig = self.monitors.rig
        if rig is not None and 0 <= rig.state.chosen + step < len(rig.state.places):
            self._move(rig.state.chosen, rig.state.chosen + step)

    def bench_move_back(self) -> None:
        self._move_by(-1)

    def bench_move_on(self) -> None:
        self._move_by(1)

    # --- the card --------------------------------------------------------------------------------
    def bench_mend(self) -> None:
        """Write the refused file anew, as the device takes it, and choose it."""
        rig, said = self.monitors.rig, self.monitors.said
        if rig is None or said is None:
            return

        def work(_cancel: Cancel, progress: Progress) -> Delivered:
            progress(0.2, said.name)
            return cards.written_right(rig, said.file)

        def written(made: Delivered) -> None:
            self.monitors.say(said.file, None)
            self.monitors.choose_file(made.place.name)
            self.monitors.ask()
            words = "; ".join(made.said) or "every node the same"
            self.notices.good(f"{made.place.name} is on the card", words)

        self.services.queue.add(f"Writing {said.name}", work, then=written)

    def bench_send(self) -> None:
        """Send the study's Look to the card, through an outlet that the study keeps."""
        rig = self.monitors.rig
        if rig is None:
            return
        try:
            outlet = cards.outlet_for(rig)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        study = self.services.model.study
        others = tuple(o for o in study.outlets if o.key != outlet.key)
        study = attrs.evolve(study, outlets=(*others, outlet))
        self._send(of_study(study, self.services.desk.shot), outlet, replaces=False)

    def _send(self, look: Sending, outlet: Outlet, *, replaces: bool) -> None:
        frames, when = self.services.desk.frames, now()

        def existing(_outlet: Outlet, _file: Path) -> str:
            return deliver.REPLACE if replaces else deliver.REFUSE

        def work(cancel: Cancel, progress: Progress) -> list[tuple[Row, Sending]]:
            return list(
                send(
                    [look],
                    [outlet],
                    frames,
                    when,
                    existing=existing,
                    cancel=cancel,
                    progress=progress,
                )
            )

        def sent(rows: list[tuple[Row, Sending]]) -> None:
            row = rows[0][0]
            self.monitors.ask()
            if not row.files:
                again = "Replace it" if "exists already" in row.words else ""
                self.notices.note(
                    f"{row.look} was not written",
                    row.words,
                    again,
                    lambda: self._send(look, outlet, replaces=True),
                )
                return
            after = with_sent(look.study, rows, when)
            self.services.model.commit(f"Send {row.look} to {outlet.title}", after)
            self.monitors.choose_file(row.files[0].name)
            far = [f"{row.mean:.2f} ΔE mean on the shots"] if row.mean is not None else []
            words = "; ".join([*far, *row.warnings])
            self.notices.good(f"{row.files[0].name} is on the card", words)

        self.services.queue.add(f"Sending {look.name}", work, then=sent)

    def bench_pull(self) -> None:
        """Pull the card out, or put the device's own back in."""
        rig = self.monitors.rig
        if rig is None:
            return
        if rig.card is not None:
            self._card(devices.pull)
        else:
            self._card(lambda now: devices.mount(now, now.folder / devices.CARD))

    def bench_mount(self) -> None:
        """Choose a folder as the card."""
        rig = self.monitors.rig
        if rig is None:
            return
        start = Path(str(self.services.settings.get("bench_card", "")) or Path.home())
        folder = self.services.ports.choose_folder(self.services.window, start)
        if folder is not None:
            self.mount(folder)

    def mount(self, folder: Path) -> None:
        """Put a folder in as the card."""
        self.services.settings.set("bench_card", str(folder))
        self._card(lambda now: devices.mount(now, folder))

    def _card(self, change: Callable[[Rig], Rig]) -> None:
        rig = self.monitors.rig
        if rig is None:
            return
        self.services.reading.add(
            "Looking at the card",
            lambda _cancel, _progress: change(rig),
            then=self.monitors.take,
        )

    def bench_show(self) -> None:
        rig = self.monitors.rig
        if rig is not None and rig.card is not None:
            self.services.ports.reveal(rig.card)

    def bench_bring(self) -> None:
        """Bring the chosen take into the study."""
        file = self.monitors.file
        if file is not None and file.is_clip:
            self.services.desk.bring.emit([file.file])

    def take(self, files: list[Path]) -> list[Path]:
        """Take LUT files and folders that were dropped: files onto the card, a folder as the card."""
        folders = [f for f in files if is_folder(f)]
        tables = [f for f in files if f not in folders and registry.by_suffix(str(f)) is not None]
        rig = self.monitors.rig
        if folders and rig is not None:
            self.mount(folders[0])
        if tables and rig is not None and rig.card is not None:
            card = rig.card

            def copy(cancel: Cancel, progress: Progress) -> list[Path]:
                made = []
                for i, file in enumerate(tables):
                    cancel.check()
                    progress(i / len(tables), file.name)
                    made.append(devices.copied(file, free(card / file.name)))
                return made

            def copied(made: list[Path]) -> None:
                self.monitors.choose_file(made[0].name)
                self.monitors.ask()

            self.services.reading.add("Copying onto the card", copy, then=copied)
        return [f for f in files if f not in folders and f not in tables]

    # --- signal and recording --------------------------------------------------------------------
    def play_or_hold(self) -> None:
        model = self.monitors
        if model.shown is not None and not model.is_recording:
            model.play(not model.clock.is_running)

    def bench_record(self) -> None:
        if self.monitors.is_recording:
            self.monitors.stop_recording()
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
            self.monitors.stop_recording(off=True)
        else:
            self._set(is_on=not rig.state.is_on)

    # --- devices of one's own ----------------------------------------------------------------------
    def bench_new(self) -> None:
        """Make a device, beginning with a copy of the chosen one."""
        rig = self.monitors.rig
        like = rig.monitor if rig is not None else Monitor()
        self._show_sheet(attrs.evolve(like, key="own", title=f"{like.title}, mine"[:60]), None)

    def bench_edit(self) -> None:
        rig = self.monitors.rig
        if rig is not None:
            self._show_sheet(rig.monitor, rig)

    def _show_sheet(self, monitor: Monitor, rig: Rig | None) -> None:
        if self._sheet is not None:
            self._sheet.close()
        sheet = self._sheet = MonitorSheet(self.services.window, monitor, is_new=rig is None)
        sheet.kept.connect(lambda found: self._keep_device(found, rig))
        sheet.destroyed.connect(self._forget_sheet)
        sheet.show()

    def _forget_sheet(self) -> None:
        self._sheet = None

    def _keep_device(self, monitor: Monitor, rig: Rig | None) -> None:
        try:
            made = (
                devices.added(self.monitors.root, monitor)
                if rig is None
                else devices.changed_record(rig, monitor)
            )
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.monitors.choose(made.folder.name)
        self.monitors.ask()

    def bench_forget(self) -> None:
        """Put a device of the user's into the trash, with its card and its places."""
        rig = self.monitors.rig
        if rig is None:
            return
        try:
            to_trash(rig.folder)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.notices.good(
            f"{rig.monitor.title} is in the trash", "with its places and the card in its folder"
        )
        self.monitors.ask()


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
