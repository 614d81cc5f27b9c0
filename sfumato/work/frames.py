"""Pictures of the shots, kept: decoded once, made smaller for the screen and for measuring."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.study.shot import Shot
from sfumato.media.clip import Clip
from sfumato.media.parts.contract import Still, as_float
from sfumato.media.parts.registry import by_suffix, read
from sfumato.work.files import read_bytes

Region = tuple[float, float, float, float]
WHOLE: Region = (0.0, 0.0, 1.0, 1.0)


def open_still(path: str | Path, frame: int = 0) -> Still:
    """Open a picture or one frame of a clip.

    Raises:
        MediaError: it cannot be read.
    """
    file = Path(path)
    return read(read_bytes(file), str(file), frame)


def scaled(pixels: Array, region: Region, width: int, height: int) -> Rgb:
    """Return `region` (x0, y0, x1, y1 as shares of the picture) at a size, float32 code values.

    Smaller sizes average areas; larger ones repeat pixels, so that a pixel stays a pixel.
    """
    h, w = pixels.shape[:2]
    x0, y0, x1, y1 = region[0] * w, region[1] * h, region[2] * w, region[3] * h
    left, top = int(np.floor(x0)), int(np.floor(y0))
    right, bottom = min(w, int(np.ceil(x1))), min(h, int(np.ceil(y1)))
    part = as_float(pixels[top:bottom, left:right])
    if part.shape[1] == width and part.shape[0] == height and x0 == left and y0 == top:
        return part
    box = (x0 - left, y0 - top, min(x1 - left, part.shape[1]), min(y1 - top, part.shape[0]))
    larger = width >= x1 - x0
    how = Image.Resampling.NEAREST if larger else Image.Resampling.BOX
    out = np.empty((height, width, 3), np.float32)
    for c in range(3):
        plane = Image.fromarray(np.ascontiguousarray(part[..., c]))
        out[..., c] = np.asarray(plane.resize((width, height), how, box))
    return out


def _bytes(value: Any) -> int:
    """Return about how much memory a kept value holds."""
    if isinstance(value, tuple):
        return sum(_bytes(v) for v in value)
    if isinstance(value, Still):
        return int(value.pixels.nbytes)
    return int(getattr(value, "nbytes", 0))


class Kept:
    """A small cache of the newest answers: at most `most`, and at most `memory` bytes of arrays."""

    def __init__(self, most: int, memory: int = 512 << 20) -> None:
        self._most, self._memory = most, memory
        self._items: OrderedDict[Any, Any] = OrderedDict()
        self._lock = threading.Lock()

    def peek(self, key: Any) -> Any:
        """Return the answer for `key` when it is kept, else None."""
        with self._lock:
            return self._items.get(key)

    def get(self, key: Any, make: Callable[[], Any]) -> Any:
        """Return the answer for `key`, made when it is not kept."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
        value = make()
        with self._lock:
            self._items[key] = value
            while len(self._items) > 1 and (
                len(self._items) > self._most
                or sum(map(_bytes, self._items.values())) > self._memory
            ):
                self._items.popitem(last=False)
        return value


class Frames:
    """Decoded shots and their proxies. A file that changes on disk is read again."""

    def __init__(self, keep: int = 8) -> None:
        self._stills = Kept(keep)
        self._proxies = Kept(64)
        self._clips = Kept(4)

    @staticmethod
    def _key(shot: Shot) -> tuple[str, int, int]:
        try:
            stamp = Path(shot.path).stat().st_mtime_ns
        except OSError:
            stamp = 0
        return shot.path, shot.frame, stamp

    def still(self, shot: Shot) -> Still:
        """Return the shot's picture: for a clip, the frame that is chosen.

        Raises:
            MediaError: it cannot be read.
        """

        def make() -> Still:
            kind = by_suffix(shot.path)
            if kind is None or kind.key != "clip":
                return open_still(shot.path, shot.frame)
            return self._clip(shot).frame(shot.frame)

        still: Still = self._stills.get(self._key(shot), make)
        return still

    def _clip(self, shot: Shot) -> Clip:
        """Return the clip of a shot, kept open: frame by frame it is not opened again."""
        path, _frame, stamp = self._key(shot)
        file = Path(path)
        if not file.is_file():
            read_bytes(file)  # says why
        clip: Clip = self._clips.get((path, stamp), lambda: Clip(path))
        return clip

    def proxy(self, shot: Shot, width: int, height: int, region: Region = WHOLE) -> Rgb:
        """Return source code values, float32 (height, width, 3), read-only."""

        def make() -> Rgb:
            pixels = scaled(self.still(shot).pixels, region, width, height)
            pixels.flags.writeable = False
            return pixels

        proxy: Rgb = self._proxies.get((self._key(shot), width, height, region), make)
        return proxy

    def quick(self, shot: Shot, width: int, height: int) -> Still:
        """Return a frame of a clip at a size, for playing: as near as the decoder's own scaler is.

        Raises:
            MediaError: it cannot be read.
        """
        key = (self._key(shot), width, height, "quick")
        still: Still = self._proxies.get(
            key, lambda: self._clip(shot).quick(shot.frame, width, height)
        )
        return still

    def clip_size(self, shot: Shot) -> tuple[int, int]:
        """Return width and height of a clip's frames."""
        return self._clip(shot).size

    def sample(self, shot: Shot, width: int = 240) -> Rgb:
        """Return a proxy for measuring: `width` wide, in the shape of the picture."""
        w, h = self.still(shot).size
        return self.proxy(shot, width, max(1, round(width * h / w)))
