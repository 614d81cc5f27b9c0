"""What is done to swatches themselves, remarks and files: every step can be undone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from sfumato.app.guard import guarded
from sfumato.app.rooms.swatchbook.selection import remark_of
from sfumato.app.services.notices import Notices
from sfumato.app.services.trash import forget_in_trash, to_trash
from sfumato.core.errors import ExportError, SfumatoError
from sfumato.work.files import exists, write_bytes
from sfumato.work.luts import swatches as work
from sfumato.work.luts.swatches import KEPT, PASSED, Remark, Swatch
from sfumato.work.stores.presets import is_shipped


def _check_own(*places: Path) -> None:
    """Refuse places in the folder of the looks that ship.

    Raises:
        ExportError: one lies there.
    """
    for place in places:
        if is_shipped(place):
            raise ExportError(
                "the looks that come with the program stay as they are",
                hint="use a folder of your own",
                where=place.name,
            )


class _Step(QUndoCommand):
    """Something done to files or remarks, and its way back; a failure is told, and the step drops out."""

    def __init__(
        self, title: str, do: Callable[[], None], back: Callable[[], None], notices: Notices
    ) -> None:
        super().__init__(title)
        self._do, self._back, self._notices = do, back, notices

    def _tried(self, run: Callable[[], None]) -> None:
        try:
            run()
        except SfumatoError as error:
            self.setObsolete(True)
            self._notices.fault(error)

    @guarded
    def redo(self) -> None:
        self._tried(self._do)

    @guarded
    def undo(self) -> None:
        self._tried(self._back)


class SwatchFiles(QObject):
    """`remarked(swatch, has_new_ends)`: a remark changed; `moved({old: new})`: files came, went or moved."""

    remarked = Signal(object, bool)
    moved = Signal(object)

    def __init__(self, notices: Notices, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._notices = notices
        self.undo_stack = QUndoStack(self)
        self.remarks: dict[str, Remark] = {}

    def read(self) -> None:
        try:
            self.remarks = work.read_remarks()
        except SfumatoError as error:
            self._notices.fault(error)

    def remark(self, swatch: Swatch) -> Remark:
        return remark_of(swatch, self.remarks)

    def _do(self, title: str, do: Callable[[], None], back: Callable[[], None]) -> None:
        self.undo_stack.push(_Step(title, do, back, self._notices))

    def set_remark(self, swatch: Swatch, name: str, **values: Any) -> None:
        """Keep or pass a swatch, note something on it, or say what it expects and gives."""
        key, before = str(swatch.file), self.remark(swatch)
        after = attrs.evolve(before, **values)
        if after == before:
            return

        def put(remark: Remark) -> None:
            self.remarks = {**self.remarks, key: remark}
            work.write_remarks(self.remarks)
            self.remarked.emit(swatch, before.ends != after.ends)

        word = {KEPT: "Keep", PASSED: "Pass"}.get(values.get("mark", ""), "Change the remark on")
        self._do(f"{word} {name}", lambda: put(after), lambda: put(before))

    def move(self, swatch: Swatch, target: Path) -> None:
        """Rename a file, or move it to another folder, with its remark."""

        def go(source: Path, place: Path) -> None:
            _check_own(source, place)
            work.moved_file(source, place)
            remark = self.remarks.get(str(source))
            if remark is not None:
                rest = {k: r for k, r in self.remarks.items() if k != str(source)}
                self.remarks = {**rest, str(place): remark}
                work.write_remarks(self.remarks)
            self.moved.emit({source: place})

        self._do(
            f"Move {swatch.file.name}",
            lambda: go(swatch.file, target),
            lambda: go(target, swatch.file),
        )

    def trash(self, swatch: Swatch) -> None:
        """Put a file into the desktop's trash; undo takes it out again."""
        place: list[Path] = []

        def away() -> None:
            _check_own(swatch.file)
            place[:] = [to_trash(swatch.file)]
            self.moved.emit({})
            self._notices.good(f"{swatch.file.name} is in the trash", "", "Undo", undo)

        def back() -> None:
            work.moved_file(place[0], swatch.file)
            forget_in_trash(place[0])
            self.moved.emit({})

        def undo() -> None:
            """Take this file out again, whatever was done since."""
            at = self.undo_stack.index() - 1
            if at >= 0 and self.undo_stack.command(at).text() == title:
                self.undo_stack.undo()
            elif place and exists(place[0]):
                self._do(f"Take {swatch.file.name} out of the trash", back, away)

        title = f"Put {swatch.file.name} into the trash"
        self._do(title, away, back)

    def take_in(self, files: Sequence[tuple[Path, bytes]], folder: Path) -> None:
        """Put copies of files, which were read, into a folder; names that are taken get a number."""
        made: list[Path] = []

        def copy() -> None:
            made.clear()
            _check_own(*(folder / file.name for file, _data in files))
            for file, data in files:
                target = folder / file.name
                for i in range(2, 1000):
                    if not exists(target):
                        break
                    target = folder / f"{file.stem} {i}{file.suffix}"
                write_bytes(target, data, force=False)
                made.append(target)
            self.moved.emit({})

        def back() -> None:
            for file in made:
                to_trash(file)
            self.moved.emit({})

        what = files[0][0].name if len(files) == 1 else f"{len(files)} files"
        self._do(f"Take in {what}", copy, back)
