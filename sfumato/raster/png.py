"""PNG: 8 and 16 bit, colour, grey and palettes."""

from __future__ import annotations

import io
import struct

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
        with Image.open(io.BytesIO(data)) as image:
            mode = image.mode
            if bits == 16 or kind in (2, 6):
                image.verify()
                pixels = np.asarray(imagecodecs.png_decode(data))
            else:
                pixels = np.asarray(image.convert(_CONVERTED.get(mode, mode)))
    except _BROKEN as error:
        raise damaged("PNG") from error
    return Samples(pixels, is_colour=kind in (2, 6))


def encode(pixels: Array, level: int) -> bytes:
    """Encode uint8 or uint16 (h, w, 3)."""
    return bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=level))
