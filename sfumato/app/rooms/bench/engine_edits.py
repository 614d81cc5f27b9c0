"""The pages of the engine and of the phone filter by action: looks chosen, frames saved, screenshots given."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from sfumato.app.rooms.bench.engine_model import EngineModel
from sfumato.app.rooms.bench.engine_page import EnginePage
from sfumato.app.services.services import Services
from sfumato.formats.parts import registry
from sfumato.work.bench.engines import Look
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists
from sfumato.work.results.stills import write_still


class EngineEdits(QObject):
    """Carries out the actions of a page."""

    def __init__(self, services: Services, model: EngineModel, page: EnginePage) -> None:
        super().__init__(services.window)
        self.services, self.engine, self.page = services, model, page
        page.file_wanted.connect(self.choose_look)
        page.save_wanted.connect(self.save_frame)
        if hasattr(page, "finder"):
            page.finder.screenshot_wanted.connect(self.give_screenshot)
            page.finder.mend_wanted.connect(page.finder.mended)

    def choose_look(self, zone: int = 0) -> None:
        """Choose a LUT file for a zone."""
        folder = str(self.services.settings.get("bench_looks", "")) or str(Path.home())
        files = self.services.ports.choose_luts(
            self.services.window, folder, "LUT file for the zone"
        )
        if files:
            self.services.settings.set("bench_looks", str(files[0].parent))
            self.engine.set_look(zone, Look(files[0]))

    def save_frame(self) -> None:
        """Save what is drawn as a picture, in its own codes."""
        found = self.engine.sight
        if found is None:
            return
        folder = Path(str(self.services.settings.get("bench_frames", "")) or Path.home())
        name = f"{found.wish.shot.name}_{found.wish.number + 1:03}.png"
        file = self.services.ports.choose_sheet(
            self.services.window, str(folder / name), "Save the frame"
        )
        if file is None:
            return
        if not file.suffix:
            file = file.with_name(f"{file.name}.png")
            if exists(file) and not self.services.ports.ask_replace(
                self.services.window, file.name
            ):
                return
        self.services.settings.set("bench_frames", str(file.parent))
        pixels = found.drawn.codes

        def write(_cancel: Cancel, progress: Progress) -> Path:
            progress(0.2, file.name)
            write_still(pixels, file, force=True)  # the chooser has asked
            return file

        def written(made: Path) -> None:
            self.services.notices.good(f"{made.name} is written", str(made.parent))

        self.services.queue.add(f"Writing {file.name}", write, then=written)

    def give_screenshot(self) -> None:
        """Choose a screenshot of an engine for the fault finder."""
        folder = str(self.services.settings.get("bench_frames", "")) or str(Path.home())
        files = self.services.ports.choose_pictures(
            self.services.window, folder, "Screenshot of an engine"
        )
        if files:
            self.engine.look_into(files[0])

    def take(self, files: list[Path]) -> list[Path]:
        """Take a dropped screenshot for the fault finder, or a LUT file as the look."""
        shots = [
            f for f in files if self.engine.takes_screenshot(f) and hasattr(self.page, "finder")
        ]
        tables = [f for f in files if f not in shots and registry.by_suffix(str(f)) is not None]
        if shots:
            self.engine.look_into(shots[0])
        elif tables:
            self.engine.set_look(0, Look(tables[0]))
        return [f for f in files if f not in shots and f not in tables]
