"""Embedded ICC profiles: which of our encodings one is, or the pixels converted when it is none."""

from __future__ import annotations

import io
from functools import lru_cache
from typing import Any

import imagecodecs
import numpy as np
from PIL import ImageCms

from sfumato.core.arrays import Array
from sfumato.core.colour.adapt import D65, adaptation
from sfumato.core.colour.encodings import Family, encodings
from sfumato.core.errors import MediaError

_D50 = (0.34567, 0.35850)
_PROBE = np.array(
    [[1, 1, 1], [0.5, 0.5, 0.5], [0.2, 0.2, 0.2], [0.8, 0.2, 0.2], [0.2, 0.8, 0.2], [0.2, 0.2, 0.8]]
)


_GREYS = np.linspace(0.1, 1, 10)


def is_grey(profile: bytes) -> bool:
    """Whether a profile is of greys."""
    return profile[16:20] == b"GRAY"


def _probe(profile: bytes) -> Array:
    """Return the probe colours that a profile is asked for, codes (k, 3)."""
    return np.repeat(_GREYS[:, None], 3, 1) if is_grey(profile) else _PROBE


def _probe_xyz(profile: bytes) -> Any:
    """Return D50 XYZ (white Y = 1) of the probe colours as the profile understands them."""
    asked = _GREYS if is_grey(profile) else _PROBE
    codes = np.ascontiguousarray((asked * 65535).round().astype(np.uint16)[None])
    try:
        xyz = imagecodecs.cms_transform(
            codes,
            profile,
            imagecodecs.cms_profile("xyz"),
            colorspace="gray" if is_grey(profile) else "rgb",
            outcolorspace="xyz",
            outdtype="f8",
            intent=1,
        )
    except (RuntimeError, ValueError, TypeError) as error:
        raise MediaError("the embedded colour profile cannot be used") from error
    return np.asarray(xyz)[0]


@lru_cache(maxsize=32)
def known(profile: bytes) -> str | None:
    """Return the name of the display encoding that the profile describes, None when it is another.

    Compared at six probe colours, or at ten greys, in XYZ, within 0.01 of white.
    """
    try:
        found = _probe_xyz(profile)
    except MediaError:
        return None
    best, name = 0.01, None
    for space in encodings().values():
        if space.family is not Family.DISPLAY or space.reference != 1.0:
            continue
        to_d50 = adaptation(D65, _D50, "Bradford") @ space.to_xyz_d65
        ours = space.decode(_probe(profile).astype(np.float32)) @ to_d50.T
        miss = float(np.abs(ours - found).max())
        if miss < best - 1e-4:  # of those that are alike, as several are on greys, the first
            best, name = miss, space.name
    return name


@lru_cache(maxsize=32)
def profile_of(name: str) -> bytes:
    """Return a matrix profile for a display encoding, b"" for those that such a profile cannot say.

    PQ and HLG are shown by nits, and a rendering of its own is no curve; a curve has 4096 places.
    """
    space = encodings().get(name)
    if space is None or space.is_scene or space.coder is not None or space.reference != 1.0:
        return b""
    ramp = np.repeat(np.linspace(0, 1, 4096, dtype=np.float32)[:, None], 3, axis=1)
    curve = np.ascontiguousarray(space.decode(ramp)[:, 0])
    points = [c for x, y in space.primaries for c in (x, y, 1.0)]
    return bytes(
        imagecodecs.cms_profile(
            "rgb", whitepoint=[*space.white, 1.0], primaries=points, transferfunction=curve
        )
    )


def unsaid(encoding: str) -> tuple[str, ...]:
    """Return what a file that knows profiles only cannot say about an encoding."""
    if not encoding or profile_of(encoding):
        return ()
    return (f"the file does not say that it is {encoding}: no profile can",)


def described(profile: bytes) -> str:
    """Return the profile's own name."""
    try:
        opened = ImageCms.getOpenProfile(io.BytesIO(profile))
        return (ImageCms.getProfileDescription(opened) or "").strip() or "unnamed"
    except (ImageCms.PyCMSError, OSError, ValueError):
        return "unreadable"


def to_srgb(pixels: Array, profile: bytes) -> Array:
    """Convert RGB pixels from an embedded profile to sRGB, type kept (LittleCMS, relative intent).

    Greys, which have the same number in each channel, go through a profile of greys.

    Raises:
        MediaError: the profile cannot be used.
    """
    try:
        return np.asarray(
            imagecodecs.cms_transform(
                np.ascontiguousarray(pixels[..., 0] if is_grey(profile) else pixels),
                profile,
                imagecodecs.cms_profile("srgb"),
                colorspace="gray" if is_grey(profile) else "rgb",
                outcolorspace="rgb",
                intent=1,
            )
        )
    except (RuntimeError, ValueError, TypeError) as error:
        raise MediaError(
            f"the embedded colour profile ({described(profile)}) cannot be used",
            hint="save the picture with an sRGB profile",
        ) from error
