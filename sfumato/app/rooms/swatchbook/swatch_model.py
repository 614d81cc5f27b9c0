"""State of the Swatchbook. Not divided: its four lanes of work fill one set of tiles and facts."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from sfumato.app.rooms.swatchbook.selection import (
    ALL,
    KEPT_ONES,
    MARKED,
    NAME,
    SPREAD,
    Wall,
    name_of,
)
from sfumato.app.rooms.swatchbook.swatch_files import SwatchFiles
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.notices import Notices
from sfumato.app.services.view_state import ViewState
from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import SfumatoError
from sfumato.core.path import path
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.files import exists, is_folder
from sfumato.work.luts import swatches as work
from sfumato.work.luts.ends import Ends
from sfumato.work.luts.swatches import (
    KEPT,
    Build,
    Facts,
    Remark,
    Stacked,
    Swatch,
    Swatchbook,
    ends_of,
    misfit,
    scan,
)
from sfumato.work.preview.preview import Previewer
from sfumato.work.tiles import run_tiled, spread

TILE = (200, 112)
_CHUNK = 12
_MOST_TILES = memory.TILES // (TILE[0] * TILE[1] * 3)


_MOST_SHOTS = 4  # on one tile


class SwatchModel(QObject):
    """`changed()`: what is shown or its order; `tiles_changed(keys)`; `chosen_changed()`; `seen(SwatchSight)`."""

    changed = Signal()
    tiles_changed = Signal(object)
    chosen_changed = Signal()
    seen = Signal(object)

    def __init__(
        self, desk: Desk, notices: Notices, room: str, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.desk, self.notices, self._room = desk, notices, room
        self.files = SwatchFiles(notices, self)
        self.files.remarked.connect(self._on_remark)
        self.files.moved.connect(self._on_moved)
        self.folders: tuple[str, ...] = ()
        self.wall = Wall()
        self.swatches: list[Swatch] = []
        self.facts: dict[str, Facts] = {}
        self.tiles: dict[str, Array] = {}
        self.strengths: dict[str, float] = {}
        self._stale: set[str] = set()  # tiles that show another Strength, or other ends
        self.chosen: Swatch | None = None
        self.held: Swatch | None = None  # side A, and the other part of a mix
        self.share = 0.0  # of the held one in the mix
        self.stack: tuple[Stacked, ...] = ()
        self._visible: list[Swatch] | None = None
        self._titles: Counter[str] | None = None
        self._near: list[Swatch] = []
        self._size = (300, 169)
        self._book: Swatchbook | None = None
        self._is_open = self._is_old = False
        self._is_fresh = True  # nothing was ever chosen
        self._lanes = {
            n: Lane(f"swatch {n}", self, turn=Turn.LAST if n in ("facts", "tiles") else Turn.SHARED)
            for n in ("scan", "facts", "tiles", "sight")
        }
        for lane in self._lanes.values():
            lane.crashed.connect(notices.bug)
            lane.refused.connect(notices.fault)
        self._lanes["scan"].answered.connect(self._on_scanned)
        self._lanes["facts"].answered.connect(self._on_facts)
        self._lanes["tiles"].answered.connect(self._on_tiles)
        self._lanes["sight"].answered.connect(self._on_sight)
        self._later = single_shot(self, desk.rests.folder, self.rescan)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _d: self._later.start())
        self._soon = single_shot(self, 0, self._ask_sight)
        self._order = single_shot(self, desk.rests.order, self._forget_order)
        desk.model.changed.connect(self._on_study)
        desk.view.changed.connect(self._on_view)
        desk.screen_changed.connect(self._on_screen)

    # --- opening and folders -----------------------------------------------------------------------
    @property
    def book(self) -> Swatchbook:
        if self._book is None:
            self._book = Swatchbook()
        return self._book

    def open(self) -> None:
        """The room is looked at: read remarks and folders, show tiles."""
        if not self._is_open:
            self._is_open = True
            self.files.read()
            self.rescan()
        if self._is_old:
            self._begin_anew()
        self._soon.start()
        self._next_tiles()

    def set_folders(self, folders: Iterable[str]) -> None:
        self.folders = tuple(dict.fromkeys(folders))
        if self.wall.folder not in (ALL, KEPT_ONES, *self.folders):
            self.wall = attrs.evolve(self.wall, folder=ALL)
        if self._is_open:
            self.rescan()

    def rescan(self) -> None:
        """Look through the folders anew; what is known comes from the cache at once."""
        folders, book = tuple(Path(f) for f in self.folders), self.book

        def look(cancel: Cancel) -> Any:
            found = scan(folders, cancel)
            return found, book.cache.facts([s.key for s in found])

        self._lanes["scan"].ask(look)

    def _on_moved(self, places: dict[Path, Path]) -> None:
        """Follow files that got another name or place; what went away leaves the choice to its neighbour."""

        def moved(swatch: Swatch) -> Swatch:
            place = places.get(swatch.file)
            return Swatch(place, swatch.stamp) if place is not None else swatch

        shown = self.visible
        if self.chosen is not None:
            at = shown.index(self.chosen) if self.chosen in shown else 0
            self.chosen = moved(self.chosen)
            if not exists(self.chosen.on_disk):
                there = [s for s in (*shown[at + 1 :], *shown[:at][::-1]) if exists(s.on_disk)]
                self.chosen = there[0] if there else None
        self.held = moved(self.held) if self.held is not None else None
        self.stack = tuple(attrs.evolve(x, swatch=moved(x.swatch)) for x in self.stack)
        for old, new in places.items():
            if str(old) in self.strengths:
                self.strengths[str(new)] = self.strengths.pop(str(old))
        self.chosen_changed.emit()
        self.rescan()

    def _on_scanned(self, answer: Any) -> None:
        self.swatches, known = answer
        self.facts.update(known)
        files = {s.file: s for s in self.swatches}
        if self.chosen is not None:
            self.chosen = files.get(self.chosen.file)
        if self.held is not None:
            self.held = files.get(self.held.file)
        self.stack = tuple(
            attrs.evolve(x, swatch=files[x.swatch.file])
            for x in self.stack
            if x.swatch.file in files
        )
        watched = set(self._watcher.directories())
        wanted = {str(f) for f in self.folders} | {str(s.file.parent) for s in self.swatches[:4000]}
        wanted = {w for w in wanted if is_folder(Path(w))}
        if watched - wanted:
            self._watcher.removePaths(sorted(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(sorted(wanted - watched))
        self._forget_order()
        if self._is_fresh and self.chosen is None and self.visible:
            self.choose(self.visible[0])
        else:  # one that vanished leaves nothing chosen: no command meets another file unasked
            self.chosen_changed.emit()
        self._is_fresh = self._is_fresh and self.chosen is None
        self._next_facts()
        self._next_tiles()

    def _next_facts(self) -> None:
        todo = [s for s in self.swatches if s.key not in self.facts][: 2 * _CHUNK]
        if todo:
            book = self.book
            self._lanes["facts"].ask(lambda _cancel: book.examine(todo))

    def _on_facts(self, found: dict[str, Facts]) -> None:
        self.facts.update(found)
        left = any(s.key not in self.facts for s in self.swatches)
        if not left:
            self._order.stop()
            self._forget_order()
        elif self.wall.order == NAME and not self._order.isActive():
            self._order.start()  # laying the wall anew is dear: not with every few files
        self.tiles_changed.emit(list(found))
        if self.chosen is not None and self.chosen.key in found:
            self.chosen_changed.emit()
            self._soon.start()
        self._next_facts()
        self._next_tiles()

    # --- what is shown -------------------------------------------------------------------------------
    def show(self, **values: Any) -> None:
        """Change folder, search, filters or order."""
        wall = attrs.evolve(self.wall, **values)
        if wall != self.wall:
            anew = (wall.convert, wall.shots) != (self.wall.convert, self.wall.shots)
            self.wall = wall
            if anew:
                self.tiles.clear()
            self._forget_order()
            self._next_tiles()
            self._soon.start()

    def _forget_order(self) -> None:
        self._visible = self._titles = None
        self.changed.emit()

    @property
    def visible(self) -> list[Swatch]:
        """The swatches that are shown, in their order."""
        if self._visible is None:
            known = self.facts.get(self.chosen.key) if self.chosen is not None else None
            looks = [s for s in self.swatches if not self._is_photograph(s)]
            self._visible = self.wall.laid(looks, self.facts, self.remarks, known)
        return self._visible

    @property
    def remarks(self) -> dict[str, Remark]:
        return self.files.remarks

    def remark(self, swatch: Swatch) -> Remark:
        return self.files.remark(swatch)

    def _is_photograph(self, swatch: Swatch) -> bool:
        """Whether a picture of a HALD's or a strip's size turned out to be none."""
        facts = self.facts.get(swatch.key)
        return facts is not None and bool(facts.fault) and work.is_picture(swatch.file)

    def name(self, swatch: Swatch) -> str:
        """Return what a look is called; of several of one title, with its file's name."""
        if self._titles is None:
            self._titles = Counter(name_of(s, self.facts.get(s.key)) for s in self.swatches)
        title = name_of(swatch, self.facts.get(swatch.key))
        return f"{title} · {swatch.file.name}" if self._titles[title] > 1 else title

    def count(self, folder: str) -> int:
        """Return how many looks a folder holds."""
        if folder == ALL:
            return len(self.swatches)
        if folder == KEPT_ONES:
            return sum(self.remark(s).mark == KEPT for s in self.swatches)
        return sum(s.file.is_relative_to(folder) for s in self.swatches)

    def misfit(self, swatch: Swatch) -> str:
        """Return what a swatch expects that the study is not, "" where it fits."""
        facts = self.facts.get(swatch.key)
        if facts is None:
            return ""
        return misfit(facts, self.desk.model.study, self.remark(swatch).ends)

    def ends(self, swatch: Swatch) -> Ends:
        """Return what a swatch is taken to expect and give."""
        facts = self.facts.get(swatch.key)
        if facts is None or not self.wall.convert:
            return Ends()
        return ends_of(facts, self.desk.model.study, self.remark(swatch).ends)

    # --- choosing ------------------------------------------------------------------------------------
    def choose(self, swatch: Swatch | None) -> None:
        if swatch != self.chosen:
            self.chosen = swatch
            self.chosen_changed.emit()
            self._soon.start()

    def step(self, by: int) -> None:
        shown = self.visible
        if shown:
            at = shown.index(self.chosen) if self.chosen in shown else 0
            self.choose(shown[min(max(at + by, 0), len(shown) - 1)])

    def hold(self) -> None:
        """Put the chosen swatch on side A; the same again lets it go."""
        self.held = None if self.held == self.chosen else self.chosen
        self.share = 0.0
        self.chosen_changed.emit()
        self._soon.start()

    def set_share(self, share: float) -> None:
        self.share = share
        self.chosen_changed.emit()
        self._soon.start()

    def strength(self, swatch: Swatch) -> float:
        return self.strengths.get(str(swatch.file), 1.0)

    def set_strength(self, swatch: Swatch, strength: float) -> None:
        """Show a swatch at another Strength, 0 to 2."""
        self.strengths[str(swatch.file)] = min(max(strength, 0.0), 2.0)
        self._stale.add(swatch.key)
        self.tiles_changed.emit([swatch.key])  # its number; its picture follows
        self._next_tiles()
        self.chosen_changed.emit()
        self._soon.start()

    # --- the stack -----------------------------------------------------------------------------------
    def set_stack(self, layers: Iterable[Stacked]) -> None:
        self.stack = tuple(layers)
        self.chosen_changed.emit()
        self._soon.start()

    def add_to_stack(self) -> None:
        if self.chosen is not None:
            self.set_stack((*self.stack, self.layer(self.chosen)))

    def build(self) -> Build | None:
        """Return what side B shows; None with nothing chosen."""
        if self.stack:
            return Build(" + ".join(self.name(x.swatch) for x in self.stack), self.stack)
        if self.chosen is None:
            return None
        mine = (self.layer(self.chosen),)
        if self.held is None or self.held == self.chosen or self.share == 0:
            return Build(self.name(self.chosen), mine)
        name = f"{self.name(self.chosen)} with {self.share * 100:.0f} % {self.name(self.held)}"
        return Build(name, mine, self.layer(self.held), self.share)

    def layer(self, swatch: Swatch) -> Stacked:
        """Return a swatch as it is shown now."""
        return Stacked(swatch, self.ends(swatch), self.strength(swatch))

    # --- pictures ------------------------------------------------------------------------------------
    @property
    def shots(self) -> tuple[Shot, ...]:
        """The shots whose pictures stand on a tile: the chosen one first, four at most."""
        first, every = self.desk.shot, self.desk.model.study.shots
        if first is None:
            return ()
        if self.wall.shots == SPREAD:
            count = min(_MOST_SHOTS, len(every))
            return tuple(every[i * len(every) // count] for i in range(count))
        marked = self.desk.view.now.marked_shots if self.wall.shots == MARKED else ()
        rest = tuple(s for s in every if s.id in marked and s.id != first.id)
        return (first, *rest)[:_MOST_SHOTS]

    @staticmethod
    def _ground(
        previewer: Previewer, study: Study, shots: tuple[Shot, ...], width: int, height: int
    ) -> Rgb:
        """Return shots in working values after their Grounds, side by side in the box, or two by two."""
        across, down = min(len(shots), 2), -(-len(shots) // 2)
        out = np.zeros((height, width, 3), np.float32)
        for i, shot in enumerate(shots):
            column, row = i % 2, i // 2
            last = i == len(shots) - 1
            x0, y0 = column * width // across, row * height // down
            x1 = width if last else (column + 1) * width // across
            y1 = (row + 1) * height // down
            code = previewer.cut(study, shot, x1 - x0, y1 - y0)
            out[y0:y1, x0:x1] = path.through_ground(shot, study, code)
        return out

    def show_near(self, near: list[Swatch]) -> None:
        """Say which tiles are in sight: they come first."""
        self._near = near
        self._next_tiles()

    def _place(self, study: Study, shots: tuple[Shot, ...]) -> str:
        """Return what all tiles depend on: the pictures, their Grounds, the View and the screen."""
        screen = self.desk.previewer.screen
        what: list[Any] = []
        for shot in shots:
            try:
                stamp = Path(shot.path).stat().st_mtime_ns
            except OSError:
                stamp = 0
            what += [shot.path, stamp, shot.frame, shot.encoding, shot.ground]
        what += [TILE, screen.name if screen is not None else ""]
        return repr((*what, study.working, study.view))

    def _next_tiles(self) -> None:
        """Ask for the tiles that are missing: those in sight first."""
        shots = self.shots
        if not self._is_open or not shots or self._lanes["tiles"].is_busy:
            return
        if not self._is_seen:
            return
        missing = [s for s in self._near if self._wants(s)]
        missing = (missing or [s for s in self.visible if self._wants(s)])[: 25 * _CHUNK]
        if not missing or len(self.tiles) > _MOST_TILES:
            return
        study, book, previewer = self.desk.model.study, self.book, self.desk.previewer
        place, convert = self._place(study, shots), self.wall.convert
        asked = []
        for s in missing:
            ends, strength = self.ends(s), self.strength(s)
            what = f"{s.key}|{ends}|{strength}|{place}"
            asked.append((s, hashlib.sha1(what.encode()).hexdigest(), ends, strength))

        ground = self._ground

        def make(cancel: Cancel) -> Any:
            known = book.cache.tiles([key for _s, key, _e, _a in asked])
            todo = [a for a in asked if a[1] not in known][:_CHUNK]
            found = {s.key: known[key] for s, key, _e, _a in asked if key in known}
            if todo:
                code = ground(previewer, study, shots, *TILE)

                def one(job: Any) -> tuple[str, str, Array]:
                    swatch, key, ends, strength = job
                    cancel.check()
                    try:
                        if strength == 1.0:
                            shown = book.seen(study, swatch, ends)(code)
                        else:
                            layer = Stacked(swatch, ends, strength)
                            graded = work.stacked(book, study, (layer,))(code)
                            shown = path.through_view(study, graded)
                        picture = previewer.screened_whole(study, shown)
                    except SfumatoError:
                        picture = np.zeros((0, 0, 3), np.uint8)  # its facts say why
                    return swatch.key, key, picture

                made = spread(one, todo)
                found.update({k: p for k, _key, p in made})
                book.cache.put_tiles({key: p for _k, key, p in made if p.size})
            return (study, shots, convert, {s.key: (e, a) for s, _k, e, a in asked}), found

        self._lanes["tiles"].ask(make)

    def _wants(self, swatch: Swatch) -> bool:
        missing = swatch.key not in self.tiles or swatch.key in self._stale
        return missing and swatch.key in self.facts

    def _on_tiles(self, answer: Any) -> None:
        (study, shots, convert, asked), found = answer
        now = self.shots
        if study is self.desk.model.study and shots == now and convert == self.wall.convert:
            files = {s.key: s for s in self.swatches}
            for key in found:
                swatch = files.get(key)
                if swatch is not None and asked[key] == (self.ends(swatch), self.strength(swatch)):
                    self._stale.discard(key)
            self.tiles.update(found)
            self._next_tiles()  # under way while these are painted
            self.tiles_changed.emit(list(found))
        else:
            self._next_tiles()

    def set_size(self, width: int, height: int) -> None:
        """Say how large the picture on the room's Easel is, in device pixels."""
        if (width, height) != self._size:
            self._size = (width, height)
            self._soon.start()

    def _ask_sight(self) -> None:
        """Ask for both sides of the room's Easel."""
        shot = self.desk.shot
        if not self._is_open or shot is None or not self._is_seen:
            return
        study, size, previewer = self.desk.model.study, self._size, self.desk.previewer
        held = Build("", (self.layer(self.held),)) if self.held is not None else None
        build, book = self.build(), self.book

        def look(cancel: Cancel) -> tuple[Array, Array]:
            code = previewer.fitted(study, shot, *size)
            code = run_tiled(lambda c: path.through_ground(shot, study, c), code, cancel)

            def shown(build: Build | None) -> Array:
                whole = build.run(book, study) if build is not None else lambda c: c
                seen = run_tiled(lambda c: path.through_view(study, whole(c)), code, cancel)
                return previewer.screened(study, seen, cancel)

            return shown(held), shown(build)

        self._lanes["sight"].ask(look)

    def _on_sight(self, answer: Any) -> None:
        self.seen.emit(answer)

    def _begin_anew(self) -> None:
        """The shot or what it goes through is another: at once when the room is seen, else on coming back."""
        self._is_old = not self._is_seen
        if not self._is_old:
            self.tiles.clear()
            self._forget_order()
            self._soon.start()
            self._next_tiles()

    def _on_study(self, before: Study, after: Study) -> None:
        same = (
            before.working == after.working
            and before.view == after.view
            and before.shots == after.shots
        )
        if self._is_open and not same:
            self._begin_anew()

    def _on_screen(self) -> None:
        if self._is_open:
            self._begin_anew()

    @property
    def _is_seen(self) -> bool:
        return self.desk.view.now.room == self._room

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        marks = before.marked_shots != after.marked_shots and self.wall.shots == MARKED
        if (before.shot != after.shot or marks) and self._is_open:
            self._begin_anew()

    def _on_remark(self, swatch: Swatch, has_new_ends: bool) -> None:
        if has_new_ends:
            self._stale.add(swatch.key)
        self._forget_order()
        self.chosen_changed.emit()
        self._soon.start()
        self._next_tiles()

    def set_remark(self, swatch: Swatch, **values: Any) -> None:
        self.files.set_remark(swatch, self.name(swatch), **values)

    def toggle_mark(self, mark: str) -> None:
        if self.chosen is not None:
            same = self.remark(self.chosen).mark == mark
            self.set_remark(self.chosen, mark="" if same else mark)

    @property
    def is_busy(self) -> bool:
        lanes = any(lane.is_busy for lane in self._lanes.values())
        timers = (self._later, self._soon, self._order)
        return lanes or any(t.isActive() for t in timers)

    def close(self) -> None:
        self.files.undo_stack.blockSignals(True)
        self._later.stop()
        self._soon.stop()
        self._order.stop()
        for lane in self._lanes.values():
            lane.close()
        if self._book is not None:
            self._book.cache.close()
