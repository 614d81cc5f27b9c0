"""A picture with a strip or HALD below it, and bars that say where it lies: the frame carrier.

From top to bottom: the picture, a bar, the block of nodes, a bar, each with a grey margin around it. The
margins are wide enough that a twentieth may be cut off on every side of the whole. A bar is a row of
black and white cells between two guards; its bits say what the block is and end with a checksum, so
that a block is found exactly, or not at all, whatever the picture beside it shows.
"""

from __future__ import annotations

import binascii
import math
import struct

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier.arrange import DOWN, HALD, LAYOUTS, arranged, columns_of, lattice_of
from sfumato.core.lut.table import lattice_colours

WRAPPED = (
    "wrapped"  # slices side by side, as many as the picture is wide, each with an edge of its own
)
_LAYOUTS = (WRAPPED, HALD, *LAYOUTS)
GREY = 0.5
_VERSION = 1
_PACKED = struct.Struct(">BBBBHHH")  # version and end, layout, points, cell, width, height, number
BITS = 8 * (_PACKED.size + 2)
GUARD = (2, 4, 1, 1, 2, 1, 1)  # runs in units, light first; mirrored at the other end
_GUARD_UNITS = sum(GUARD)
BAR_UNITS = BITS + 2 * _GUARD_UNITS
BAR_HEIGHT = 3  # units
TOP, BOTTOM = 0, 1
_MARGIN = 0.06  # of the whole, on each side
MOST_SIDE = 65535


