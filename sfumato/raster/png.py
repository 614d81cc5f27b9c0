"""PNG: 8 and 16 bit, colour, grey and palettes."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import imagecodecs
import numpy as np
from attrs import frozen
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.raster.samples import WORKERS, Samples, SizeRule, damaged

_MOST_TEXTS, _MOST_TEXT = 100, 4096
SIGNATURE = b"\x89PNG\r\n\x1a\n"
_BROKEN = (
    OSError,
    SyntaxError,
    ValueError,
    RuntimeError,
    struct.error,
    Image.DecompressionBombError,
)
_CONVERTED = {"P": "RGB", "PA": "RGBA", "LA": "RGBA", "1": "RGB", "L": "RGB"}


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode a PNG; palettes and grey come back as colour.

    Raises:
        MediaError: it is cut short, damaged, or of a size that `check` refuses.
    """
    try:
        width, height, bits, kind = struct.unpack(">IIBB", data[16:26])
        check(width, height)
        texts = _texts(data)
        with Image.open(io.BytesIO(data)) as image:
            clear = image.mode == "P" and "transparency" in image.info
            mode = "RGBA" if clear else _CONVERTED.get(image.mode, image.mode)
            if bits == 16 or kind in (2, 6):
                pixels = np.asarray(imagecodecs.png_decode(data))
            else:
                pixels = np.asarray(image.convert(mode))
    except _BROKEN as error:
        raise damaged("PNG") from error
    return Samples(pixels, is_colour=kind in (2, 6), header=texts)


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Yield kind and body of every chunk up to the last, IEND; checksums compared (ISO/IEC 15948, 5.3)."""
    at, kind = len(SIGNATURE), b""
    while kind != b"IEND":
        length, kind = struct.unpack_from(">I4s", data, at)
        (stated,) = struct.unpack_from(">I", data, at + 8 + length)
        if zlib.crc32(memoryview(data)[at + 4 : at + 8 + length]) != stated:
            raise damaged("PNG")
        yield kind, data[at + 8 : at + 8 + length] if kind != b"IDAT" else b""
        at += 12 + length


def _texts(data: bytes) -> dict[str, Any]:
    """Return the plain texts of a PNG by keyword; every chunk is verified by the way."""
    found: dict[str, Any] = {}
    for kind, body in _chunks(data):
        if kind == b"tEXt" and len(found) < _MOST_TEXTS:
            keyword, _, text = body[:_MOST_TEXT].partition(b"\0")
            found[keyword.decode("latin-1")] = text.decode("latin-1")
    return found


@frozen
class _Way:
    """How rows become a stream: the filter of ISO/IEC 15948 (9.2), zlib's level and strategy."""

    filter: int
    level: int
    strategy: int


# Photographs: the noise of their last bits leaves only runs to find, and looking for more takes four
# times as long for a larger file. Tables repeat themselves row by row.
_PHOTO = _Way(1, 1, zlib.Z_RLE)
_TABLE = _Way(2, 6, zlib.Z_DEFAULT_STRATEGY)
_BAND = 128  # rows that are compressed at once, in a thread of their own
_COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}  # by channels (ISO/IEC 15948, table 11.1)


def _filtered(rows: Array, before: Array | None, step: int, way: _Way) -> Array:
    """Return rows of bytes (n, width) with their filter's number before each, as (n, width + 1).

    Args:
        before: the row above the first, None at the top.
        step: bytes from a pixel to the next.
    """
    out = np.empty((rows.shape[0], rows.shape[1] + 1), np.uint8)
    out[:, 0] = way.filter
    into = out[:, 1:]
    if way.filter == 1:  # what differs from the pixel to the left
        into[:, :step] = rows[:, :step]
        np.subtract(rows[:, step:], rows[:, :-step], out=into[:, step:])
    else:  # from the one above
        into[0] = rows[0] if before is None else rows[0] - before
        np.subtract(rows[1:], rows[:-1], out=into[1:])
    return out


def _joined(first: int, second: int, length: int) -> int:
    """Return the Adler-32 sum of two pieces one after the other, of theirs and the second's length.

    The sums of RFC 1950 (8.2) are sums modulo 65521: of b"ab" and b"c" they give that of b"abc".
    """
    most = 65521
    low = (first & 0xFFFF) + (second & 0xFFFF) - 1
    high = (first >> 16) + (second >> 16) + length * ((first & 0xFFFF) - 1)
    return (high % most) << 16 | low % most


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def encode(pixels: Array, *, is_table: bool = False, **texts: str) -> bytes:
    """Encode uint8 or uint16 (h, w, 3), with texts by keyword; a table is stored smaller, more slowly.

    Bands of rows are compressed side by side: each ends on a whole byte and refers to none before it
    (RFC 1951, a full flush), so that they are one stream when they are put together.
    """
    height, width = pixels.shape[:2]
    channels = pixels.shape[2] if pixels.ndim == 3 else 1
    way, step = _TABLE if is_table else _PHOTO, channels * pixels.itemsize

    def compressed(top: int) -> tuple[bytes, int, int]:
        above = 1 if top else 0
        part = pixels[top - above : top + _BAND]
        stored = np.ascontiguousarray(part, part.dtype.newbyteorder(">"))
        rows = stored.view(np.uint8).reshape(part.shape[0], -1)
        out: Any = _filtered(rows[above:], rows[0] if above else None, step, way)
        run = zlib.compressobj(way.level, zlib.DEFLATED, -15, 9, way.strategy)
        is_last = top + _BAND >= height
        body = run.compress(out) + run.flush(zlib.Z_FINISH if is_last else zlib.Z_FULL_FLUSH)
        return _chunk(b"IDAT", body), zlib.adler32(out), out.size

    with ThreadPoolExecutor(WORKERS) as threads:
        bands = list(threads.map(compressed, range(0, height, _BAND)))
    total = 1
    for _body, adler, size in bands:
        total = _joined(total, adler, size)
    header = struct.pack(
        ">IIBBBBB", width, height, 8 * pixels.itemsize, _COLOUR_TYPES[channels], 0, 0, 0
    )
    said = [_chunk(b"tEXt", f"{k}\0{t}".encode("latin-1")) for k, t in texts.items()]
    stream = [body for body, _adler, _size in bands]
    start, end = _chunk(b"IDAT", b"\x78\x01"), _chunk(b"IDAT", struct.pack(">I", total))
    whole = [SIGNATURE, _chunk(b"IHDR", header), *said, start, *stream, end, _chunk(b"IEND", b"")]
    return b"".join(whole)


def with_chunks(data: bytes, chunks: Iterable[tuple[bytes, bytes]]) -> bytes:
    """Return a PNG with more chunks, (kind, body) each, directly behind its header."""
    more = b"".join(_chunk(kind, body) for kind, body in chunks)
    return data[:33] + more + data[33:]  # behind the signature and the 25 bytes of IHDR
