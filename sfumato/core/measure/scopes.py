"""Instrument data of a picture: histogram, parade, waveform, vectorscope, neutral line."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache

import numpy as np
from attrs import frozen

from sfumato.core import luma
from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import lab_of_code
from sfumato.core.compiled import KERNELS
from sfumato.core.lut.sample import Packed, apply_packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours

_SHAPES: dict[str, tuple[int, ...]] = {
    "histogram": (3, 256),
    "parade": (3, 138, 256),
    "waveform": (415, 256),
    "vectorscope": (256, 256),
    "oklab": (256, 256),
}
OKLAB_EDGE = 0.34  # chroma at the edge of the Oklab vectorscope
_BITS = 6  # of each channel, by which colours are looked up on it


@cache
def _oklab_places(display: str) -> Array:
    """Return where colours of a display lie on the Oklab vectorscope, by their upper bits; int32."""
    space = encoding(display)
    levels = ((np.arange(1 << _BITS) + 0.5) / (1 << _BITS)).astype(np.float32)
    r, g, b = np.meshgrid(levels, levels, levels, indexing="ij")
    lab = oklab.from_light(space.decode(np.stack([r, g, b], -1).reshape(-1, 3)), space)
    across, up = (
        np.clip(np.rint(lab[:, i] * (127.5 / OKLAB_EDGE) + 127.5), 0, 255).astype(np.intp)
        for i in (1, 2)
    )
    return np.asarray((255 - up) * 256 + across, np.int32)


_LAB_GRID = 65
AB_EDGE = 128.0  # a and b at the ends of their traces


@cache
def _lab_table(display: str) -> Packed:
    """Return the look-up from display codes to levels of L, a and b: L over 100, a and b about the middle."""
    lab = lab_of_code(lattice_colours(_LAB_GRID).reshape(-1, 3), encoding(display))
    span = np.array([100, 2 * AB_EDGE, 2 * AB_EDGE], np.float32)
    levels = np.asarray(lab, np.float32) / span + np.array([0, 0.5, 0.5], np.float32)
    return packed(Table3D(levels.reshape(_LAB_GRID, _LAB_GRID, _LAB_GRID, 3)))


def lab_levels(image: Array, display: str) -> Array:
    """Return L*, a* and b* (D50) of uint8 display codes (h, w, 3) as levels, uint8: 0..100, -128..128.

    >>> lab_levels(np.full((1, 1, 3), 255, np.uint8), "sRGB")[0, 0].tolist()
    [255, 128, 128]
    """
    out = np.empty(image.shape, np.uint8)
    apply_packed(_lab_table(display), np.ascontiguousarray(image), out)
    return out


def ink_counts(inks: Array) -> Array:
    """Count how much of a picture has how much of each ink, and of all together; int32 (5, 256).

    Args:
        inks: uint8 (h, w, 4). The last row counts sums, 0..4 inks over the same 256 places.
    """
    flat = inks.reshape(-1, 4)
    rows = [np.bincount(flat[:, c], minlength=256) for c in range(4)]
    total = flat.sum(-1, dtype=np.int32)
    return np.asarray([*rows, np.bincount(total // 4, minlength=256)], np.int32)


def oklab_place(rgb: tuple[float, float, float], display: str = "sRGB") -> tuple[float, float]:
    """Return where a display colour lies on the Oklab vectorscope, -1..1 to the right and up."""
    space = encoding(display)
    lab = oklab.from_light(space.decode(np.array([rgb], np.float32)), space)[0]
    return float(lab[1] / OKLAB_EDGE), float(lab[2] / OKLAB_EDGE)


def _oklab(image: Array, display: str) -> Array:
    if KERNELS.counts is not None:
        found = np.zeros(_SHAPES["oklab"], np.int32)
        pixels = np.require(image, requirements=("C", "W"))
        KERNELS.counts.placed(pixels, _oklab_places(display), _BITS, found)
        return found
    by_colour = np.bincount(_cells(image).reshape(-1), minlength=1 << (3 * _BITS))
    counts = np.bincount(_oklab_places(display), by_colour, 256 * 256)
    return np.asarray(counts.reshape(256, 256), np.int32)


def counted(kind: str, image: Array, display: str = "sRGB") -> Array:
    """Count the pixels of uint8 (h, w, 3) for one instrument; int32 counts, layout as in the kernels.

    `display` names the encoding of the picture, which the Oklab vectorscope needs.

    >>> image = np.zeros((4, 5, 3), np.uint8); image[..., 0] = 255
    >>> counted("histogram", image)[:, [0, 255]].tolist()
    [[0, 20], [20, 0], [20, 0]]
    """
    if kind == "oklab":
        return _oklab(image, display)
    counts = np.zeros(_SHAPES[kind], np.int32)
    if KERNELS.counts is not None:
        getattr(KERNELS.counts, kind)(np.require(image, requirements=("C", "W")), counts)
        return counts
    return np.asarray(_NUMPY[kind](image, counts))


def _bin(index: Array, shape: tuple[int, ...]) -> Array:
    size = int(np.prod(shape))
    return np.asarray(np.bincount(index.reshape(-1), minlength=size).reshape(shape), np.int32)


def _histogram(image: Array, counts: Array) -> Array:
    return np.stack([_bin(image[..., c].astype(np.intp), (256,)) for c in range(3)])


def _columns(image: Array, columns: int) -> Array:
    width = image.shape[1]
    return np.asarray((np.arange(width) * columns // width)[None, :] * 256)


def _parade(image: Array, counts: Array) -> Array:
    shape = counts.shape[1:]
    at = _columns(image, shape[0])
    return np.stack([_bin(at + image[..., c], shape) for c in range(3)])


def _levels(image: Array) -> Array:
    """Return the luma of uint8 pixels in whole numbers, as the kernels count it."""
    r, g, b = (weight * image[..., c].astype(np.uint16) for c, weight in enumerate(luma.EIGHT_BIT))
    return np.asarray((r + g + b + 128) >> 8)


def _waveform(image: Array, counts: Array) -> Array:
    return _bin(_columns(image, counts.shape[0]) + _levels(image), counts.shape)


def _vectorscope(image: Array, counts: Array) -> Array:
    cb, cr = _chroma(image)
    return _bin((255 - cr) * 256 + cb, counts.shape)


_NUMPY: dict[str, Callable[[Array, Array], Array]] = {
    "histogram": _histogram,
    "parade": _parade,
    "waveform": _waveform,
    "vectorscope": _vectorscope,
}


# --- bands ---------------------------------------------------------------------------------------
LUMA, ANY = "luma", "any channel"
CHANNELS = ("red", "green", "blue")


@frozen
class Band:
    """What is marked on an instrument: levels of one channel, of luma or of any, or a box of a plane.

    `low` and `high` are levels 0..1; for `plane` ("vectorscope" or "oklab") places -1..1, x and y.
    """

    channel: str = LUMA
    low: tuple[float, ...] = (0.0,)
    high: tuple[float, ...] = (1.0,)
    plane: str = ""


def in_band(image: Array, band: Band, display: str = "sRGB") -> Array:
    """Return which pixels of uint8 (h, w, 3) lie in a band, bool (h, w).

    >>> picture = np.uint8([[[0, 0, 0], [128, 128, 128], [255, 255, 255]]])
    >>> in_band(picture, Band(LUMA, (0.4,), (0.6,))).tolist()
    [[False, True, False]]
    """
    if band.plane == "oklab":
        return _in_box(*_oklab_axes(display), band)[_cells(image)]
    if band.plane:
        return _in_box(*_chroma(image), band)
    level = _levels(image) if band.channel == LUMA else image
    inside = _between(level, band.low[0] * 255, band.high[0] * 255)
    if band.channel == ANY:
        return inside[..., 0] | inside[..., 1] | inside[..., 2]
    return inside if band.channel == LUMA else inside[..., CHANNELS.index(band.channel)]


def _between(whole: Array, low: float, high: float) -> Array:
    """Return which whole numbers lie between two: compared as such, not as 64-bit floats."""
    return np.asarray((whole >= math.ceil(low)) & (whole <= math.floor(high)))


def _in_box(across: Array, up: Array, band: Band) -> Array:
    """Return which places of a vectorscope, whole numbers 0..255 to the right and up, lie in its box."""
    (left, bottom), (right, top) = (
        [value * 127.5 + 127.5 for value in edge] for edge in (band.low, band.high)
    )
    return _between(across, left, right) & _between(up, bottom, top)


def _cells(image: Array) -> Array:
    """Return the cell of each pixel, by the upper bits of its channels."""
    r, g, b = ((image[..., c] >> (8 - _BITS)).astype(np.int32) for c in range(3))
    return np.asarray((r << (2 * _BITS)) | (g << _BITS) | b)


def _oklab_axes(display: str) -> tuple[Array, Array]:
    """Return where each cell's colour lies on the Oklab vectorscope, 0..255 to the right and up."""
    at = _oklab_places(display)
    return at % 256, 255 - at // 256


