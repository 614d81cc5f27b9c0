"""Colours through the profile of a press: inks to Lab and Lab to inks.

The tables are read from the profile and run through loops of our own, several times as fast as the engine that
everybody uses (LittleCMS); what black points and media whites do to colours is taken from that engine, and each way
is compared with it before it is used. A profile whose tables are of a kind that the loops do not know, or that come
out differently, goes through the engine itself: slower, and right.

Source: ICC.1:2022, 10.10 to 10.13 (tables), 6.3.2 (intents), annex F (Lab codes).
"""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import imagecodecs
import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array
from sfumato.core.colour.lab50 import D50, xyz_of_lab
from sfumato.core.errors import FormatError, MediaError
from sfumato.raster.icc.build import LAB_NEW, LAB_OLD, LAB_SHIFT
from sfumato.raster.icc.chains import Chain, chain_of, scaling
from sfumato.raster.icc.tags import (
    description,
    head_of,
    steps_of,
    tags_of,
)

INTENTS = ("perceptual", "relative", "saturation", "absolute")
_AS_READ = "relative"  # how inks are seen
# By whether the table is a lut16.
_LAB_CODES = {True: (LAB_OLD, LAB_SHIFT), False: (LAB_NEW, LAB_SHIFT)}
# How far from the engine the loops may be: it rounds what comes out of curves to 16 bit, here 1.3e-4 of an ink.
_NEAR_LAB, _NEAR_INK = 0.02, 2e-4
_PERCEPTUAL_BLACK = np.array([0.00336, 0.0034731, 0.00287])  # XYZ; ICC.1:2022, 6.3.3
_PROBES = 300
_LEAST_XYZ, _MOST_XYZ = (
    1e-3,
    100.0,
)  # over the white: what spreads less or is more is of a damaged profile


@lru_cache(maxsize=1)
def lab_profile() -> bytes:
    """Return the profile of Lab itself, by which LittleCMS goes to and from it."""
    return bytes(imagecodecs.cms_profile("lab4"))


def by_littlecms(
    values: Array, source: bytes, target: bytes, spaces: tuple[str, str], intent: str, black: bool
) -> Array:
    """Return colours (k, channels) through two profiles by LittleCMS, float64; inks and Lab in their own units.

    Raises:
        MediaError: it refuses the profiles.
    """
    scale_in = 100.0 if spaces[0] == "cmyk" else 1.0
    scale_out = 100.0 if spaces[1] == "cmyk" else 1.0
    flags = int(imagecodecs.CMS.FLAGS.NOOPTIMIZE)
    if black and intent != "absolute":
        flags |= imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION
    try:
        made = imagecodecs.cms_transform(
            np.ascontiguousarray(values[None] * scale_in, np.float64),
            source,
            target,
            colorspace=spaces[0],
            outcolorspace=spaces[1],
            outdtype="f8",
            intent=INTENTS.index(intent),
            flags=flags,
        )
    except (RuntimeError, ValueError, TypeError) as error:
        raise MediaError(
            "the colour profile is not of the kind that is needed, or it is damaged",
            hint="choose the profile of a press",
        ) from error
    if not np.isfinite(made).all():
        raise MediaError(
            "the colour profile gives numbers that are none, so it is damaged",
            hint="choose the profile of a press",
        )
    return np.asarray(made[0] / scale_out)


Way = Callable[[Array], Array]
_UNIT, _NOTHING = np.eye(3, dtype=np.float32), np.zeros(3, np.float32)


def _light(lab: Array, matrix: Array, plus: Array) -> Array:
    """Return matrix * XYZ over white + plus of Lab (k, 3), float32."""
    from sfumato.core.kernels.lab import light_of_lab

    out = np.empty_like(lab)
    light_of_lab(lab, *(np.ascontiguousarray(m, np.float32) for m in (matrix, plus)), out)
    return out


def lab_of_light(light: Array, matrix: Array, plus: Array = _NOTHING) -> Array:
    """Return Lab of XYZ over white, which are matrix * light + plus, (k, 3), float32."""
    from sfumato.core.kernels import lab as kernels

    light = np.ascontiguousarray(light, np.float32)
    out = np.empty_like(light)
    kernels.lab_of_light(light, *(np.ascontiguousarray(m, np.float32) for m in (matrix, plus)), out)
    return out


