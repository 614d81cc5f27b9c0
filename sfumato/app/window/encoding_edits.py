"""Encodings by action: the sheet of the user's own, files of encodings, decoders."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app.services.services import Services
from sfumato.app.window.config_sheet import ConfigSheet
from sfumato.app.window.encoding_sheet import EncodingSheet
from sfumato.core.colour.encodings import add_encodings
from sfumato.core.colour.user_encoding import UserEncoding
from sfumato.core.errors import SfumatoError
from sfumato.core.study.study_json import used_encodings
from sfumato.work.files import exists
from sfumato.work.stores import encoding_store
from sfumato.work.stores.ocio_config import SUFFIXES as CONFIGS
from sfumato.work.stores.ocio_config import Opened, open_config


class EncodingEdits(QObject):
    """Carries out the actions on encodings, and reads files of them."""

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services, self.model, self.desk = services, services.model, services.desk
        self.notices = services.notices
        self.sheet: EncodingSheet | None = None

    def open_encodings(self) -> None:
        """Open the sheet of the user's own encodings, or bring it to the front."""
        if self.sheet is not None:
            self.sheet.raise_()
            self.sheet.activateWindow()
            return
        self.sheet = sheet = EncodingSheet(self.services.window, self.desk.shot is not None)
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
            self.model.state_encoding(shot.id, own.name)
        self.notices.good(
            f"{own.name} is among the encodings", "and travels with studies that use it"
        )

    def _moved(self) -> None:
        self.desk.forget()
        if self.sheet is not None:
            self.sheet.refill()

    def _remove(self, name: str) -> None:
        if name in [e.name for e in used_encodings(self.model.study)]:
            self.notices.note(
                f"{name} is used in this study", "give the shots another encoding first"
            )
            return
        words = "Studies that use it carry it with them."
        if self.services.ports.ask_delete(self.services.window, name, words):
            self._tried(lambda: encoding_store.forget(name))
            self._moved()

    def _on_file_wanted(self, what: str) -> None:
        sheet, ports = self.sheet, self.services.ports
        if sheet is None:
            return
        if what == "save":
            file = ports.choose_encoding_save(sheet, f"{sheet.draft.name}{encoding_store.SUFFIX}")
            if file is not None:
                force = exists(file)  # the chooser has asked
                draft, place = sheet.draft, file
                self._tried(lambda: encoding_store.write_encoding(draft, place, force=force))
        elif what == "open":
            file = ports.choose_encoding(sheet)
            if file is not None:
                self.open_file(file)
        else:
            files = ports.choose_luts(sheet, str(Path.home()), "LUT that takes codes to light")
            if files:
                self.services.reading.add(
                    f"Reading {files[0].name}",
                    lambda _cancel, _progress: encoding_store.read_decoder(files[0]),
                    then=sheet.take_decoder,
                )

    # --- OCIO configs ------------------------------------------------------------------------------
    def open_config(self) -> None:
        """Choose an OCIO config whose colour spaces and views are to be used."""
        sheet = ConfigSheet(self.services.window, self.model.study.configs)
        sheet.chosen.connect(self.take_config)
        sheet.file_wanted.connect(self._choose_config)
        sheet.open()

    def _choose_config(self) -> None:
        file = self.services.ports.choose_config(self.services.window)
        if file is not None:
            self.take_config(str(file))

    def take_config(self, where: str) -> None:
        """Open a config in the background and note it in the study."""
        self.services.reading.add(
            "Opening the config",
            lambda _cancel, _progress: open_config(where),
            then=self._config_opened,
        )

    def _config_opened(self, found: Opened) -> None:
        """Make known what a config brought, and say it."""
        add_encodings(found.encodings)
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
        self.services.reading.add(
            f"Reading {file.name}",
            lambda _cancel, _progress: encoding_store.read_encoding(file),
            then=self._show_read,
        )

    def _show_read(self, own: UserEncoding) -> None:
        self.open_encodings()
        assert self.sheet is not None
        self.sheet.take(own)

    def take(self, files: list[Path]) -> list[Path]:
        """Take dropped encodings and OCIO configs; return the rest."""
        for file in files:
            if file.suffix == ".json":
                self.open_file(file)
            elif file.suffix in CONFIGS:
                self.take_config(str(file))
        return [f for f in files if f.suffix not in (".json", *CONFIGS)]
