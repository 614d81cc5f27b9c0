"""What the Look room shows and how, by action: modes of the Easel, parts in windows of their own."""

from __future__ import annotations

from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app import theme
from sfumato.app.rooms.look.device_sheet import DeviceSheet
from sfumato.app.rooms.look.look_page import LookPage
from sfumato.app.rooms.look.torn import TornParts
from sfumato.app.services.parts import with_parts
from sfumato.app.services.services import Services
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.noise import noise_of
from sfumato.work.preview.asks import DEVICE, OTHERS, SeenFile, seen_file


class ViewEdits(QObject):
    """Carries out the room's actions of the View menu, and measures the noise floor of the View."""

    def __init__(self, services: Services, page: LookPage) -> None:
        super().__init__(services.window)
        self.services, self.view = services, services.view
        self.torn = TornParts(services, page)
        self._page = page
        self.device_sheet: DeviceSheet | None = None

    def mode_one(self) -> None:
        self.view.set(mode="one")

    def mode_split(self) -> None:
        self.view.set(mode="split")

    def mode_side(self) -> None:
        self.view.set(mode="side")

    def mode_all(self) -> None:
        self.view.set(mode="all")

    def mode_difference(self) -> None:
        self.view.set(mode="difference")

    def turn_split(self) -> None:
        self.view.set(split_across=not self.view.now.split_across)

    def swap_sides(self) -> None:
        self.view.set(a=self.view.now.b, b=self.view.now.a)

    def choose_side_file(self, side: str) -> None:
        """Ask for a LUT file that a side is to show in the Look's place."""
        title = f"LUT file for side {side.upper()}"
        files = self.services.ports.choose_luts(self.services.window, str(Path.home()), title)
        if files:
            self.show_files(side, files)

    def show_files(self, side: str, files: list[Path]) -> None:
        """Show a LUT file on a side; of two files the second on the other one."""
        with_parts(self.services, files, lambda found: self._show_looks(side, found))

    def _show_looks(self, side: str, files: list[Path]) -> None:
        study = self.services.model.study
        sides = [side, "b" if side == "a" else "a"][: len(files)]

        def read(cancel: Cancel, _progress: Progress) -> list[SeenFile]:
            found = []
            for file in files[: len(sides)]:
                cancel.check()
                found.append(seen_file(file, study))
            return found

        def show(found: list[SeenFile]) -> None:
            now = self.view.now
            others, shown = dict(now.others), {"a": now.a, "b": now.b}
            for where, seen in zip(sides, found, strict=True):
                beside = {shown["b" if where == "a" else "a"]}
                key = next(k for k in OTHERS if k not in beside)
                others[key], shown[where] = seen, key
            mode = now.mode if now.mode in ("split", "side", "difference") else "split"
            self.view.set(others=others, mode=mode, **shown)
            for seen in found:
                if not seen.ends.sure:
                    gives = seen.ends.gives or study.working
                    self.services.notices.note(
                        f"{seen.name} does not say what it expects",
                        f"it is taken to expect {seen.ends.expects or study.working} and to give {gives}",
                    )

        self.services.reading.add(f"Reading {files[0].name}", read, then=show)

    def next_mount(self) -> None:
        mounts = list(theme.MOUNTS)
        index = (mounts.index(self.view.now.mount) + 1) % len(mounts)
        self.view.set(mount=mounts[index])

    def simulate_target(self) -> None:
        """Show side B as a device makes it, and open the sheet of what that device is."""
        self.view.set(b=DEVICE)
        if self.device_sheet is not None:
            self.device_sheet.raise_()
            return
        self.device_sheet = sheet = DeviceSheet(
            self.services.model, self.services.desk, self.services.window
        )
        sheet.destroyed.connect(self._forget_device)
        sheet.show()

    def _forget_device(self) -> None:
        self.device_sheet = None

    def tear_easel(self) -> None:
        """Put the Easel into a window of its own, or back."""
        self.torn.toggle("easel", "Easel", self._page.easel_panel)

    def tear_instruments(self) -> None:
        """Put the Instruments into a window of their own, or back."""
        self.view.set(instruments_shown=True)
        self.torn.toggle("instruments", "Instruments", self._page.instruments)

    def toggle_clipping(self) -> None:
        self.view.set(clipping=not self.view.now.clipping)

    def toggle_instruments(self) -> None:
        self.view.set(instruments_shown=not self.view.now.instruments_shown)

    def close(self) -> None:
        self.torn.close()
        if self.device_sheet is not None:
            self.device_sheet.close()

    def measure_noise(self) -> None:
        """Make the noise floor of the study what its shots show."""
        study, frames = self.services.model.study, self.services.desk.frames

        def measured(found: tuple[float | None, int]) -> None:
            floor, count = found
            if floor is None:
                self.services.notices.note(
                    "No noise could be measured", "no shot with a stated encoding is dark enough"
                )
                return
            now = self.services.model.study
            after = attrs.evolve(now, view=attrs.evolve(now.view, noise=floor))
            self.services.model.commit("Measure the noise of the shots", after)
            self.services.notices.good(
                f"The noise floor lies {floor:.1f} stops under grey, the middle of {count} shot{'s' * (count != 1)}",
                "under the View, where it can be changed",
            )

        self.services.queue.add(
            "Measuring the noise",
            lambda cancel, progress: noise_of(study.shots, frames, cancel, progress),
            then=measured,
        )