def _chroma(image: Array) -> tuple[Array, Array]:
    """Return Cb and Cr of pixels, 0..255, as the kernels count them; int32."""
    r, g, b = (image[..., c].astype(np.int32) for c in range(3))
    cb = (-7509 * r - 25259 * g + 32768 * b + 8421376) >> 16
    return cb, (32768 * r - 29763 * g - 3005 * b + 8421376) >> 16


def chroma_place(rgb: tuple[float, float, float]) -> tuple[float, float]:
    """Return where a display colour lies on the Cb/Cr vectorscope, -1..1 to the right and up."""
    y = sum(w * v for w, v in zip(luma.WEIGHTS, rgb, strict=True))
    return 2 * (rgb[2] - y) / 1.8556, 2 * (rgb[0] - y) / 1.5748


# --- in the cube ---------------------------------------------------------------------------------
@frozen(eq=False)
class CubePoints:
    """Points in the colour cube: places (m, 3), their colours uint8 (m, 3), radius in pixels (m,).

    `edges` are straight lines between them: numbers of points (k, 2).
    """

    places: Rgb
    colours: Array
    radius: Array
    words: str = ""
    edges: Array | None = None


_HEAT = np.array(
    [[70, 70, 70], [120, 112, 80], [221, 187, 74], [207, 91, 65], [255, 235, 225]], np.float32
)
_HEAT_AT = (0.0, 0.25, 1.0, 3.0, 6.0)  # dE


