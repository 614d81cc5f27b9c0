"""Encodings by action: the sheet of the user's own, files of encodings, decoders."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal

from sfumato.app.services.desk import Desk
from sfumato.app.services.notices import Notices
from sfumato.app.services.study_model import StudyModel
from sfumato.app.window.config_sheet import ConfigSheet
from sfumato.app.window.encoding_sheet import EncodingSheet
from sfumato.core.colour.user_encoding import UserEncoding
from sfumato.core.errors import SfumatoError
from sfumato.core.study.study_json import used_encodings
from sfumato.work.stores import encoding_store
from sfumato.work.stores.ocio_config import Opened, open_config


class EncodingEdits(QObject):
    """`changed()` when another set of encodings is known."""

    changed = Signal()

    def __init__(self, window: Any, model: StudyModel, desk: Desk, notices: Notices) -> None:
        super().__init__(window)
        self._window, self.model, self.desk, self.notices = window, model, desk, notices
        self.sheet: EncodingSheet | None = None

    def open_encodings(self) -> None:
        """Open the sheet of the user's own encodings, or bring it to the front."""
        if self.sheet is not None:
            self.sheet.raise_()
            self.sheet.activateWindow()
            return
        self.sheet = sheet = EncodingSheet(self._window, self.desk.shot is not None)
        sheet.kept.connect(self._keep)
        sheet.remove_wanted.connect(self._remove)
        sheet.file_wanted.connect(self._on_file_wanted)
        sheet.destroyed.connect(self._forget)
        sheet.show()

    def _forget(self) -> None:
        self.sheet = None

    def _tried(self, run: Callable[[], object]) -> bool:
        """Do something with files; what goes wrong is told in the strip."""
        try:
            run()
        except SfumatoError as error:
            self.notices.fault(error)
            return False
        return True

    def _keep(self, own: UserEncoding, use: bool) -> None:
        if not self._tried(lambda: encoding_store.keep(own)):
            return
        self._moved()
        shot = self.desk.shot
        if use and shot is not None:
            self._window.ledger.edits.encoding(shot.id, own.name)
        self.notices.good(
            f"{own.name} is among the encodings", "and travels with studies that use it"
        )

    def _moved(self) -> None:
        self.desk.previewer.forget()
        self.desk.refresh()
        if self.sheet is not None:
            self.sheet.refill()
        self.changed.emit()

    def _remove(self, name: str) -> None:
        if name in [e.name for e in used_encodings(self.model.study)]:
            self.notices.note(
                f"{name} is used in this study", "give the shots another encoding first"
            )
            return
        words = "Studies that use it carry it with them."
        if self._window.ports.ask_delete(self._window, name, words):
            self._tried(lambda: encoding_store.forget(name))
            self._moved()

    def _on_file_wanted(self, what: str) -> None:
        sheet, ports = self.sheet, self._window.ports
        if sheet is None:
            return
        if what == "save":
            file = ports.choose_encoding_save(sheet, f"{sheet.draft.name}{encoding_store.SUFFIX}")
            if file is not None:
                force = file.exists()  # the chooser has asked
                self._tried(lambda: encoding_store.write_encoding(sheet.draft, file, force=force))
        elif what == "open":
            file = ports.choose_encoding(sheet)
            if file is not None:
                self.open_file(file)
        else:
            files = ports.choose_luts(sheet, str(Path.home()))
            if files:
                self._tried(lambda: sheet.take_decoder(encoding_store.read_decoder(files[0])))

    # --- OCIO configs ------------------------------------------------------------------------------
    def open_config(self) -> None:
        """Choose an OCIO config whose colour spaces and views are to be used."""
        sheet = ConfigSheet(self._window, self.model.study.configs)
        sheet.chosen.connect(self.take_config)
        sheet.file_wanted.connect(self._choose_config)
        sheet.open()

    def _choose_config(self) -> None:
        file = self._window.ports.choose_config(self._window)
        if file is not None:
            self.take_config(str(file))

    def take_config(self, where: str) -> None:
        """Open a config in the background and note it in the study."""
        self._window.queue.add(
            "Opening the config", lambda _cancel, _progress: open_config(where), "config"
        )

    def config_opened(self, found: Opened) -> None:
        """Say what a config brought."""
        study = self.model.study
        if found.where not in study.configs:
            after = attrs.evolve(study, configs=(*study.configs, found.where))
            self.model.commit(f"Use the config {found.name}", after)
        self._moved()
        what = f"{len(found.spaces)} colour spaces are among the encodings now"
        self.notices.good(what, f"and {len(found.views)} views among the displays of the View")
        for remark in found.remarks:
            self.notices.note(remark, "check that the picture looks right")

    def open_file(self, file: Path) -> None:
        """Show an encoding file in the sheet; it is kept when the person says so."""

        def take() -> None:
            own = encoding_store.read_encoding(file)
            self.open_encodings()
            assert self.sheet is not None
            self.sheet.take(own)

        self._tried(take)
