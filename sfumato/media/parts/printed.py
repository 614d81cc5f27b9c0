"""Pictures in Lab and CMYK as they are looked at: sRGB codes of floats, which go beyond 0..1 where sRGB ends."""

from __future__ import annotations

from functools import lru_cache

import imagecodecs
import numpy as np
from attrs import evolve

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import code_of_lab
from sfumato.core.errors import MediaError
from sfumato.media.parts import icc
from sfumato.media.parts.contract import FrameFacts
from sfumato.media.parts.presses import shipped
from sfumato.raster.plates import CMYK, Plates, lab_of

SEEN = "sRGB"  # the encoding of what is looked at
RELATIVE, ABSOLUTE = 1, 3  # rendering intents of ICC
AT_ONCE = 1 << 18  # pixels that are turned into floats together


@lru_cache(maxsize=1)
def lab_profile() -> bytes:
    """Return the profile of Lab itself, by which LittleCMS goes to and from it."""
    return bytes(imagecodecs.cms_profile("lab4"))


def lab_of_inks(values: Array, profile: bytes) -> Array:
    """Return Lab (D50, relative to the paper, black point compensated) of ink codes (..., 4), float64.

    Raises:
        MediaError: the profile is none of CMYK, or cannot be used.
    """
    most = np.iinfo(values.dtype).max
    flat = values.reshape(-1, 4)
    out = np.empty((len(flat), 3))
    for start in range(0, len(flat), AT_ONCE):
        part = flat[start : start + AT_ONCE].astype(np.float64) * (100 / most)
        try:
            out[start : start + AT_ONCE] = imagecodecs.cms_transform(
                np.ascontiguousarray(part[None]),
                profile,
                lab_profile(),
                colorspace="cmyk",
                outcolorspace="lab",
                outdtype="f8",
                intent=RELATIVE,
                flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION,
            )[0]
        except (RuntimeError, ValueError, TypeError) as error:
            raise MediaError(
                "the colour profile is not one of CMYK, or it is damaged",
                hint="export the picture again with its profile",
            ) from error
    return out.reshape(*values.shape[:-1], 3)


def seen(plates: Plates) -> tuple[Rgb, FrameFacts, Plates]:
    """Return a picture in Lab or CMYK as sRGB codes, float32 (h, w, 3), what is known of it, and its own numbers
    with the profile that they were taken to be of.

    Raises:
        MediaError: its profile cannot be used.
    """
    bits = f"{8 * plates.values.dtype.itemsize} bit {plates.kind}"
    remarks: list[str] = []
    if plates.kind == CMYK:
        evidence = f"CMYK by its profile “{icc.described(plates.profile)}”"
        if not plates.profile:
            plates = evolve(plates, profile=shipped())
            evidence = "CMYK without a profile, taken as of the Saltglass press"
            remarks.insert(0, evidence)
        lab = lab_of_inks(plates.values, plates.profile)
    else:
        evidence = "kept in Lab"
        lab = lab_of(plates)
    if plates.extra is not None:
        remarks.append("channels beyond the colours are not shown")
    code = np.asarray(code_of_lab(lab, encoding(SEEN)), np.float32)
    return code, FrameFacts(bits, SEEN, evidence, remarks=tuple(remarks)), plates
