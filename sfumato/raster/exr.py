"""OpenEXR: R, G, B or Y of the first part, half or float."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.raster.exr_chunks import verify
from sfumato.raster.samples import Samples, SizeRule, damaged

SIGNATURE = b"v/1\x01"
_ODD = (RuntimeError, ValueError, LookupError, TypeError, AttributeError, OSError, MemoryError)
_MOST_NUMBERS = 800_000_000


def window(header: dict[str, Any], name: str) -> tuple[int, int, int, int]:
    """Return left, top, right and bottom of a window of the header, all inside."""
    low, high = header[name]
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode the data window; `header` holds the attributes, and what was left out or altered.

    Its own words beside the file's: `alpha`, whether there was one; `layer`, the name of the layer
    that was read; `altered`, the packing that changed the values.

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


def _chosen(names: Iterable[str]) -> tuple[str, tuple[str, ...], bool]:
    """Return the layer that is read, its channels and whether it has an alpha.

    Raises:
        MediaError: there is no R, G, B or Y, or more than one layer that might be meant.
    """
    layers: dict[str, set[str]] = {}
    for name in names:
        layer, _, channel = name.rpartition(".")
        layers.setdefault(layer, set()).add(channel)
    if {"RY", "BY"} & layers.get("", set()):
        raise MediaError("the EXR holds luma and chroma", hint="save it as R, G and B")
    for wanted in (("R", "G", "B"), ("Y",)):
        fitting = [n for n, held in layers.items() if held.issuperset(wanted)]
        if "" in fitting:
            fitting = [""]
        if len(fitting) > 1:
            shown = ", ".join(fitting[:5]) + (" …" if len(fitting) > 5 else "")
            raise MediaError(
                f"the EXR holds {len(fitting)} layers and no picture outside them: {shown[:200]}",
                hint="save the one that is meant by itself",
            )
        if fitting:
            return fitting[0], wanted, "A" in layers[fitting[0]]
    raise MediaError("the EXR holds no R, G and B", hint="save it with these channels")


def _decoded(data: bytes, check: SizeRule) -> Samples:
    import OpenEXR

    with OpenEXR.File(io.BytesIO(data), separate_channels=True, header_only=True) as file:
        for part in file.parts:
            left, top, right, bottom = window(part.header, "dataWindow")
            check(right - left + 1, bottom - top + 1)
            places = (right - left + 1) * (bottom - top + 1)
            if places * len(part.header["channels"]) > _MOST_NUMBERS:
                raise MediaError("the EXR holds too much", hint="save R, G and B only")
    altered = verify(data)
    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        header, channels = dict(file.header()), dict(file.channels())
        layer, wanted, has_alpha = _chosen(channels)
        planes = [np.asarray(channels[f"{layer}.{n}" if layer else n].pixels) for n in wanted]
        is_odd = any(p.shape != planes[0].shape or p.dtype == np.uint32 for p in planes)
        if is_odd:
            raise MediaError(
                "the EXR's channels are not alike or not light", hint="save R, G, B alike"
            )
        pixels = np.stack([planes[min(c, len(planes) - 1)] for c in range(3)], axis=-1)
        del planes, channels
    header |= {"alpha": has_alpha, "layer": layer, "altered": altered}
    return Samples(pixels, len(wanted) == 3, header)


def remarks(header: dict[str, Any]) -> tuple[str, ...]:
    """Return what was left out or altered, one sentence each."""
    said = []
    if header["layer"]:
        said.append(f"the layer “{header['layer'][:60]}” was read")
    if header["alpha"]:
        said.append("the alpha channel was left out")
    if header["altered"]:
        said.append(f"the {header['altered']} compression has altered the values")
    return tuple(said)


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
