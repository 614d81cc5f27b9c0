"""PNG stills, 8 and 16 bit."""

from __future__ import annotations

import io
import struct

import attrs
import imagecodecs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media.contract import FrameFacts, MediaSpec, Still
from sfumato.media.upright import check_size, oriented, rgb_only, with_profile

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
# cICP (PNG 3rd edition): colour primaries and transfer characteristics as in ITU-T H.273.
_CICP = {
    (1, 13): "sRGB",
    (1, 1): "BT.1886",
    (12, 13): "Display P3",
    (9, 16): "BT.2100 PQ",
    (9, 18): "BT.2100 HLG",
    (9, 14): "BT.2020",
}


def sniff(head: bytes) -> bool:
    return head.startswith(_SIGNATURE)


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
    if len(cicp) >= 2 and (cicp[0], cicp[1]) in _CICP:
        return _CICP[cicp[0], cicp[1]], "stated in the file (cICP)"
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
            check_size(*image.size)
            mode = image.mode
            profile = image.info.get("icc_profile")
            orientation = image.getexif().get(274, 1)
            palette = mode in ("P", "1", "RGBA", "L", "LA", "PA", "RGB")
        depth = data[24]
        if depth == 16:
            pixels = np.asarray(imagecodecs.png_decode(data))
        elif palette and mode not in ("RGB", "L"):
            with Image.open(io.BytesIO(data)) as image:
                pixels = np.asarray(
                    image.convert(
                        "RGBA" if mode in ("P", "PA", "LA") else "RGB" if mode == "1" else mode
                    )
                )
        else:
            with Image.open(io.BytesIO(data)) as image:
                pixels = np.asarray(image.convert("RGB"))
    except MediaError:
        raise
    except (OSError, SyntaxError, ValueError, RuntimeError, Image.DecompressionBombError) as error:
        raise MediaError(
            "the PNG is damaged or cut short", hint="copy or export it again"
        ) from error
    pixels, remarks = rgb_only(pixels)
    pixels = oriented(pixels, orientation)
    bits = "16 bit" if pixels.dtype == np.uint16 else "8 bit"
    if profile:
        pixels, facts = with_profile(pixels, profile, bits)
        return Still(pixels, attrs.evolve(facts, remarks=facts.remarks + remarks))
    stated = _stated(_chunks(data))
    if stated:
        return Still(pixels, FrameFacts(bits, stated[0], stated[1], remarks=remarks))
    return Still(pixels, FrameFacts(bits, remarks=remarks))


def write(pixels: Array, facts: FrameFacts) -> bytes:
    """Encode uint8 or uint16 (h, w, 3); an ICC profile in `facts` is embedded."""
    if pixels.dtype not in (np.uint8, np.uint16):
        raise MediaError("PNG holds 8 or 16 bit, not float", hint="write a TIFF instead")
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=6))
    if not facts.profile:
        return data
    import zlib

    body = b"iCCP" + b"profile\x00\x00" + zlib.compress(facts.profile)
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    return data[:33] + chunk + data[33:]  # directly behind the 25 bytes of IHDR


SPEC = MediaSpec("png", "PNG picture", (".png",), sniff, read, write, depths=("8 bit", "16 bit"))
