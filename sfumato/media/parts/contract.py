"""What a picture is here, and what every reader must say about it."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.raster.plates import Plates

MOST_PIXELS = 200_000_000
SIDE_MOST = 65_500
# Colour primaries and transfer characteristics of ITU-T H.273, which PNG (cICP) and clips carry.
H273 = {
    (1, 13): "sRGB",
    (1, 1): "BT.1886",
    (12, 13): "Display P3",
    (9, 16): "BT.2100 PQ",
    (9, 18): "BT.2100 HLG",
    (9, 14): "BT.2020",
}


@frozen
class FrameFacts:
    """What the file says: `encoding` names ours when it states one, with `evidence` in words."""

    bits: str
    encoding: str | None = None
    evidence: str = "the file does not say what its encoding is"
    remarks: tuple[str, ...] = ()
    frames: int = 1
    rate: float = 0.0  # frames a second, 0 for stills
    # Seconds of each frame, where they are uneven; of one file they are one tuple, which is not compared.
    times: tuple[float, ...] = field(default=(), repr=False, eq=False)
    profile: bytes = field(default=b"", repr=False)
    exif: bytes = field(default=b"", repr=False)
    xmp: bytes = field(default=b"", repr=False)


@frozen
class Saving:
    """What is written beside the pixels: what they mean, and what is kept of the picture they come from.

    Attributes:
        encoding: one of ours, "" when nobody knows; `profile` is used where it is "".
        exif, xmp: as `media.tags` leaves them.
        quality, sampling: of JPEG, 1..100 and how chroma is sampled.
    """

    encoding: str = ""
    profile: bytes = field(default=b"", repr=False)
    exif: bytes = field(default=b"", repr=False)
    xmp: bytes = field(default=b"", repr=False)
    quality: int = 95
    sampling: str = "4:4:4"


@frozen(eq=False)
class Still:
    """One picture: `pixels` uint8, uint16 or float32 (h, w, 3), upright; integers stand for 0..1.

    `plates` are its own numbers where it is kept in Lab or CMYK, upright too; `pixels` is how it is seen,
    computed when it is first asked for.
    """

    _pixels: Array | Callable[[], Array]
    facts: FrameFacts
    plates: Plates | None = None
    _lock: threading.Lock = field(factory=threading.Lock, init=False, repr=False)

    @property
    def pixels(self) -> Array:
        """The picture; raises MediaError where its colour profile fails only now."""
        if callable(self._pixels):
            with self._lock:
                if callable(self._pixels):
                    object.__setattr__(self, "_pixels", self._pixels())
        return self._pixels  # type: ignore[return-value]

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        own = self.pixels if self.plates is None else self.plates.values
        return own.shape[1], own.shape[0]

    def as_float(self) -> Rgb:
        """Return code values as float32 (h, w, 3), 1.0 = full scale."""
        return as_float(self.pixels)


def as_float(pixels: Array) -> Rgb:
    """Turn integer code values into float32, 1.0 = full scale; floats lose NaN and infinity."""
    if pixels.dtype in (np.uint8, np.uint16):
        out = pixels.astype(np.float32)
        out /= np.float32(np.iinfo(pixels.dtype).max)
        return out
    out = pixels.astype(np.float32)
    np.nan_to_num(out, copy=False, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return out


@frozen(eq=False)
class MediaSpec:
    """One kind of picture file; `write` is None for kinds that are only read.

    Attributes:
        named: its content looks like another kind's, so only its own suffixes are tried.
        unkept: what it cannot keep of a `Saving`, in words.
        is_linear: it holds light, not code values.
    """

    key: str
    title: str
    suffixes: tuple[str, ...]
    sniff: Callable[[bytes], bool]
    read: Callable[[bytes, int], Still]
    write: Callable[[Array, Saving], bytes] | None = None
    depths: tuple[str, ...] = ()
    named: bool = False
    is_linear: bool = False
    unkept: Callable[[Saving], tuple[str, ...]] = lambda _saving: ()
