"""Pictures in Lab and CMYK as they are looked at: sRGB codes of floats, which go beyond 0..1 where sRGB ends."""

from __future__ import annotations

import numpy as np
from attrs import evolve

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import code_of_lab, from_white
from sfumato.media.parts.contract import FrameFacts, Still
from sfumato.raster.icc.engine import press_of
from sfumato.raster.icc.shipped import shipped
from sfumato.raster.plates import CMYK, Plates, areas_of, lab_of

SEEN = "sRGB"  # the encoding of what is looked at
GUESSED = "CMYK without a profile"  # how the evidence begins where a profile is not in the file


def seen_rows(plates: Plates, rows: slice = slice(None)) -> Rgb:
    """Return a picture in its own colours, or some of its rows, as sRGB codes, float32 (h, w, 3).

    Raises:
        MediaError: its profile is none of CMYK, or cannot be used.
    """
    display = encoding(SEEN)
    if plates.kind != CMYK:
        return np.asarray(code_of_lab(lab_of(plates, rows), display), np.float32)
    values = plates.values[rows]
    press = press_of(plates.profile)
    light = press.seen.light(areas_of(values).reshape(-1, 4), from_white(display))
    return np.asarray(display.encode(light.reshape(*values.shape[:-1], 3)), np.float32)


def seen(plates: Plates) -> Rgb:
    """Return a whole picture in its own colours as sRGB codes, float32 (h, w, 3)."""
    code = np.empty((*plates.values.shape[:2], 3), np.float32)
    step = max(1, (1 << 20) // max(1, code.shape[1]))
    for top in range(0, len(code), step):
        rows = slice(top, top + step)
        code[rows] = seen_rows(plates, rows)
    return code


def printed_still(
    plates: Plates, exif: bytes, xmp: bytes, profile: bytes = b"", why: str = ""
) -> Still:
    """Return a picture in Lab or CMYK: as it is seen, what is known of it, and its own numbers with the profile
    that they were taken to be of.

    Args:
        profile: taken where the file has none; b"" = the press that ships. `why` says who chose it.
    Raises:
        MediaError: its profile cannot be used.
    """
    bits = f"{8 * plates.values.dtype.itemsize} bit {plates.kind}"
    remarks: list[str] = []
    if plates.kind != CMYK:
        evidence = "kept in Lab"
    elif plates.profile:
        evidence = f"CMYK by its profile “{press_of(plates.profile).title}”"
    else:
        plates = evolve(plates, profile=profile or shipped())
        evidence = f"{GUESSED}, taken as of “{press_of(plates.profile).title}”{why}"
        remarks.append(evidence)
    if plates.extra is not None:
        remarks.append("channels beyond the colours are not shown")
    facts = FrameFacts(bits, SEEN, evidence, remarks=tuple(remarks), exif=exif, xmp=xmp)
    return Still(lambda: seen(plates), facts, plates)


def taken_as(still: Still, profile: bytes, why: str = "") -> Still:
    """Return a picture whose inks are of no known press, taken as of a press.

    Raises:
        MediaError: the profile cannot be used.
    """
    if still.plates is None or not still.facts.evidence.startswith(GUESSED):
        return still
    bare = evolve(still.plates, profile=b"")
    return printed_still(bare, still.facts.exif, still.facts.xmp, profile, why)


def guessed(still: Still) -> list[str]:
    """Say what inks without a profile were taken to be of, nothing for other pictures."""
    return [r for r in still.facts.remarks if r.startswith(GUESSED)]
