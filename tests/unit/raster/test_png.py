"""PNG files that are written in bands, as two decoders and zlib itself read them."""

from __future__ import annotations

import io
import struct
import zlib

import imagecodecs
import numpy as np
import pytest
from PIL import Image

from sfumato.raster import png


def stream_of(data: bytes) -> bytes:
    """Return the bodies of all IDAT chunks, put together."""
    at, found = 8, b""
    while at < len(data):
        size, kind = struct.unpack_from(">I4s", data, at)
        found += data[at + 8 : at + 8 + size] if kind == b"IDAT" else b""
        at += 12 + size
    return found


@pytest.mark.parametrize("is_table", [False, True])
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize("shape", [(1, 1, 3), (128, 3, 3), (129, 7, 3), (300, 50, 3), (257, 9, 4)])
def test_bands_are_one_picture(shape, depth, is_table: bool) -> None:
    pixels = np.random.default_rng(3).integers(0, np.iinfo(depth).max, shape, dtype=depth)
    pixels[: shape[0] // 2] = pixels[0]  # one part that repeats itself, one that does not
    data = png.encode(pixels, is_table=is_table, note="by rows")
    np.testing.assert_array_equal(imagecodecs.png_decode(data), pixels)
    with Image.open(io.BytesIO(data)) as image:
        image.load()  # compares the checksums of all chunks
        assert image.info["note"] == "by rows"
        if depth is np.uint8:
            np.testing.assert_array_equal(np.asarray(image), pixels)
    rows = zlib.decompress(stream_of(data))  # compares the sum of the whole stream
    assert len(rows) == shape[0] * (1 + shape[1] * shape[2] * pixels.itemsize)
