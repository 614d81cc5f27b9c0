"""Results of pictures that are kept in Lab or CMYK, in their own colours."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from attrs import evolve

from sfumato.core.arrays import Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import ExportError
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.transform import Transform
from sfumato.media.parts import tags
from sfumato.media.parts.contract import FrameFacts, Saving, Still
from sfumato.media.parts.inked import Printing, returned
from sfumato.media.parts.printed import SEEN, seen
from sfumato.raster import jpeg
from sfumato.raster import plates as raster
from sfumato.raster.plates import CMYK, Plates
from sfumato.work.files import exists, write_bytes
from sfumato.work.results.stills import chain_of
from sfumato.work.tiles import run_tiled

TIFF, JPEG = (".tif", ".tiff"), (".jpg", ".jpeg")


def keeps_plates(still: Still, target: Path) -> bool:
    """Whether a result can be in the colours of the picture: it has its own, and the file holds them."""
    suffix = target.suffix.lower()
    if still.plates is None:
        return False
    return suffix in TIFF or (suffix in JPEG and still.plates.kind == CMYK)


def through(
    transforms: list[Transform],
    still: Still,
    interp: str = "tetrahedral",
    from_encoding: str | None = None,
) -> tuple[Rgb, str]:
    """Return how a picture is meant to be seen after LUTs, and the display of those codes.

    Colours beyond the codes that a LUT takes are carried on: F(clip(x)) + x - clip(x).
    """
    gives = span_note.read(transforms[-1].comments)[1] or SEEN
    expects = span_note.read(transforms[0].comments)[0]
    run = chain_of(transforms, interp, from_encoding or (SEEN if expects else None))
    inside = np.clip(still.pixels, 0, 1)
    return run_tiled(run, inside) + (still.pixels - inside), gives


_USUAL = Printing()


def separated(
    still: Still, meant: Rgb, display: str, how: Printing = _USUAL
) -> tuple[Plates, Difference]:
    """Return a picture's own numbers for what is meant, and how far what they show lies from it.

    Raises:
        MediaError: its profile cannot separate.
    """
    assert still.plates is not None
    made = returned(still.plates, still.pixels, meant, display, how)
    shown = encoding_of_seen(made, display)
    return made, difference_of((shown, np.clip(meant, 0, 1)), still.pixels, encoding(display))


def encoding_of_seen(plates: Plates, display: str) -> Rgb:
    """Return what numbers show, as codes of a display, held within 0..1."""
    code = seen(plates)[0]
    return np.asarray(np.clip(convert(code, SEEN, display), 0, 1), np.float32)


def write_plates(
    plates: Plates, facts: FrameFacts, target: Path, *, force: bool = False, quality: int = 95
) -> None:
    """Write a picture in its own colours, with what was kept of its metadata; `quality` is of a JPEG.

    Raises:
        ExportError: the file exists and `force` is false, or the place cannot be written.
    """
    if not force and exists(target):
        raise ExportError(
            "the file exists already", hint="choose another name or use --force", where=str(target)
        )
    saving = Saving(exif=facts.exif, xmp=facts.xmp)
    if target.suffix.lower() in JPEG:
        if plates.values.dtype != np.uint8:
            eight = (plates.values.astype(np.uint32) + 128) // 257
            plates = evolve(plates, values=np.asarray(eight, np.uint8))
        more = {"exif": tags.exif_bytes(saving), "xmp": saving.xmp}
        write_bytes(target, jpeg.encode_plates(plates, quality, **more), force=force)
        return
    data = raster.encode(plates, extratags=tags.tiff_tags(saving))
    write_bytes(target, tags.with_exif_folders(data, saving), force=force)
