"""Studies on disk: new, open, save, revert, autosave, recovery."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, QTimer, Signal

from sfumato.app.services.jobs import Lane
from sfumato.app.services.notices import Notices
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.core.errors import SfumatoError
from sfumato.core.study.study import Study
from sfumato.work.stores import study_store

AUTOSAVE_MS = 1500
AUTOSAVE_MOST_MS = 4000


class StudyFiles(QObject):
    """Carries out the actions on study files; `replaced()` after another study came."""

    about_to_replace = Signal()
    replaced = Signal()

    def __init__(
        self,
        window: Any,
        model: StudyModel,
        notices: Notices,
        settings: Settings,
        ports: Any,
        demo: Path | None,
    ) -> None:
        super().__init__(window)
        self._window, self.model, self.notices = window, model, notices
        self._settings, self._ports, self._demo = settings, ports, demo
        self._slot = study_store.new_slot()
        self._saver = Lane("autosave", self)
        self._saver.refused.connect(
            lambda e: notices.note(f"No recovery copy: {e.summary}", "save the study elsewhere")
        )
        self._saver.crashed.connect(notices.bug)
        self._saver.answered.connect(lambda _none: self._drop_stale_slot())
        self._autosave = self._timer()
        self._autosave_last = self._timer()
        model.changed.connect(lambda _b, _a: self._plan_autosave())

    def _timer(self) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(self.autosave_now)
        return timer

    def _plan_autosave(self) -> None:
        """Save soon after the last edit, and at the latest four seconds after the first."""
        self._autosave.start(AUTOSAVE_MS)
        if not self._autosave_last.isActive():
            self._autosave_last.start(AUTOSAVE_MOST_MS)

    @property
    def slot(self) -> Path:
        """Where this window's recovery copy lies."""
        return self._slot

    def close(self) -> None:
        """The study is saved or given up: its recovery copy goes."""
        self._autosave.stop()
        self._autosave_last.stop()
        self._saver.close()
        self._slot.unlink(missing_ok=True)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; False = stay here."""
        if not self.model.is_edited:
            return True
        answer = self._ports.ask_unsaved(self._window, self.model.study.name)
        if answer == "save":
            return self.save_study()
        return answer == "drop"

    def replace(self, study: Study, file: Path | None, *, saved: bool = True) -> None:
        self.about_to_replace.emit()
        self._slot.unlink(missing_ok=True)
        self.model.open(study, file, saved=saved)
        self.replaced.emit()

    def new_study(self) -> None:
        if self.may_leave():
            self.replace(Study(), None)

    def open_study(self) -> None:
        folder = str(self.model.file.parent) if self.model.file else str(Path.home())
        file = self._ports.choose_study(self._window, folder)
        if file is not None:
            self.open_file(file)

    def open_demo(self) -> None:
        if self._demo is None:
            self.notices.note("The demo study is not installed", "run Sfumato from a checkout")
            return
        self.open_file(self._demo)

    def open_file(self, file: Path) -> bool:
        """Open a study; a file that cannot be opened leaves everything as it is."""
        if not self.may_leave():
            return False
        try:
            study = study_store.open_study(file)
        except SfumatoError as error:
            self.notices.fault(error)
            return False
        self.replace(study, file)
        self._settings.add_recent(file.resolve())
        return True

    def revert_study(self) -> None:
        file = self.model.file
        if file is None:
            return
        try:
            study = study_store.open_study(file)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.model.commit("Revert to the saved study", study)

    def save_study(self) -> bool:
        if self.model.file is None or self.model.file == self._demo:
            return self.save_study_as()
        return self._save(self.model.file)

    def save_study_as(self) -> bool:
        name = f"{self.model.study.name}{study_store.SUFFIX}"
        folder = self.model.file.parent if self.model.file else Path.home()
        file = self._ports.choose_save(self._window, str(folder / name))
        if file is None:
            return False
        if file.suffix != study_store.SUFFIX:
            file = file.with_name(file.name + study_store.SUFFIX)
        return self._save(file)

    def _save(self, file: Path) -> bool:
        if self.model.study.name in ("Untitled", "") and not self.model.file:
            named = attrs.evolve(self.model.study, name=file.stem)
            self.model.commit("Name the study", named)
        try:
            study_store.save_study(self.model.study, file)
        except SfumatoError as error:
            self.notices.fault(error)
            return False
        self.model.saved(file)
        self._settings.add_recent(file.resolve())
        self._slot.unlink(missing_ok=True)
        self._autosave.stop()
        self._autosave_last.stop()
        self._saver.drop()
        return True

    def autosave_now(self) -> None:
        """Write the study into this window's recovery slot, on a worker: flushing takes time."""
        self._autosave.stop()
        self._autosave_last.stop()
        if not self.model.is_edited:
            return
        original = str(self.model.file) if self.model.file else None
        study, slot = self.model.study, self._slot
        self._saver.ask(lambda _cancel: study_store.autosave(study, slot, original), patient=True)

    def _drop_stale_slot(self) -> None:
        """A recovery copy that came after the study was saved is not wanted."""
        if not self.model.is_edited:
            self._slot.unlink(missing_ok=True)

    def offer_recovery(self) -> None:
        """Say that a study outlived its program, and offer it."""
        found = study_store.recoverable()
        if not found:
            return
        newest = found[0]

        def recover() -> None:
            if self.may_leave():
                file = Path(newest.original) if newest.original else None
                study = newest.study.with_files(lambda f: study_store.lut_file(f.path))
                self.replace(study, file, saved=False)
                self.autosave_now()
                newest.file.unlink(missing_ok=True)

        self.notices.note(
            f"“{newest.study.name}” was not saved when Sfumato ended unexpectedly",
            "its last state was kept",
            "Recover it",
            recover,
        )
