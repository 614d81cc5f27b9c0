"""Apply by action: the batch of shots, with pause, cancel and going on."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import QObject, Qt, Signal

from sfumato.app.rooms.apply.apply_page import ApplyPage
from sfumato.app.services.parts import with_parts
from sfumato.app.services.services import Services
from sfumato.core.errors import ExportError, SfumatoError
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists, refusal, typed_folder
from sfumato.work.results.apply import Job, apply_shot, is_done
from sfumato.work.stores.study_store import read_lut_file


class ApplyEdits(QObject):
    """Runs one batch at a time; `_state(shot, words, pigment)` comes from the worker."""

    _state = Signal(str, str, str)

    def __init__(self, services: Services, room: ApplyPage) -> None:
        super().__init__(services.window)
        self.services, self._room, self.model = services, room, services.model
        self.notices, self._settings = services.notices, services.settings
        settings = services.settings
        self._go = threading.Event()
        self._go.set()
        self.is_running = False
        room.settings.restore(str(settings.get("apply", "")))
        room.settings.changed.connect(lambda: settings.set("apply", room.settings.state()))
        room.apply_wanted.connect(self.apply_shots)
        room.reveal_wanted.connect(self._reveal)
        room.pause_wanted.connect(self.pause_apply)
        room.settings.folder_wanted.connect(self.apply_folder)
        room.settings.lut_wanted.connect(self.apply_lut)
        self._state.connect(room.show_state, Qt.ConnectionType.QueuedConnection)
        room.bring_in.connect(lambda: services.actions.run("bring_in"))

    def apply_folder(self) -> None:
        usual = str(self._settings.get("apply_folder", "")) or str(Path.home())
        start = Path(self._room.folder or usual)
        folder = self.services.ports.choose_folder(
            self.services.window, start, "Folder for what is applied"
        )
        if folder is not None:
            self._room.settings.folder.setText(str(folder))
            self._settings.set("apply_folder", str(folder))

    def apply_lut(self) -> None:
        """Choose a LUT file that takes the place of Ground and Look."""
        files = self.services.ports.choose_luts(
            self.services.window, str(Path.home()), "LUT file to apply"
        )
        if files:
            self.take_lut(files[0])

    def take_lut(self, file: Path) -> None:
        """Put a LUT file in the place of Ground and Look."""
        with_parts(self.services, [file], lambda found: self._take_look(found[0]), one=True)

    def _take_look(self, file: Path) -> None:
        self.services.reading.add(
            f"Reading {file.name}",
            lambda _cancel, _progress: read_lut_file(file),
            then=self._room.settings.take_lut,
        )

    def _reveal(self, file: Path) -> None:
        """Show a result in the file manager, or say that it is not there yet."""
        if exists(file):
            self.services.ports.reveal(file)
        else:
            self.notices.note(f"{file.name} is not there yet", "apply the shot first")

    def apply_shots(self) -> None:
        """Write every ticked shot; what is there already, made from the same, is passed over."""
        room, study = self._room, self.model.study
        try:
            folder = typed_folder(room.folder)
            jobs, wish = room.jobs(), room.settings.wish()
        except SfumatoError as error:
            self.notices.fault(error)
            return
        if self.is_running or not jobs:
            return
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError:
            self.notices.fault(
                ExportError("the folder cannot be made", hint="choose another", where=str(folder))
            )
            return
        self._settings.set("apply_folder", str(folder))
        self.is_running = True
        self._go.set()
        room.show_running(True)

        def work(cancel: Cancel, progress: Progress) -> tuple[int, int, int]:
            made = passed = failed = 0
            for i, job in enumerate(jobs):
                cancel.check()
                if is_done(study, job, wish):
                    self._state.emit(job.shot.id, "there already", "quiet")
                    passed += 1
                    continue

                def step(share: float, words: str, i: int = i, job: Job = job) -> None:
                    while not self._go.wait(0.1):  # paused: a cancel still gets through
                        cancel.check()
                    progress((i + share) / len(jobs), f"{job.file.name} {words}")
                    self._state.emit(job.shot.id, f"{share * 100:.0f} %  {words}", "")

                step(0.0, "")
                try:
                    done = apply_shot(study, job.shot, job.file, wish, cancel=cancel, progress=step)
                    size = job.file.stat().st_size / 1e6
                except (SfumatoError, OSError) as fault:
                    error = (
                        fault
                        if isinstance(fault, SfumatoError)
                        else refusal(fault, job.file, ExportError)
                    )
                    self._state.emit(job.shot.id, error.sentence(), "cinnabar")
                    failed += 1
                    continue
                said = "; ".join((done.proof.words(), *done.remarks))
                if done.proof.is_true:
                    self._state.emit(job.shot.id, f"✓ {said} · {size:.1f} MB", "malachite")
                    made += 1
                else:
                    self._state.emit(job.shot.id, f"✗ written, but {said}", "cinnabar")
                    failed += 1
            return made, passed, failed

        self.services.queue.add(
            f"Applying to {len(jobs)} shots", work, then=self._say, ended=self._on_end
        )

    def pause_apply(self) -> None:
        """Hold the batch between frames, or let it go on."""
        if self._go.is_set():
            self._go.clear()
        else:
            self._go.set()
        self._room.show_running(True, not self._go.is_set())

    def _say(self, answer: tuple[int, int, int]) -> None:
        made, passed, failed = answer
        words = f"{made} written" + (f", {passed} there already" if passed else "")
        if failed:
            self.notices.note(f"{words}, {failed} failed", "the table says why")
        else:
            self.notices.good(words, self._room.folder)

    def _on_end(self, _how: str) -> None:
        self.is_running = False
        self._go.set()
        self._room.show_running(False)
        self._room.refresh()

    def close(self) -> None:
        self._go.set()
