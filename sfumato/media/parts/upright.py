"""Shared by the readers of stills: orientation, channels, sizes, and what a profile says."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media.parts import icc
from sfumato.media.parts.contract import MOST_PIXELS, SIDE_MOST, FrameFacts


def check_size(width: int, height: int) -> None:
    """Refuse sizes before memory is asked for.

    Raises:
        MediaError: the picture is larger than 200 megapixels or 65 500 pixels a side.
    """
    if width < 1 or height < 1 or max(width, height) > SIDE_MOST or width * height > MOST_PIXELS:
        raise MediaError(
            f"the picture is {width} × {height} pixels",
            hint="pictures up to 200 megapixels can be opened; scale it down",
        )


def oriented(pixels: Array, orientation: int) -> Array:
    """Turn pixels upright by the EXIF/TIFF orientation 1..8 (TIFF 6.0, tag 274)."""
    turns = {
        2: lambda p: p[:, ::-1],
        3: lambda p: p[::-1, ::-1],
        4: lambda p: p[::-1],
        5: lambda p: p.transpose(1, 0, 2),
        6: lambda p: p.transpose(1, 0, 2)[:, ::-1],
        7: lambda p: p.transpose(1, 0, 2)[::-1, ::-1],
        8: lambda p: p.transpose(1, 0, 2)[::-1],
    }
    turn = turns.get(orientation)
    return np.ascontiguousarray(turn(pixels) if turn else pixels)


def rgb_only(pixels: Array) -> tuple[Array, tuple[str, ...]]:
    """Bring (h, w), (h, w, 1), (h, w, 2), (h, w, 4) to (h, w, 3); say what was dropped."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    channels = pixels.shape[-1]
    remarks: tuple[str, ...] = ()
    if channels in (2, 4):
        remarks = ("the alpha channel was left out",)
    elif channels > 4:
        raise MediaError(f"the picture has {channels} channels", hint="save it as an RGB picture")
    if channels <= 2:
        pixels = np.repeat(pixels[..., :1], 3, axis=-1)
    return np.ascontiguousarray(pixels[..., :3]), remarks


def with_profile(pixels: Array, profile: bytes, bits: str) -> tuple[Array, FrameFacts]:
    """Use an embedded profile: as one of our encodings, else by converting to sRGB, and say so."""
    name = icc.described(profile)
    if icc.is_grey(profile) and not (pixels == pixels[..., :1]).all():
        raise MediaError(
            f"the picture has colours, and its profile “{name}” is one of greys",
            hint="save the picture with an sRGB profile",
        )
    encoding = icc.known(profile)
    if encoding is not None:
        evidence = f"embedded profile “{name}”"
        kept = b"" if icc.is_grey(profile) else profile  # results have three channels
        return pixels, FrameFacts(bits, encoding, evidence, profile=kept)
    converted = icc.to_srgb(pixels, profile)
    remark = f"converted from the embedded profile “{name}” to sRGB"
    return converted, FrameFacts(bits, "sRGB", remark, remarks=(remark,))
