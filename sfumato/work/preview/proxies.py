"""Small pictures of shots before anything is done to them, and the last step to the screen."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.screen import is_plain, on_screen
from sfumato.core.path import path
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.parts.contract import as_float
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.frames import WHOLE, Frames, Region, small_size
from sfumato.work.memory import Kept
from sfumato.work.preview import glass
from sfumato.work.preview.asks import Ask, to_bytes
from sfumato.work.tiles import run_tiled


class Proxies:
    """Keeps small pictures of shots, in working values, between asks."""

    def __init__(self, frames: Frames, screen: Encoding | None = None) -> None:
        self.frames = frames
        self.screen = screen  # what the pictures are looked at on; None = their codes as they are
        self.forget()

    def forget(self) -> None:
        """Keep nothing: at the beginning, and when encodings mean something else."""
        self._working = Kept(memory.WORKING, 24)
        self._playing = Kept(memory.PLAYING, 6)

    def source(self, ask: Ask, width: int, height: int, region: Region) -> Rgb:
        """Return source code values at a size; while a clip plays, those that are quick to have."""
        if not ask.playing or region != WHOLE:
            return self.frames.proxy(ask.shot, width, height, region)
        quick = self.frames.quick(ask.shot, width, height)

        def make() -> tuple[Any, Rgb]:
            return quick, as_float(quick.pixels)

        kept: tuple[Any, Rgb] = self._playing.get(id(quick), make)
        return kept[1]

    def working(self, ask: Ask, width: int, height: int, region: Region) -> Rgb:
        """Return the shot in working values before its Ground, kept between asks."""
        source = self.source(ask, width, height, region)
        key = (id(source), ask.shot.encoding, ask.study.working)

        def make() -> tuple[Rgb, Rgb]:
            def one(rgb: Rgb) -> Rgb:
                return path.to_working(ask.shot, ask.study, rgb)

            return source, run_tiled(one, source)

        kept: tuple[Rgb, Rgb] = self._working.get(key, make)
        return kept[1]

    def cut(self, study: Study, shot: Shot, width: int, height: int) -> Rgb:
        """Return the shot in working values before its Ground, filling a box (middle cut out)."""
        w, h = self.frames.size(shot)
        share = min(1.0, (width / height) / (w / h)), min(1.0, (w / h) / (width / height))
        left, top = (1 - share[0]) / 2, (1 - share[1]) / 2
        region = (left, top, left + share[0], top + share[1])
        return self.working(Ask(study, shot), width, height, region)

    def fitted(self, study: Study, shot: Shot, width: int, height: int) -> Rgb:
        """Return the whole shot in working values before its Ground, as large as fits a box."""
        w, h = self.frames.size(shot)
        scale = min(width / w, height / h)
        size = max(1, round(w * scale)), max(1, round(h * scale))
        return self.working(Ask(study, shot), *size, WHOLE)

    def entering_ground(self, study: Study, shot: Shot, width: int = 240) -> Rgb:
        """Return a small picture of a shot in working values, before its Ground."""
        size = small_size(self.frames.size(shot), width)
        return self.working(Ask(study, shot), *size, WHOLE)

    def to_screen(self, study: Study) -> Callable[[Rgb], Rgb] | None:
        """Return the way from display codes to the codes of the screen, None when they are the same."""
        display, screen = encoding(study.view.encoding), self.screen
        if screen is None or is_plain(display, screen):
            return None
        return lambda code: on_screen(code, display, screen)

    def screened(self, study: Study, picture: Rgb, cancel: Cancel | None = None) -> Array:
        """Return display values as they are painted: uint8 codes of the screen."""
        go_on = self.to_screen(study)
        return to_bytes(picture if go_on is None else run_tiled(go_on, picture, cancel))

    def seen(self, codes: Array, display: Encoding) -> Array:
        """Return codes of a display as they are painted, uint8, at once: by a curve or a lattice.

        Args:
            codes: uint8 or float32 (..., 3).
        """
        return glass.shown(codes, display, self.screen, quick=True)

    def screened_whole(self, study: Study, picture: Rgb) -> Array:
        """Return display values as they are painted, in one piece: for workers of the tile pool."""
        go_on = self.to_screen(study)
        return to_bytes(picture if go_on is None else go_on(picture))