def heated(apart: Array) -> Array:
    """Return a colour for each dE, uint8 (m, 3): grey, yellow at 1, red at 3, white from 6 on."""
    channels = [np.interp(apart, _HEAT_AT, _HEAT[:, c]) for c in range(3)]
    return np.stack(channels, axis=-1).astype(np.uint8)


def loss_radius(apart: Array) -> Array:
    """Return how large each dE is drawn, in pixels: 0.7 where nothing is lost, 3.5 from 3 on."""
    return np.asarray(np.interp(apart, (0.0, 0.25, 1.0, 3.0), (0.7, 1.2, 2.2, 3.5)), np.float32)


# --- pictures of counts ------------------------------------------------------------------------
DRAWN = ("parade", "waveform", "vectorscope", "oklab", "lab")
_INK = np.array([[235, 110, 92], [112, 206, 126], [112, 156, 246]], np.float32)
_LAB_INK = np.array([[214, 214, 214], [224, 150, 168], [222, 200, 110]], np.float32)
_WHITE = np.array([214, 214, 214], np.float32)
_GROUND = 38.0


_BRIGHT = 2047  # counts beyond it are as bright as it


def _glow(counts: Array, gain: float) -> Array:
    """Return the brightness 0..1 of counts 0..2047: few pixels are seen, many do not blot."""
    peak = np.log1p(max(float(counts.max()), 1.0) * gain)
    lit = np.log1p(np.arange(_BRIGHT + 1, dtype=np.float32) * np.float32(gain))
    return np.asarray(np.minimum(lit * np.float32(1.15 / peak), 1), np.float32)


