"""The state of the pages of the engine and of the phone filter: looks, how they are taken in, what is drawn."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal

from sfumato.app.rooms.bench.clock import Clock
from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.services import Services
from sfumato.core import controls
from sfumato.core.bench.engine import RIGHT, Import
from sfumato.core.errors import MediaError, SfumatoError, ValueRefused
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.formats.parts.registry import by_suffix
from sfumato.media.parts.registry import by_suffix as media_by_suffix
from sfumato.work.bench import sights
from sfumato.work.bench.engines import EMPTY, OWN, PNG, Look, Walk, frame_of, table_of, walk_of
from sfumato.work.bench.finder import Found, find
from sfumato.work.bench.gl_engine import GlEngine
from sfumato.work.bench.sights import Measured, Sight, Textures, Wish
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.frames import open_still
from sfumato.work.memory import heavy

ENGINE, FILTER = "engine", "filter"
_RATE = 24
_WHOLE, _PLAYED = (1280, 720), (960, 540)  # pixels that are drawn at rest, and while it plays
_AHEAD = 3  # frames decoded before they are due
_TEXTURES = ("strip", "ktx2")


class EngineModel(QObject):
    """`edited()`: something is set; `drawn()`: a picture is there; `measured()`; `found()`: the finder's answer."""

    edited = Signal()
    drawn = Signal()
    measured = Signal()
    found = Signal()

    def __init__(
        self, services: Services, key: str, kind: str, gl: GlEngine, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.services, self._key, self.kind, self._gl = services, key, kind, gl
        self.walk: Walk | None = None
        self._looked_for_walk = False
        self.settings, self.strength = RIGHT, 1.0
        self.looks: tuple[Look, ...] = (OWN,) if kind == FILTER else (OWN, EMPTY)
        self.on_walk = True  # the scene, or the shot of the study
        self.file_kind, self.quality = PNG, 90
        self._restore()
        self.sight: Sight | None = None
        self.fault: SfumatoError | None = None
        self.figures: Measured | None = None
        self.finding: Found | None = None
        self.screenshot = ""
        self.is_looking = False
        self.clock = Clock(_RATE, self)
        self.clock.due.connect(lambda _n: self.ask())
        self._textures = Textures()
        self._is_open = False
        self._lanes = {
            f"{kind} draw": Lane(f"{kind} draw", self, turn=Turn.FIRST),
            f"{kind} figures": Lane(f"{kind} figures", self, turn=Turn.LAST),
            f"{kind} ahead": Lane(f"{kind} ahead", self, turn=Turn.FIRST),
        }
        draw, figures, _ahead = self._lanes.values()
        for lane in self._lanes.values():
            lane.crashed.connect(services.notices.bug)
        draw.answered.connect(self._on_drawn)
        draw.refused.connect(self._on_refused)
        figures.answered.connect(self._on_measured)
        self._draw, self._figures = draw, figures
        self._rest = single_shot(self, services.desk.rests.loss, self._measure)
        services.view.changed.connect(self._on_view)
        services.desk.screen_changed.connect(self.ask)
        services.model.changed.connect(self._on_study)

    # --- what is set -----------------------------------------------------------------------------
    def _restore(self) -> None:
        """Take what was set before, as far as it still holds."""
        try:
            kept = json.loads(str(self.services.settings.get(f"bench_{self.kind}", "{}")))
            self.settings = controls.load(Import, dict(kept["settings"]))
            self.strength = min(max(float(kept["strength"]), 0.0), 1.0)
            files = [str(f) for f in kept["looks"]][: len(self.looks)]
            looks = [OWN if f == "own" else Look(Path(f)) if f else EMPTY for f in files]
            self.looks = (*looks, *self.looks[len(looks) :])
            self.on_walk = bool(kept["on_walk"])
        except (ValueError, KeyError, TypeError, ValueRefused):
            return

    def _keep(self) -> None:
        looks = ["own" if k.is_own else str(k.file or "") for k in self.looks]
        plain = {
            "settings": controls.dump(self.settings),
            "strength": self.strength,
            "looks": looks,
            "on_walk": self.on_walk,
        }
        self.services.settings.set(f"bench_{self.kind}", json.dumps(plain))

    def set(self, **values: Any) -> None:
        """Set fields of the model: looks, settings, strength, on_walk, file_kind, quality."""
        for name, value in values.items():
            setattr(self, name, value)
        if set(values) - {"strength"}:
            self.finding, self.screenshot = None, ""
        self._keep()
        self.edited.emit()
        self.ask()

    def edit_import(self, field: str, value: Any) -> None:
        """Set one field of the import."""
        self.set(settings=attrs.evolve(self.settings, **{field: value}))

    def set_look(self, place: int, look: Look) -> None:
        """Put a look into a zone."""
        self.set(looks=(*self.looks[:place], look, *self.looks[place + 1 :]))

    def sent_files(self) -> list[Path]:
        """Return the textures that were sent from this study, the newest first."""
        found = []
        for version in self.services.model.study.versions:
            for sent in version.files:
                kind = by_suffix(sent.path)
                if (kind is not None and kind.key in _TEXTURES) or sent.path.endswith(".png"):
                    found.append(Path(sent.path))
        return list(dict.fromkeys(found))[:12]

    # --- the picture -----------------------------------------------------------------------------
    @property
    def shot(self) -> Shot | None:
        """The picture that goes in: the walk, or the shot that is chosen."""
        if self.on_walk and self.walk is not None:
            return self.walk.shot
        return self.services.desk.shot

    @property
    def has_zones(self) -> bool:
        return self.kind == ENGINE and self.on_walk and self.walk is not None

    def open(self, on: bool) -> None:
        """The page came to be looked at, or is left."""
        self._is_open = on
        if on and not self._looked_for_walk:
            self._looked_for_walk = True
            demo = self.services.demo
            if demo is not None:
                self.services.reading.add(
                    "Looking for the walk",
                    lambda _c, _p: walk_of(demo.parent),
                    then=self._on_walk,
                )
                return
        if on:
            self.edited.emit()
            self.ask()
        else:
            self.clock.stop()

    def _on_walk(self, walk: Walk | None) -> None:
        self.walk = walk
        self.edited.emit()
        self.ask()

    @property
    def _is_seen(self) -> bool:
        return self._is_open and self.services.view.now.room == self._key

    def wish(self) -> Wish | None:
        """Return what is to be drawn; None without a picture."""
        shot = self.shot
        if shot is None:
            return None
        is_walk = self.walk is not None and shot is self.walk.shot
        zones = self.has_zones
        return Wish(
            self.looks if zones else self.looks[:1],
            shot,
            self.clock.number,
            self.settings,
            self.strength,
            self.walk if zones else None,
            is_filter=self.kind == FILTER,
            kind=self.file_kind,
            quality=self.quality,
            is_walk=is_walk,
            wide=_PLAYED[0] if self.clock.is_running else _WHOLE[0],
            high=_PLAYED[1] if self.clock.is_running else _WHOLE[1],
        )

    def ask(self) -> None:
        """Have the frame drawn that is due."""
        if not self._is_seen:
            return
        wish = self.wish()
        if wish is None:
            self.sight = None
            self.drawn.emit()
            return
        study, frames, gl = self.services.model.study, self.services.desk.frames, self._gl
        textures, screen = self._textures, self.services.desk.previewer.screen
        plays = self.clock.is_running

        def work(_cancel: Cancel) -> Sight:
            return sights.sight(wish, textures, study, frames, gl, screen, quick=plays)

        self._draw.ask(work, patient=True)
        if plays:
            self._decode_ahead(wish)

    def _decode_ahead(self, wish: Wish) -> None:
        frames = self.services.desk.frames

        def work(cancel: Cancel) -> None:
            for number in range(wish.number + 1, wish.number + 1 + _AHEAD):
                cancel.check()
                frame_of(wish.shot, number, frames, wide=wish.wide, high=wish.high)

        self._lanes[f"{self.kind} ahead"].ask(work, patient=True)

    def _on_drawn(self, found: Sight) -> None:
        self.sight, self.fault = found, None
        self.clock.painted()
        if not self.clock.is_running:
            self.figures = None
            self._rest.start()
        self.drawn.emit()

    def _on_refused(self, error: SfumatoError) -> None:
        self.fault, self.sight = error, None
        if not isinstance(error, MediaError):
            self.services.notices.fault(error)
        self.clock.stop()
        self.drawn.emit()

    def play(self, on: bool) -> None:
        if on:
            self.clock.start()
        else:
            self.clock.stop()
        self.ask()
        self.edited.emit()

    def _measure(self) -> None:
        found = self.sight
        if found is None or self.clock.is_running or not self._is_seen:
            return
        study, gl, textures = self.services.model.study, self._gl, self._textures

        def work(_cancel: Cancel) -> Any:
            return sights.measured(found, textures, study, gl)

        self._figures.ask(work)

    def _on_measured(self, found: Measured | None) -> None:
        self.figures = found
        self.measured.emit()

    def _on_view(self, before: Any, after: Any) -> None:
        if before.shot != after.shot and self._is_seen and not self.has_zones:
            self.clock.number = 0
            self.ask()

    def _on_study(self, before: Study, after: Study) -> None:
        if self._is_seen and (before.look != after.look or before.view != after.view):
            self.ask()

    # --- the fault finder ------------------------------------------------------------------------
    def look_into(self, file: Path) -> None:
        """Say what was done to the look, from a screenshot of the frame that is shown."""
        found = self.sight
        if found is None or not found.names:
            self.services.notices.note("No look lies on the picture", "choose one first")
            return
        wish, study = found.wish, self.services.model.study
        display = sights.display_of(wish, study)
        textures, frame = self._textures, found.frame

        def work(cancel: Cancel, progress: Progress) -> Found:
            looks = []
            for look, part in zip(wish.looks, wish.parts, strict=True):
                if part and not look.is_empty:
                    exact = textures.of(look, wish, study)[0].exact
                    looks.append((table_of(exact, wish.settings.points), part))
            with heavy(cancel.check):
                shot = open_still(file).pixels
                return find(looks, wish.settings, frame, shot, display, cancel, progress)

        self.is_looking, self.screenshot = True, file.name

        def ended(_how: str) -> None:
            self.is_looking = False
            self.found.emit()

        self.services.queue.add(f"Looking into {file.name}", work, then=self._on_found, ended=ended)
        self.found.emit()

    def _on_found(self, found: Found) -> None:
        self.finding = found

    def takes_screenshot(self, file: Path) -> bool:
        """Whether a dropped file is a picture that the finder can look into."""
        kind = media_by_suffix(str(file))
        return kind is not None and kind.key != "clip"

    @property
    def is_busy(self) -> bool:
        waits = self._is_seen and self._rest.isActive()
        lanes = any(lane.is_busy for lane in self._lanes.values()) and not self.clock.is_running
        return waits or lanes or self.is_looking

    def close(self) -> None:
        self.clock.stop()
        for lane in self._lanes.values():
            lane.close()
