"""TIFF: the first picture, 8 and 16 bit and float, colour and grey."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import tifffile

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.raster.samples import DEPTHS, WORKERS, Samples, SizeRule, damaged

SIGNATURES = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")
BROKEN = (
    ValueError,
    IndexError,
    KeyError,
    TypeError,
    RuntimeError,
    OSError,
    MemoryError,
    AttributeError,
    AssertionError,
    ArithmeticError,
    struct.error,
)
_INVERTED, _GREY, _RGB = 0, 1, 2  # photometric interpretations (TIFF 6.0, tag 262)


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode the first picture of a TIFF; `header` holds its tags by number.

    Raises:
        MediaError: it is cut short, damaged, neither RGB nor grey, of samples that cannot be read,
            or of a size that `check` refuses.
    """
    try:
        with opened(data) as file:
            page: Any = file.pages[0]
            check(int(page.imagewidth), int(page.imagelength))
            if page.photometric not in (_INVERTED, _GREY, _RGB):
                raise MediaError("the TIFF is neither RGB nor grey", hint="save it as RGB")
            if page.dtype is None or page.dtype.name not in DEPTHS:
                raise MediaError(
                    f"the TIFF has {page.bitspersample} bit samples of a kind that cannot be read",
                    hint="save it with 8, 16 or 32 bit float samples",
                )
            if getattr(page, "imagedepth", 1) != 1:
                raise MediaError("the TIFF has more than one plane", hint="save it as RGB")
            if not is_whole(page, data):
                raise damaged("TIFF")
            pixels = page.asarray(maxworkers=WORKERS)
            if page.planarconfig == 2 and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
            if page.photometric == _INVERTED:
                top = 1 if pixels.dtype.kind == "f" else np.iinfo(pixels.dtype).max
                pixels = (top - pixels).astype(pixels.dtype)
            is_colour = page.photometric == _RGB
            return Samples(pixels, is_colour, {str(t.code): t.value for t in page.tags})
    except BROKEN as error:
        raise damaged("TIFF") from error


@contextmanager
def opened(data: bytes) -> Iterator[tifffile.TiffFile]:
    """Open a TIFF; behind it nothing holds its bytes, which the library's own rings would keep."""
    with io.BytesIO(data) as box, tifffile.TiffFile(box) as file:
        yield file


def is_whole(page: Any, data: bytes) -> bool:
    ends = zip(page.dataoffsets, page.databytecounts, strict=True)
    return all(at + size <= len(data) for at, size in ends)


def check_negative(data: bytes) -> None:
    """Refuse a digital negative (DNG, a TIFF with tag 50706) whose pictures do not all lie in the file.

    Raises:
        MediaError: it is cut short or damaged. What is no DNG passes.
    """
    try:
        with opened(data) as file:
            first: Any = file.pages[0]
            pages = [first, *(first.pages or ())] if 50706 in first.tags else []
            if not all(is_whole(page, data) for page in pages):
                raise damaged("DNG")
    except BROKEN:
        return  # whether it is a raw file of another kind, the developer tells


_STRIP = 1 << 20  # bytes: several are compressed at once
# Of a photograph of 16 bit the fastest level makes files no larger than the usual one, 6, in half the
# time; of 8 bit and floats they are 6 and 8 % larger.
_LEVEL = 1


def encode(pixels: Array, photometric: str | int = "rgb", **tags: Any) -> bytes:
    """Encode uint8, uint16, float16 or float32 (h, w, channels), deflate; `tags` go to the library's writer."""
    out = io.BytesIO()
    pixels = np.ascontiguousarray(pixels)
    tifffile.imwrite(
        out,
        pixels,
        photometric=photometric,
        planarconfig="contig",
        compression="deflate",
        compressionargs={"level": _LEVEL},
        predictor=True,
        metadata=None,
        software="Sfumato",
        rowsperstrip=max(1, _STRIP // max(1, pixels[0].nbytes)),
        maxworkers=WORKERS,
        **tags,
    )
    return out.getvalue()
