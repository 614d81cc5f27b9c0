"""OpenEXR stills: linear light, half or float."""

from __future__ import annotations

from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import Family, encodings
from sfumato.core.errors import MediaError
from sfumato.media.parts.contract import FrameFacts, MediaSpec, Saving, Still
from sfumato.media.parts.upright import check_size
from sfumato.raster import exr
from sfumato.raster.samples import damaged

_BT709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)  # what no chromaticities mean
_CLOSE = 0.002
_Window = tuple[int, int, int, int]  # left, top, right and bottom, all inside


def sniff(head: bytes) -> bool:
    return head.startswith(exr.SIGNATURE)


def _points(space: Any) -> tuple[float, ...]:
    return tuple(float(c) for point in (*space.primaries, space.white) for c in point)


def _named(points: tuple[float, ...]) -> str | None:
    """Return the linear encoding with those primaries and that white."""
    for space in encodings().values():
        linear = space.family is Family.LINEAR and space.coder is None
        if linear and max(abs(a - b) for a, b in zip(points, _points(space), strict=True)) < _CLOSE:
            return space.name
    return None


def read(data: bytes, _frame: int) -> Still:
    """Decode the first part of an EXR that holds R, G, B or Y; what lies outside its frame is cut.

    Raises:
        MediaError: it is damaged, cut short, too large, or holds no picture of that kind.
    """
    found = exr.decode(data, check_size)
    header = found.header
    try:
        left, top, right, bottom = exr.window(header, "dataWindow")
        x, y, x_end, y_end = exr.window(header, "displayWindow")
        stated = tuple(map(float, header["chromaticities"])) if "chromaticities" in header else None
    except (LookupError, TypeError, ValueError) as error:
        raise damaged("EXR") from error
    check_size(x_end - x + 1, y_end - y + 1)
    depth = found.depth
    if (left, top, right, bottom) == (x, y, x_end, y_end):
        pixels = found.pixels.astype(np.float32, copy=False)
    else:
        pixels = _in_frame(found.pixels, (left, top, right, bottom), (x, y, x_end, y_end))
    del found
    bits = "16 bit float" if depth == "16f" else "32 bit float"
    name = _named(stated or _BT709)
    remarks = exr.remarks(header)
    if name is None:
        return Still(pixels, FrameFacts(bits, remarks=remarks))
    evidence = "stated in the file (chromaticities)" if stated else "usual for EXR"
    return Still(pixels, FrameFacts(bits, name, evidence, remarks=remarks))


def _in_frame(data: Array, window: _Window, frame: _Window) -> Array:
    """Return what a data window shows of its frame, black beside it.

    Raises:
        MediaError: it shows nothing.
    """
    (left, top, right, bottom), (x, y, x_end, y_end) = window, frame
    pixels = np.zeros((y_end - y + 1, x_end - x + 1, 3), np.float32)
    x0, y0, x1, y1 = max(left, x), max(top, y), min(right, x_end), min(bottom, y_end)
    if x0 > x1 or y0 > y1:
        raise MediaError("the EXR shows nothing of its data", hint="export it again")
    inside = data[y0 - top : y1 - top + 1, x0 - left : x1 - left + 1]
    pixels[y0 - y : y1 - y + 1, x0 - x : x1 - x + 1] = inside
    return pixels


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode float32 or float16 (h, w, 3), zip; `encoding` gives the chromaticities."""
    if pixels.dtype not in (np.float32, np.float16):
        raise MediaError("EXR holds light in floats only", hint="write a PNG or TIFF instead")
    points = _points(encodings()[saving.encoding]) if saving.encoding else None
    return exr.encode(pixels, **({"chromaticities": points} if points else {}))


SPEC = MediaSpec(
    "exr",
    "OpenEXR picture",
    (".exr",),
    sniff,
    read,
    write,
    depths=("16 bit float", "32 bit float"),
    is_linear=True,
    unkept=lambda saving: ("EXR keeps no EXIF",) if saving.exif else (),
)
