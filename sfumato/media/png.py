"""PNG stills, 8 and 16 bit."""

from __future__ import annotations

import io
import struct
import zlib

import attrs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media.parts import icc, tags
from sfumato.media.parts.contract import H273, FrameFacts, MediaSpec, Saving, Still
from sfumato.media.parts.upright import check_size, oriented, rgb_only, with_profile
from sfumato.raster import png
from sfumato.raster.samples import damaged

_XMP = "XML:com.adobe.xmp"  # the keyword of ISO 16684-3


def sniff(head: bytes) -> bool:
    return head.startswith(png.SIGNATURE)


def _chunks(data: bytes) -> dict[bytes, bytes]:
    """Return the first of each ancillary chunk before the pixels."""
    found: dict[bytes, bytes] = {}
    at = 8
    while at + 12 <= len(data) and len(found) < 200:
        (length,) = struct.unpack(">I", data[at : at + 4])
        kind = data[at + 4 : at + 8]
        if kind == b"IDAT":
            break
        found.setdefault(kind, data[at + 8 : at + 8 + length])
        at += 12 + length
    return found


def _stated(chunks: dict[bytes, bytes]) -> tuple[str, str] | None:
    cicp = chunks.get(b"cICP", b"")
    if len(cicp) >= 2 and (cicp[0], cicp[1]) in H273:
        return H273[cicp[0], cicp[1]], "stated in the file (cICP)"
    if b"sRGB" in chunks:
        return "sRGB", "stated in the file (sRGB chunk)"
    return None


def read(data: bytes, _frame: int) -> Still:
    """Decode a PNG.

    Raises:
        MediaError: it is cut short, damaged or too large.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            profile = image.info.get("icc_profile")
            exif, orientation, _space = tags.exif_of(image)
            kept = tags.kept(exif)
            xmp = tags.plain_xmp(image.info.get("xmp") or image.info.get(_XMP))
    except (OSError, SyntaxError, ValueError, RuntimeError, Image.DecompressionBombError) as error:
        raise damaged("PNG") from error
    pixels, remarks = rgb_only(png.decode(data, check_size).pixels)
    pixels = oriented(pixels, orientation)
    bits = "16 bit" if pixels.dtype == np.uint16 else "8 bit"
    if profile:
        pixels, facts = with_profile(pixels, profile, bits)
    else:
        stated = _stated(_chunks(data))
        facts = FrameFacts(bits, *stated) if stated else FrameFacts(bits)
    return Still(pixels, attrs.evolve(facts, remarks=facts.remarks + remarks, exif=kept, xmp=xmp))


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode uint8 or uint16 (h, w, 3); what it means is said by a profile, or by cICP."""
    if pixels.dtype not in (np.uint8, np.uint16):
        raise MediaError("PNG holds 8 or 16 bit, not float", hint="write a TIFF instead")
    data = png.encode(pixels)
    profile = icc.profile_of(saving.encoding) or saving.profile
    numbers = next((n for n, e in H273.items() if e == saving.encoding), None)
    more = []
    if profile:
        more.append((b"iCCP", b"profile\0\0" + zlib.compress(profile)))
    elif numbers is not None:
        more.append((b"cICP", bytes((*numbers, 0, 1))))
    if exif := tags.exif_bytes(saving):
        more.append((b"eXIf", exif.removeprefix(b"Exif\0\0")))
    if saving.xmp:
        more.append((b"iTXt", _XMP.encode() + b"\0\0\0\0\0" + saving.xmp))
    return png.with_chunks(data, more)


def _unkept(saving: Saving) -> tuple[str, ...]:
    return () if saving.encoding in H273.values() else icc.unsaid(saving.encoding)


SPEC = MediaSpec(
    "png",
    "PNG picture",
    (".png",),
    sniff,
    read,
    write,
    depths=("8 bit", "16 bit"),
    unkept=_unkept,
)
