"""A real-time engine, simulated: how it takes a LUT in as a texture, and how its chip samples that.

Of no maker: the import settings are those that engines have in common, and the ones that spoil a LUT. Chips hold
the weights of their filters in 8 bits; what a shader computes itself is exact.

Source of the filter: the OpenGL 4.6 core profile, section 8.14 (texel of a coordinate, level of detail, linear
filter); the depth of weights is left to the chip there, 8 bits are usual.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import product
from typing import Any

import numpy as np
from attrs import evolve, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.bench.blocks import BC1, BC7, through_blocks
from sfumato.core.breath import breathe
from sfumato.core.controls import Choice, Toggle, control, counted
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D

STRIP, TILES, VOLUME = "strip", "tiles", "3D texture"
LAYOUTS = (STRIP, TILES, VOLUME)
EIGHT, HALF = "8 bit", "half float"
NONE = "none"
NEAREST, LINEAR = "nearest", "linear"
_WEIGHT = 256  # steps of a filter's weights


@frozen
class Import:
    """How an engine takes a LUT in.

    Attributes:
        layout: slices of blue in a row, in a square, or a texture of three dimensions.
        points: a side of the lattice.
    """

    layout: str = control(
        STRIP, Choice(title="Texture", options=LAYOUTS, help="How the lattice lies in the texture.")
    )
    points: int = control(
        32,
        counted("Points", 8, 64, "A side of the lattice."),
    )
    depth: str = control(
        EIGHT, Choice(title="Depth", options=(EIGHT, HALF), help="The numbers in the texture.")
    )
    srgb: bool = control(
        False,
        Toggle(
            title="Decode from sRGB",
            help="As for a picture of a surface: the chip takes every value for a picture's and gives light.",
        ),
    )
    mips: bool = control(
        False,
        Toggle(
            title="Mip maps",
            help="Smaller copies, of which the chip takes one where colours change fast.",
        ),
    )
    compression: str = control(
        NONE,
        Choice(
            title="Compression",
            options=(NONE, BC1, BC7),
            help="Blocks of 4 x 4 colours are held as steps between two.",
        ),
    )
    filter: str = control(
        LINEAR,
        Choice(
            title="Filter",
            options=(NEAREST, LINEAR),
            help="Nearest takes the node beside it alone.",
        ),
    )
    half_texel: bool = control(
        False,
        Toggle(
            title="Half a texel off",
            help="The shader looks at the edges of nodes instead of their middles.",
        ),
    )
    green_down: bool = control(
        False,
        Toggle(title="Green the other way", help="The texture stands on its head: green runs up."),
    )

    @property
    def is_eight(self) -> bool:
        """Whether its numbers have 8 bits; compressed ones have, whatever is asked for."""
        return self.depth == EIGHT or self.compression != NONE

    @property
    def decodes(self) -> bool:
        """Whether the chip decodes from sRGB: there are no textures of floats that it does so with."""
        return self.srgb and self.is_eight


RIGHT = Import()
# Each thing that can be wrong with an import: its words, and how it is set from a right one.
FAULTS: dict[str, dict[str, object]] = {
    "decoded from sRGB": {"srgb": True},
    "with mip maps": {"mips": True},
    "compressed as BC1": {"compression": BC1},
    "compressed as BC7": {"compression": BC7},
    "with the nearest node alone": {"filter": NEAREST},
    "half a texel off": {"half_texel": True},
    "with green the other way": {"green_down": True},
}

# What each is called on the command line.
FAULT_KEYS = dict(
    zip(("srgb", "mips", "bc1", "bc7", "nearest", "half-texel", "green"), FAULTS, strict=True)
)


def with_faults(settings: Import, faults: Iterable[str]) -> Import:
    """Return an import with things wrong, by their words."""
    for fault in faults:
        fields: Any = FAULTS[fault]
        settings = evolve(settings, **fields)
    return settings


def set_faults(found: Import) -> tuple[str, ...]:
    """Return the words of what is wrong with an import."""
    return tuple(
        words
        for words, fields in FAULTS.items()
        if all(getattr(found, name) == value for name, value in fields.items())
    )


@frozen(eq=False)
class Texture:
    """What an engine holds.

    Attributes:
        texels: as they are uploaded, float32 (h, w, 3), or (b, g, r, 3) of a texture of three dimensions.
        levels: as the chip reads them: decoded where it decodes, the mip maps after the first.
    """

    texels: Array
    levels: tuple[Array, ...]
    settings: Import

    @property
    def points(self) -> int:
        return self.settings.points


def across(points: int) -> int:
    """Return how many slices stand side by side in a square of them.

    >>> across(64), across(16), across(32)
    (8, 4, 8)
    """
    return 1 << -(-(points - 1).bit_length() // 2)


def laid_out(table: Table3D, layout: str) -> Array:
    """Return the nodes of a table as a picture: red across a slice, green down, a slice for each blue.

    A square has slices left to right and top to bottom; what is left of it is black.
    """
    n = table.size
    nodes = table.values.transpose(2, 1, 0, 3)  # blue, green, red
    if layout == VOLUME:
        return np.ascontiguousarray(nodes)
    if layout == STRIP:
        return np.ascontiguousarray(nodes.transpose(1, 0, 2, 3).reshape(n, n * n, 3))
    wide = across(n)
    high = -(-n // wide)
    full = np.zeros((high * wide, n, n, 3), np.float32)
    full[:n] = nodes
    return np.ascontiguousarray(
        full.reshape(high, wide, n, n, 3).transpose(0, 2, 1, 3, 4).reshape(high * n, wide * n, 3)
    )


Held = dict[tuple[int, int, str, bool, str], Array]  # the texels that were made of tables, by how


def imported(table: Table3D, settings: Import, held: Held | None = None) -> Texture:
    """Return a LUT as an engine holds it after its import.

    Args:
        table: over 0..1; resampled to the points of the settings where it has others.
        held: texels of the same tables, which are used again and added to: compressing them takes longest.
    """
    key = id(table), settings.points, settings.layout, settings.is_eight, settings.compression
    held = {} if held is None else held
    texels = held[key] = held[key] if key in held else _texels(table, settings)
    if settings.green_down:
        texels = texels[:, ::-1] if texels.ndim == 4 else texels[::-1]
    texels = np.ascontiguousarray(texels)
    levels = [from_srgb(texels) if settings.decodes else texels]
    while settings.mips and max(levels[-1].shape[:-1]) > 1:
        levels.append(_halved(levels[-1]))
    return Texture(texels, tuple(levels), settings)


def _texels(table: Table3D, settings: Import) -> Array:
    """Return the nodes of a table as a texture holds them, float32."""
    n = settings.points
    if table.size != n:
        table = Table3D(_resampled(table, n))
    texels = laid_out(table, settings.layout)
    if settings.is_eight:
        whole = np.asarray(np.rint(np.clip(texels, 0, 1) * 255), np.uint8)
        if settings.compression != NONE:
            if whole.ndim == 4:  # blocks lie in slices
                whole = np.stack([through_blocks(s, settings.compression) for s in whole])
            else:
                whole = through_blocks(whole, settings.compression)
        return whole.astype(np.float32) / 255
    return texels.astype(np.float16).astype(np.float32)


def _resampled(table: Table3D, points: int) -> Rgb:
    axis = np.linspace(0, 1, points, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1)
    return np.asarray(apply_table(table, grid, "tetrahedral"), np.float32)


def from_srgb(code: Array) -> Array:
    """Return light of sRGB codes. Source: IEC 61966-2-1, 5.2.

    >>> print(from_srgb(np.float32([0.5])).round(4))
    [0.214]
    """
    low, high = code / 12.92, ((np.maximum(code, 0) + 0.055) / 1.055) ** 2.4
    return np.asarray(np.where(code <= 0.04045, low, high), np.float32)


def _halved(texels: Array) -> Array:
    """Return the next smaller level: means of two along each axis that has more than one."""
    for axis in range(texels.ndim - 1):
        size = texels.shape[axis]
        if size > 1:
            even = np.take(texels, range(0, size - 1, 2), axis)
            odd = np.take(texels, range(1, size, 2), axis)
            texels = (even + odd) / 2
    return np.asarray(texels, np.float32)


# --- sampling ------------------------------------------------------------------------------------
def _weight(share: Array) -> Array:
    """Return weights as a filter holds them."""
    return np.asarray(np.rint(share * _WEIGHT) / _WEIGHT, np.float32)


def _filtered(texels: Array, at: Array, settings: Import, exact: bool) -> Rgb:
    """Sample one level at coordinates 0..1, one column an axis, the last axis of the texels first (..., 2 or 3)."""
    sizes = np.array(texels.shape[-2::-1], np.float32)  # x, y and z
    place = at * sizes - np.float32(0.5)
    if settings.filter == NEAREST:
        index = [
            np.clip(np.floor(place[..., i] + 0.5), 0, sizes[i] - 1).astype(np.intp)
            for i in range(len(sizes))
        ]
        return np.asarray(texels[tuple(index[::-1])])
    first = np.floor(place)
    share = place - first
    share = share.astype(np.float32) if exact else _weight(share)
    strides = np.cumprod([1, *texels.shape[-2:0:-1]])
    ends = [
        [np.clip(first[..., i] + k, 0, sizes[i] - 1).astype(np.intp) * strides[i] for k in (0, 1)]
        for i in range(len(sizes))
    ]
    shares = [(1 - share[..., i], share[..., i]) for i in range(len(sizes))]
    flat = texels.reshape(-1, 3)
    total: Rgb = np.zeros((*at.shape[:-1], 3), np.float32)
    for bits in product((0, 1), repeat=len(sizes)):
        breathe()
        weight, index = shares[0][bits[0]], ends[0][bits[0]]
        for i, bit in enumerate(bits[1:], 1):
            weight, index = weight * shares[i][bit], index + ends[i][bit]
        total += weight[..., None] * flat.take(index, 0)
    return total


def _places(texture: Texture, code: Rgb) -> tuple[list[Array], Array]:
    """Return where a shader looks in the texture, 0..1, once or twice, and the second's share."""
    settings, n = texture.settings, texture.points
    half = np.float32(0.0 if settings.half_texel else 0.5)
    # Coordinates are floats of 32 bits, as shaders have them: of a long strip that can be seen.
    c = np.clip(np.asarray(code, np.float32), 0, 1) * np.float32(n - 1)
    if settings.layout == VOLUME:
        return [(c + half) / np.float32(n)], np.zeros(c.shape[:-1], np.float32)
    blue = np.minimum(np.floor(c[..., 2]), n - 1)
    found = []
    for k in (0, 1):
        slice_ = np.minimum(blue + k, n - 1)
        if settings.layout == STRIP:
            x, y = slice_ * n + c[..., 0] + half, c[..., 1] + half
        else:
            wide = across(n)
            x = slice_ % wide * n + c[..., 0] + half
            y = np.floor(slice_ / wide) * n + c[..., 1] + half
        h, w = texture.levels[0].shape[:2]
        found.append(np.stack([x / np.float32(w), y / np.float32(h)], -1))
    return found, c[..., 2] - blue


