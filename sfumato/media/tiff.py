"""TIFF stills, 8 and 16 bit and float."""

from __future__ import annotations

import attrs
import numpy as np

from sfumato.core.arrays import Array
from sfumato.media.parts import icc, printed, tags
from sfumato.media.parts.contract import FrameFacts, MediaSpec, Saving, Still
from sfumato.media.parts.upright import check_size, oriented, rgb_only, with_profile
from sfumato.raster import plates, tiff

_BITS = {"uint8": "8 bit", "uint16": "16 bit", "float32": "32 bit float", "float16": "16 bit float"}


def sniff(head: bytes) -> bool:
    return head.startswith(tiff.SIGNATURES)


def read(data: bytes, _frame: int) -> Still:
    """Decode the first picture of a TIFF.

    Raises:
        MediaError: it is cut short, damaged, too large, or neither RGB, grey, Lab nor CMYK.
    """
    if plates.photometric_of(data) in plates.PHOTOMETRIC:
        return _printed(data)
    found = tiff.decode(data, check_size)
    pixels, header = found.pixels, found.header
    profile, orientation = header.get("34675"), header.get("274") or 1
    xmp = tags.plain_xmp(header.get(str(tags.XMP)))
    bits = _BITS[pixels.dtype.name]
    if pixels.dtype == np.float16:
        pixels = pixels.astype(np.float32)
    pixels, remarks = rgb_only(pixels)
    pixels = oriented(pixels, int(orientation))
    if profile and pixels.dtype != np.float32:
        pixels, facts = with_profile(pixels, bytes(profile), bits)
    else:
        facts = FrameFacts(bits)
    remarks = facts.remarks + remarks
    kept = tags.kept_of_tiff(data)
    return Still(pixels, attrs.evolve(facts, remarks=remarks, exif=kept, xmp=xmp))


def _printed(data: bytes) -> Still:
    """Decode a picture in Lab or CMYK: as sRGB codes of floats, with its own numbers beside them."""
    own = plates.decode(data, check_size)
    orientation = int(own.header.get("274") or 1)
    turned = attrs.evolve(
        own,
        values=oriented(own.values, orientation),
        extra=None if own.extra is None else oriented(own.extra, orientation),
    )
    xmp = tags.plain_xmp(own.header.get(str(tags.XMP)))
    return printed.printed_still(turned, tags.kept_of_tiff(data), xmp)


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode uint8, uint16 or float32 (h, w, 3), deflate."""
    profile = icc.profile_of(saving.encoding) or saving.profile or None
    more = tags.tiff_tags(saving)
    data = tags.with_exif_folders(tiff.encode(pixels, iccprofile=profile, extratags=more), saving)
    return bytes(data)


SPEC = MediaSpec(
    "tiff",
    "TIFF picture",
    (".tif", ".tiff"),
    sniff,
    read,
    write,
    depths=("8 bit", "16 bit", "32 bit float"),
    unkept=lambda saving: icc.unsaid(saving.encoding),
)
