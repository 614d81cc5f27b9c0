"""Results of pictures that are kept in Lab or CMYK, in their own colours, stripe by stripe."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from attrs import evolve
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import code_of_lab, from_white
from sfumato.core.errors import NameTaken
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.transform import Transform
from sfumato.core.study.printing import Printing
from sfumato.media.parts import tags
from sfumato.media.parts.contract import FrameFacts, Saving, Still
from sfumato.media.parts.inked import returned, total_ink
from sfumato.media.parts.printed import SEEN, seen_rows
from sfumato.raster import jpeg
from sfumato.raster import plates as raster
from sfumato.raster.icc.engine import press_of
from sfumato.raster.icc.links import InkLink
from sfumato.raster.plates import CMYK, Plates, areas_of
from sfumato.raster.tiff import BROKEN
from sfumato.work.cancel import Cancel
from sfumato.work.files import exists, write_bytes
from sfumato.work.results.stills import chain_of
from sfumato.work.tiles import spread

TIFF, JPEG = (".tif", ".tiff"), (".jpg", ".jpeg")
STRIPE = 1 << 18  # pixels
_MEASURED = 60_000  # pixels
# What is meant for rows of a picture: sRGB codes as it is seen, and the first row's number.
RowsRun = Callable[[Rgb, int], Rgb]


def keeps_plates(still: Still, target: Path) -> bool:
    """Whether a result can be in the colours of the picture: it has its own, and the file holds them."""
    suffix = target.suffix.lower()
    if still.plates is None:
        return False
    return suffix in TIFF or (suffix in JPEG and still.plates.kind == CMYK)


def is_printed(path: str | Path) -> bool:
    """Whether a file holds a picture in Lab or inks, by its header alone; False where that cannot be told."""
    suffix = Path(path).suffix.lower()
    try:
        if suffix in TIFF:
            with tifffile.TiffFile(path) as file:
                page: Any = file.pages[0]
                return int(page.photometric) in raster.PHOTOMETRIC
        if suffix in JPEG:
            with Image.open(path) as image:
                return image.mode == "CMYK"
    except BROKEN:
        return False
    return False


def through(
    transforms: list[Transform], interp: str = "tetrahedral", from_encoding: str | None = None
) -> tuple[RowsRun, str]:
    """Return what LUTs mean for rows of a picture, and the display of those codes.

    Colours beyond the codes that a LUT takes are carried on: F(clip(x)) + x - clip(x).
    """
    gives = span_note.read(transforms[-1].comments)[1] or SEEN
    expects = span_note.read(transforms[0].comments)[0]
    run = chain_of(transforms, interp, from_encoding or (SEEN if expects else None))

    def rows(code: Rgb, _top: int) -> Rgb:
        inside = np.clip(code, 0, 1)
        return run(inside) + (code - inside)

    return rows, gives


_USUAL = Printing()


def regraded(
    plates: Plates,
    run: RowsRun,
    display: str,
    how: Printing = _USUAL,
    cancel: Cancel | None = None,
    *,
    over: bool = False,
) -> tuple[Plates, Difference]:
    """Return a picture's own numbers for what is meant, and how far what they show lies from it.

    Args:
        run: what is meant, codes of `display`.
        over: the numbers of `plates` are written over, which spares memory.
    Raises:
        MediaError: its profile cannot separate.
    """
    height, width = plates.values.shape[:2]
    spare = over and plates.values.flags.writeable
    out = plates.values if spare else np.empty_like(plates.values)
    step = max(1, STRIPE // width)
    every = max(1, height * width // _MEASURED)

    def one(top: int) -> tuple[Array, Array, Array]:
        if cancel is not None:
            cancel.check()
        rows = slice(top, min(top + step, height))
        before = seen_rows(plates, rows)
        meant = run(before, top)
        out[rows] = returned(plates, before, meant, display, how, rows)
        some = slice(-top * width % every, None, every)
        own = np.ascontiguousarray(out[rows].reshape(-1, out.shape[-1])[some])
        # Copies: a view would hold all of the rows.
        few, were = (np.array(code.reshape(-1, 3)[some]) for code in (meant, before))
        return _shown(plates, own, display, how), few, were

    parts = spread(one, range(0, height, step))
    shown, meant, before = (np.concatenate([p[i] for p in parts]) for i in range(3))
    made = evolve(plates, values=out)
    return made, difference_of((shown, meant), before, encoding(display))


def _shown(plates: Plates, own: Array, display: str, how: Printing) -> Rgb:
    """Return what own numbers (k, channels) show, as codes of a display: relative, or as measured."""
    if plates.kind != CMYK:
        lab = raster.lab_of(evolve(plates, values=own[None]))[0]
        return np.asarray(code_of_lab(lab, encoding(display)), np.float32)
    press, space = press_of(plates.profile), encoding(display)
    forth = press.measured if how.intent == "absolute" else press.seen
    light = forth.light(areas_of(own), from_white(space))
    return np.asarray(space.encode(light), np.float32)


def linked(transforms: list[Transform], still: Still | Plates) -> Plates | None:
    """Return a picture in inks that a link gives as they are, from inks or from RGB; None where none is meant."""
    stages = transforms[0].stages if len(transforms) == 1 else ()
    link = stages[0] if len(stages) == 1 else None
    plates = still.plates if isinstance(still, Still) else still
    if not isinstance(link, InkLink) or link.sides[1] != 4:
        return None
    if link.sides[0] == 4:
        if plates is None or plates.kind != CMYK:
            return None
        return evolve(plates, values=_by_rows(link, plates.values))
    if plates is not None or isinstance(still, Plates):
        return None
    pixels = still.pixels
    if pixels.dtype not in (np.uint8, np.uint16):
        pixels = np.asarray(np.clip(pixels, 0, 1) * 65535 + 0.5, np.uint16)
    return Plates(CMYK, _by_rows(link, pixels))


def _by_rows(link: InkLink, values: Array) -> Array:
    out = np.empty((*values.shape[:2], 4), values.dtype)
    step = max(1, STRIPE // values.shape[1])

    def one(top: int) -> None:
        rows = slice(top, top + step)
        out[rows] = link.on_codes(values[rows])

    spread(one, range(0, len(out), step))
    return out


def holds_inks(target: Path) -> bool:
    """Whether a file can be in CMYK, by its suffix."""
    return target.suffix.lower() in (*TIFF, *JPEG)


def words(plates: Plates, off: Difference | None) -> list[str]:
    """Say what was made, how near it comes to what is meant (None: exactly), and how much ink it has."""
    said = [f"kept in {plates.kind}"]
    if off is None:
        said.append("its inks are those that the link gives")
    else:
        said.append(
            f"what is shown lies ΔE {off.mean:.2f} in the mean and {off.p99:.2f} at 99 % from what is meant"
        )
    if plates.kind == CMYK:
        said.append(f"most ink {100 * total_ink(plates.values):.0f} %")
    return said


def write_plates(
    plates: Plates, facts: FrameFacts, target: Path, *, force: bool = False, quality: int = 95
) -> None:
    """Write a picture in its own colours, with what was kept of its metadata; `quality` is of a JPEG.

    Raises:
        ExportError: the file exists and `force` is false, or the place cannot be written.
    """
    if not force and exists(target):
        raise NameTaken(str(target))
    saving = Saving(exif=facts.exif, xmp=facts.xmp)
    if target.suffix.lower() in JPEG:
        if plates.values.dtype != np.uint8:
            eight = (plates.values.astype(np.uint32) + 128) // 257
            plates = evolve(plates, values=np.asarray(eight, np.uint8))
        more = {"exif": tags.exif_bytes(saving), "xmp": saving.xmp}
        write_bytes(target, jpeg.encode_plates(plates, quality, **more), force=force)
        return
    ours = tags.tiff_tags(saving)
    data = tags.with_exif_folders(raster.encode(plates, extratags=ours), saving)
    write_bytes(target, data, force=force)
