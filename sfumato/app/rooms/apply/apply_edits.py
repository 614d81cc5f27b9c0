"""Apply by action: the batch of shots, with pause, cancel and going on."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from sfumato.app.rooms.apply.apply_room import ApplyRoom
from sfumato.app.services.desk import Desk
from sfumato.app.services.notices import Notices
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.core.errors import ExportError, SfumatoError
from sfumato.work.results.apply import apply_shot, is_done
from sfumato.work.stores.study_store import read_lut_file


class ApplyEdits(QObject):
    """Runs one batch at a time; `_state(shot, words, pigment)` comes from the worker."""

    _state = Signal(str, str, str)

    def __init__(
        self,
        window: Any,
        room: ApplyRoom,
        model: StudyModel,
        desk: Desk,
        notices: Notices,
        settings: Settings,
    ) -> None:
        super().__init__(window)
        self._window, self._room, self.model, self.desk = window, room, model, desk
        self.notices, self._settings = notices, settings
        self._go = threading.Event()
        self._go.set()
        self.is_running = False
        room.settings.folder.setText(str(settings.get("apply_folder", "")))
        room.settings.restore(str(settings.get("apply", "")))
        room.settings.changed.connect(lambda: settings.set("apply", room.settings.state()))
        room.apply_wanted.connect(self.apply_shots)
        room.reveal_wanted.connect(self._reveal)
        room.pause_wanted.connect(self.pause_apply)
        room.settings.folder_wanted.connect(self.apply_folder)
        room.settings.lut_wanted.connect(self.apply_lut)
        self._state.connect(room.show_state, Qt.ConnectionType.QueuedConnection)
        queue = window.queue
        for signal in (queue.finished, queue.refused, queue.cancelled, queue.crashed):
            signal.connect(self._on_end)

    def room_apply(self) -> None:
        self.desk.view.set("room", "apply")

    def apply_folder(self) -> None:
        start = Path(self._room.folder or str(Path.home()))
        folder = self._window.ports.choose_folder(self._window, start)
        if folder is not None:
            self._room.settings.folder.setText(str(folder))
            self._settings.set("apply_folder", str(folder))

    def apply_lut(self) -> None:
        """Choose a LUT file that takes the place of Ground and Look."""
        files = self._window.ports.choose_luts(self._window, str(Path.home()))
        if files:
            self.take_lut(files[0])

    def take_lut(self, file: Path) -> None:
        """Put a LUT file in the place of Ground and Look."""
        try:
            self._room.settings.show_lut(read_lut_file(file))
        except SfumatoError as error:
            self.notices.fault(error)

    def _reveal(self, file: Path) -> None:
        """Show a result in the file manager, or say that it is not there yet."""
        if file.exists():
            self._window.ports.reveal(file)
        else:
            self.notices.note(f"{file.name} is not there yet", "apply the shot first")

    def apply_shots(self) -> None:
        """Write every ticked shot; what is there already, made from the same, is passed over."""
        room, study = self._room, self.model.study
        try:
            jobs, wish = room.jobs(), room.settings.wish()
        except SfumatoError as error:
            self.notices.fault(error)
            return
        folder = Path(room.folder).expanduser()
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

        def work(cancel: Any, progress: Any) -> tuple[int, int, int]:
            made = passed = failed = 0
            for i, job in enumerate(jobs):
                cancel.check()
                if is_done(study, job, wish):
                    self._state.emit(job.shot.id, "there already", "quiet")
                    passed += 1
                    continue

                def step(share: float, words: str, i: int = i, job: Any = job) -> None:
                    while not self._go.wait(0.1):  # paused: a cancel still gets through
                        cancel.check()
                    progress((i + share) / len(jobs), f"{job.file.name} {words}")
                    self._state.emit(job.shot.id, f"{share * 100:.0f} %  {words}", "")

                step(0.0, "")
                try:
                    done = apply_shot(study, job.shot, job.file, wish, cancel=cancel, progress=step)
                except SfumatoError as error:
                    self._state.emit(job.shot.id, error.sentence(), "cinnabar")
                    failed += 1
                    continue
                size = job.file.stat().st_size / 1e6
                said = "; ".join((done.proof.words(), *done.remarks))
                if done.proof.is_true:
                    self._state.emit(job.shot.id, f"✓ {said} · {size:.1f} MB", "malachite")
                    made += 1
                else:
                    self._state.emit(job.shot.id, f"✗ written, but {said}", "cinnabar")
                    failed += 1
            return made, passed, failed

        self._window.queue.add(f"Applying to {len(jobs)} shots", work, "apply")

    def pause_apply(self) -> None:
        """Hold the batch between frames, or let it go on."""
        if self._go.is_set():
            self._go.clear()
        else:
            self._go.set()
        self._room.show_running(True, not self._go.is_set())

    def _on_end(self, *answer: Any) -> None:
        if not self.is_running:
            return
        if len(answer) == 2 and answer[0] == "apply":
            made, passed, failed = answer[1]
            words = f"{made} written" + (f", {passed} there already" if passed else "")
            if failed:
                self.notices.note(f"{words}, {failed} failed", "the table says why")
            else:
                self.notices.good(words, self._room.folder)
        elif self._window.queue.is_busy:
            return
        self.is_running = False
        self._go.set()
        self._room.show_running(False)
        self._room.refresh()

    def close(self) -> None:
        self._go.set()
