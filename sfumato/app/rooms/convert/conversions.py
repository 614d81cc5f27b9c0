"""Carries out the actions of the Convert room: adding, comparing, converting."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app.controls.parts import passing_menu
from sfumato.app.rooms.convert.convert_model import Bench, ConvertModel
from sfumato.app.rooms.convert.convert_page import ConvertPage
from sfumato.app.services.jobs import Lane
from sfumato.app.services.services import Services
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert as converted
from sfumato.core.errors import SfumatoError
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import is_folder
from sfumato.work.luts.batch import Row, run
from sfumato.work.luts.compare import Comparison, compared
from sfumato.work.luts.looks import read_look
from sfumato.work.luts.lut_files import display_of

_PICTURE_WIDTH = 480


class Conversions(QObject):
    """Owns the batch that runs and the comparison that is asked for."""

    def __init__(
        self, services: Services, model: ConvertModel, room: ConvertPage, key: str
    ) -> None:
        super().__init__(services.window)
        self.services, self.model, self.room, self._key = services, model, room, key
        self._desk, self.notices, self._settings = (
            services.desk,
            services.notices,
            services.settings,
        )
        self._lane = Lane("compare", self)
        self._lane.answered.connect(self._on_compared)
        self._lane.refused.connect(self.notices.fault)
        self._lane.crashed.connect(self.notices.bug)
        services.desk.screen_changed.connect(lambda: self._show_compared(room.compare.comparison))
        room.list.add_wanted.connect(self.add_luts)
        room.list.folder_wanted.connect(self.add_lut_folder)
        room.list.demo_wanted.connect(self.add_demo_luts)
        room.assay.compare_wanted.connect(self.compare_luts)
        room.targets.convert_wanted.connect(self.convert_files)
        room.targets.folder_wanted.connect(self._choose_folder)
        room.batch.cancel_wanted.connect(services.queue.cancel)
        room.batch.reveal_wanted.connect(lambda folder: services.ports.reveal(Path(folder)))
        self._running = False
        kept = str(self._settings.get("convert", ""))
        if kept:
            model.restore(Bench.remembered(kept))

    # --- files in --------------------------------------------------------------------------------
    def add_luts(self) -> None:
        folder = str(self._settings.get("lut_folder", str(Path.home())))
        files = self.services.ports.choose_luts(self.services.window, folder)
        if files:
            self._settings.set("lut_folder", str(files[0].parent))
            self.take(files)

    def add_lut_folder(self) -> None:
        folder = Path(str(self._settings.get("lut_folder", str(Path.home()))))
        chosen = self.services.ports.choose_folder(
            self.services.window, folder, "Folder of LUT files to add"
        )
        if chosen is not None:
            self._settings.set("lut_folder", str(chosen))
            self.take([chosen])

    def add_demo_luts(self) -> None:
        folder = self.services.demo.parent / "luts" if self.services.demo else None
        if folder is None or not is_folder(folder):
            self.notices.note("The demo files are not installed", "run Sfumato from a checkout")
            return
        self.take([folder])

    def take(self, files: list[Path]) -> None:
        self.room.show_assay()
        self.services.view.set(room=self._key)
        self.model.add(files)

    # --- comparing -------------------------------------------------------------------------------
    def compare_luts(self) -> None:
        """Offer the other files of the list, and any file."""
        now = self.model.entry()
        if now is None:
            return
        menu = passing_menu(self.services.window)
        menu.setObjectName("compare.menu")
        for entry in self.model.bench.entries:
            if entry.path != now.path:
                action = menu.addAction(entry.path.name, partial(self.compare, entry.path))
                action.setObjectName(f"compare.{entry.path.name}")
        menu.addSeparator()
        menu.addAction("A file…", self._compare_file)
        button = self.room.assay._compare
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def _compare_file(self) -> None:
        folder = str(self._settings.get("lut_folder", str(Path.home())))
        title = "LUT file to compare with"
        files = self.services.ports.choose_luts(self.services.window, folder, title)
        if files:
            self.compare(files[0])

    def compare(self, other: Path) -> None:
        """Compare the chosen file, as it will be written, with another, over the cube and on the shot."""
        now, entry = self.model.now, self.model.entry()
        if entry is None:
            return
        second = next((e for e in self.model.bench.entries if e.path == other), None)
        reading = second.reading if second else ""
        shot, frames = self._desk.shot, self._desk.frames

        def work(cancel: Cancel) -> Comparison:
            a = now.transform if now is not None and now.entry == entry else None
            a = a or read_look(entry.path, entry.reading).transform
            b = read_look(other, reading).transform
            picture = None
            if shot is not None:
                try:
                    picture = frames.sample(shot, _PICTURE_WIDTH)
                except SfumatoError:
                    picture = None  # the shot's own fault is said where shots are
            expects = span_note.read(a.comments)[0]
            if picture is not None and shot is not None and expects and shot.encoding:
                picture = converted(picture, shot.encoding, expects)
            names = (entry.path.name, other.name)
            return compared(names, a, b, display_of(a), picture, cancel)

        self._lane.ask(work)

    def _on_compared(self, found: Comparison) -> None:
        self._show_compared(found)
        self.room.middle.setCurrentWidget(self.room.compare)

    def _show_compared(self, found: Comparison | None) -> None:
        if found is not None:
            self.room.compare.show_comparison(
                found, partial(self.services.seen, display=found.display)
            )

    # --- converting ------------------------------------------------------------------------------
    def _choose_folder(self) -> None:
        bench = self.model.bench
        chosen = self.services.ports.choose_folder(
            self.services.window, Path(bench.folder or Path.home()), "Folder for what is converted"
        )
        if chosen is not None:
            self.model.commit("Folder", attrs.evolve(bench, folder=str(chosen)))

    def convert_files(self) -> None:
        """Run the batch; its rows are shown as they come, and stay after a cancel."""
        if self._running or not self.room.targets.go.isEnabled():
            return
        try:
            batch = self.model.bench.batch()
        except SfumatoError as error:
            self.services.notices.fault(error)
            return
        rows: list[Row] = []
        count = batch.count * (2 if batch.recipe.part == "tone and colour" else 1)
        self._running = True
        self.room.batch.start(rows, count, str(batch.folder))
        self.room.middle.setCurrentWidget(self.room.batch)

        def work(cancel: Cancel, progress: Progress) -> None:
            run(batch, cancel, progress, rows.append)

        self.services.queue.add(f"Converting {len(batch.sources)} files", work, ended=self._ended)

    def _ended(self, how: str) -> None:
        self._running = False
        self.room.batch.finish(how)

    @property
    def is_busy(self) -> bool:
        return self._running or self._lane.is_busy or self.model.is_busy

    def close(self) -> None:
        self._lane.close()
        self.model.close()
