"""TIFF stills, 8 and 16 bit and float."""

from __future__ import annotations

import io
from typing import Any

import attrs
import numpy as np
import tifffile

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media import icc, tags
from sfumato.media.contract import FrameFacts, MediaSpec, Saving, Still
from sfumato.media.upright import check_size, oriented, rgb_only, with_profile

_BITS = {"uint8": "8 bit", "uint16": "16 bit", "float32": "32 bit float", "float16": "16 bit float"}


def sniff(head: bytes) -> bool:
    return head[:4] in (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")


def _tag(page: Any, code: int) -> Any:
    tag = page.tags.get(code)
    return tag.value if tag is not None else None


def read(data: bytes, _frame: int) -> Still:
    """Decode the first picture of a TIFF.

    Raises:
        MediaError: it is cut short, damaged, too large, or neither RGB nor grey.
    """
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page: Any = file.pages[0]
            check_size(page.imagewidth, page.imagelength)
            if page.photometric not in (1, 2):  # MINISBLACK, RGB
                raise MediaError("the TIFF is neither RGB nor grey", hint="save it as RGB")
            if page.dtype is None or page.dtype.name not in _BITS:
                raise MediaError(
                    f"the TIFF has {page.bitspersample} bit samples of a kind that cannot be read",
                    hint="save it with 8, 16 or 32 bit float samples",
                )
            pixels = page.asarray()
            planar = page.planarconfig == 2
            profile = _tag(page, 34675)
            orientation = _tag(page, 274) or 1
            xmp = tags.plain_xmp(_tag(page, tags.XMP))
    except MediaError:
        raise
    except (
        ValueError,
        IndexError,
        KeyError,
        TypeError,
        RuntimeError,
        OSError,
        MemoryError,
    ) as error:
        raise MediaError(
            "the TIFF is damaged or cut short", hint="copy or export it again"
        ) from error
    if planar and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
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


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode uint8, uint16 or float32 (h, w, 3), deflate."""
    out = io.BytesIO()
    tifffile.imwrite(
        out,
        np.ascontiguousarray(pixels),
        photometric="rgb",
        compression="deflate",
        predictor=True,
        metadata=None,
        software="Sfumato",
        iccprofile=icc.profile_of(saving.encoding) or saving.profile or None,
        extratags=tags.tiff_tags(saving),
    )
    return tags.with_exif_folders(out.getvalue(), saving)


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
