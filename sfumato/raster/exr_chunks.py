"""The chunks of an OpenEXR file, looked at one by one before its pixels are believed.

The library fills what it cannot read and goes on. So the file is walked through here: every header,
the table of places, every chunk of every part; and where the packing holds a checksum (zip and
PXR24 are zlib streams), it is compared. In files without packing, and packed as RLE, PIZ, B44 or DWA,
a changed byte leaves no trace.

Layout: "OpenEXR File Layout" of the OpenEXR technical documentation.
"""

from __future__ import annotations

import math
import struct
import zlib
from collections.abc import Iterator

from attrs import frozen

from sfumato.core.errors import MediaError
from sfumato.raster.samples import damaged

_TILED, _LONG_NAMES, _DEEP, _MANY = 0x200, 0x400, 0x800, 0x1000
_MOST_ATTRIBUTES, _MOST_PARTS, _MOST_CHUNKS = 2000, 200, 4_000_000
_LINES = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256, 10: 256, 11: 32}
_ONE_LEVEL, _EVEN_LEVELS = 0, 1
_HALF, _FLOAT = 1, 2
_ZLIB = (2, 3, 5)  # ZIPS, ZIP, PXR24
_BYTES = {0: 4, 1: 2, 2: 4}  # of UINT, HALF, FLOAT
_ALTERS = {5: "PXR24", 6: "B44", 7: "B44A", 8: "DWAA", 9: "DWAB"}


