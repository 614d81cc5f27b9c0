"""Print in the Look room: the picture as printed, the press, and profiles of the Look."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from sfumato.app.rooms.look.print_sheet import PrintSheet
from sfumato.app.rooms.look.profile_sheet import ProfileSheet
from sfumato.app.services.services import Services
from sfumato.work.files import exists
from sfumato.work.luts.print_profiles import MadeProfile, write_profile
from sfumato.work.press_files import press_bytes
from sfumato.work.preview.asks import PRINTED


class PrintEdits(QObject):
    """Opens the sheets of print, reads profiles of presses, writes those of the Look."""

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services = services
        self.sheet: PrintSheet | None = None
        self.profile_sheet: ProfileSheet | None = None

    def show_printed(self) -> None:
        """Show side B as it is printed, and open the sheet of the press."""
        services = self.services
        services.view.set(b=PRINTED)
        if self.sheet is not None:
            self.sheet.raise_()
            return
        self.sheet = sheet = PrintSheet(services.model, services.desk, services.window)
        sheet.press_wanted.connect(self._choose_press)
        sheet.profile_wanted.connect(self.write_profile)
        sheet.destroyed.connect(self._forget)
        sheet.show()

    def _forget(self) -> None:
        self.sheet = None

    def _choose_press(self) -> None:
        sheet = self.sheet
        file = self.services.ports.choose_press(sheet or self.services.window)
        if file is None or sheet is None:
            return

        def take(_data: bytes) -> None:
            if self.sheet is not None:
                self.sheet.take_press(str(file))

        self.services.queue.add(
            "Reading the profile", lambda _cancel, _progress: press_bytes(str(file)), then=take
        )

    def write_profile(self) -> None:
        """Open the sheet that makes a profile of the Look and measures it."""
        services = self.services
        if self.profile_sheet is not None:
            self.profile_sheet.raise_()
            return
        self.profile_sheet = sheet = ProfileSheet(services.model, services.desk, services.window)
        sheet.write_wanted.connect(self._write)
        sheet.destroyed.connect(self._forget_profile)
        sheet.show()

    def _forget_profile(self) -> None:
        self.profile_sheet = None

    def _write(self, made: MadeProfile, name: str) -> None:
        services = self.services
        folder = Path(str(services.settings.get("export_folder", str(Path.home()))))
        parent = self.profile_sheet or services.window
        file = services.ports.choose_profile_save(parent, str(folder / f"{name}.icc"))
        if file is None:
            return
        if file.suffix.lower() not in (".icc", ".icm"):  # the chooser asked about another name
            file = file.with_name(f"{file.name}.icc")
            if exists(file) and not services.ports.ask_replace(parent, file.name):
                return
        press = services.model.study.printing.press

        def done(_none: None) -> None:
            services.settings.set("export_folder", str(file.parent))
            services.notices.good(f"{file.name} was written", "; ".join(made.words()))

        services.queue.add(
            f"Writing {file.name}",
            lambda _cancel, _progress: write_profile(made, file, press, force=True),
            then=done,
        )

    # --- inks of no known press -------------------------------------------------------------------
    def choose_shot_press(self) -> None:
        """Ask for the profile that the inks of the shot are of."""
        shot = self.services.desk.shot
        file = self.services.ports.choose_press(self.services.window)
        if file is None or shot is None:
            return
        wanted = shot.id
        self.services.queue.add(
            "Reading the profile",
            lambda _cancel, _progress: press_bytes(str(file)),
            then=lambda _data: self._take(wanted, str(file)),
        )

    def take_shot_press(self, press: str) -> None:
        """Let the inks of the shot be of a press: a file, "" the one that ships."""
        shot = self.services.desk.shot
        if shot is not None:
            self._take(shot.id, press)

    def _take(self, shot_id: str, press: str) -> None:
        study = self.services.model.study
        if any(s.id == shot_id for s in study.shots):
            after = study.with_shot(shot_id, press=press)
            self.services.model.commit("Set the press of the shot", after)

    @property
    def is_busy(self) -> bool:
        sheets = (self.sheet, self.profile_sheet)
        return any(sheet is not None and sheet.is_busy for sheet in sheets)

    def close(self) -> None:
        for sheet in (self.sheet, self.profile_sheet):
            if sheet is not None:
                sheet.close()
