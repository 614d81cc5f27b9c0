"""JPEG: 8 bit, colour and grey."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, JpegImagePlugin

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.raster.plates import CMYK, Plates
from sfumato.raster.samples import Samples, SizeRule, damaged

SIGNATURE = b"\xff\xd8\xff"
_SAMPLINGS = {0: "4:4:4", 1: "4:2:2", 2: "4:2:0"}


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode a JPEG; grey comes back as colour, CMYK is refused. The header says its "sampling".

    Raises:
        MediaError: it is cut short, damaged, CMYK, or of a size that `check` refuses.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            check(*image.size)
            if image.mode not in ("RGB", "L"):
                raise MediaError(f"the JPEG is {image.mode}", hint="save it as RGB")
            is_colour = image.mode == "RGB"
            sampling = _SAMPLINGS.get(JpegImagePlugin.get_sampling(image), "")
            pixels = np.asarray(image if is_colour else image.convert("RGB"))
            return Samples(pixels, is_colour, {"sampling": sampling})
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise damaged("JPEG") from error


def is_inked(data: bytes) -> bool:
    """Whether a JPEG is of four inks."""
    try:
        with Image.open(io.BytesIO(data)) as image:
            return image.mode == "CMYK"
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return False


def plates(data: bytes, check: SizeRule) -> Plates:
    """Decode a JPEG of four inks.

    Files with the mark APP14 store inks the other way round; the library takes every file for such a one, so that
    one without the mark is turned here.

    Raises:
        MediaError: it is cut short, damaged, or of a size that `check` refuses.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            check(*image.size)
            profile = image.info.get("icc_profile") or b""
            values = np.asarray(image)
            if "adobe" not in image.info:
                values = 255 - values
            return Plates(CMYK, np.ascontiguousarray(values), None, profile)
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise damaged("JPEG") from error


def encode_plates(plates: Plates, quality: int, **more: bytes) -> bytes:
    """Encode inks of 8 bit as a JPEG, marked and stored as most programs do, with their profile."""
    out = io.BytesIO()
    extra = {"icc_profile": plates.profile, **more}
    Image.fromarray(plates.values, "CMYK").save(
        out, "JPEG", quality=quality, subsampling=0, **{k: v for k, v in extra.items() if v}
    )
    return out.getvalue()


def planes(data: bytes) -> tuple[Array, Array, Array] | None:
    """Return the planes that a JPEG stores: Y (h, w) in 0..1, Cb and Cr in -0.5..0.5 as large as stored.

    None when they are not Y'CbCr of 8 bit.
    """
    import av

    try:
        with av.open(io.BytesIO(data), "r", format="jpeg_pipe") as container:
            frame = next(container.decode(video=0))
    except (av.FFmpegError, StopIteration, OSError):
        return None
    if not frame.format.name.startswith("yuvj4"):
        return None
    found = []
    for plane in frame.planes:
        whole = np.frombuffer(bytes(plane), np.uint8).reshape(plane.height, plane.line_size)
        found.append(whole[:, : plane.width].astype(np.float32))
    y, cb, cr = found
    return y / 255, (cb - 128) / 255, (cr - 128) / 255
