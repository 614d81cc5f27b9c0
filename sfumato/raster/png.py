"""PNG: 8 and 16 bit, colour, grey and palettes."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterable, Iterator
from typing import Any

import imagecodecs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.raster.samples import Samples, SizeRule, damaged

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


def encode(pixels: Array, level: int, **texts: str) -> bytes:
    """Encode uint8 or uint16 (h, w, 3), with texts by keyword."""
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=level))
    return with_chunks(data, [(b"tEXt", f"{k}\0{t}".encode("latin-1")) for k, t in texts.items()])


def with_chunks(data: bytes, chunks: Iterable[tuple[bytes, bytes]]) -> bytes:
    """Return a PNG with more chunks, (kind, body) each, directly behind its header."""
    more = b""
    for kind, body in chunks:
        check = struct.pack(">I", zlib.crc32(kind + body))
        more += struct.pack(">I", len(body)) + kind + body + check
    return data[:33] + more + data[33:]  # behind the signature and the 25 bytes of IHDR
