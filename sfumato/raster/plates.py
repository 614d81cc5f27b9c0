"""TIFF pictures that are kept in Lab or in inks: numbers as they are stored, and how they are meant.

Source: TIFF 6.0, sections 16 (CMYK) and 23 (CIELab), and its technical note on ICCLab (photometric 9).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.raster import tiff
from sfumato.raster.samples import WORKERS, SizeRule, damaged
from sfumato.raster.tiff import BROKEN, is_whole

LAB, ICC_LAB, CMYK = "CIELab", "ICCLab", "CMYK"
PHOTOMETRIC = {5: CMYK, 8: LAB, 9: ICC_LAB}
_COLOURS = {CMYK: 4, LAB: 3, ICC_LAB: 3}


@frozen(eq=False)
class Plates:
    """A picture in its own colours.

    Attributes:
        kind: CIELab (a and b signed), ICCLab (a and b about the middle) or CMYK (0 = no ink).
        values: uint8 or uint16 (h, w, 3 or 4), bits as they are stored.
        extra: channels beyond the colours (h, w, k), None without any.
        profile: of its colours, embedded or the one that it is taken to be of; b"" for Lab.
        header: the tags of the file, by number.
    """

    kind: str
    values: Array
    extra: Array | None = None
    profile: bytes = field(default=b"", repr=False)
    header: dict[str, Any] = field(factory=dict)


def photometric_of(data: bytes) -> int | None:
    """Return what the first picture of a TIFF says its colours are, None when that cannot be told."""
    try:
        with tiff.opened(data) as file:
            page: Any = file.pages[0]
            return int(page.photometric)
    except BROKEN:
        return None


def decode(data: bytes, check: SizeRule) -> Plates:
    """Decode the first picture of a TIFF in Lab or CMYK.

    Raises:
        MediaError: it is cut short, damaged, of more than four inks, or of samples that cannot be read.
    """
    try:
        with tiff.opened(data) as file:
            page: Any = file.pages[0]
            check(int(page.imagewidth), int(page.imagelength))
            kind = PHOTOMETRIC[int(page.photometric)]
            inks = page.tags.get(332)  # InkSet: 1 is CMYK
            if kind == CMYK and inks is not None and int(inks.value) != 1:
                raise MediaError(
                    "the TIFF has other inks than cyan, magenta, yellow and black",
                    hint="save it as CMYK",
                )
            bits = page.bitspersample
            if bits not in (8, 16) or page.dtype is None or page.dtype.kind not in "ui":
                raise MediaError(
                    f"the TIFF has {bits} bit samples of a kind that cannot be read in {kind}",
                    hint="save it with 8 or 16 bit",
                )
            if not is_whole(page, data):
                raise damaged("TIFF")
            pixels = page.asarray(maxworkers=WORKERS)
            if page.planarconfig == 2 and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
            pixels = np.ascontiguousarray(pixels).view("u1" if bits == 8 else "u2")
            count = _COLOURS[kind]
            if pixels.ndim != 3 or pixels.shape[-1] < count:
                raise MediaError(
                    f"the TIFF has too few channels for {kind}", hint="export it again"
                )
            extra = pixels[..., count:] if pixels.shape[-1] > count else None
            header = {str(t.code): t.value for t in page.tags}
            profile = bytes(header.get("34675") or b"")
            return Plates(kind, np.ascontiguousarray(pixels[..., :count]), extra, profile, header)
    except BROKEN as error:
        raise damaged("TIFF") from error


def areas_of(values: Array) -> Array:
    """Return ink codes as areas, float32 0..1."""
    out = values.astype(np.float32)
    out *= np.float32(1 / np.iinfo(values.dtype).max)
    return out


def lab_of(plates: Plates, rows: slice = slice(None)) -> Array:
    """Return Lab of a picture in Lab, or of some of its rows, float64 (h, w, 3): L 0..100, a and b -128..128.

    CIELab: L over all codes, a and b signed, of 16 bit 256 a unit. ICCLab: a and b about 128 and, as
    version 2 of ICC has it, L of 16 bit to 65280.
    """
    v = np.ascontiguousarray(plates.values[rows])
    wide = v.dtype == np.uint16
    if plates.kind == LAB:
        light = v[..., 0] * (100 / (65535 if wide else 255))
        ab = v[..., 1:].view("i2" if wide else "i1") / (256 if wide else 1)
    else:
        light = v[..., 0] * (100 / (65280 if wide else 255))
        ab = v[..., 1:].astype(np.float64) / (256 if wide else 1) - 128
    return np.concatenate([light[..., None], ab], -1)


def values_of(lab: Array, kind: str, depth: int) -> Array:
    """Return Lab as it is stored, rounded; the way back of `lab_of`.

    >>> p = Plates(LAB, np.array([[[65535, 65280, 256]]], np.uint16))
    >>> lab_of(p).tolist(), values_of(lab_of(p), LAB, 16).tolist()
    ([[[100.0, -1.0, 1.0]]], [[[65535, 65280, 256]]])
    """
    wide = depth == 16
    unit = 256 if wide else 1
    top = (65535 if kind == LAB else 65280) if wide else 255
    most = 65535 if wide else 255
    light = np.clip(np.rint(lab[..., 0] / 100 * top), 0, most)
    if kind == LAB:
        half = 128 * unit
        ab = np.clip(np.rint(lab[..., 1:] * unit), -half, half - 1) % (2 * half)
    else:
        ab = np.clip(np.rint((lab[..., 1:] + 128) * unit), 0, most)
    return np.concatenate([light[..., None], ab], -1).astype(np.uint16 if wide else np.uint8)


def encode(plates: Plates, **tags: Any) -> bytes:
    """Encode a picture in its own colours as a TIFF: depth, order, extra channels, resolution as they were.

    Args:
        tags: go to the library's writer.
    """
    pixels, header = plates.values, plates.header
    if plates.extra is not None:
        pixels = np.concatenate([pixels, plates.extra], -1)
        samples = header.get("338") or (0,) * plates.extra.shape[-1]
        tags["extrasamples"] = [int(s) for s in np.atleast_1d(samples)]
    if "282" in header and "283" in header:
        unit = int(header.get("296") or 2)
        tags["resolution"] = tuple(_ratio(header[t]) for t in ("282", "283"))
        tags["resolutionunit"] = unit
    embedded = header.get("34675") or (b"" if header else plates.profile)
    if embedded:
        tags["iccprofile"] = bytes(embedded)
    number = next(n for n, kind in PHOTOMETRIC.items() if kind == plates.kind)
    return tiff.encode(pixels, number, **tags)


def _ratio(value: Any) -> tuple[int, int]:
    """Return a resolution as the library takes it."""
    if isinstance(value, tuple) and len(value) == 2 and value[1]:
        return int(value[0]), int(value[1])
    return 72, 1