def _detail(at: Array, shape: tuple[int, ...]) -> Array:
    """Return the level of detail (h, w): from how far pixels of squares of two by two look apart."""
    h, w = at.shape[:2]
    even = np.pad(at, ((0, h % 2), (0, w % 2), (0, 0)), mode="edge")
    sizes = np.array(shape[-2::-1])
    squares = even.reshape(even.shape[0] // 2, 2, even.shape[1] // 2, 2, at.shape[-1]) * sizes
    dx = np.sqrt(((squares[:, :, :, 1] - squares[:, :, :, 0]) ** 2).sum(-1))[:, :, :, None]
    dy = np.sqrt(((squares[:, 1] - squares[:, 0]) ** 2).sum(-1))[:, None]
    rho = np.maximum(
        np.broadcast_to(dx, squares.shape[:-1]), np.broadcast_to(dy, squares.shape[:-1])
    )
    level = np.log2(np.maximum(rho, 1e-9)).reshape(even.shape[:2])
    return np.asarray(level[:h, :w])


def sampled(texture: Texture, code: Rgb, *, exact: bool = False) -> Rgb:
    """Return display codes through the texture of an engine, float32 of the shape of `code`.

    Args:
        code: (h, w, 3) where the texture has mip maps; any (..., 3) else.
        exact: weights of the filter as floats rather than of 8 bits.
    """
    looks, share = _places(texture, code)
    made = [_level(texture, at, exact) for at in looks]
    if len(made) == 1:
        return made[0]
    blue = share[..., None].astype(np.float32)
    return np.asarray(made[0] * (1 - blue) + made[1] * blue, np.float32)


def _level(texture: Texture, at: Array, exact: bool) -> Rgb:
    """Sample a texture at coordinates, in the levels that its detail asks for."""
    settings, levels = texture.settings, texture.levels
    if len(levels) == 1 or at.ndim != 3:
        return _filtered(levels[0], at, settings, exact)
    detail = np.clip(_detail(at, levels[0].shape), 0, len(levels) - 1)
    low = np.floor(detail).astype(np.intp)
    share = (detail - low).astype(np.float32) if exact else _weight(detail - low)
    found: Rgb = np.zeros((*at.shape[:-1], 3), np.float32)
    for i, level in enumerate(levels):
        for wanted, part in ((low, 1 - share), (low + 1, share)):
            here = wanted == i
            if here.any():
                found[here] += part[here][:, None] * _filtered(level, at[here], settings, exact)
    return found


# --- zones ---------------------------------------------------------------------------------------
@frozen
class Zone:
    """A place on the floor that has a look: all of it within `radius`, none of it `soft` beyond; metres."""

    name: str
    centre: tuple[float, float]
    radius: float
    soft: float

    def weight(self, eye: tuple[float, float]) -> float:
        """Return how much of its look is there at a place, 0..1.

        >>> Zone("a", (0.0, 0.0), 1.0, 2.0).weight((2.0, 0.0))
        0.5
        """
        away = float(np.hypot(eye[0] - self.centre[0], eye[1] - self.centre[1])) - self.radius
        t = min(max(away / max(self.soft, 1e-6), 0.0), 1.0)
        return 1 - t * t * (3 - 2 * t)


def shares(zones: tuple[Zone, ...], eye: tuple[float, float], strength: float) -> tuple[float, ...]:
    """Return how much of each zone's look lies on the picture: together `strength` at most, 0..1."""
    weights = [zone.weight(eye) for zone in zones]
    most = max(sum(weights), 1.0)
    return tuple(strength * w / most for w in weights)


def blended(code: Rgb, looks: list[Rgb], parts: tuple[float, ...]) -> Rgb:
    """Return a picture with parts of looks on it; what they leave is the picture itself."""
    out = np.asarray(code, np.float32) * np.float32(1 - sum(parts))
    for look, part in zip(looks, parts, strict=True):
        if part:
            out = out + np.float32(part) * look
    return np.asarray(out, np.float32)


def right(settings: Import) -> Import:
    """Return an import with all that is wrong put right; texture, points and depth stay."""
    usual: Any = {name: getattr(RIGHT, name) for fields in FAULTS.values() for name in fields}
    return evolve(settings, **usual)
