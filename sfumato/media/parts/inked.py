"""Pictures in Lab and CMYK back into their own numbers after something was done to them; colours as print shows."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import from_white, lab_of_code, to_white
from sfumato.core.study.printing import ALONE, HELD, Printing
from sfumato.media.parts.printed import SEEN
from sfumato.raster.icc.engine import Press, lab_of_light, press_of
from sfumato.raster.icc.held import held_inks
from sfumato.raster.plates import CMYK, Plates, areas_of, values_of

_SAME, _SAME_CODE = 2e-3, 2e-5  # of Lab, of codes: what moves less was not meant to move
_USUAL = Printing()
_AT_ONCE = 1 << 18  # pixels


def returned(
    plates: Plates,
    before: Rgb,
    after: Rgb,
    display: str = SEEN,
    how: Printing = _USUAL,
    rows: slice = slice(None),
) -> Array:
    """Return a picture's own numbers after its colours were changed, or those of some rows.

    What was not changed keeps every byte, but for inks above a limit that was chosen.

    Args:
        before: as it was seen, sRGB codes (h, w, 3).
        after: what is meant, codes of `display`.
    Raises:
        MediaError: its profile cannot separate.
    """
    values = plates.values[rows]
    own = values.reshape(-1, values.shape[-1])
    out = own.copy()
    some = _moved(before.reshape(-1, 3), after.reshape(-1, 3), display)
    space, codes = encoding(display), after.reshape(-1, 3)[some]
    if plates.kind != CMYK:
        out[some] = values_of(lab_of_code(codes, space), plates.kind, 8 * own.dtype.itemsize)
        return out.reshape(values.shape)
    if len(codes):
        light = np.ascontiguousarray(space.decode(codes), np.float32)
        inks = separated(press_of(plates.profile), light, to_white(space), how, areas_of(own[some]))
        out[some] = codes_of(inks, own.dtype)
    if how.most_ink < 4:
        _keep_limit(out, how.most_ink)
    return out.reshape(values.shape)


def _moved(was: Rgb, now: Rgb, display: str) -> Any:
    """Return which colours (k, 3) were changed: their numbers, or a slice when all were."""
    if display == SEEN:  # codes that are the same are the same colour
        from sfumato.core.kernels.inks import moved

        found = np.empty(len(was), np.bool_)
        a, b = (np.ascontiguousarray(x, np.float32) for x in (was, now))
        count = moved(a, b, np.float32(_SAME_CODE), found)
        return slice(None) if count == len(found) else np.flatnonzero(found)
    lab = lab_of_code(now, encoding(display)) - lab_of_code(was, encoding(SEEN))
    return np.flatnonzero(np.abs(lab).max(-1) > _SAME)


def separated(
    press: Press, light: Rgb, to_xyz: Array, how: Printing, own: Array | None = None
) -> Array:
    """Return the inks (k, 4) for light (k, 3), within the limit.

    Args:
        to_xyz: the matrix from light to XYZ over white; the unit matrix where it is that.
        own: inks that stood there.
    Raises:
        MediaError: the profile cannot separate.
    """
    if own is not None and how.black == HELD:
        inks = held_inks(press, lab_of_light(light, to_xyz), own[:, 3])
    else:
        inks = press.back(how.intent).of_light(light, to_xyz)
    if own is not None and how.black in (ALONE, HELD):
        alone = (own[:, :3] == 0).all(-1)
        if how.black == HELD:
            inks[alone] = own[alone]
        elif alone.any():
            inks[alone] = 0
            inks[alone, 3] = black_alone(press, lab_of_light(light[alone], to_xyz)[:, 0])
    return limited(inks, how.most_ink) if how.most_ink < 4 else inks


def codes_of(inks: Array, dtype: np.dtype) -> Array:
    """Return areas of ink as codes of uint8 or uint16, rounded."""
    most = np.float32(np.iinfo(dtype).max)
    return np.asarray(np.clip(inks, 0, 1) * most + np.float32(0.5), dtype)


def _keep_limit(codes: Array, limit: float) -> None:
    """Let no row of codes (k, 4) have more ink than a limit, to the code."""
    most = np.iinfo(codes.dtype).max
    over = np.flatnonzero(codes.sum(-1, dtype=np.int64) > limit * most)
    if len(over):
        inks = limited(codes[over].astype(np.float64) / most, limit)
        codes[over] = np.asarray(np.floor(inks * most + 1e-6), codes.dtype)


def limited(inks: Array, limit: float) -> Array:
    """Return inks (..., 4) whose sum keeps a limit: the coloured ones give way in proportion.

    >>> limited(np.array([[1.0, 1.0, 1.0, 0.5]]), 2.0)
    array([[0.5, 0.5, 0.5, 0.5]])
    """
    room = np.maximum(limit - inks[..., 3], 0)
    colours = inks[..., :3].sum(-1)
    share = np.where(colours > room, room / np.maximum(colours, 1e-12), 1.0)
    out = np.concatenate([inks[..., :3] * share[..., None], np.minimum(inks[..., 3:], limit)], -1)
    return np.asarray(out, inks.dtype)


def black_alone(press: Press, light: Array) -> Array:
    """Return the black, 0..1, that alone is of a lightness; the nearest that there is."""
    wedge = np.zeros((256, 4), np.float32)
    wedge[:, 3] = np.linspace(0, 1, 256)
    falling = np.minimum.accumulate(press.seen.lab(wedge)[:, 0])
    return np.interp(-light, -falling, wedge[:, 3])


def total_ink(values: Array) -> float:
    """Return the most ink that any pixel of ink codes has, 0..4.

    >>> total_ink(np.full((1, 1, 4), 255, np.uint8))
    4.0
    """
    flat = values.reshape(-1, 4)
    most = 0
    for start in range(0, len(flat), _AT_ONCE):
        part = flat[start : start + _AT_ONCE].astype(np.int32)
        most = max(most, int((part[:, 0] + part[:, 1] + part[:, 2] + part[:, 3]).max()))
    return most / int(np.iinfo(values.dtype).max)


@frozen(eq=False)
class Print:
    """What print makes of colours: codes of the display as they would be seen, and the inks; float32 (k, 3 and 4).

    `meant` is those colours and `shown` what print gives of them, in Lab as the intent compares them.
    """

    codes: Rgb
    inks: Array
    meant: Array
    shown: Array


def print_of(
    codes: Rgb, display: str, press: Press, how: Printing, own: Array | None = None
) -> Print:
    """Return what print makes of display codes (k, 3); `own` are inks (k, 4) that stood there.

    Raises:
        MediaError: the profile cannot separate.
    """
    space = encoding(display)
    light = np.ascontiguousarray(space.decode(np.asarray(codes, np.float32)), np.float32)
    inks = separated(press, light, to_white(space), how, own)
    compared = press.measured if how.intent == "absolute" else press.seen
    looked = press.measured if how.paper else compared
    seen = np.asarray(space.encode(looked.light(inks, from_white(space))), np.float32)
    return Print(seen, inks, lab_of_light(light, to_white(space)), compared.lab(inks))
