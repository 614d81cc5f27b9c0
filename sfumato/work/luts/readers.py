"""Readers of LUT files that are not ours: what they make of a file that was written.

A written LUT is proved by the first of them that knows its format; where none does, that is said.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from attrs import frozen
from PIL import ImageCms

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.errors import FormatError
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.cube import beyond_ffmpeg
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import WriteOptions
from sfumato.work.luts.reading import ffmpeg, ffmpeg_hald, opencolorio

_NOT_OPTIMISED = 0x100  # cmsFLAGS_NOOPTIMIZE


def littlecms(path: str | Path, rgb: Any) -> Rgb:
    """Apply a device link RGB to RGB, or an abstract profile between sRGB colours, as LittleCMS reads it.

    Raises:
        FormatError: LittleCMS refuses the file.
    """
    from imagecodecs import CmsError, cms_profile

    flat = np.ascontiguousarray(np.nan_to_num(as_rgb(rgb)).reshape(1, -1, 3), np.float32)
    try:
        profile = Path(path).read_bytes()
        if profile[12:16] == b"abst":
            srgb = cms_profile("srgb")
            lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
            found = _by_profiles(flat, srgb, profile, "rgb", "lab", "f8")
            found = _by_profiles(found, lab, srgb, "lab", "rgb", "f4")
        else:
            write = registry.formats()["icc"].write
            assert write is not None
            unit = Transform((Table3D(lattice_colours(2)),))
            same = write(unit, WriteOptions(layout="device link, version 2"))
            found = _by_profiles(flat, profile, same, "rgb", "rgb", "f4")
    except (CmsError, ImageCms.PyCMSError, OSError, ValueError) as error:
        raise FormatError("LittleCMS does not read this file", where=str(path)) from error
    return np.asarray(found, np.float32).reshape(np.shape(rgb))


def _by_profiles(
    values: Array, first: bytes, second: bytes, space: str, into: str, kind: str
) -> Array:
    from imagecodecs import cms_transform

    return np.asarray(
        cms_transform(
            values,
            first,
            second,
            colorspace=space,
            outcolorspace=into,
            outdtype=kind,
            flags=_NOT_OPTIMISED,
        )
    )


@frozen(eq=False)
class Reader:
    """`cannot(transform)` says why a file of that is beyond it, "" when it is not."""

    name: str
    keys: tuple[str, ...]  # of formats
    apply: Callable[[str | Path, Any], Rgb]
    cannot: Callable[[Transform], str] = lambda _transform: ""


def _beyond_opencolorio(transform: Transform) -> str:
    table = transform.table
    if table is not None and table.size < 4:
        return "OpenColorIO reads grids of 4 points or more"
    return ""


READERS = (
    Reader("FFmpeg", ("cube",), ffmpeg, beyond_ffmpeg),
    Reader("FFmpeg", ("hald",), ffmpeg_hald),
    Reader(
        "OpenColorIO",
        ("cube", "3dl", "csp", "spi1d", "spi3d", "spimtx", "cdl", "clf"),
        opencolorio,
        _beyond_opencolorio,
    ),
    Reader("LittleCMS", ("icc",), littlecms),
)


def reader_for(key: str, transform: Transform) -> tuple[Reader | None, str]:
    """Return who else reads a file of that format, or None and why nobody does."""
    why = "no other reader of this format is at hand"
    for reader in READERS:
        if key in reader.keys:
            why = reader.cannot(transform)
            if not why:
                return reader, ""
    return None, why
