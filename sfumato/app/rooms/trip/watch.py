"""Watching the folders of carriers: a file counts as there once it has rested."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from sfumato.app.services.jobs import Lane, single_shot
from sfumato.core.study.journey import Journey
from sfumato.work.cancel import Cancel
from sfumato.work.files import Stamp, stamp_of
from sfumato.work.trip.arrivals import fresh

_MOST_FOLDERS, _MOST_FILES = 64, 500


class Watch(QObject):
    """`came(list of Path)`: files that were written since their carrier went out, and are whole."""

    came = Signal(object)

    def __init__(self, rest: int, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _folder: self.look())
        self._watcher.fileChanged.connect(lambda _file: self.look())
        self._journeys: tuple[Journey, ...] = ()
        self._known: dict[Path, Stamp | None] = {}
        self._resting: dict[Path, Stamp] = {}  # as they were when last looked at
        self._later = single_shot(self, rest, self._scan)
        self._lane = Lane("watch", self)
        self._lane.answered.connect(self._on_found)

    def follow(self, journeys: tuple[Journey, ...]) -> None:
        """Watch the folders of these carriers and what came back, and look at what lies there already.

        A folder tells of files that come and go, not of one that is written over: those that came
        back are watched by themselves.
        """
        folders = [str(Path(j.path).parent) for j in journeys if j.path]
        files = [r.path for j in journeys for r in j.returns]
        wanted = [*dict.fromkeys(folders[:_MOST_FOLDERS]), *dict.fromkeys(files[:_MOST_FILES])]
        there = [*self._watcher.directories(), *self._watcher.files()]
        if gone := [f for f in there if f not in wanted]:
            self._watcher.removePaths(gone)
        if new := [f for f in wanted if f not in there]:
            self._watcher.addPaths(new)
        others = [j.path for j in journeys] != [j.path for j in self._journeys]
        self._journeys = journeys
        if others:
            self.expect(files)
            self.look()

    def expect(self, files: Iterable[str]) -> None:
        """Count files as seen, as they are now."""
        for file in map(Path, files):
            self._known.setdefault(file, stamp_of(file))

    def look(self) -> None:
        """Look soon, once writing has rested."""
        if self._journeys:
            self._later.start()

    def _scan(self) -> None:
        journeys, known = self._journeys, dict(self._known)

        def work(_cancel: Cancel) -> dict[Path, Stamp]:
            return fresh(journeys, known)

        self._lane.ask(work)

    def _on_found(self, found: dict[Path, Stamp]) -> None:
        whole = [f for f, stamp in found.items() if self._resting.get(f) == stamp]
        self._resting = {f: s for f, s in found.items() if f not in whole}
        for file in whole:
            self._known[file] = found[file]
        if whole:
            self.came.emit(whole)
        if self._resting:
            self._later.start()

    @property
    def is_busy(self) -> bool:
        return self._later.isActive() or self._lane.is_busy

    def close(self) -> None:
        self._later.stop()
        self._lane.close()
