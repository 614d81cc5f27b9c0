"""Video as a cable carries it: Y'CbCr of BT.709, 10 bit, legal range, 4:2:2.

Source: ITU-R BT.709-6, items 3.2 to 3.4 and 4.2 to 4.5: luma of 0.2126 R' + 0.7152 G' + 0.0722 B', colour differences
over 1.8556 and 1.5748; at 10 bit black at 64, white at 940, colour differences of 448 about 512; codes 0 to 3
and 1020 to 1023 are kept for timing. Colour differences stand on every second pixel from the first.
"""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.compiled import KERNELS
from sfumato.core.luma import WEIGHTS

BLACK, SPAN = 64, 876  # codes of Y'
MIDDLE, REACH = 512, 896  # codes of Cb and Cr: middle, and from end to end
LEAST, MOST = 4, 1019
_CB, _CR = 1.8556, 1.5748
_KR, _KG, _KB = WEIGHTS
# As the compiled loops of `core/kernels/video` take them.
_PACKING = np.array(
    (BLACK, SPAN, MIDDLE, REACH, _KR, _KG, _KB, 1 / _CB, 1 / _CR, (1 << 10) - 1), np.float32
)
_UNPACKING = np.array((BLACK, 1 / SPAN, MIDDLE, 1 / REACH, _CR, _CB, _KR, _KB, 1 / _KG), np.float32)


@frozen(eq=False)
class Signal:
    """A frame: `y` (h, w), `cb` and `cr` (h, half of w rounded up), uint16 codes of 10 bit."""

    y: Array
    cb: Array
    cr: Array

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, pixels."""
        return self.y.shape[1], self.y.shape[0]

    def rows(self, first: int, last: int) -> Signal:
        """Return some lines of the frame; each line stands for itself."""
        return Signal(self.y[first:last], self.cb[first:last], self.cr[first:last])


def _codes(values: Array) -> Array:
    return np.asarray(np.clip(np.rint(values), LEAST, MOST), np.uint16)


def differences(rgb: Rgb) -> tuple[Array, Array, Array]:
    """Return luma 0..1 and the colour differences -0.5..0.5 of display codes (..., 3), float32."""
    r, g, b = (rgb[..., c] for c in range(3))
    y = np.float32(WEIGHTS[0]) * r + np.float32(WEIGHTS[1]) * g + np.float32(WEIGHTS[2]) * b
    return y, (b - y) / np.float32(_CB), (r - y) / np.float32(_CR)


def together(y: Array, cb: Array, cr: Array) -> Rgb:
    """Return display codes (..., 3) of luma and colour differences; the way back of `differences`."""
    red, blue = y + np.float32(_CR) * cr, y + np.float32(_CB) * cb
    green = (y - np.float32(WEIGHTS[0]) * red - np.float32(WEIGHTS[2]) * blue) / np.float32(
        WEIGHTS[1]
    )
    return np.stack([red, green, blue], -1)


def to_signal(rgb: Rgb) -> Signal:
    """Return codes (h, w, 3), held within 0..1, as a frame.

    Colour differences are (1, 2, 1) / 4 of the pixels about the one that they stand on; the edge goes on.

    >>> s = to_signal(np.ones((1, 2, 3), np.float32))
    >>> int(s.y[0, 0]), int(s.cb[0, 0]), s.cb.shape
    (940, 512, (1, 1))
    """
    if KERNELS.are_loaded:
        from sfumato.core.kernels import video

        height, width = rgb.shape[:2]
        planes = [np.empty((height, w), np.uint16) for w in (width, -(-width // 2), -(-width // 2))]
        video.pack(np.require(rgb, np.float32, ("C", "W")), _PACKING, *planes, 0)
        return Signal(*planes)
    y, cb, cr = differences(np.clip(np.asarray(rgb, np.float32), 0, 1))
    halves = []
    for plane in (cb, cr):
        wide = np.pad(plane, ((0, 0), (1, 1)), mode="edge")
        even = (wide[:, :-2] + 2 * wide[:, 1:-1] + wide[:, 2:]) / 4
        halves.append(_codes(MIDDLE + REACH * even[:, ::2]))
    return Signal(_codes(BLACK + SPAN * y), *halves)


def from_signal(signal: Signal) -> Rgb:
    """Return a frame as display codes (h, w, 3), float32; beyond 0..1 where the signal is.

    A colour difference between two is their mean.

    >>> s = to_signal(np.full((2, 4, 3), 0.5, np.float32))
    >>> bool(np.abs(from_signal(s) - 0.5).max() < 1 / 876)
    True
    """
    height, width = signal.y.shape
    if KERNELS.are_loaded:
        from sfumato.core.kernels import video

        out = np.empty((height, width, 3), np.float32)
        codes = (np.require(p, np.uint16, ("C", "W")) for p in (signal.y, signal.cb, signal.cr))
        video.unpack(*codes, height, signal.cb.shape[1], _UNPACKING, out, 0)
        return out
    planes = []
    for half in (signal.cb, signal.cr):
        own = (half.astype(np.float32) - MIDDLE) / REACH
        nxt = np.concatenate([own[:, 1:], own[:, -1:]], 1)
        both = np.stack([own, (own + nxt) / 2], -1).reshape(len(own), -1)
        planes.append(both[:, :width])
    y = (signal.y.astype(np.float32) - BLACK) / SPAN
    return together(y, *planes)


def painted(signal: Signal, curve: Array) -> Array:
    """Return a frame through a curve, uint8 (h, w, 3), by the compiled loops, which must be loaded.

    Args:
        curve: uint8 (k,), from 0 to 1; codes are held there.
    """
    from sfumato.core.kernels import video

    height, width = signal.y.shape
    out = np.empty((height, width, 3), np.uint8)
    codes = (np.require(p, np.uint16, ("C", "W")) for p in (signal.y, signal.cb, signal.cr))
    video.unpack_painted(*codes, signal.cb.shape[1], _UNPACKING, curve, out)
    return out


def in_ten_bit(rgb: Rgb) -> Rgb:
    """Return display codes as 10 bit of legal range hold them, with all colour differences (4:4:4)."""
    y, cb, cr = differences(np.asarray(rgb, np.float32))
    codes = (_codes(BLACK + SPAN * y), _codes(MIDDLE + REACH * cb), _codes(MIDDLE + REACH * cr))
    luma, blue, red = (c.astype(np.float32) for c in codes)
    return together((luma - BLACK) / SPAN, (blue - MIDDLE) / REACH, (red - MIDDLE) / REACH)
