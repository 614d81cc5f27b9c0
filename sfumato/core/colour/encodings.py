"""The registry of encodings: transfer function + primaries + white, each with its public source.

`light` is relative: 1.0 is the reference white of the encoding's own scale, except for PQ and HLG,
where it is the nominal peak (10 000 and 1000 cd/m2); `reference` says which light is diffuse white
there (203 cd/m2, ITU-R BT.2408-7), and `convert` scales by it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from enum import Enum
from functools import cache
from types import MappingProxyType
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour import transfers as t
from sfumato.core.colour.adapt import (
    ACES_WHITE,
    D65,
    DCI_WHITE,
    Matrix,
    Xy,
    adaptation,
    rgb_to_xyz,
    transformed,
)
from sfumato.core.errors import ValueRefused


class Family(Enum):
    """What the code values stand for."""

    DISPLAY = "display-referred"
    LINEAR = "scene-referred linear"
    LOG = "scene-referred log"


@frozen(eq=False)
class Coder:
    """Code values to light and back for an encoding that is more than a curve and a matrix.

    `direct(code, other)` carries colours straight to an encoding of the same `origin`, and `shown`
    a picture of any encoding through the rendering of a view
    (`unshown` the way back).
    """

    decode: Callable[[Rgb], Rgb]
    encode: Callable[[Rgb], Rgb]
    origin: str = ""
    direct: Callable[[Rgb, Encoding], Rgb] | None = None
    shown: Callable[[Rgb, Encoding], Rgb] | None = None
    unshown: Callable[[Rgb, Encoding], Rgb] | None = None


@frozen(eq=False)
class Encoding:
    """One way to write colours as numbers.

    `decode` and `encode` take and give float32 (..., 3); code values are full range, 0..1 nominal.
    `coder` takes the place of the transfer function where that is not enough; `definition` is what
    an encoding of the user's was made from; `config` is the config that it comes from, with which
    its name begins, "" for all others.
    """

    name: str
    title: str
    family: Family
    transfer: t.Transfer
    primaries: tuple[Xy, Xy, Xy]
    white: Xy
    source: str
    peak_nits: float = 100.0
    reference: float = 1.0
    cat: str = "CAT16"
    system_gamma: float = 1.0
    coder: Coder | None = None
    definition: Any = None
    config: str = ""

    @property
    def is_scene(self) -> bool:
        return self.family is not Family.DISPLAY

    @property
    def is_view(self) -> bool:
        """Whether the encoding brings a rendering of its own for scene-referred colours."""
        return self.coder is not None and self.coder.shown is not None

    @property
    def is_wide(self) -> bool:
        """Whether light beyond diffuse white is shown as such (PQ, HLG)."""
        return self.family is Family.DISPLAY and self.reference < 1.0

    @property
    def to_xyz(self) -> Matrix:
        """Linear RGB -> XYZ (white Y = 1), not adapted."""
        return rgb_to_xyz(self.primaries, self.white)

    @property
    def to_xyz_d65(self) -> Matrix:
        """Linear RGB -> XYZ adapted to D65."""
        return _to_xyz_d65(self)

    def decode(self, code: Any) -> Rgb:
        """Turn code values into linear light; NaN stays NaN, every finite code gives finite light."""
        if self.coder is not None:
            return self.coder.decode(as_rgb(code))
        light: Rgb = np.asarray(self.transfer.decoded(as_rgb(code)), np.float32)
        if self.system_gamma != 1.0:
            light = _ootf(light, self.to_xyz[1], self.system_gamma - 1.0)
        return light

    def encode(self, light: Any) -> Rgb:
        """Turn linear light into code values: the inverse of `decode`."""
        x = as_rgb(light)
        if self.coder is not None:
            return self.coder.encode(x)
        if self.system_gamma != 1.0:
            x = _ootf(x, self.to_xyz[1], 1.0 / self.system_gamma - 1.0)
        return np.asarray(self.transfer.encoded(x), np.float32)


def _ootf(rgb: Rgb, weights: Any, power: float) -> Rgb:
    """BT.2100-2 HLG OOTF and its inverse: each channel times luminance**power."""
    y = np.abs(rgb @ weights.astype(np.float32))
    gain = np.where(y > 1e-12, np.maximum(y, 1e-12) ** np.float32(power), 0)
    return np.asarray(rgb * gain[..., None], np.float32)


@cache
def _to_xyz_d65(encoding: Encoding) -> Matrix:
    if encoding.white == D65:
        return encoding.to_xyz
    matrix: Matrix = adaptation(encoding.white, D65, encoding.cat) @ encoding.to_xyz
    return matrix


_BT709 = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
_BT2020 = ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))
_P3 = ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))
_AP0 = ((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770))
_AP1 = ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044))
_TARN = ((0.7200, 0.2850), (0.1850, 0.8600), (0.1150, -0.0250))
_D, _LIN, _LOG = Family.DISPLAY, Family.LINEAR, Family.LOG


def _aces(name: str, transfer: t.Transfer, primaries: tuple[Xy, Xy, Xy], source: str) -> Encoding:
    family = Family.LOG if transfer.log else Family.LINEAR
    return Encoding(name, name, family, transfer, primaries, ACES_WHITE, source, cat="Bradford")


_ALL = (
    Encoding("sRGB", "sRGB", _D, t.SRGB, _BT709, D65, "IEC 61966-2-1:1999"),
    Encoding(
        "BT.1886",
        "BT.709 shown at BT.1886, gamma 2.4",
        _D,
        t.GAMMA_24,
        _BT709,
        D65,
        "ITU-R BT.709-6, BT.1886-0 with black at 0",
    ),
    Encoding("Gamma 2.2", "Gamma 2.2, BT.709", _D, t.GAMMA_22, _BT709, D65, "ITU-R BT.709-6"),
    Encoding("Gamma 2.6", "Gamma 2.6, BT.709", _D, t.GAMMA_26, _BT709, D65, "ITU-R BT.709-6"),
    Encoding("Display P3", "Display P3", _D, t.SRGB, _P3, D65, "SMPTE EG 432-1, IEC 61966-2-1"),
    Encoding("P3-D65", "P3 at D65, gamma 2.6", _D, t.GAMMA_26, _P3, D65, "SMPTE EG 432-1:2010"),
    Encoding(
        "P3-DCI",
        "P3 theatre white, gamma 2.6",
        _D,
        t.GAMMA_26,
        _P3,
        DCI_WHITE,
        "SMPTE RP 431-2:2011",
        peak_nits=48.0,
        cat="Bradford",
    ),
    Encoding(
        "BT.2020", "BT.2020 shown at gamma 2.4", _D, t.GAMMA_24, _BT2020, D65, "ITU-R BT.2020-2"
    ),
    Encoding(
        "BT.2100 PQ",
        "BT.2100 PQ, peak 10 000 cd/m²",
        _D,
        t.PQ,
        _BT2020,
        D65,
        "ITU-R BT.2100-2, SMPTE ST 2084",
        peak_nits=10000.0,
        reference=203 / 10000,
    ),
    Encoding(
        "BT.2100 HLG",
        "BT.2100 HLG, peak 1000 cd/m²",
        _D,
        t.HLG,
        _BT2020,
        D65,
        "ITU-R BT.2100-2, system gamma 1.2",
        peak_nits=1000.0,
        reference=203 / 1000,
        system_gamma=1.2,
    ),
    Encoding("Linear BT.709", "Linear BT.709", _LIN, t.LINEAR, _BT709, D65, "ITU-R BT.709-6"),
    Encoding("Linear BT.2020", "Linear BT.2020", _LIN, t.LINEAR, _BT2020, D65, "ITU-R BT.2020-2"),
    Encoding("Linear P3-D65", "Linear P3 at D65", _LIN, t.LINEAR, _P3, D65, "SMPTE EG 432-1:2010"),
    _aces("ACES2065-1", t.LINEAR, _AP0, "SMPTE ST 2065-1"),
    _aces("ACEScg", t.LINEAR, _AP1, "Academy S-2014-004"),
    _aces("ACEScc", t.ACESCC, _AP1, "Academy S-2014-003"),
    _aces("ACEScct", t.ACESCCT, _AP1, "Academy S-2016-001"),
    Encoding(
        "Cineon",
        "Cineon-type printing density log, BT.709",
        _LOG,
        t.CINEON,
        _BT709,
        D65,
        "Kennel 2006: white 685, black 95, negative gamma 0.6",
    ),
    Encoding(
        "Tarn Log",
        "Tarn Log · Tarn Wide",
        _LOG,
        t.TARN_LOG,
        _TARN,
        D65,
        "the made-up camera of the demo scenario",
    ),
)
_SHIPPED = MappingProxyType({e.name: e for e in _ALL})


class _Known:
    """Encodings by name: those that ship, then those that were opened for use, for all threads."""

    def __init__(self) -> None:
        self.names: Mapping[str, Encoding] = _SHIPPED

    def add(self, new: Iterable[Encoding]) -> None:
        self.names = _with(self.names, new)

    def drop(self, names: Iterable[str]) -> None:
        gone = set(names)
        kept = {n: e for n, e in self.names.items() if n in _SHIPPED or n not in gone}
        self.names = MappingProxyType(kept)


def _with(names: Mapping[str, Encoding], new: Iterable[Encoding]) -> Mapping[str, Encoding]:
    merged = dict(names)
    for each in new:
        if shipped(each.name):
            raise ValueRefused(
                f"{each.name} is the name of an encoding that comes with Sfumato",
                hint="choose another name",
            )
        merged[each.name] = each
    return MappingProxyType(merged)


_KNOWN = _Known()
_READING: ContextVar[Mapping[str, Encoding] | None] = ContextVar("encodings", default=None)


def encodings() -> Mapping[str, Encoding]:
    """Return every encoding by name, in menu order."""
    return _READING.get() or _KNOWN.names


@contextmanager
def also(new: Iterable[Encoding]) -> Iterator[None]:
    """Let this thread alone know further encodings for a while: what a study that is read brings.

    Raises:
        ValueRefused: a name is that of an encoding that ships.
    """
    token = _READING.set(_with(encodings(), new))
    try:
        yield
    finally:
        _READING.reset(token)


def shipped(name: str) -> bool:
    """Whether an encoding of that name comes with the program."""
    return name.casefold() in {n.casefold() for n in _SHIPPED}


def add_encodings(new: Iterable[Encoding]) -> None:
    """Make encodings known by their names; one of the same name is replaced.

    Raises:
        ValueRefused: a name is that of an encoding that ships.
    """
    _KNOWN.add(new)


def drop_encodings(names: Iterable[str]) -> None:
    """Forget encodings that were added; those that ship stay."""
    _KNOWN.drop(names)


def names_of(*families: Family) -> tuple[str, ...]:
    """Return the names of all encodings of some families (of all when none is given)."""
    return tuple(n for n, e in encodings().items() if not families or e.family in families)


def encoding(name: str) -> Encoding:
    """Return the encoding of that name (letter case does not matter).

    Raises:
        ValueRefused: there is none; the hint lists the names.
    """
    known = encodings()
    found = known.get(name)
    if found is None:
        by_fold = {n.casefold(): e for n, e in known.items()}
        found = by_fold.get(name.strip().casefold())
    if found is None:
        raise ValueRefused(
            f"there is no encoding named {name!r}", hint=f"use one of {', '.join(known)}"
        )
    return found


@cache
def code_of(light: float, space: Encoding) -> float:
    """Return the code value of a neutral light.

    >>> round(code_of(0.18, encoding("Tarn Log")), 4)
    0.4
    """
    return float(space.encode(np.full((1, 3), light, np.float32))[0, 1])


@cache
def light_matrix(source: Encoding, target: Encoding) -> Matrix:
    """Return the 3x3 matrix from linear light of `source` to linear light of `target`."""
    method = "Bradford" if "Bradford" in (source.cat, target.cat) else "CAT16"
    to_xyz = source.to_xyz
    if source.white != target.white:
        to_xyz = adaptation(source.white, target.white, method) @ to_xyz
    matrix: Matrix = np.linalg.solve(target.to_xyz, to_xyz).astype(np.float64)
    return matrix * (target.reference / source.reference)


def convert(rgb: Any, source: Encoding | str, target: Encoding | str) -> Rgb:
    """Carry colours from one encoding to another, without a tone scale.

    Args:
        rgb: float32 (..., 3) code values in `source`.
    Returns:
        New float32 (..., 3) code values in `target`, not clipped; the same values when both are one.

    >>> print(convert([0.4, 0.4, 0.4], "Tarn Log", "Linear BT.709").round(3))
    [0.18 0.18 0.18]
    """
    a = encoding(source) if isinstance(source, str) else source
    b = encoding(target) if isinstance(target, str) else target
    code = as_rgb(rgb)
    if a is b:
        return code.copy()
    there, back = a.coder, b.coder
    if there and back and there.direct and back.direct and there.origin == back.origin:
        return there.direct(code, b)
    light = a.decode(code)
    if a.primaries != b.primaries or a.white != b.white or a.reference != b.reference:
        light = transformed(light, light_matrix(a, b))
    return b.encode(light)
