"""Pictures in Lab and CMYK after something was done to them: back into their own numbers."""

from __future__ import annotations

import imagecodecs
import numpy as np
from attrs import evolve, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import lab_of_code
from sfumato.core.errors import MediaError
from sfumato.media.parts.printed import AT_ONCE, SEEN, lab_of_inks, lab_profile
from sfumato.raster.plates import CMYK, Plates, values_of

INTENTS = {"perceptual": 0, "relative": 1, "saturation": 2, "absolute": 3}
_SAME = 2e-3  # of Lab: what moves less was not meant to move


@frozen
class Printing:
    """How colours go back onto paper.

    Attributes:
        intent: a key of `INTENTS`; black points are compensated for all but absolute.
        keep_black: pixels that were of black ink alone stay so.
        ink_limit: of all inks together, 0..4; 0 = as the profile separates.
    """

    intent: str = "relative"
    keep_black: bool = True
    ink_limit: float = 0.0


_USUAL = Printing()


def returned(
    plates: Plates, before: Rgb, after: Rgb, display: str = SEEN, how: Printing = _USUAL
) -> Plates:
    """Return a picture in its own numbers after its colours were changed; those that were not keep every byte.

    Args:
        before: as it was seen, sRGB codes (h, w, 3).
        after: what is meant, codes of `display`.
    Raises:
        MediaError: its profile cannot separate.
    """
    flat = plates.values.reshape(-1, plates.values.shape[-1])
    out = flat.copy()
    was, now = before.reshape(-1, 3), after.reshape(-1, 3)
    for start in range(0, len(flat), AT_ONCE):
        part = slice(start, start + AT_ONCE)
        lab = lab_of_code(now[part], encoding(display))
        moved = np.abs(lab - lab_of_code(was[part], encoding(SEEN))).max(-1) > _SAME
        if not moved.any():
            continue
        own = flat[part][moved]
        if plates.kind == CMYK:
            out[part][moved] = _inks(lab[moved], own, plates.profile, how)
        else:
            out[part][moved] = values_of(lab[moved], plates.kind, 8 * own.dtype.itemsize)
    return evolve(plates, values=out.reshape(plates.values.shape))


def _inks(lab: Array, own: Array, profile: bytes, how: Printing) -> Array:
    """Return ink codes of Lab colours (k, 3); `own` (k, 4) is what stood there."""
    most = np.iinfo(own.dtype).max
    absolute = how.intent == "absolute"
    try:
        made = imagecodecs.cms_transform(
            np.ascontiguousarray(lab[None]),
            lab_profile(),
            profile,
            colorspace="lab",
            outcolorspace="cmyk",
            outdtype="f8",
            intent=INTENTS[how.intent],
            flags=0 if absolute else imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION,
        )[0]
    except (RuntimeError, ValueError, TypeError) as error:
        raise MediaError(
            "the colour profile cannot separate colours into inks",
            hint="choose the profile of a press, which has both directions",
        ) from error
    inks = np.clip(made / 100, 0, 1)
    if how.keep_black:
        alone = (own[:, :3] == 0).all(-1)
        if alone.any():
            inks[alone] = 0
            inks[alone, 3] = _black(lab[alone, 0], profile)
    if how.ink_limit:
        over = inks.sum(-1) > how.ink_limit - 4 / most
        inks = limited(inks, how.ink_limit)
        codes = np.where(over[:, None], np.floor(inks * most), np.rint(inks * most))
        return np.asarray(codes, own.dtype)
    return np.asarray(np.rint(inks * most), own.dtype)


def limited(inks: Array, limit: float) -> Array:
    """Return inks (..., 4) whose sum keeps a limit: the coloured ones give way in proportion.

    >>> limited(np.array([[1.0, 1.0, 1.0, 0.5]]), 2.0)
    array([[0.5, 0.5, 0.5, 0.5]])
    """
    room = np.maximum(limit - inks[..., 3], 0)
    colours = inks[..., :3].sum(-1)
    share = np.where(colours > room, room / np.maximum(colours, 1e-12), 1.0)
    return np.concatenate([inks[..., :3] * share[..., None], np.minimum(inks[..., 3:], limit)], -1)


def _black(light: Array, profile: bytes) -> Array:
    """Return the black, 0..1, that alone is of a lightness; the nearest that there is."""
    wedge = np.zeros((256, 4), np.uint16)
    wedge[:, 3] = np.linspace(0, 65535, 256).round()
    lights = lab_of_inks(wedge, profile)[:, 0]
    falling = np.minimum.accumulate(lights)
    return np.interp(-light, -falling, wedge[:, 3] / 65535)


def total_ink(plates: Plates) -> float:
    """Return the most ink that any pixel has, 0..4.

    >>> total_ink(Plates(CMYK, np.full((1, 1, 4), 255, np.uint8)))
    4.0
    """
    sums = plates.values.sum(-1, dtype=np.int64)
    return float(sums.max() / np.iinfo(plates.values.dtype).max)