@frozen
class _Part:
    left: int
    top: int
    right: int
    bottom: int
    packing: int
    channels: tuple[tuple[int, int, int], ...]  # kind, step across, step down
    tile: tuple[int, int, int] | None  # width, height, mode
    stated: int | None  # chunks that the header claims

    def alters(self) -> str:
        """Return the name of the packing when it changes values, "" when it does not."""
        kinds = {kind for kind, _x, _y in self.channels}
        if self.packing == 5 and _FLOAT not in kinds:  # PXR24 rounds floats alone
            return ""
        if self.packing in (6, 7) and _HALF not in kinds:  # B44 packs half floats alone
            return ""
        return _ALTERS.get(self.packing, "")

    def _levels(self) -> dict[tuple[int, int], tuple[int, int]]:
        """Return the size of every level of a tiled part, by its number across and down."""
        assert self.tile is not None
        mode, rounding = self.tile[2] & 15, math.ceil if self.tile[2] >> 4 else math.floor
        whole = (self.right - self.left + 1, self.bottom - self.top + 1)

        def count(side: int) -> int:
            return int(rounding(math.log2(side))) + 1

        if mode == _ONE_LEVEL:
            numbers = [(0, 0)]
        elif mode == _EVEN_LEVELS:
            numbers = [(n, n) for n in range(count(max(whole)))]
        else:
            numbers = [(x, y) for y in range(count(whole[1])) for x in range(count(whole[0]))]

        def size(n: tuple[int, int]) -> tuple[int, int]:
            x, y = (max(1, int(rounding(v / 2**k))) for v, k in zip(whole, n, strict=True))
            return x, y

        return {n: size(n) for n in numbers}

    def chunks(self) -> int:
        if self.tile is None:
            return -(-(self.bottom - self.top + 1) // _LINES[self.packing])
        wide, tall, _mode = self.tile
        return sum(-(-x // wide) * -(-y // tall) for x, y in self._levels().values())

    def bytes_of_lines(self, first: int) -> int:
        """Return how many bytes the chunk that begins with a line holds unpacked."""
        last = min(first + _LINES[self.packing] - 1, self.bottom)
        total = 0
        for kind, x, y in self.channels:
            across = self.right // x - -(-self.left // x) + 1
            down = last // y - -(-first // y) + 1
            total += max(across, 0) * max(down, 0) * _BYTES[kind]
        return total

    def bytes_of_tile(self, column: int, row: int, level: tuple[int, int]) -> int:
        """Return how many bytes a tile holds unpacked; those at the right and below are cut.

        Raises:
            ValueError, KeyError: there is no such tile or level.
        """
        assert self.tile is not None
        sides = []
        for place, whole, side in zip(
            (column, row), self._levels()[level], self.tile[:2], strict=True
        ):
            sides.append(min(side, whole - place * side))
            if place < 0 or sides[-1] < 1:
                raise ValueError("a tile outside the picture")
        return sides[0] * sides[1] * sum(_BYTES[kind] for kind, _x, _y in self.channels)


class _Walk:
    """Takes numbers one after another; past the end is a refusal."""

    def __init__(self, data: bytes) -> None:
        self.data = memoryview(data)
        self.at = 8

    def take(self, form: str) -> tuple[int, ...]:
        size = struct.calcsize("<" + form)
        if self.at + size > len(self.data):
            raise damaged("EXR")
        found = struct.unpack_from("<" + form, self.data, self.at)
        self.at += size
        return found

    def word(self) -> bytes:
        end = bytes(self.data[self.at : self.at + 257]).find(b"\0")
        if end < 0:
            raise damaged("EXR")
        word = bytes(self.data[self.at : self.at + end])
        self.at += end + 1
        return word

    def attributes(self) -> dict[bytes, bytes]:
        found: dict[bytes, bytes] = {}
        for _ in range(_MOST_ATTRIBUTES):
            name = self.word()
            if not name:
                return found
            self.word()
            (size,) = self.take("i")
            if size < 0 or self.at + size > len(self.data):
                raise damaged("EXR")
            found[name] = bytes(self.data[self.at : self.at + size])
            self.at += size
        raise damaged("EXR")


def _channels(value: bytes) -> Iterator[tuple[int, int, int]]:
    at = 0
    while at < len(value) and value[at]:
        at = value.index(b"\0", at) + 1
        kind, _linear, across, down = struct.unpack_from("<iIii", value, at)
        if kind not in _BYTES or across < 1 or down < 1:
            raise ValueError("a channel of no known kind")
        yield kind, across, down
        at += 16


def _part(header: dict[bytes, bytes], is_tiled: bool) -> _Part:
    left, top, right, bottom = struct.unpack("<4i", header[b"dataWindow"])
    packing = header[b"compression"][0]
    if right < left or bottom < top or packing not in _LINES:
        raise ValueError("no window or packing that is known")
    kind = header.get(b"type", b"")
    if kind.startswith(b"deep"):
        raise MediaError("the EXR is a deep picture", hint="flatten it first")
    tile: tuple[int, int, int] | None = None
    if kind == b"tiledimage" or (is_tiled and not kind):
        tile = struct.unpack("<IIB", header[b"tiles"])
        if not (0 < tile[0] < 1 << 20 and 0 < tile[1] < 1 << 20 and tile[2] & 15 <= 2):
            raise ValueError("tiles of no size")
    stated = struct.unpack("<i", header[b"chunkCount"])[0] if b"chunkCount" in header else None
    channels = tuple(_channels(header[b"channels"]))
    return _Part(left, top, right, bottom, packing, channels, tile, stated)


def parts_of(walk: _Walk) -> list[_Part]:
    (flags,) = struct.unpack_from("<I", walk.data, 4)
    if flags & 0xFF != 2:
        raise damaged("EXR")
    if flags & _DEEP:
        raise MediaError("the EXR is a deep picture", hint="flatten it first")
    found = []
    while True:
        header = walk.attributes()
        if not header:
            break
        found.append(_part(header, bool(flags & _TILED)))
        if not flags & _MANY:
            break
        if len(found) > _MOST_PARTS:
            raise damaged("EXR")
    if not found:
        raise damaged("EXR")
    return found


def verify(data: bytes) -> str:
    """Walk through a file; return the packing by which its first part was altered, "" when by none.

    Raises:
        MediaError: it ends early, a chunk lies elsewhere than it says, a checksum is wrong, or it is deep.
    """
    try:
        return _verified(data)
    except (struct.error, ValueError, LookupError, OverflowError) as error:
        raise damaged("EXR") from error


def _verified(data: bytes) -> str:
    walk = _Walk(data)
    parts = parts_of(walk)
    is_many = bool(struct.unpack_from("<I", data, 4)[0] & _MANY)
    counts = [part.chunks() for part in parts]
    if sum(counts) > _MOST_CHUNKS or any(
        p.stated not in (None, c) for p, c in zip(parts, counts, strict=True)
    ):
        raise damaged("EXR")
    places = [walk.take(f"{count}Q") for count in counts]
    end = walk.at
    for number, (part, offsets) in enumerate(zip(parts, places, strict=True)):
        if len(set(offsets)) != len(offsets) or min(offsets) < end:
            raise damaged("EXR")
        for at in offsets:
            _check_chunk(data, part, at, number if is_many else -1)
    return parts[0].alters()


def _check_chunk(data: bytes, part: _Part, at: int, number: int) -> None:
    if number >= 0:
        (said,) = struct.unpack_from("<i", data, at)
        if said != number:
            raise damaged("EXR")
        at += 4
    if part.tile is None:
        first, size = struct.unpack_from("<ii", data, at)
        at += 8
        if not part.top <= first <= part.bottom or (first - part.top) % _LINES[part.packing]:
            raise damaged("EXR")
        most = part.bytes_of_lines(first)
    else:
        column, row, across, down, size = struct.unpack_from("<5i", data, at)
        at += 20
        most = part.bytes_of_tile(column, row, (across, down))
    if not 0 < size <= most or at + size > len(data):
        raise damaged("EXR")
    if part.packing in _ZLIB and size < most:
        _check_zlib(data[at : at + size], most)
    elif part.packing == 0 and size != most:
        raise damaged("EXR")


def _check_zlib(packed: bytes, most: int) -> None:
    unpack = zlib.decompressobj()
    try:
        unpack.decompress(packed, most)
        rest = unpack.decompress(unpack.unconsumed_tail, 1)
    except zlib.error as error:
        raise damaged("EXR") from error
    if rest or not unpack.eof:
        raise damaged("EXR")
