"""OpenEXR: R, G, B or Y of the first part, half or float."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.raster.samples import Samples, SizeRule, damaged

SIGNATURE = b"v/1\x01"
_ODD = (RuntimeError, ValueError, LookupError, TypeError, AttributeError, OSError, MemoryError)
_MOST_NUMBERS = 800_000_000


def window(header: dict[str, Any], name: str) -> tuple[int, int, int, int]:
    """Return left, top, right and bottom of a window of the header, all inside."""
    low, high = header[name]
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode the data window; `header` holds the attributes, and `alpha` when there was one.

    Raises:
        MediaError: it is damaged, cut short, holds no picture of that kind, or one of a size that
            `check` refuses.
    """
    try:
        return _decoded(data, check)
    except MediaError:
        raise
    except _ODD as error:  # a damaged header has attributes of any kind
        raise damaged("EXR") from error


def _decoded(data: bytes, check: SizeRule) -> Samples:
    import OpenEXR

    with OpenEXR.File(io.BytesIO(data), separate_channels=True, header_only=True) as file:
        for part in file.parts:
            left, top, right, bottom = window(part.header, "dataWindow")
            check(right - left + 1, bottom - top + 1)
            places = (right - left + 1) * (bottom - top + 1)
            if places * len(part.header["channels"]) > _MOST_NUMBERS:
                raise MediaError("the EXR holds too much", hint="save R, G and B only")
    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        header, channels = dict(file.header()), dict(file.channels())
        names = next((n for n in ("RGB", "Y") if set(n) <= set(channels)), None)
        if names is None:
            raise MediaError("the EXR holds no R, G and B", hint="save it with these channels")
        planes = [np.asarray(channels[n].pixels) for n in names]
    if any(p.shape != planes[0].shape for p in planes) or planes[0].dtype == np.uint32:
        raise MediaError("the EXR's channels are not alike or not light", hint="save R, G, B alike")
    pixels = np.stack([planes[min(c, len(planes) - 1)] for c in range(3)], axis=-1)
    return Samples(pixels, names == "RGB", {**header, "alpha": "A" in channels})


def encode(pixels: Array, **attributes: Any) -> bytes:
    """Encode float16 or float32 (h, w, 3), zip, with further attributes of the header."""
    import OpenEXR

    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "software": "Sfumato",
        **attributes,
    }
    out = io.BytesIO()
    OpenEXR.File(header, {"RGB": np.ascontiguousarray(pixels)}).write(out)
    return out.getvalue()
