"""The Swatchbook by action: folders, files, into the Look, out as LUTs and contact sheets."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import QObject, QPoint

from sfumato.app.controls.parts import passing_menu
from sfumato.app.rooms.swatchbook import contact_sheet
from sfumato.app.rooms.swatchbook.contact_sheet import Frame
from sfumato.app.rooms.swatchbook.selection import ALL, KEPT_ONES
from sfumato.app.rooms.swatchbook.swatch_model import TILE, SwatchModel
from sfumato.app.rooms.swatchbook.swatch_page import SwatchPage
from sfumato.app.services.services import Services
from sfumato.core.arrays import Rgb
from sfumato.core.errors import FormatError, SfumatoError
from sfumato.core.path import path
from sfumato.core.study.coat import Coat
from sfumato.core.study.study import LOOK, Study
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists, free, is_file, is_folder, plain_name, read_bytes, write_bytes
from sfumato.work.luts import swatches as work
from sfumato.work.luts.deliver import write_lut
from sfumato.work.luts.swatches import KEPT, PASSED, Swatch, as_lut, takes
from sfumato.work.outlets.packs import is_pack, packs_folder, unpacked
from sfumato.work.stores.coats import coat_of, place_in_library
from sfumato.work.stores.presets import is_shipped, shipped_folder

_GRID = 33
_ON_THE_FILE = ("swatch_rename", "swatch_move", "swatch_reveal", "swatch_trash")


class SwatchEdits(QObject):
    """Carries out the actions of the Swatchbook."""

    def __init__(self, services: Services, swatches: SwatchModel, room: SwatchPage) -> None:
        super().__init__(services.window)
        self.services, self.swatches = services, swatches
        self.model, self.desk, self.notices = services.model, services.desk, services.notices
        swatches.set_folders(services.settings.texts("swatch_folders"))
        room.put_wanted.connect(self.swatch_put)
        room.folder_wanted.connect(self.swatch_add_folder)
        room.shipped_wanted.connect(lambda: self.add_folders([shipped_folder()]))
        room.folder_dropped.connect(self.drop_folder)
        room.save_wanted.connect(self.swatch_save)
        room.sheet_wanted.connect(self.swatch_sheet)
        room.convert_wanted.connect(self.swatch_convert)
        room.rename_wanted.connect(self.swatch_rename)
        room.move_wanted.connect(self.swatch_move)
        room.trash_wanted.connect(self.swatch_trash)
        room.reveal_wanted.connect(self.swatch_reveal)
        room.menu_wanted.connect(self.show_menu)
        swatches.chosen_changed.connect(self._name_file)

    # --- folders -------------------------------------------------------------------------------------
    def _set_folders(self, folders: list[str]) -> None:
        self.swatches.set_folders(folders)
        self.services.settings.set("swatch_folders", list(self.swatches.folders))

    def read_folders(self) -> None:
        """Show the folders that are kept in the settings: another room may have added one."""
        kept = self.services.settings.texts("swatch_folders")
        if tuple(kept) != self.swatches.folders:
            self.swatches.set_folders(kept)

    def swatch_add_folder(self) -> None:
        start = Path(self.swatches.folders[-1]) if self.swatches.folders else Path.home()
        folder = self.services.ports.choose_folder(
            self.services.window, start, "Folder of looks to show"
        )
        if folder is not None:
            self.add_folders([folder])

    def add_folders(self, folders: list[Path]) -> None:
        self._set_folders([*self.swatches.folders, *(str(f.resolve()) for f in folders)])

    def drop_folder(self, folder: str) -> None:
        """Show a folder no longer; its files stay where they are."""
        self._set_folders([f for f in self.swatches.folders if f != folder])

    def take(self, files: list[Path]) -> list[Path]:
        """Take dropped looks into the folder that is shown, show dropped folders and packs; return the rest."""
        packs = [f for f in files if is_pack(f) and is_file(f)]
        for file in packs:
            self._open_pack(file)
        files = [f for f in files if f not in packs]
        self.add_folders([f for f in files if is_folder(f)])
        looks = [f for f in files if is_file(f) and takes(f)]
        shown = self.swatches.wall.folder
        folder = shown if shown not in (ALL, KEPT_ONES) else next(iter(self.swatches.folders), "")
        if looks and folder:
            self._take_in(looks, Path(folder))
        elif looks:
            self.add_folders([looks[0].parent])
        return [f for f in files if not is_folder(f) and f not in looks]

    def _open_pack(self, file: Path) -> None:
        """Unpack a pack into the user's own folder, and show that."""

        def work(cancel: Cancel, progress: Progress) -> Path:
            progress(0.1, file.name)
            return unpacked(file, packs_folder(), cancel.check)

        def then(folder: Path) -> None:
            self.add_folders([folder])
            self.notices.good(f"{folder.name} is opened", str(folder))

        self.services.reading.add(f"Opening {file.name}", work, then=then)

    def _take_in(self, looks: list[Path], folder: Path) -> None:
        def read(cancel: Cancel, progress: Progress) -> list[tuple[Path, bytes]]:
            found = []
            for i, file in enumerate(looks):
                cancel.check()
                progress(i / len(looks), file.name)
                found.append((file, read_bytes(file, FormatError)))
            return found

        def put(found: list[tuple[Path, bytes]]) -> None:
            self.swatches.files.take_in(found, folder)

        self.services.reading.add("Reading the looks", read, then=put)

    # --- into the Look -------------------------------------------------------------------------------
    def swatch_put(self) -> None:
        """Put what side B shows into the Look, each with what it expects and gives."""
        study, book, build = self.model.study, self.swatches.book, self.swatches.build()
        if build is None:
            return
        name, layers = build.name, build.layers

        def put(_cancel: Cancel, progress: Progress) -> tuple[str, list[Coat]]:
            if build.is_mix:
                return name, [_baked(build.run(book, study), study, name)]
            coats: list[Coat] = []
            for i, layer in enumerate(layers):
                progress(i / len(layers), layer.swatch.file.name)
                loaded = book.load(layer.swatch)
                if loaded.preset is not None:
                    found = list(loaded.preset.fresh())
                else:
                    found = [coat_of(layer.swatch.file, study, layer.ends)]
                if layer.strength != 1.0:
                    found = [attrs.evolve(c, strength=c.strength * layer.strength) for c in found]
                coats += found
            return name, coats

        self.services.queue.add(f"Putting {name} into the Look", put, then=self._laid)

    def _wrote(self, answer: tuple[Path, str]) -> None:
        file, words = answer
        self.swatches.rescan()
        self.notices.good(f"{file.name} is written", words)

    def _laid(self, answer: tuple[str, list[Coat]]) -> None:
        name, coats = answer
        after = self.model.study
        for coat in coats:
            strength = min(coat.strength, 2.0)
            after = after.added(LOOK, attrs.evolve(coat, strength=strength))
        self.model.commit(f"Put {name} into the Look", after)
        self.notices.good(f"{name} is in the Look", "Alt+1 shows it")

    # --- out as files --------------------------------------------------------------------------------
    def swatch_save(self) -> None:
        """Write what side B shows as a LUT between working values."""
        build, study, book = self.swatches.build(), self.model.study, self.swatches.book
        if build is None:
            return
        name = build.name
        folder = self.swatches.chosen.file.parent if self.swatches.chosen else Path.home()
        file = self.services.ports.choose_lut_save(
            self.services.window, str(folder / f"{plain_name(name)}.cube")
        )
        if file is None:
            return
        self._write(lambda: build.run(book, study), study, name, file, force=exists(file))

    def swatch_convert(self) -> None:
        """Write the chosen look, as it fits this study, beside its file; of those that ship, elsewhere."""
        swatch, study, book = self.swatches.chosen, self.model.study, self.swatches.book
        facts = self.swatches.facts.get(swatch.key) if swatch is not None else None
        if swatch is None or facts is None:
            return
        ends = work.ends_of(facts, study, self.swatches.remark(swatch).ends)
        name = f"{self.swatches.name(swatch)} for {study.working}"
        plain = f"{plain_name(name)}.cube"
        file: Path | None = free(swatch.file.with_name(plain))
        if is_shipped(swatch.on_disk):
            file = self.services.ports.choose_lut_save(self.services.window, plain)
        if file is not None:
            force = exists(file)  # the chooser has asked
            self._write(lambda: book.layer(study, swatch, ends), study, name, file, force)

    def _write(
        self,
        run: Callable[[], Callable[[Rgb], Rgb]],
        study: Study,
        name: str,
        file: Path,
        force: bool = False,
    ) -> None:
        def write(_cancel: Cancel, progress: Progress) -> tuple[Path, str]:
            progress(0.2, f"baking {_GRID} points")
            lut = as_lut(run(), study, name, _GRID)
            write_lut(lut, file, force=force)
            return file, f"{_GRID} points, expects and gives {study.working}"

        self.services.queue.add(f"Writing {file.name}", write, then=self._wrote)

    def swatch_sheet(self) -> None:
        """Write what the wall shows as a contact sheet."""
        shown, shot = list(self.swatches.visible), self.desk.shot
        if not shown or shot is None:
            self.notices.note(
                "There is nothing to put on a sheet", "show looks and bring in a shot"
            )
            return
        file = self.services.ports.choose_sheet(self.services.window, f"{shot.name} looks.pdf")
        if file is None:
            return
        model, study = self.swatches, self.model.study
        jobs = [(s, model.ends(s), model.name(s), model.remark(s).mark) for s in shown]
        known, previewer, book = dict(model.tiles), self.desk.previewer, model.book
        title = f"{shot.name} through {len(shown)} looks"
        force = exists(file)  # the chooser has asked

        def write(cancel: Cancel, progress: Progress) -> tuple[Path, str]:
            code = path.through_ground(shot, study, previewer.cut(study, shot, *TILE))
            frames = []
            for i, (swatch, ends, name, mark) in enumerate(jobs):
                cancel.check()
                progress(0.9 * i / len(jobs), name)
                picture = known.get(swatch.key)
                if picture is None:
                    try:
                        seen = book.seen(study, swatch, ends)(code)
                    except SfumatoError:
                        continue
                    picture = previewer.screened_whole(study, seen)
                if picture.size:
                    frames.append(Frame(picture, name, mark))
            as_bytes = (
                contact_sheet.as_png if file.suffix.lower() == ".png" else contact_sheet.as_pdf
            )
            write_bytes(file, as_bytes(frames, title), force=force)
            return file, f"{len(frames)} looks"

        self.services.queue.add(f"Writing {file.name}", write, then=self._wrote)

    # --- files ---------------------------------------------------------------------------------------
    def _name_file(self) -> None:
        """Let every command on the chosen file say which that is."""
        swatch = self._chosen()
        name = swatch.file.name if swatch is not None else ""
        self.services.actions.name_file(name, _ON_THE_FILE)

    def _chosen(self) -> Swatch | None:
        return self.swatches.chosen

    def _file(self) -> Swatch | None:
        """Return the chosen look when it is a file of its own; that it is not is said."""
        swatch = self._chosen()
        if swatch is None or swatch.on_disk == swatch.file:
            return swatch
        self.notices.note(
            f"{swatch.on_disk.name} holds this look and others",
            "rename, move or remove the file itself in its folder",
        )
        return None

    def swatch_rename(self) -> None:
        swatch = self._file()
        if swatch is None:
            return
        name = self.services.ports.ask_name(
            self.services.window, "Rename the file", swatch.file.stem
        )
        plain = name.replace("/", "_").replace("\0", "_").strip() if name else ""
        if plain and plain != swatch.file.stem:
            self.swatches.files.move(swatch, swatch.file.with_name(f"{plain}{swatch.file.suffix}"))

    def swatch_move(self) -> None:
        swatch = self._file()
        if swatch is None:
            return
        folder = self.services.ports.choose_folder(
            self.services.window, swatch.file.parent, "Folder to move the look to"
        )
        if folder is not None and folder != swatch.file.parent:
            self.swatches.files.move(swatch, folder / swatch.file.name)

    def swatch_trash(self) -> None:
        swatch = self._file()
        if swatch is not None:
            self.swatches.files.trash(swatch)

    def swatch_reveal(self) -> None:
        swatch = self._chosen()
        if swatch is not None:
            self.services.ports.reveal(swatch.on_disk)

    def swatch_keep(self) -> None:
        self.swatches.toggle_mark(KEPT)

    def swatch_pass(self) -> None:
        self.swatches.toggle_mark(PASSED)

    def show_menu(self, at: QPoint) -> None:
        menu = passing_menu(self.services.window)
        for name in (
            "swatch_put",
            "swatch_keep",
            "swatch_pass",
            "swatch_convert",
            "swatch_rename",
            "swatch_move",
            "swatch_reveal",
            "swatch_trash",
        ):
            menu.addAction(self.services.actions.by_id[name])
        menu.popup(at)


def _baked(run: Callable[[Rgb], Rgb], study: Study, name: str) -> Coat:
    """Bake a look into the user's own folder of LUTs, and return it as a glaze."""
    file = place_in_library(name)
    write_lut(as_lut(run, study, name, _GRID), file)
    return attrs.evolve(coat_of(file, study), name=name)
