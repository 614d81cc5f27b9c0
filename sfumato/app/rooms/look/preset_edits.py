"""Presets by action: open the wall, save a glaze or the Look, take in files."""

from __future__ import annotations

from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app.rooms.look.preset_sheet import PresetSheet
from sfumato.app.services.services import Services
from sfumato.app.services.view_state import ViewState
from sfumato.core.errors import SfumatoError
from sfumato.core.study.coat import Coat
from sfumato.core.study.preset import Preset, suits
from sfumato.core.study.study import LOOK
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists
from sfumato.work.stores import presets
from sfumato.work.stores.presets import Shelved


class PresetEdits(QObject):
    """Carries out the actions on presets."""

    def __init__(self, services: Services) -> None:
        super().__init__(services.window)
        self.services, self.model, self.view = services, services.model, services.view
        self.desk, self.notices = services.desk, services.notices
        self.sheet: PresetSheet | None = None
        self.view.changed.connect(self._on_view)

    def open_presets(self) -> None:
        """Open the wall of presets, or bring it to the front."""
        if self.sheet is not None:
            self.sheet.raise_()
            self.sheet.activateWindow()
            return
        self.sheet = sheet = PresetSheet(self.desk, self.notices, self.services.window)
        sheet.wanted.connect(self._put)
        sheet.remove_wanted.connect(self._remove)
        sheet.destroyed.connect(self._forget)
        sheet.show()

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.shot != after.shot:
            self._refill()  # the tiles show the shot that is chosen

    def _forget(self) -> None:
        self.sheet = None

    def _put(self, preset: Preset, where: str) -> None:
        shot = self.desk.shot
        if where == LOOK:
            self.lay(preset, LOOK)
        elif shot is not None:
            self.lay(preset, shot.id)

    def lay(self, preset: Preset, where: str) -> None:
        """Put a preset into the Look or a Ground: into an empty Look as it is, else as one row."""
        study = self.model.study
        if where == LOOK and not study.look.coats:
            study = attrs.evolve(study, look=preset.as_look())
            coats: tuple[Coat, ...] = study.look.coats
        else:
            coats = preset.fresh()
            for coat in coats:
                study = study.added(where, coat)
        place = "the Look" if where == LOOK else f"the Ground of {study.shot(where).name}"
        self.model.commit(f"Put {preset.name} into {place}", study)
        if where in (LOOK, self.view.now.shot):
            self.view.set(coat=coats[-1].id)
        if len(coats) > 1 and coats != study.look.coats and preset.strength != 1.0:
            self.notices.note(
                f"The Strength of {preset.name}, {preset.strength * 100:.0f} %, is not kept",
                "it holds groups, which no group can hold: set their own",
            )
        if preset.made_for != suits(study.working):
            self.notices.note(
                f"{preset.name} was made for {preset.made_for} sources",
                f"this study works in {study.working}: judge it by eye, or undo",
            )

    def take(self, files: list[Path], where: str) -> None:
        """Put dropped preset files into the Look or a Ground; what fails is said."""
        if not files:
            return

        def work(cancel: Cancel, _progress: Progress) -> tuple[list[Preset], list[SfumatoError]]:
            found: list[Preset] = []
            faults: list[SfumatoError] = []
            for file in files:
                cancel.check()
                try:
                    found.append(presets.read_preset(file))
                except SfumatoError as error:
                    faults.append(error)
            return found, faults

        def laid(answer: tuple[list[Preset], list[SfumatoError]]) -> None:
            for preset in answer[0]:
                self.lay(preset, where)
            for fault in answer[1]:
                self.notices.fault(fault)

        self.services.reading.add(f"Reading {len(files)} presets", work, then=laid)

    # --- saving ------------------------------------------------------------------------------------
    def save_preset(self) -> None:
        """Save the chosen glaze or group for use in other studies."""
        coat = self.model.study.coat(self.view.now.coat)
        name = self.services.ports.ask_name(
            self.services.window, "Save the glaze as a preset", coat.title
        )
        if name:
            named = attrs.evolve(coat, name=name)
            self._save(Preset(name, (named,), self.model.study.working), presets.GLAZE)

    def save_look_preset(self) -> None:
        """Save all glazes of the Look for use in other studies."""
        study = self.model.study
        look = study.look
        name = self.services.ports.ask_name(
            self.services.window, "Save the Look as a preset", look.name
        )
        if name:
            preset = Preset(name, look.coats, study.working, strength=look.strength)
            self._save(preset, presets.LOOK)

    def _save(self, preset: Preset, suffix: str) -> None:
        file = presets.library() / presets.file_name(preset.name, suffix)
        force = exists(file)
        if force and not self.services.ports.ask_replace(self.services.window, file.name):
            return
        try:
            presets.write_preset(preset, file, force=force)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.notices.good(f"{preset.name} is saved among your presets", str(file))
        self._refill()

    def _refill(self) -> None:
        if self.sheet is not None:
            self.sheet.refill()

    def _remove(self, each: Shelved) -> None:
        name = each.preset.name if each.preset else each.file.name
        words = "Studies that use it keep their glazes."
        if not self.services.ports.ask_delete(self.services.window, name, words):
            return
        try:
            each.file.unlink(missing_ok=True)
        except OSError as error:
            self.notices.note(f"{each.file.name} cannot be deleted", error.strerror or "")
            return
        self.notices.note(f"{name} is deleted")
        self._refill()

    @property
    def is_busy(self) -> bool:
        return self.sheet is not None and self.sheet.is_busy

    def close(self) -> None:
        if self.sheet is not None:
            self.sheet.close()
