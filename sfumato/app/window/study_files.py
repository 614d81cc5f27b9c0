"""Studies on disk: new, open, save, revert, autosave, recovery."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import attrs
from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QMenu

from sfumato.app.services.jobs import Lane
from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError
from sfumato.core.study.study import Study
from sfumato.work.stores import study_store

AUTOSAVE_MS = 1500
AUTOSAVE_MOST_MS = 4000


class StudyFiles(QObject):
    """Carries out the actions on study files."""

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services, self.model, self.notices = services, services.model, services.notices
        self._settings, self._ports, self._demo = (
            services.settings,
            services.ports,
            services.demo,
        )
        notices = services.notices
        self._slot = study_store.new_slot()
        self._saver = Lane("autosave", self)
        self._saver.refused.connect(
            lambda e: notices.note(f"No recovery copy: {e.summary}", "save the study elsewhere")
        )
        self._saver.crashed.connect(notices.bug)
        self._saver.answered.connect(lambda _none: self._drop_stale_slot())
        self._autosave = self._timer()
        self._autosave_last = self._timer()
        self.model.changed.connect(lambda _b, _a: self._plan_autosave())

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
        answer = self._ports.ask_unsaved(self.services.window, self.model.study.name)
        if answer == "save":
            return self.save_study()
        return answer == "drop"

    def replace(self, study: Study, file: Path | None, *, saved: bool = True) -> None:
        self._slot.unlink(missing_ok=True)
        self.model.open(study, file, saved=saved)

    def new_study(self) -> None:
        if self.may_leave():
            self.replace(Study(), None)

    def open_study(self) -> None:
        folder = str(self.model.file.parent) if self.model.file else str(Path.home())
        file = self._ports.choose_study(self.services.window, folder)
        if file is not None:
            self.open_file(file)

    def open_demo(self) -> None:
        if self._demo is None:
            self.notices.note("The demo study is not installed", "run Sfumato from a checkout")
            return
        self.open_file(self._demo)

    def open_file(self, file: Path) -> None:
        """Open a study; a file that cannot be opened leaves everything as it is."""
        if not self.may_leave():
            return

        still = self._asked()

        def opened(study: Study) -> None:
            if not still():
                return
            self.replace(study, file)
            self._settings.add_recent(file.resolve())

        self._read(file, opened)

    def _asked(self) -> Callable[[], bool]:
        """Return what asks once more about a study that went on after the question was answered."""
        before = self.model.study
        return lambda: self.model.study is before or self.may_leave()

    def revert_study(self) -> None:
        if self.model.file is not None:
            self._read(
                self.model.file, lambda study: self.model.commit("Revert to the saved study", study)
            )

    def _read(self, file: Path, then: Callable[[Study], None]) -> None:
        """Read a study with a worker, then go on with it."""
        self.services.reading.add(
            f"Opening {file.name}",
            lambda _cancel, _progress: study_store.open_study(file),
            then=then,
        )

    def take(self, files: list[Path]) -> list[Path]:
        """Open the first dropped study; return what is none."""
        studies = [f for f in files if f.suffix == study_store.SUFFIX]
        if studies:
            self.open_file(studies[0])
        return [f for f in files if f not in studies]

    # --- recent studies ----------------------------------------------------------------------------
    def add_recent_menu(self, menu: QMenu) -> None:
        """Add the menu of the studies that were open last."""
        self._recent = menu.addMenu("Open recent")
        self._recent.aboutToShow.connect(self._fill_recent)
        self._fill_recent()

    def _fill_recent(self) -> None:
        self._recent.clear()
        for name in self._settings.recent:
            self._recent.addAction(name, partial(self.open_file, Path(name)))
        self._recent.setEnabled(bool(self._settings.recent))

    @property
    def is_busy(self) -> bool:
        """Whether a recovery copy is being written."""
        return self._saver.is_busy

    def save_study(self) -> bool:
        if self.model.file is None or self.model.file == self._demo:
            return self.save_study_as()
        return self._save(self.model.file)

    def save_study_as(self) -> bool:
        name = f"{self.model.study.name}{study_store.SUFFIX}"
        folder = self.model.file.parent if self.model.file else Path.home()
        file = self._ports.choose_save(self.services.window, str(folder / name))
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

        def recovered(study: Study, still: Callable[[], bool]) -> None:
            if not still():
                return
            file = Path(newest.original) if newest.original else None
            self.replace(study, file, saved=False)
            self.autosave_now()
            newest.file.unlink(missing_ok=True)

        def recover() -> None:
            if self.may_leave():
                still = self._asked()
                self.services.reading.add(
                    f"Recovering {newest.study.name}",
                    lambda _cancel, _progress: study_store.with_luts(newest.found.opened()),
                    then=lambda study: recovered(study, still),
                )

        self.notices.note(
            f"“{newest.study.name}” was not saved when Sfumato ended unexpectedly",
            "its last state was kept",
            "Recover it",
            recover,
        )
