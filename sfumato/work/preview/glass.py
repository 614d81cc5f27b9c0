"""Display codes as the screen before us shows them: exactly at rest, through a lattice while they play."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.bench.signal import Signal, from_signal, painted
from sfumato.core.breath import breathe
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.screen import is_plain, on_screen
from sfumato.core.compiled import KERNELS
from sfumato.core.lut.sample import apply_packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.path.path import CHUNK
from sfumato.media.parts.contract import as_float
from sfumato.work.preview.asks import to_bytes

_POINTS, _STEPS = 33, 4096


class _Way:
    """The way from a display to a screen: a curve where channels are not mixed, else a lattice."""

    def __init__(self, display: Encoding, screen: Encoding | None) -> None:
        self.ends = display, screen
        grey = np.linspace(0, 1, _STEPS, dtype=np.float32)[:, None].repeat(3, 1)
        mixes = False
        if screen is not None and not is_plain(display, screen):
            mixes = display.primaries != screen.primaries or display.white != screen.white
            mixes = mixes or display.is_wide or screen.coder is not None
            grey = on_screen(grey, display, screen)
        self.curve: Array | None = None if mixes else to_bytes(grey)[:, 0].copy()
        self.of_codes = b""  # what each of the 256 codes becomes by the curve
        if self.curve is not None:
            codes = as_float(np.arange(256, dtype=np.uint8))
            at = (codes * (_STEPS - 1) + np.float32(0.5)).astype(int)
            self.of_codes = self.curve[at].tobytes()
        self.lattice: Table3D | None = None
        if mixes and screen is not None:
            self.lattice = Table3D(
                frozen_array(on_screen(lattice_colours(_POINTS), display, screen))
            )


_WAYS: list[
    _Way
] = []  # the newest first; what an encoding hashes to takes longer than to look here


def _way(display: Encoding, screen: Encoding | None) -> _Way:
    for way in tuple(_WAYS):
        if way.ends[0] is display and way.ends[1] is screen:
            return way
    made = _Way(display, screen)
    _WAYS[:] = [made, *_WAYS[:3]]
    return made


def shown(codes: Array, display: Encoding, screen: Encoding | None, *, quick: bool) -> Array:
    """Return display codes as they are painted, uint8 (..., 3).

    Args:
        codes: uint8, or float32 that may lie beyond 0..1.
        screen: None = codes go there as they are.
        quick: by a curve of 4096 steps, or a lattice of 33 points where primaries differ.
    """
    same = screen is None or is_plain(display, screen)
    if same and codes.dtype == np.uint8:
        return codes
    if not quick or not KERNELS.are_loaded:
        if screen is None or same:
            return to_bytes(codes)
        out = np.empty(codes.shape, np.uint8)
        colours, into = codes.reshape(-1, 3), out.reshape(-1, 3)
        for start in range(0, len(colours), CHUNK):  # whole, it takes a dozen times as much
            breathe()
            part = slice(start, start + CHUNK)
            into[part] = to_bytes(
                on_screen(np.clip(as_float(colours[part]), 0, 1), display, screen)
            )
        return out
    from sfumato.core.kernels import video

    way = _way(display, screen)
    if codes.dtype == np.uint8 and way.of_codes:  # as numbers the frame takes four times as much
        there = bytearray(np.ascontiguousarray(codes)).translate(way.of_codes)
        return np.frombuffer(there, np.uint8).reshape(codes.shape)
    out = np.empty(codes.shape, np.uint8)
    if way.lattice is not None:
        kind = codes if codes.dtype == np.uint8 else np.asarray(codes, np.float32)
        apply_packed(packed(way.lattice), np.ascontiguousarray(kind), out)
    else:
        flat = np.require(codes, np.float32, ("C", "W")).reshape(-1)
        video.painted(flat, way.curve, out.reshape(-1))
    return out


def shown_signal(
    signal: Signal, display: Encoding, screen: Encoding | None, *, quick: bool
) -> Array:
    """Return a frame of video as it is painted, uint8 (h, w, 3); `quick` as in `shown`."""
    if quick and KERNELS.are_loaded:
        way = _way(display, screen)
        if way.curve is not None:
            return painted(signal, way.curve)
    return shown(from_signal(signal), display, screen, quick=quick)
