"""What a picture says about itself beside its pixels: EXIF and XMP, kept as far as they stay true."""

from __future__ import annotations

import re
import struct
from typing import Any

from PIL import Image
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from sfumato._version import VERSION
from sfumato.media.parts.contract import Saving
from sfumato.raster import tiff

XMP = 700
_MOST = 60_000  # what one segment of a JPEG holds
_EXIF, _GPS = 0x8769, 0x8825
# Who, when, with what; not how the pixels lie. EXIF 3.0, table 4 and TIFF 6.0.
_MAIN = (270, 271, 272, 282, 283, 296, 306, 315, 316, 33432)
# Tags that hold the places of the EXIF and GPS folders until these are written; of the same order.
_HELD = {_EXIF: 34664, _GPS: 34851}
# Maker notes hold offsets into the old file; sizes, colour space and links are no longer true.
_DROPPED = {0x927C, 0xA001, 0xA002, 0xA003, 0xA005, 0xA500}
_SOFTWARE, _ORIENTATION, _SPACE = 305, 274, 0xA001
# What Pillow and the readers raise on tags that are not what they say.
_ODD = (
    ValueError,
    TypeError,
    KeyError,
    SyntaxError,
    OSError,
    struct.error,
    OverflowError,
)


def _put(exif: Image.Exif, folder: int, values: dict[int, Any]) -> None:
    """Add values to a folder of EXIF; the library writes one place and reads the other."""
    inside = exif.get_ifd(folder)
    inside.update(values)
    exif[folder] = inside


def _bytes(value: Any) -> Any:
    """Return text as the bytes it was: the library reads it as Latin-1 and would write ASCII alone."""
    return value.encode("latin-1", "replace") if isinstance(value, str) else value


def exif_of(image: Image.Image) -> tuple[Image.Exif, int, int]:
    """Return a picture's EXIF, its orientation 1..8 and its colour space (1 = sRGB, 0 = not stated).

    Damaged EXIF is as good as none.
    """
    try:
        exif = image.getexif()
        turned, space = exif.get(_ORIENTATION, 1), exif.get_ifd(_EXIF).get(_SPACE, 0)
    except _ODD:
        return Image.Exif(), 1, 0
    plain = isinstance(turned, int) and isinstance(space, int)
    return (exif, turned, space) if plain else (exif, 1, 0)


def kept(exif: Image.Exif) -> bytes:
    """Return what may be carried into another picture as EXIF bytes, b"" for nothing or damage."""
    try:
        new = Image.Exif()
        for tag in _MAIN:
            if tag in exif:
                new[tag] = _bytes(exif[tag])
        for folder in (_EXIF, _GPS):
            held = {t: v for t, v in exif.get_ifd(folder).items() if t not in _DROPPED}
            if held:
                _put(new, folder, held)
        data = new.tobytes() if len(new) else b""
    except _ODD:
        return b""
    return data if len(data) <= _MOST else b""


def kept_of_tiff(data: bytes) -> bytes:
    """Return the same of a file that is laid out as a TIFF."""
    exif = Image.Exif()
    try:
        exif.load(data)
    except _ODD:
        return b""
    return kept(exif)


def plain_xmp(packet: Any) -> bytes:
    """Return an XMP packet without its orientation: the pixels are upright already."""
    data = packet.encode() if isinstance(packet, str) else bytes(packet or b"")
    data = data.strip(b"\0 ")
    if not data or len(data) > _MOST or (b"xmpmeta" not in data and b"rdf:RDF" not in data):
        return b""
    data = re.sub(rb'(tiff:Orientation=["\'])\d(["\'])', rb"\g<1>1\g<2>", data)
    return re.sub(rb"(<tiff:Orientation>)\d(</tiff:Orientation>)", rb"\g<1>1\g<2>", data)


def _loaded(saving: Saving) -> Image.Exif:
    """Return the EXIF that is to be written: true for an upright picture of that encoding."""
    exif = Image.Exif()
    if saving.exif:
        exif.load(saving.exif)
        for tag in set(_MAIN) & set(exif):
            exif[tag] = _bytes(exif[tag])
        exif[_SOFTWARE] = f"Sfumato {VERSION}"
        exif[_ORIENTATION] = 1
        _put(exif, _EXIF, {_SPACE: 1 if saving.encoding == "sRGB" else 65535})
    return exif


def exif_bytes(saving: Saving) -> bytes:
    """Return the EXIF bytes for a JPEG or PNG, b"" when nothing was kept."""
    return _loaded(saving).tobytes() if saving.exif else b""


def tiff_tags(saving: Saving) -> list[tuple[Any, ...]]:
    """Return what is kept as extra tags of a TIFF; the EXIF folders are filled in afterwards."""
    found: list[tuple[Any, ...]] = []
    exif = _loaded(saving)
    for tag in _MAIN:
        value = exif.get(tag)
        if isinstance(value, bytes) and value:
            found.append((tag, "s", 0, value, True))
    found += [(_HELD[f], "I", 1, 0, True) for f in (_EXIF, _GPS) if exif.get_ifd(f)]
    if saving.xmp:
        found.append((XMP, "B", len(saving.xmp), saving.xmp, True))
    return found


def with_exif_folders(data: bytes, saving: Saving) -> bytes | bytearray:
    """Return a TIFF with the EXIF and GPS folders at its end, where their tags point."""
    exif = _loaded(saving)
    with tiff.opened(data) as file:
        order, page = file.byteorder, file.pages.first
        tags = {f: page.tags[held] for f, held in _HELD.items() if held in page.tags}
    if not tags:
        return data
    out = bytearray(data)
    del data  # is as large as the picture, and may be freed here
    for folder, tag in tags.items():
        out += b"\0" * (len(out) % 2)
        head = b"II*\0\0\0\0\0" if order == "<" else b"MM\0*\0\0\0\0"
        entries = ImageFileDirectory_v2(head, group=folder)
        for code, value in exif.get_ifd(folder).items():
            entries[code] = value
        struct.pack_into(f"{order}H", out, tag.offset, folder)
        struct.pack_into(f"{order}I", out, tag.valueoffset, len(out))
        out += entries.tobytes(len(out))
    return out
