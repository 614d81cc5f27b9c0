"""JPEG stills."""

from __future__ import annotations

import io

import attrs
import numpy as np
from PIL import Image

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media.parts import icc, printed, tags
from sfumato.media.parts.contract import FrameFacts, MediaSpec, Saving, Still
from sfumato.media.parts.upright import check_size, oriented, rgb_only, with_profile
from sfumato.raster import jpeg
from sfumato.raster.samples import damaged

SAMPLINGS = ("4:4:4", "4:2:2", "4:2:0")


def sniff(head: bytes) -> bool:
    return head.startswith(jpeg.SIGNATURE)


def read(data: bytes, _frame: int) -> Still:
    """Decode a JPEG; one of four inks is seen by its profile, with its own numbers beside.

    Raises:
        MediaError: it is cut short, damaged, too large, or of inks that its profile does not know.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            profile = image.info.get("icc_profile")
            xmp = tags.plain_xmp(image.info.get("xmp"))
            exif, orientation, space = tags.exif_of(image)
            kept = tags.kept(exif)
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise damaged("JPEG") from error
    if jpeg.is_inked(data):
        own = jpeg.plates(data, check_size)
        turned = attrs.evolve(own, values=oriented(own.values, orientation))
        return printed.printed_still(turned, kept, xmp)
    pixels, _ = rgb_only(jpeg.decode(data, check_size).pixels)
    pixels = oriented(pixels, orientation)
    if profile:
        pixels, facts = with_profile(pixels, profile, "8 bit")
    elif space == 1:
        facts = FrameFacts("8 bit", "sRGB", "stated in the file (EXIF)")
    else:
        facts = FrameFacts("8 bit")
    return Still(pixels, attrs.evolve(facts, exif=kept, xmp=xmp))


def write(pixels: Array, saving: Saving) -> bytes:
    """Encode uint8 (h, w, 3)."""
    if pixels.dtype != np.uint8:
        raise MediaError("JPEG holds 8 bit only", hint="write a PNG or TIFF instead")
    out = io.BytesIO()
    profile = icc.profile_of(saving.encoding) or saving.profile
    extra = {"icc_profile": profile, "exif": tags.exif_bytes(saving), "xmp": saving.xmp}
    Image.fromarray(pixels).save(
        out,
        "JPEG",
        quality=saving.quality,
        subsampling=SAMPLINGS.index(saving.sampling),
        **{k: v for k, v in extra.items() if v},
    )
    return out.getvalue()


SPEC = MediaSpec(
    "jpeg",
    "JPEG picture",
    (".jpg", ".jpeg"),
    sniff,
    read,
    write,
    depths=("8 bit",),
    unkept=lambda saving: icc.unsaid(saving.encoding),
)
