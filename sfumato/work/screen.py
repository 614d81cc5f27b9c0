"""The screen as an encoding: from its ICC profile."""

from __future__ import annotations

from typing import Any

import imagecodecs
import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import D65, adaptation
from sfumato.core.colour.encodings import Coder, Encoding, Family, encoding
from sfumato.core.colour.transfers import LINEAR
from sfumato.core.errors import MediaError
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.media.parts import icc

GRID = 49
_D50 = (0.34567, 0.35850)


def _sent(colours: Any, profile: bytes, back: bool = False) -> Any:
    """Return D50 XYZ as codes of a profile's screen, or (`back`) those codes as XYZ; shape kept.

    Raises:
        MediaError: the profile cannot be used.
    """
    kinds, places = ("xyz", "rgb"), (imagecodecs.cms_profile("xyz"), profile)
    if back:
        kinds, places = kinds[::-1], places[::-1]
    flat = np.ascontiguousarray(np.reshape(colours, (1, -1, 3)))
    try:
        found = imagecodecs.cms_transform(
            flat,
            *places,
            colorspace=kinds[0],
            outcolorspace=kinds[1],
            outdtype="f8" if back else "f4",
            intent=1,
        )
    except (RuntimeError, ValueError, TypeError) as error:
        raise MediaError(
            "the profile cannot be used for a screen", hint="choose the profile of an RGB screen"
        ) from error
    return np.asarray(found).reshape(np.shape(colours))


def screen_of(profile: bytes) -> Encoding:
    """Return the encoding of the screen that a profile describes.

    One that is not among ours is held as a lattice over the codes of a BT.2020 screen with the
    sRGB curve, made by LittleCMS (relative colorimetric).

    Raises:
        MediaError: the profile cannot be used.
    """
    name = icc.known(profile)
    if name is not None:
        return encoding(name)
    wide, curve = encoding("Linear BT.2020"), encoding("sRGB").transfer
    codes = lattice_colours(GRID)
    to_xyz = adaptation(D65, _D50, "Bradford") @ wide.to_xyz
    screen = _sent(curve.decode(codes.astype(np.float64)) @ to_xyz.T, profile)
    table = Table3D(np.asarray(screen, np.float32).reshape(codes.shape))

    def encode(light: Rgb) -> Rgb:
        return apply_table(table, curve.encoded(np.clip(light, 0, 1)), "tetrahedral")

    def decode(code: Rgb) -> Rgb:
        xyz = _sent(code, profile, back=True)
        return np.asarray(xyz @ np.linalg.inv(to_xyz).T, np.float32)

    title = icc.described(profile)
    return Encoding(
        title,
        title,
        Family.DISPLAY,
        LINEAR,
        wide.primaries,
        wide.white,
        "ICC profile of the screen",
        coder=Coder(decode, encode),
    )
