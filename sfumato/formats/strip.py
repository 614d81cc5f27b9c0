"""Strip and tile pictures: the slices of a lattice in a row, a column or a square; see `picture`."""

from __future__ import annotations

from sfumato.core.carrier.arrange import HALD, LAYOUTS
from sfumato.core.errors import FormatError
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import picture
from sfumato.formats.parts.contract import FormatSpec, Read, WriteOptions


def read(data: bytes) -> Read:
    """Read a strip or tiles.

    Raises:
        FormatError: the picture is damaged, or is none by its size or its smoothness.
    """
    found = picture.read(data)
    if found.reading == HALD:
        raise FormatError("the picture is a HALD, not a strip", hint="read it as a HALD")
    return found


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    table = transform.table
    if table is not None and table.size not in (16, 32, 64):
        return ("engines expect 16, 32 or 64 points",)
    return ()


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write a strip or tiles in the container of the suffix.

    Raises:
        ValueRefused: the transform is no single table over 0..1.
    """
    return picture.file_of(transform, options, SPEC.layout_of(options), SPEC.depth_of(options))


SPEC = FormatSpec(
    key="strip",
    title="Strip picture",
    suffixes=picture.SUFFIXES,
    sniff=picture.sniff,
    read=read,
    read_as=picture.read,
    write=write,
    holds=picture.holds,
    losses=losses,
    clips=True,
    depths=("8", "16", "16f", "32f"),
    depth_by_suffix=picture.DEPTH_BY_SUFFIX,
    layouts=LAYOUTS,
    default_grid=32,
    is_text=False,
    limits={
        "3D": "2 to 256 points read, 2 to 129 written; row, column, square; green down or up",
        "pictures": "PNG 8, 16; TIFF 8, 16, float; EXR half, float; JPEG read",
    },
)
