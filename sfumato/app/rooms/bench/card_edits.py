"""The card of a monitor by action: files written right, the Look sent, cards put in, takes brought in."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError
from sfumato.core.study.outlet import Outlet
from sfumato.formats.parts import registry
from sfumato.work.bench import cards, devices, mounting
from sfumato.work.bench.devices import Rig
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import is_file, is_folder
from sfumato.work.luts import deliver
from sfumato.work.luts.deliver import Delivered
from sfumato.work.outlets.looks import of_study
from sfumato.work.outlets.sending import Row, send, with_sent
from sfumato.work.outlets.sent import Sending
from sfumato.work.trip.arrivals import now


class CardEdits(QObject):
    """Carries out the actions on a device's card."""

    def __init__(self, services: Services, model: MonitorModel) -> None:
        super().__init__(services.window)
        self.services, self.monitors, self.notices = services, model, services.notices

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
                said = f"{row.look} was not written", row.words
                if row.is_taken:
                    again = partial(self._send, look, outlet, replaces=True)
                    self.notices.note(*said, "Replace it", again)
                else:
                    self.notices.note(*said)
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
            self._card(mounting.pull)
        else:
            self._card(lambda now: mounting.mount(now, now.folder / devices.CARD))

    def bench_mount(self) -> None:
        """Choose a folder as the card."""
        rig = self.monitors.rig
        if rig is None:
            return
        start = Path(str(self.services.settings.get("bench_card", "")) or Path.home())
        folder = self.services.ports.choose_folder(
            self.services.window, start, "Folder as the card"
        )
        if folder is not None:
            self.mount(folder)

    def mount(self, folder: Path) -> None:
        """Put a folder in as the card."""
        self.services.settings.set("bench_card", str(folder))
        self._card(lambda now: mounting.mount(now, folder))

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
        """Take what was dropped: LUT files onto the card, a folder as the card or as another device."""
        folders = [f for f in files if is_folder(f)]
        tables = [f for f in files if f not in folders and registry.by_suffix(str(f)) is not None]
        rig = self.monitors.rig
        if folders and is_file(folders[0] / devices.RECORD):
            root, folder = self.monitors.root, folders[0]

            def there(found: Rig) -> None:
                self.monitors.choose(found.folder.name)
                self.notices.good(f"{found.monitor.title} is one of the devices", str(found.folder))

            self.services.reading.add(
                f"Taking in {folder.name}",
                lambda _cancel, _progress: mounting.taken_in(root, folder),
                then=there,
            )
        elif folders and rig is not None:
            self.mount(folders[0])
        if tables and rig is not None and rig.card is not None:

            def copy(cancel: Cancel, progress: Progress) -> list[Path]:
                made = []
                for i, file in enumerate(tables):
                    cancel.check()
                    progress(i / len(tables), file.name)
                    made.append(mounting.copied_onto(rig, file))
                return made

            def copied(made: list[Path]) -> None:
                self.monitors.choose_file(made[0].name)
                self.monitors.ask()

            self.services.reading.add("Copying onto the card", copy, then=copied)
        return [f for f in files if f not in folders and f not in tables]
