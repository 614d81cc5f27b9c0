"""HALD pictures: the lattice of n**2 points as n**3 x n**3 pixels; see `picture`."""

from __future__ import annotations

import math

from sfumato.core.carrier.arrange import HALD
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import picture
from sfumato.formats.parts.contract import FormatSpec, Read, WriteOptions

LEVELS = range(2, 17)


def read(data: bytes) -> Read:
    """Read a HALD.

    Raises:
        FormatError: the picture is damaged, or is no HALD by its size or its smoothness.
    """
    found = picture.read(data)
    if found.reading != HALD:
        raise FormatError("the picture is a strip or tiles, not a HALD", hint="read it as a strip")
    return found


def _level(grid: int) -> int:
    """Return the level whose grid is the wish or the next above it."""
    return min(max(math.ceil(math.sqrt(grid)), LEVELS[0]), LEVELS[-1])


def holds(transform: Transform) -> str:
    table = transform.table
    if table is not None and math.isqrt(table.size) ** 2 != table.size:
        return "a HALD holds a grid of 4, 9, 16, 25, 36, 49, 64 … 256 points"
    return picture.holds(transform)


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write a HALD in the container of the suffix.

    Raises:
        ValueRefused: the transform is no single table with a square number of points.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="bake it to such a grid first")
    return picture.file_of(transform, options, HALD, SPEC.depth_of(options))


SPEC = FormatSpec(
    key="hald",
    title="HALD picture",
    suffixes=picture.SUFFIXES,
    sniff=picture.sniff,
    read=read,
    read_as=picture.read,
    write=write,
    holds=holds,
    clips=True,
    depths=picture.DEPTHS,
    depth_by_suffix=picture.DEPTH_BY_SUFFIX,
    grid_for=lambda grid: _level(grid) ** 2,
    default_grid=64,
    is_text=False,
    limits={
        "3D": "levels 2 to 16: grids of 4, 9, 16 … 256 points",
        "pictures": "PNG 8, 16; TIFF 8, 16, float; EXR half, float; JPEG read",
    },
)