@frozen(eq=False)
class Forth:
    """From inks to Lab: a way to Lab, whose XYZ over white are then scaled and shifted, each of the three."""

    way: Way
    by: Array = field(factory=lambda: np.ones(3))
    plus: Array = field(factory=lambda: np.zeros(3))

    def lab(self, inks: Array) -> Array:
        """Return Lab of areas of ink (k, 4), float32 (k, 3)."""
        lab = self.way(inks)
        return lab_of_light(_light(lab, np.diag(self.by), self.plus), _UNIT, _NOTHING)

    def light(self, inks: Array, matrix: Array) -> Array:
        """Return light of areas of ink (k, 4) by a matrix from XYZ over white, float32 (k, 3)."""
        return _light(self.way(inks), matrix * self.by, matrix @ self.plus)


@frozen(eq=False)
class Back:
    """From Lab to inks: XYZ over white are scaled and shifted before a way takes Lab of them."""

    way: Way
    by: Array = field(factory=lambda: np.ones(3))
    plus: Array = field(factory=lambda: np.zeros(3))

    def inks(self, lab: Array) -> Array:
        """Return areas of ink for Lab (k, 3), float32 (k, 4) of 0..1."""
        lab = np.ascontiguousarray(lab, np.float32)
        return self.way(lab_of_light(_light(lab, np.diag(self.by), self.plus), _UNIT, _NOTHING))

    def of_light(self, light: Array, matrix: Array) -> Array:
        """Return areas of ink for light (k, 3) by a matrix to XYZ over white, float32 (k, 4) of 0..1."""
        return self.way(lab_of_light(light, self.by[:, None] * matrix, self.plus))


@frozen(eq=False)
class Press:
    """A press by its profile: `title` is the profile's own name; inks are areas 0..1.

    `seen` goes from inks to Lab as inks are seen: relative to the paper, black point compensated. `measured` goes
    to Lab as an instrument has it, paper and all.
    """

    title: str
    profile: bytes = field(repr=False)
    seen: Forth
    measured: Forth
    _back: dict[str, Back | MediaError]

    def back(self, intent: str = _AS_READ) -> Back:
        """Return the way from Lab to inks by an intent.

        Raises:
            MediaError: the profile does not go that way.
        """
        found = self._back[intent]
        if isinstance(found, MediaError):
            raise MediaError(found.summary, hint=found.hint)
        return found

    @property
    def is_quick(self) -> bool:
        """Whether all of its ways go through loops of our own."""
        ways = (self.seen, self.measured, *self._back.values())
        return all(not isinstance(w, MediaError) and isinstance(w.way, Chain) for w in ways)


def _near(one: Array, two: Array, limit: float) -> bool:
    return bool(np.abs(one - two).max() <= limit)


