"""Pictures of the shots, kept: decoded once, made smaller for the screen and for measuring."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import breathe
from sfumato.core.compiled import KERNELS
from sfumato.core.study.shot import Shot
from sfumato.media.clip import Clip
from sfumato.media.parts.contract import FrameFacts, Still, as_float
from sfumato.media.parts.printed import taken_as
from sfumato.media.parts.registry import by_suffix, read
from sfumato.raster.plates import CMYK
from sfumato.work import memory
from sfumato.work.files import is_file, read_bytes
from sfumato.work.memory import Kept
from sfumato.work.press_files import press_bytes

Region = tuple[float, float, float, float]
_LARGE = 24_000_000  # pixels of a picture from which on a smaller copy is kept for small sizes
_COPY = 6_000_000  # … of about so many pixels
# Pixels that are turned into floats together: few enough to stay in the cache and on the heap, and to hold
# the interpreter shortly, which Pillow does while it copies. Half a million took nearly twice as long.
_AT_ONCE = 32_768
_SMALL = 90_000  # pixels of what loss and thumbnails are made of, tall pictures among them
_TALLEST = 4  # times as tall as wide, up to which a small picture keeps its width
WHOLE: Region = (0.0, 0.0, 1.0, 1.0)


def open_still(path: str | Path, frame: int = 0, press: str | None = None) -> Still:
    """Open a picture or one frame of a clip.

    Args:
        press: the file of a profile, for inks whose file has none; "" or None = the press that ships.
    Raises:
        MediaError: it, or the profile, cannot be read.
    """
    file = Path(path)
    still = read(read_bytes(file), str(file), frame)
    if press is None or still.plates is None:
        return still
    return taken_as(still, press_bytes(press), ", as chosen")


@attrs.frozen
class Told:
    """What is known of a picture without its pixels: width and height, whether they are floats, whether it
    is kept in Lab or inks, and what its file says."""

    size: tuple[int, int]
    is_float: bool
    is_plated: bool
    facts: FrameFacts


def is_clip(path: str | Path) -> bool:
    """Whether a file is a clip, by its name."""
    kind = by_suffix(str(path))
    return kind is not None and kind.key == "clip"


def is_still(shot: Shot | None) -> bool:
    """Whether this is a shot that is no clip."""
    return shot is not None and not is_clip(shot.path)


def small_size(size: tuple[int, int], width: int) -> tuple[int, int]:
    """Return a size for measuring: so wide, in the shape of the picture, of tall ones bounded.

    Pixels are bounded rather than the width: a picture of 1 x 10 000 asks for no more than others.

    >>> small_size((1920, 1080), 240), small_size((1, 10_000), 240)
    ((240, 135), (5, 10000))
    """
    w, h = size
    height = width * h / w
    if height > _TALLEST * width:
        share = (_TALLEST * width / height) ** 0.5
        return max(1, round(width * share)), max(1, min(round(height * share), h))
    return width, max(1, round(height))


def scaled(pixels: Array, region: Region, width: int, height: int) -> Rgb:
    """Return `region` (x0, y0, x1, y1 as shares of the picture) at a size, float32 code values.

    Smaller sizes average areas; larger ones repeat pixels, so that a pixel stays a pixel.
    """
    h, w = pixels.shape[:2]
    x0, y0, x1, y1 = region[0] * w, region[1] * h, region[2] * w, region[3] * h
    left, top = int(np.floor(x0)), int(np.floor(y0))
    right, bottom = min(w, int(np.ceil(x1))), min(h, int(np.ceil(y1)))
    part = pixels[top:bottom, left:right]
    if part.shape[1] == width and part.shape[0] == height and x0 == left and y0 == top:
        return as_float(part)
    box = (x0 - left, y0 - top, min(x1 - left, part.shape[1]), min(y1 - top, part.shape[0]))
    larger = width >= x1 - x0
    how = Image.Resampling.NEAREST if larger else Image.Resampling.BOX
    channels = part.shape[-1]
    out = np.empty((height, width, channels), np.float32)
    if not larger and KERNELS.areas is not None and part.dtype in (np.uint8, np.uint16):
        across, down = _areas(box[0], box[2], width), _areas(box[1], box[3], height)
        KERNELS.areas.means(part, *across, *down, 1 / np.iinfo(part.dtype).max, out)
        return out
    # Floats of a large picture would be gigabytes: it is made smaller stripe by stripe.
    count = 1 if larger else min(height, max(1, part.shape[0] * part.shape[1] // _AT_ONCE))
    for i in range(count):
        breathe()
        first, last = i * height // count, (i + 1) * height // count
        step = (box[3] - box[1]) / height
        y_from, y_to = box[1] + first * step, box[1] + last * step
        row, end = int(np.floor(y_from)), min(part.shape[0], int(np.ceil(y_to)))
        stripe = as_float(part[row:end])
        inner = (box[0], y_from - row, box[2], min(y_to - row, end - row))
        for c in range(channels):
            plane = Image.fromarray(np.ascontiguousarray(stripe[..., c]))
            out[first:last, :, c] = np.asarray(plane.resize((width, last - first), how, inner))
    return out


def _areas(start: float, end: float, count: int) -> tuple[Array, Array]:
    """Return the first pixel of each of some areas side by side, and the one behind its last, as Pillow
    takes them for BOX: those whose middle lies inside; of areas smaller than a pixel the one they lie in."""
    size = (end - start) / count
    middles = start + (np.arange(count) + 0.5) * size
    half = max(size, 1.0) / 2
    first = np.floor(middles - half + 0.5).astype(np.int64)
    return first, np.floor(middles + half + 0.5).astype(np.int64)


def _by_factor(pixels: Array, factor: int) -> Rgb:
    """Return a picture made smaller by a whole number, means of squares; the rest at its edges is cut."""
    h, w = pixels.shape[0] // factor, pixels.shape[1] // factor
    out = np.empty((h, w, 3), np.float32)
    rows = max(1, _AT_ONCE // (w * factor * factor))
    for top in range(0, h, rows):
        bottom = min(top + rows, h)
        part = as_float(pixels[top * factor : bottom * factor, : w * factor])
        for c in range(3):
            plane = Image.fromarray(np.ascontiguousarray(part[..., c]))
            out[top:bottom, :, c] = np.asarray(plane.reduce(factor))
    return out


class Frames:
    """Decoded shots and their proxies. A file that changes on disk is read again."""

    def __init__(self, keep: int = 8) -> None:
        self._stills = Kept(memory.STILLS, keep)
        self._copies = Kept(memory.COPIES, keep)
        self._told = Kept(memory.TOLD, 4096, apart=True)
        self._proxies = Kept(memory.PROXIES)
        self._small = Kept(memory.SMALL, 256, apart=True)  # each costs to decode its shot anew
        self._clips = Kept(memory.CLIPS, 2)  # a decoder of 960 x 540 holds 17 to 29 MB

    @staticmethod
    def _key(shot: Shot) -> tuple[str, int, int, str | None]:
        try:
            stamp = Path(shot.path).stat().st_mtime_ns
        except OSError:
            stamp = 0
        return shot.path, shot.frame, stamp, shot.press

    def still(self, shot: Shot) -> Still:
        """Return the shot's picture: for a clip, the frame that is chosen.

        Raises:
            MediaError: it cannot be read.
        """

        def make() -> Still:
            if not is_clip(shot.path):
                still = open_still(shot.path, shot.frame, shot.press)
                # The pixels of inks are made when they are asked for: now, so that the cache counts them.
                return attrs.evolve(still, pixels=still.pixels)
            return self._clip(shot).frame(shot.frame)

        key = self._key(shot)
        still: Still = self._stills.get(key, make)
        self._tell(key, still)
        return still

    def told(self, shot: Shot) -> Told:
        """Return what is known of the shot's picture; it is decoded for that only once.

        Raises:
            MediaError: it cannot be read.
        """
        key = self._key(shot)
        told: Told | None = self._told.peek(key)
        return self._tell(key, self.still(shot)) if told is None else told

    def _tell(self, key: tuple[Any, ...], still: Still) -> Told:
        def make() -> Told:
            is_float = still.pixels.dtype.kind == "f"
            return Told(still.size, is_float, still.plates is not None, still.facts)

        told: Told = self._told.get(key, make)
        return told

    def is_plated(self, shot: Shot) -> bool:
        """Whether a shot's picture is kept in Lab or inks."""
        return not is_clip(shot.path) and self.told(shot).is_plated

    def inks(self, shot: Shot, width: int, height: int, region: Region = WHOLE) -> Array | None:
        """Return the inks of a picture that is kept in CMYK, float32 areas (height, width, 4); None of others."""
        plates = self.still(shot).plates if not is_clip(shot.path) else None
        if plates is None or plates.kind != CMYK:
            return None
        values = plates.values
        inks: Array = self._proxies.get(
            (self._key(shot), width, height, region, "inks"),
            lambda: scaled(values, region, width, height),
        )
        return inks

    def known_size(self, shot: Shot) -> tuple[int, int] | None:
        """Return width and height of the shot's picture, None while it was not decoded."""
        told: Told | None = self._told.peek(self._key(shot))
        return None if told is None else told.size

    def size(self, shot: Shot) -> tuple[int, int]:
        """Return width and height of the shot's picture; known once it was decoded.

        Raises:
            MediaError: it cannot be read.
        """
        return self.told(shot).size

    def _clip(self, shot: Shot) -> Clip:
        """Return the clip of a shot, kept open: frame by frame it is not opened again."""
        path, _frame, stamp, _press = self._key(shot)
        file = Path(path)
        if not is_file(file):
            read_bytes(file)  # says why
        clip: Clip = self._clips.get((path, stamp), lambda: Clip(path))
        return clip

    def proxy(self, shot: Shot, width: int, height: int, region: Region = WHOLE) -> Rgb:
        """Return source code values, float32 (height, width, 3), read-only."""

        def make() -> Rgb:
            pixels = scaled(self._source(shot, region, width, height), region, width, height)
            pixels.flags.writeable = False
            return pixels

        kept = self._small if width * height <= _SMALL else self._proxies
        proxy: Rgb = kept.get((self._key(shot), width, height, region), make)
        return proxy

    def _source(self, shot: Shot, region: Region, width: int, height: int) -> Array:
        """Return the picture to make a smaller one of: of a very large one a smaller copy, if that has
        at least twice the points that are wanted."""
        w, h = self.size(shot)
        factor = min(int((w * h / _COPY) ** 0.5), min(w, h) // 8) if w * h > _LARGE else 1
        across, down = (region[2] - region[0]) * w, (region[3] - region[1]) * h
        if factor < 2 or across < 2 * factor * width or down < 2 * factor * height:
            return self.still(shot).pixels
        copy: Array = self._copies.get(
            (*self._key(shot), factor), lambda: _by_factor(self.still(shot).pixels, factor)
        )
        return copy

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

    def video(self, shot: Shot, width: int, height: int) -> list[Array] | None:
        """Return a frame of a clip as planes of 10-bit legal-range 4:2:2; None for a turned clip.

        Raises:
            MediaError: it cannot be read.
        """
        clip = self._clip(shot)
        if clip.turns:
            return None
        key = (self._key(shot), width, height, "video")
        planes: list[Array] = self._proxies.get(key, lambda: clip.video(shot.frame, width, height))
        return planes

    def rgb8(self, shot: Shot, width: int, height: int) -> Array:
        """Return a frame of a clip at a size, uint8 (h, w, 3): as near as the decoder's own scaler is.

        Raises:
            MediaError: it cannot be read.
        """
        key = (self._key(shot), width, height, "rgb8")
        pixels: Array = self._proxies.get(
            key, lambda: self._clip(shot).rgb8(shot.frame, width, height)
        )
        return pixels

    def count(self, shot: Shot) -> int:
        """Return how many frames a clip has."""
        return max(self._clip(shot).count, 1)

    def clip_size(self, shot: Shot) -> tuple[int, int]:
        """Return width and height of a clip's frames."""
        return self._clip(shot).size

    def sample(self, shot: Shot, width: int = 240) -> Rgb:
        """Return a proxy for measuring: `width` wide, in the shape of the picture."""
        return self.proxy(shot, *small_size(self.size(shot), width))