def _traces(counts: Array, inks: Array) -> Array:
    """Return traces side by side, counts (n, columns, 256), as uint8 (256, n columns, 4), each in one ink.

    Their pixels are of four bytes: looked up and turned in one piece, ten times quicker than three.
    """
    n, columns, levels = counts.shape
    out = np.empty((levels, n * columns), np.uint32)
    for i, ink in enumerate(inks):
        light = _glow(counts[i], 0.8)
        # Opaque: laid over another, a pixel with another fourth byte shows a wrong colour.
        shades = np.full((len(light), 4), 255, np.uint8)
        shades[:, :3] = np.float32(_GROUND) + (ink - np.float32(_GROUND)) * light[:, None]
        whole = shades.view(np.uint32)[:, 0].take(np.minimum(counts[i], _BRIGHT))
        out[:, i * columns : (i + 1) * columns] = whole[:, ::-1].T
    return out.view(np.uint8).reshape(levels, n * columns, 4)


def _inked(counts: Array, gain: float, ink: Array) -> Array:
    """Return counts as colours, with an ink for each place or one for all."""
    light = _glow(counts, gain)
    share = light.take(np.minimum(counts, _BRIGHT))
    out = np.empty((*counts.shape, 3), np.uint8)
    for c in range(3):
        out[..., c] = np.float32(_GROUND) + (ink[..., c] - np.float32(_GROUND)) * share
    return out


@cache
def _vector_ink() -> Array:
    """Return the colour that each place of the vectorscope stands for, float32 (256, 256, 3)."""
    cb, cr = np.meshgrid((np.arange(256) - 127.5) / 255, (127.5 - np.arange(256)) / 255)
    r, b = 0.62 + 1.5748 * cr, 0.62 + 1.8556 * cb
    g = 0.62 - 0.4681 * cr - 0.1873 * cb
    return np.asarray(np.clip(np.stack([r, g, b], -1) * 255, 60, 255), np.float32)


@cache
def _oklab_ink() -> Array:
    """Return the colour that each place of the Oklab vectorscope stands for, float32 (256, 256, 3)."""
    a, b = np.meshgrid((np.arange(256) - 127.5) / 127.5, (127.5 - np.arange(256)) / 127.5)
    lab = np.stack([np.full_like(a, 0.72), OKLAB_EDGE * a, OKLAB_EDGE * b], -1)
    space = encoding("sRGB")
    code = space.encode(oklab.to_light(lab.astype(np.float32).reshape(-1, 3), space))
    return np.asarray(np.clip(code.reshape(256, 256, 3) * 255, 60, 255), np.float32)


_REFERENCE = np.array([150, 150, 150], np.float32)


def drawn(kind: str, counts: Array, reference: bool = False) -> Array:
    """Return counts of one of DRAWN as a picture, uint8 (256, width, 3 or 4), black at the foot.

    Of four bytes the last is 255: opaque.

    A `reference` is drawn in grey, to lie under or over another.
    """
    grey = _REFERENCE if reference else None
    if kind in ("oklab", "vectorscope"):
        inks = _oklab_ink() if kind == "oklab" else _vector_ink()
        return _inked(counts, 0.5, inks if grey is None else grey)
    if kind == "waveform":
        return _traces(counts[None], (_WHITE if grey is None else grey)[None])
    own = _LAB_INK if kind == "lab" else _INK
    return _traces(counts, own if grey is None else np.stack([grey] * 3))


def neutral_line(run: Callable[[Rgb], Rgb], steps: int = 65) -> Rgb:
    """Return what a function does to greys 0..1, float32 (steps, 3)."""
    greys = np.repeat(np.linspace(0, 1, steps, dtype=np.float32)[:, None], 3, axis=1)
    return run(greys)