def _probes(most: float = 1.0) -> Array:
    inks = np.random.default_rng(11).random((_PROBES, 4)) * most
    inks[: _PROBES // 6, :3] = 0  # black alone
    inks[0], inks[1] = 0, 1
    return inks


def _forth(profile: bytes, tags: dict[bytes, Any], intent: str, black: bool) -> Forth:
    """Return the way from inks to Lab by an intent, with black points compensated or not."""

    def engine(inks: Array, chosen: str = intent, compensated: bool = black) -> Array:
        flat = np.asarray(inks, np.float64).reshape(-1, 4)
        spaces = ("cmyk", "lab")
        made = by_littlecms(flat, profile, lab_profile(), spaces, chosen, compensated)
        return np.asarray(made, np.float32)

    inks = _probes()
    wanted = engine(inks)  # says what is wrong with a profile that cannot be used
    tag = tags.get(b"A2B1") or tags.get(b"A2B0")
    try:
        if tag is None:
            return Forth(engine)
        steps, form = steps_of(tag, (4, 3))
        way = chain_of(steps, (4, 3), form).then(scaling(*_LAB_CODES[form == "mft2"]))
    except FormatError:
        return Forth(engine)
    # The engine's black points and whites scale XYZ, each of the three by its own: two numbers.
    plain, meant = (xyz_of_lab(lab) / D50 for lab in (engine(inks, "relative", False), wanted))
    spread = np.ptp(plain, 0).min()
    if not (np.abs([plain, meant]).max() < _MOST_XYZ and spread > _LEAST_XYZ):  # NaN too
        return Forth(engine)
    fits = [np.polyfit(plain[:, c], meant[:, c], 1) for c in range(3)]
    found = Forth(way, np.array([f[0] for f in fits]), np.array([f[1] for f in fits]))
    return found if _near(found.lab(inks), wanted, _NEAR_LAB) else Forth(engine)


def _back(profile: bytes, tags: dict[bytes, Any], intent: str, lab: Array) -> Back | MediaError:
    """Return the way from Lab to inks by an intent; `lab` are colours that the press has."""

    def engine(colours: Array) -> Array:
        flat = np.asarray(colours, np.float64).reshape(-1, 3)
        made = by_littlecms(flat, lab_profile(), profile, ("lab", "cmyk"), intent, True)
        return np.asarray(made.clip(0, 1), np.float32)

    try:
        wanted = engine(lab)
    except MediaError as error:
        return error
    number = {"perceptual": b"B2A0", "saturation": b"B2A2"}.get(intent, b"B2A1")
    tag = tags.get(number) or tags.get(b"B2A0")
    try:
        if tag is None:
            return Back(engine)
        steps, form = steps_of(tag, (3, 4))
        scale, shift = _LAB_CODES[form == "mft2"]
        way = chain_of(steps, (3, 4), form, from_lab=True).after(scaling(1 / scale, -shift / scale))
    except FormatError:
        return Back(engine)
    if intent == "absolute":
        found = Back(way, D50 / _media_white(tags))
        return found if _near(found.inks(lab), wanted, _NEAR_INK) else Back(engine)
    # Black points pull XYZ towards the white: by what version 4 says, or by the number that gives the engine's inks.
    from scipy.optimize import minimize_scalar

    def pulled(black: Any) -> Back:
        return Back(way, np.ones(3) - black, np.zeros(3) + black)

    def off(black: float) -> float:
        return float(((pulled(black).inks(lab) - wanted) ** 2).sum())

    coarse = np.linspace(-0.02, 0.3, 33)
    start = coarse[int(np.argmin([off(s) for s in coarse]))]
    bounds = start - 0.011, start + 0.011
    best = minimize_scalar(off, bounds=bounds, method="bounded", options={"xatol": 1e-9})
    for found in (Back(way), pulled(_PERCEPTUAL_BLACK / D50), pulled(float(best.x))):
        if _near(found.inks(lab), wanted, _NEAR_INK):
            return found
    return Back(engine)


def _media_white(tags: dict[bytes, Any]) -> Array:
    tag = tags.get(b"wtpt")
    return D50 if tag is None else np.asarray(tag.array(">i4", 8, 3) / 65536)


@lru_cache(maxsize=8)
def _made(_digest: str, held: _Held) -> Press:
    profile = held.data
    try:
        head, tags = head_of(profile), tags_of(profile)
        title = description(tags.get(b"desc")).strip() or "unnamed"
        if head.space != b"CMYK":
            raise FormatError("the colour profile is not one of CMYK")
    except FormatError as error:
        raise MediaError(
            "the colour profile is not one of CMYK, or it is damaged",
            hint="choose the profile of a press",
        ) from error
    seen = _forth(profile, tags, _AS_READ, True)
    measured = _forth(profile, tags, "absolute", False)
    probes = np.asarray(_probes(0.7), np.float32)
    ways = {
        intent: _back(
            profile, tags, intent, (measured if intent == "absolute" else seen).lab(probes)
        )
        for intent in INTENTS
    }
    return Press(title, profile, seen, measured, ways)


class _Held:
    """Bytes that a cache knows by their digest alone."""

    __slots__ = ("data",)

    def __init__(self, data: bytes) -> None:
        self.data = data

    def __hash__(self) -> int:
        return 1

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Held)


_TURNS: dict[str, threading.Lock] = {}  # of profiles, by their digests


def press_of(profile: bytes) -> Press:
    """Return the press of a profile, kept; by one of those who ask at once, since it takes a while.

    Raises:
        MediaError: it is not of CMYK, or is damaged.
    """
    digest = hashlib.sha256(profile).hexdigest()
    with _TURNS.setdefault(digest, threading.Lock()):
        return _made(digest, _Held(profile))