@frozen
class Plan:
    """What a frame carrier holds and where; `cell` is the side of a node in pixels.

    >>> plan = Plan(1920, 1080, 32, 4)
    >>> plan.size, plan.block, plan.block_size
    ((1920, 1694), (115, 1144), (1632, 408))
    """

    width: int  # of the picture
    height: int
    points: int
    cell: int
    layout: str = WRAPPED
    number: int = 0  # tells one carrier from another

    @property
    def unit(self) -> int:
        """The side of a cell of the bars, in pixels."""
        return max(6, min(2 * self.cell, 12))

    @property
    def _inner(self) -> int:
        """How wide bars and block may be."""
        least = max(self._across(0) * self._tile, BAR_UNITS * self.unit)
        return max(int(self.width * (1 - 2 * _MARGIN)), least)

    @property
    def _tile(self) -> int:
        """The side of a slice with its edge, in pixels; of the whole picture for a HALD."""
        if self.layout == HALD:
            return math.isqrt(self.points) ** 3 * self.cell
        return (self.points + (2 if self.layout == WRAPPED else 0)) * self.cell

    def _across(self, inner: int) -> int:
        if self.layout == HALD:
            return 1
        if self.layout == WRAPPED:
            return max(1, min(self.points, inner // self._tile))
        kind = self.layout.partition(",")[0]
        return {"row": self.points, "column": 1}.get(kind) or columns_of(self.points)

    @property
    def across(self) -> int:
        """How many slices stand side by side; 1 for a HALD."""
        return self._across(self._inner)

    @property
    def down(self) -> int:
        return 1 if self.layout == HALD else -(-self.points // self.across)

    @property
    def block_size(self) -> tuple[int, int]:
        """The block's width and height in pixels."""
        return self.across * self._tile, self.down * self._tile

    @property
    def size(self) -> tuple[int, int]:
        """The whole carrier's width and height in pixels."""
        wide = max(self.width, math.ceil(self._inner / (1 - 2 * _MARGIN)))
        high = math.ceil((self.bars[1] + BAR_HEIGHT * self.unit) / (1 - _MARGIN))
        return wide, high

    @property
    def left(self) -> int:
        """Where bars and block begin."""
        wide = max(self.width, math.ceil(self._inner / (1 - 2 * _MARGIN)))
        return int(wide * _MARGIN)

    @property
    def bars(self) -> tuple[int, int]:
        """The upper edges of both bars."""
        top = self.height + 3 * self.unit
        return top, top + (BAR_HEIGHT + 4) * self.unit + self.block_size[1]

    @property
    def block(self) -> tuple[int, int]:
        """The block's upper left corner."""
        return self.left, self.bars[0] + (BAR_HEIGHT + 2) * self.unit


def bits_of(plan: Plan, end: int) -> Array:
    """Return the bits of a bar, 1 for light."""
    packed = _PACKED.pack(
        _VERSION << 4 | end,
        _LAYOUTS.index(plan.layout),
        plan.points % 256,
        plan.cell,
        plan.width,
        plan.height,
        plan.number,
    )
    whole = packed + struct.pack(">H", binascii.crc_hqx(packed, 0xFFFF))
    return np.unpackbits(np.frombuffer(whole, np.uint8))


def plan_of(bits: Array) -> tuple[Plan, int] | None:
    """Return what a bar says, and which of the two it is; None when the checksum does not hold."""
    whole = np.packbits(bits.astype(np.uint8)).tobytes()
    packed, check = whole[: _PACKED.size], whole[_PACKED.size :]
    if len(whole) != BITS // 8 or struct.pack(">H", binascii.crc_hqx(packed, 0xFFFF)) != check:
        return None
    first, layout, points, cell, width, height, number = _PACKED.unpack(packed)
    if first >> 4 != _VERSION or first & 15 > BOTTOM or layout >= len(_LAYOUTS):
        return None
    if points == 1 or not 1 <= cell <= 64 or not width or not height:
        return None
    return Plan(width, height, points or 256, cell, _LAYOUTS[layout], number), first & 15


def bar_of(plan: Plan, end: int) -> Array:
    """Return a bar as one row of units, 1 for light."""
    guard = np.repeat([1, 0, 1, 0, 1, 0, 1], GUARD)
    return np.concatenate([guard, bits_of(plan, end), guard[::-1]]).astype(np.float32)


def block_of(plan: Plan, lattice: Rgb) -> Rgb:
    """Return the block of nodes [r, g, b, 3] as cells of one pixel each."""
    if plan.layout != WRAPPED:
        return arranged(lattice, plan.layout)
    n, across = plan.points, plan.across
    slices = np.ascontiguousarray(lattice.transpose(2, 1, 0, 3))  # blue, green, red
    edged = np.pad(slices, ((0, 0), (1, 1), (1, 1), (0, 0)), mode="edge")
    cells = np.full((plan.down * across, n + 2, n + 2, 3), GREY, np.float32)
    cells[:n] = edged
    whole = cells.reshape(plan.down, across, n + 2, n + 2, 3).transpose(0, 2, 1, 3, 4)
    return whole.reshape(plan.down * (n + 2), across * (n + 2), 3)


def nodes_of(plan: Plan, cells: Array) -> Array:
    """Return the nodes [r, g, b, …] of a block of one value a cell: the way back of `block_of`."""
    if plan.layout != WRAPPED:
        shape, comma, turn = plan.layout.partition(", ")
        return lattice_of(cells, shape, plan.points, plan.across, comma + turn or DOWN)
    n, across, down = plan.points, plan.across, plan.down
    tiles = cells.reshape(down, n + 2, across, n + 2, -1).transpose(0, 2, 1, 3, 4)
    slices = tiles.reshape(down * across, n + 2, n + 2, -1)[:n, 1:-1, 1:-1]
    return slices.transpose(2, 1, 0, 3)


def composed(plan: Plan, picture: Rgb) -> Rgb:
    """Return the carrier (h, w, 3) of a picture in code values, float32."""
    wide, high = plan.size
    whole = np.full((high, wide, 3), GREY, np.float32)
    whole[: plan.height, : plan.width] = picture
    unit = plan.unit
    for end, top in enumerate(plan.bars):
        row = np.repeat(bar_of(plan, end), unit)
        whole[top : top + BAR_HEIGHT * unit, plan.left : plan.left + len(row)] = row[:, None]
    cells = block_of(plan, lattice_colours(plan.points))
    x, y = plan.block
    rows, columns = (side * plan.cell for side in cells.shape[:2])
    for down, across in np.ndindex(plan.cell, plan.cell):
        whole[y + down : y + rows : plan.cell, x + across : x + columns : plan.cell] = cells
    return whole
