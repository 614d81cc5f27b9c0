"""PNG: 8 and 16 bit, colour, grey and palettes."""

from __future__ import annotations

import io
import struct
import zlib

import imagecodecs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.raster.samples import Samples, SizeRule, damaged

SIGNATURE = b"\x89PNG\r\n\x1a\n"
_BROKEN = (
    OSError,
    SyntaxError,
    ValueError,
    RuntimeError,
    struct.error,
    Image.DecompressionBombError,
)
_CONVERTED = {"P": "RGBA", "PA": "RGBA", "LA": "RGBA", "1": "RGB", "L": "RGB"}


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode a PNG; palettes and grey come back as colour.

    Raises:
        MediaError: it is cut short, damaged, or of a size that `check` refuses.
    """
    try:
        width, height, bits, kind = struct.unpack(">IIBB", data[16:26])
        check(width, height)
        _verify(data)
        with Image.open(io.BytesIO(data)) as image:
            mode = image.mode
            if bits == 16 or kind in (2, 6):
                pixels = np.asarray(imagecodecs.png_decode(data))
            else:
                pixels = np.asarray(image.convert(_CONVERTED.get(mode, mode)))
    except _BROKEN as error:
        raise damaged("PNG") from error
    return Samples(pixels, is_colour=kind in (2, 6))


def _verify(data: bytes) -> None:
    """Walk through the chunks up to the last, IEND; each has a checksum (ISO/IEC 15948, 5.3)."""
    at, kind = len(SIGNATURE), b""
    while kind != b"IEND":
        length, kind = struct.unpack_from(">I4s", data, at)
        (stated,) = struct.unpack_from(">I", data, at + 8 + length)
        if zlib.crc32(memoryview(data)[at + 4 : at + 8 + length]) != stated:
            raise damaged("PNG")
        at += 12 + length


def encode(pixels: Array, level: int) -> bytes:
    """Encode uint8 or uint16 (h, w, 3)."""
    return bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=level))
