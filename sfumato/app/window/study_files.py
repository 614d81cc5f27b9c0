"""Studies on disk: new, open, save, revert, autosave, recovery."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import attrs
from attrs import frozen
from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QMenu

from sfumato.app.services.jobs import Lane, Turn
from sfumato.app.services.services import Services
from sfumato.app.window.recovery_sheet import RecoverySheet
from sfumato.core.errors import SfumatoError
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import Stamp, drop, exists, stamp_of
from sfumato.work.stores import study_store

AUTOSAVE_MS = 1500
AUTOSAVE_MOST_MS = 4000


@frozen(eq=False)
class _Opened:
    """A study that was read, and what its file was like just before."""

    study: Study
    stamp: Stamp | None


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
        self._has_copy = (
            False  # whether the slot holds a copy of the study as it is since it was saved
        )
        self._recovered: Path | None = None  # a copy that goes when ours is written
        self._former: tuple[Study | None, bool] = (None, False)  # of which study it was asked last
        self._stamp: Stamp | None = None  # of the study's file, as it was read or written here
        self._told: Stamp | None = None  # a change on disk that was noticed already
        self._saver = Lane("autosave", self, turn=Turn.FIRST)
        self._saver.refused.connect(
            lambda e: notices.note(f"No recovery copy: {e.summary}", "save the study elsewhere")
        )
        self._saver.crashed.connect(notices.bug)
        self._saver.answered.connect(lambda _none: self._on_autosaved())
        self._autosave = self._timer()
        self._autosave_last = self._timer()
        self.model.changed.connect(lambda _b, _a: self._plan_autosave())
        app = QGuiApplication.instance()
        assert isinstance(app, QGuiApplication)
        app.focusWindowChanged.connect(self._on_focus)

    def _timer(self) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(self.autosave_now)
        return timer

    def _plan_autosave(self) -> None:
        """Save after the first edit at once, then soon after the last, and every four seconds."""
        if not self._has_copy:
            QTimer.singleShot(0, self, self._keep_first)
        self._autosave.start(AUTOSAVE_MS)
        if not self._autosave_last.isActive():
            self._autosave_last.start(AUTOSAVE_MOST_MS)

    def _keep_first(self) -> None:
        if self.model.is_edited and not self._has_copy:
            self.autosave_now()

    @property
    def slot(self) -> Path:
        """Where this window's recovery copy lies."""
        return self._slot

    def close(self) -> None:
        """The study is saved or given up: its recovery copy goes; one that was taken up stays till then."""
        self._autosave.stop()
        self._autosave_last.stop()
        self._saver.close()
        drop(self._slot)

    def close_window(self) -> None:
        self.services.window.close()

    def may_close(self) -> bool:
        """Ask about work that runs, and about unsaved changes; False = stay here."""
        queue, window = self.services.queue, self.services.window
        return not (queue.is_busy and not self._ports.ask_running(window, queue.title)) and (
            self.may_leave()
        )

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; False = stay here."""
        if not self.model.is_edited:
            return True
        answer = self._ports.ask_unsaved(self.services.window, self.model.study.name)
        if answer == "save":
            return self.save_study()
        return answer == "drop"

    def replace(
        self, study: Study, file: Path | None, stamp: Stamp | None = None, *, saved: bool = True
    ) -> None:
        """Show another study; `stamp` is what its file was like when it was read."""
        self._drop_copy()
        self._stamp, self._told = stamp, None
        self.model.open(study, file, saved=saved)

    def _drop_copy(self) -> None:
        """The study was saved or given up: its recovery copy goes."""
        self._autosave.stop()
        self._autosave_last.stop()
        self._saver.drop()
        drop(self._slot)
        self._has_copy = False

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

        def opened(found: _Opened) -> None:
            if not still():
                return
            self.replace(found.study, file, found.stamp)
            self._settings.add_recent(file.resolve())
            if found.study.is_former:
                self.notices.note(
                    "The study shows what it did in an older version",
                    "new studies draw some glazes and the View otherwise",
                    "Use the new way",
                    self.use_new_way,
                )

        self._read(file, opened)

    def _asked(self) -> Callable[[], bool]:
        """Return what asks once more about a study that went on after the question was answered."""
        before = self.model.study
        return lambda: self.model.study is before or self.may_leave()

    def revert_study(self) -> None:
        def reverted(found: _Opened) -> None:
            self._stamp = found.stamp
            self.model.commit("Revert to the saved study", found.study)

        if self.model.file is not None:
            self._read(self.model.file, reverted)

    def conditions(self) -> dict[str, bool]:
        """Return what the study's own actions depend on."""
        study = self.model.study
        if self._former[0] is not study:
            self._former = study, study.is_former  # looks at each glaze
        return {
            "has_file": self.model.file is not None and self.model.is_edited,
            "is_former": self._former[1],
        }

    def use_new_way(self) -> None:
        """Draw what keeps an older version's picture as new studies do: one step."""
        self.model.commit("Use the new way of drawing", self.model.study.anew())

    def _read(self, file: Path, then: Callable[[_Opened], None]) -> None:
        """Read a study with a worker, then go on with it."""

        def work(_cancel: Cancel, _progress: Progress) -> _Opened:
            stamp = stamp_of(file)  # first: what is written meanwhile is a change
            return _Opened(study_store.open_study(file), stamp)

        self.services.reading.add(f"Opening {file.name}", work, then=then)

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
        if not self._is_changed_on_disk():
            return self._save(self.model.file)
        file = self.model.file
        answer = self._ports.ask_changed(self.services.window, file.name)
        if answer == "open":
            self._read(file, lambda found: self.replace(found.study, file, found.stamp))
            return False
        if answer == "both":
            return self._save(_beside(file))
        return answer == "replace" and self._save(file)

    def _on_focus(self, focused: object) -> None:
        """A window of ours came to the front."""
        if focused is not None:
            self.look_at_disk()

    def _is_changed_on_disk(self) -> bool:
        """Whether the study's file is another than was read or written here; one that is gone is not."""
        now = stamp_of(self.model.file) if self.model.file is not None else None
        return now is not None and now != self._stamp

    def look_at_disk(self) -> None:
        """Say once when the study's file was changed by somebody else."""
        file = self.model.file
        if file is None or file == self._demo or not self._is_changed_on_disk():
            return
        now = stamp_of(file)
        if now == self._told:
            return
        self._told = now

        def open_it() -> None:
            if self.model.file == file:
                self.open_file(file)

        self.notices.note(
            f"{file.name} was changed on disk by another window or program",
            "saving asks before it is replaced",
            "Open it",
            open_it,
        )

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
        self._stamp = stamp_of(file)
        self.model.saved(file)
        self._settings.add_recent(file.resolve())
        self._drop_copy()
        return True

    def autosave_now(self) -> None:
        """Write the study into this window's recovery slot, on a worker: flushing takes time."""
        self._autosave.stop()
        self._autosave_last.stop()
        if not self.model.is_edited:
            return
        original = str(self.model.file) if self.model.file else None
        study, slot = self.model.study, self._slot
        self._has_copy = True
        self._saver.ask(lambda _cancel: study_store.autosave(study, slot, original), patient=True)

    def _on_autosaved(self) -> None:
        """A copy was written: one that it takes the place of goes; a stale one goes itself."""
        if self._recovered is not None:
            drop(self._recovered)
            self._recovered = None
        if not self.model.is_edited:
            drop(self._slot)

    def offer_recovery(self) -> None:
        """Say which studies outlived their program, and offer them."""
        found, damaged = study_store.recoverable()
        found = [each for each in found if each.file != self._slot]
        if not found:
            if damaged:
                self.notices.note(
                    f"A recovery copy is damaged and cannot be opened: {damaged[0]}",
                    "it is left where it is",
                )
            return
        newest = found[0]
        if len(found) == 1 and not damaged:
            self.notices.note(
                f"“{newest.study.name}” was not saved when Sfumato ended unexpectedly",
                "its last state was kept",
                "Recover it",
                lambda: self.recover(newest),
            )
            return
        self.notices.note(
            f"{len(found)} studies were not saved when Sfumato ended unexpectedly",
            "their last states were kept",
            "Show them…",
            self.show_copies,
        )

    def show_copies(self) -> None:
        """Show what was kept of studies that were not saved."""
        found, damaged = study_store.recoverable()
        copies = [each for each in found if each.file != self._slot]
        sheet = RecoverySheet(copies, damaged, self.services.window)
        sheet.recover_wanted.connect(self.recover)
        sheet.forget_wanted.connect(self._forget)
        sheet.open()

    def _forget(self, copy: study_store.Recovered) -> None:
        name = f"the kept state of “{copy.study.name}”"
        words = "It was never saved elsewhere." if copy.original is None else copy.original
        if self._ports.ask_delete(self.services.window, name, words):
            drop(copy.file)
            if exists(copy.file):
                self.notices.note(f"{copy.file} cannot be removed", "check its permissions")
            self.show_copies()

    def recover(self, copy: study_store.Recovered) -> None:
        """Open a kept state; the copy goes when this window has written its own."""
        if not self.may_leave():
            return
        still = self._asked()

        def recovered(found: _Opened) -> None:
            if not still():
                return
            file = Path(copy.original) if copy.original else None
            self.replace(found.study, file, found.stamp, saved=False)
            self._recovered = copy.file
            self.autosave_now()

        def work(_cancel: Cancel, _progress: Progress) -> _Opened:
            stamp = stamp_of(Path(copy.original)) if copy.original else None
            return _Opened(study_store.with_luts(copy.found.opened()), stamp)

        self.services.reading.add(f"Recovering {copy.study.name}", work, then=recovered)


def _beside(file: Path) -> Path:
    """Return a name beside a study that no file has yet."""
    found, i = file, 2
    while exists(found):
        found, i = file.with_name(f"{file.stem} {i}{file.suffix}"), i + 1
    return found
