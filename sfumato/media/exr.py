"""OpenEXR stills: linear light, half or float."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import Family, encodings
from sfumato.core.errors import MediaError
from sfumato.media.contract import MOST_PIXELS, FrameFacts, MediaSpec, Saving, Still
from sfumato.media.upright import check_size

_BT709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)  # what no chromaticities mean
_CLOSE = 0.002
_ODD = (RuntimeError, ValueError, LookupError, TypeError, AttributeError, OSError, MemoryError)
_MOST_NUMBERS = 4 * MOST_PIXELS


def sniff(head: bytes) -> bool:
    return head.startswith(b"\x76\x2f\x31\x01")


def _points(space: Any) -> tuple[float, ...]:
    return tuple(float(c) for point in (*space.primaries, space.white) for c in point)


def _named(points: tuple[float, ...]) -> str | None:
    """Return the linear encoding with those primaries and that white."""
    for space in encodings().values():
        linear = space.family is Family.LINEAR and space.coder is None
        if linear and max(abs(a - b) for a, b in zip(points, _points(space), strict=True)) < _CLOSE:
            return space.name
    return None


def _window(header: Any, name: str) -> tuple[int, int, int, int]:
    """Return left, top, right and bottom, all inside."""
    low, high = header[name]
    left, top, right, bottom = int(low[0]), int(low[1]), int(high[0]), int(high[1])
    check_size(right - left + 1, bottom - top + 1)
    return left, top, right, bottom


def read(data: bytes, _frame: int) -> Still:
    """Decode the first part of an EXR that holds R, G, B or Y; what lies outside its frame is cut.

    Raises:
        MediaError: it is damaged, cut short, too large, or holds no picture of that kind.
    """
    try:
        return _read(data)
    except MediaError:
        raise
    except _ODD as error:  # a damaged header has attributes of any kind
        raise MediaError(
            "the EXR is damaged or cut short", hint="copy or export it again"
        ) from error


def _read(data: bytes) -> Still:
    import OpenEXR

    with OpenEXR.File(io.BytesIO(data), separate_channels=True, header_only=True) as file:
        for part in file.parts:
            left, top, right, bottom = _window(part.header, "dataWindow")
            places = (right - left + 1) * (bottom - top + 1)
            if places * len(part.header["channels"]) > _MOST_NUMBERS:
                raise MediaError("the EXR holds too much", hint="save R, G and B only")
    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        header, channels = dict(file.header()), dict(file.channels())
        names = next((n for n in ("RGB", "Y") if set(n) <= set(channels)), None)
        if names is None:
            raise MediaError("the EXR holds no R, G and B", hint="save it with these channels")
        planes = [np.asarray(channels[n].pixels) for n in names]
    left, top, right, bottom = _window(header, "dataWindow")
    if any(p.shape != planes[0].shape for p in planes) or planes[0].dtype == np.uint32:
        raise MediaError("the EXR's channels are not alike or not light", hint="save R, G, B alike")
    x, y, x_end, y_end = _window(header, "displayWindow")
    pixels = np.zeros((y_end - y + 1, x_end - x + 1, 3), np.float32)
    x0, y0, x1, y1 = max(left, x), max(top, y), min(right, x_end), min(bottom, y_end)
    if x0 > x1 or y0 > y1:
        raise MediaError("the EXR shows nothing of its data", hint="export it again")
    for c in range(3):
        plane = planes[min(c, len(planes) - 1)]
        shown = plane[y0 - top : y1 - top + 1, x0 - left : x1 - left + 1]
        pixels[y0 - y : y1 - y + 1, x0 - x : x1 - x + 1, c] = shown
    bits = "16 bit float" if planes[0].dtype == np.float16 else "32 bit float"
    stated = header.get("chromaticities")
    name = _named(tuple(map(float, stated)) if stated else _BT709)
    remarks = ("the alpha channel was left out",) if "A" in channels else ()
    if name is None:
        return Still(pixels, FrameFacts(bits, remarks=remarks))
    evidence = "stated in the file (chromaticities)" if stated else "usual for EXR"
    return Still(pixels, FrameFacts(bits, name, evidence, remarks=remarks))


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode float32 or float16 (h, w, 3), zip; `encoding` gives the chromaticities."""
    import OpenEXR

    if pixels.dtype not in (np.float32, np.float16):
        raise MediaError("EXR holds light in floats only", hint="write a PNG or TIFF instead")
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "software": "Sfumato",
    }
    if saving.encoding:
        header["chromaticities"] = _points(encodings()[saving.encoding])
    out = io.BytesIO()
    OpenEXR.File(header, {"RGB": np.ascontiguousarray(pixels)}).write(out)
    return out.getvalue()


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
