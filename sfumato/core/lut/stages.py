"""Stages of a chain that are not evenly spaced tables: matrices, curves, ranges, logs, powers, CDLs."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb, frozen_array
from sfumato.core.colour.adapt import transformed
from sfumato.core.errors import ShapeError, ValueRefused
from sfumato.core.lut.cdl import Three, graded


@frozen
class Matrix:
    """out = rows @ in + offset, on colours; `rows` 3x3 and `offset` 3 numbers."""

    rows: tuple[tuple[float, float, float], ...]
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def __attrs_post_init__(self) -> None:
        numbers = np.array([*self.rows, self.offset], np.float64)
        if numbers.shape != (4, 3):
            raise ShapeError("a matrix is three rows of three numbers and an offset of three")
        if not np.isfinite(numbers).all():
            raise ValueRefused("a matrix holds finite numbers only")

    def apply(self, rgb: Any) -> Rgb:
        out = transformed(as_rgb(rgb), np.array(self.rows))
        return np.asarray(out + np.array(self.offset, np.float32))


def _knots(values: Any) -> tuple[Rgb, Rgb, Rgb]:
    return tuple(frozen_array(v) for v in values)  # type: ignore[return-value]


@frozen
class Knots1D:
    """A curve per channel through unevenly spaced knots, straight between them, clamped outside.

    `inputs` and `outputs` hold three float32 arrays each; inputs rise.
    """

    inputs: tuple[Rgb, Rgb, Rgb] = attrs.field(converter=_knots, eq=False, repr=False)
    outputs: tuple[Rgb, Rgb, Rgb] = attrs.field(converter=_knots, eq=False, repr=False)

    def __attrs_post_init__(self) -> None:
        for x, y in zip(self.inputs, self.outputs, strict=True):
            if x.ndim != 1 or x.shape != y.shape or len(x) < 2:
                raise ShapeError("a curve by knots needs two or more inputs, and as many outputs")
            if not (np.diff(x) > 0).all():
                raise ValueRefused("the inputs of a curve by knots must rise")

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Knots1D) and all(
            np.array_equal(a, b)
            for a, b in zip(
                (*self.inputs, *self.outputs), (*other.inputs, *other.outputs), strict=True
            )
        )

    def __hash__(self) -> int:
        return hash(tuple(len(x) for x in self.inputs))

    def apply(self, rgb: Any) -> Rgb:
        """Look colours up; NaN reads as the first knot."""
        pixels = as_rgb(rgb)
        out = np.empty_like(pixels)
        for c in range(3):
            x: Array = np.nan_to_num(pixels[..., c], nan=float(self.inputs[c][0]))
            out[..., c] = np.interp(x, self.inputs[c], self.outputs[c])
        return out


def _all_finite(_owner: Any, field: Any, value: Any) -> None:
    if not np.isfinite(np.array(value, np.float64)).all():
        raise ValueRefused(f"{field.name} holds a number that is not finite")


_finite: Any = {"validator": _all_finite}


def _above_zero(_owner: Any, field: Any, value: Any) -> None:
    _all_finite(_owner, field, value)
    if not (np.array(value) > 0).all():
        raise ValueRefused(f"{field.name} must be above 0")


def _not_below_zero(_owner: Any, field: Any, value: Any) -> None:
    _all_finite(_owner, field, value)
    if not (np.array(value) >= 0).all():
        raise ValueRefused(f"{field.name} must not be below 0")


@frozen
class CdlStage:
    """An ASC CDL as a stage, with the words its file carries; see `lut.cdl.graded`."""

    slope: Three = attrs.field(default=(1.0, 1.0, 1.0), validator=_not_below_zero)
    offset: Three = attrs.field(default=(0.0, 0.0, 0.0), **_finite)
    power: Three = attrs.field(default=(1.0, 1.0, 1.0), validator=_above_zero)
    saturation: float = attrs.field(default=1.0, validator=_not_below_zero)
    clamp: bool = True
    inverse: bool = False
    id: str = ""
    descriptions: tuple[str, ...] = ()

    def apply(self, rgb: Any) -> Rgb:
        return np.asarray(
            graded(as_rgb(rgb), self, clamp=self.clamp, inverse=self.inverse), np.float32
        )


@frozen
class Range:
    """A linear map of one interval onto another, clamped to it or not (ST 2136-1, Range).

    A missing pair of ends leaves that side alone.
    """

    low: tuple[float, float] | None = attrs.field(default=None)  # in, out
    high: tuple[float, float] | None = attrs.field(default=None)
    clamp: bool = True

    def __attrs_post_init__(self) -> None:
        ends = [e for e in (self.low, self.high) if e is not None]
        if not np.isfinite(np.array(ends, np.float64)).all():
            raise ValueRefused("a range holds finite numbers only")
        if self.low and self.high:
            if not self.low[0] < self.high[0]:
                raise ValueRefused("the input of a range must rise")
            if not self.low[1] <= self.high[1]:
                raise ValueRefused("the output of a range must not fall")
        elif not ends or not self.clamp:
            raise ValueRefused("a range needs two ends, or one that clamps")

    def apply(self, rgb: Any) -> Rgb:
        scale, shift = 1.0, 0.0
        if self.low and self.high:
            scale = (self.high[1] - self.low[1]) / (self.high[0] - self.low[0])
            shift = self.low[1] - self.low[0] * scale
        elif self.low or self.high:
            end = self.low or self.high or (0.0, 0.0)
            shift = end[1] - end[0]
        out = as_rgb(rgb) * np.float32(scale) + np.float32(shift)
        if self.clamp:
            out = np.nan_to_num(out, nan=self.low[1] if self.low else 0.0)
            out = np.clip(out, self.low and self.low[1], self.high and self.high[1])
        return np.asarray(out, np.float32)


_TINY = float(np.finfo(np.float32).tiny)  # what logarithms see in place of 0 and below
_LARGE = 3.4e38


def _held(values: Array) -> Rgb:
    """Return float32; NaN as 0, infinities at the ends of float32."""
    held = np.nan_to_num(values, nan=0.0, posinf=_LARGE, neginf=-_LARGE)
    return np.asarray(np.clip(held, -_LARGE, _LARGE), np.float32)


@frozen
class Log:
    """A logarithm with its line near black, or its inverse (ST 2136-1, Log).

    out = log_slope * log_base(lin_slope * in + lin_offset) + log_offset, where 0 and below count as
    the least float32; below `lin_break` a line of slope `linear_slope` that meets it there.
    Without a break and with the default numbers this is the plain logarithm.
    0.18 with base 10 -> -0.7447.
    """

    inverse: bool = False
    base: float = attrs.field(default=2.0, validator=_above_zero)
    log_slope: Three = attrs.field(default=(1.0, 1.0, 1.0), **_finite)
    log_offset: Three = attrs.field(default=(0.0, 0.0, 0.0), **_finite)
    lin_slope: Three = attrs.field(default=(1.0, 1.0, 1.0), **_finite)
    lin_offset: Three = attrs.field(default=(0.0, 0.0, 0.0), **_finite)
    lin_break: Three | None = None
    linear_slope: Three | None = None

    def __attrs_post_init__(self) -> None:
        if self.base == 1:
            raise ValueRefused("the base of a logarithm cannot be 1")
        if not (np.array([self.log_slope, self.lin_slope]) != 0).all():
            raise ValueRefused("a slope of a logarithm cannot be 0")
        if self.lin_break is not None and not np.isfinite(self._line()).all():
            raise ValueRefused("the break of the logarithm lies where there is no logarithm")

    def _line(self) -> Array:
        """Return slope, offset and the log value at the break, (3, 3)."""
        at = np.array(self.lin_break, np.float64)
        inside = np.array(self.lin_slope) * at + np.array(self.lin_offset)
        with np.errstate(all="ignore"):
            value = np.array(self.log_slope) * np.log(inside) / np.log(self.base) + np.array(
                self.log_offset
            )
            slope = np.array(self.log_slope) * self.lin_slope / (inside * np.log(self.base))
        if self.linear_slope is not None:
            slope = np.array(self.linear_slope, np.float64)
        return np.array([slope, value - slope * at, value])

    def apply(self, rgb: Any) -> Rgb:
        x = as_rgb(rgb).astype(np.float64)
        log_slope, log_offset, lin_slope, lin_offset = (
            np.array(v) for v in (self.log_slope, self.log_offset, self.lin_slope, self.lin_offset)
        )
        with np.errstate(all="ignore"):
            if self.inverse:
                out = (self.base ** ((x - log_offset) / log_slope) - lin_offset) / lin_slope
            else:
                inside = np.maximum(lin_slope * x + lin_offset, _TINY)
                out = log_slope * (np.log(inside) / np.log(self.base)) + log_offset
            if self.lin_break is not None:
                slope, offset, at = self._line()
                if self.inverse:
                    out = np.where(x <= at, (x - offset) / slope, out)
                else:
                    out = np.where(x <= self.lin_break, slope * x + offset, out)
        return _held(out)


BASIC, MIRROR, PASS = "basic", "mirror", "pass through"


@frozen
class Exponent:
    """A power, plain or with a line near black (ST 2136-1, Exponent).

    `offset` None is the plain power; else out = ((in + offset) / (1 + offset))**exponent above
    offset / (exponent - 1) and the line that meets it there below. `negatives`: "basic" clamps them
    to 0 (the plain power alone), "mirror" turns the curve about 0, "pass through" leaves them alone
    (with an offset: the line goes on). 2.4 with offset 0.055 is the sRGB decoding: 0.5 -> 0.2140.
    """

    exponent: Three = attrs.field(validator=_above_zero)
    offset: Three | None = None
    inverse: bool = False
    negatives: str = BASIC

    def __attrs_post_init__(self) -> None:
        if self.offset is not None and not (np.array(self.exponent) >= 1).all():
            raise ValueRefused("an exponent with an offset must be 1 or more")
        if self.offset is not None and not (np.array(self.offset) >= 0).all():
            raise ValueRefused("the offset of an exponent must not be below 0")

    def apply(self, rgb: Any) -> Rgb:
        x = as_rgb(rgb).astype(np.float64)
        size = np.abs(x) if self.negatives == MIRROR else x
        with np.errstate(all="ignore"):
            out = self._plain(size) if self.offset is None else self._lined(size)
        if self.negatives == MIRROR:
            out = np.copysign(out, x)
        return _held(out)

    def _plain(self, x: Array) -> Array:
        g = np.array(self.exponent)
        out: Array = np.maximum(x, 0) ** (1 / g if self.inverse else g)
        return np.where(x < 0, x, out) if self.negatives == PASS else out

    def _lined(self, x: Array) -> Array:
        g = np.maximum(np.array(self.exponent), 1.000001)
        k = np.maximum(np.array(self.offset), 1e-6)
        at = (k * g / ((g - 1) * (1 + k))) ** g
        slope = (g - 1) / k * at
        if self.inverse:
            turned = (1 + k) * np.maximum(x, 0) ** (1 / g) - k
            return np.asarray(np.where(x >= at, turned, x / slope))
        power = (np.maximum(x + k, 0) / (1 + k)) ** g
        return np.asarray(np.where(x >= k / (g - 1), power, x * slope))


_halves: Any = attrs.field(converter=frozen_array, repr=False, eq=attrs.cmp_using(np.array_equal))


@frozen
class HalfCurve:
    """A curve per channel with one entry for every half-float bit pattern, float32 (65536, 3).

    Straight between neighbouring halfs; inputs beyond the largest half are held there, NaN reads as
    0 (ST 2136-1, LUT1D with halfDomain).
    """

    values: Rgb = _halves

    def __attrs_post_init__(self) -> None:
        if self.values.shape != (65536, 3):
            raise ShapeError(f"a half curve is (65536, 3), not {self.values.shape}")

    def apply(self, rgb: Any) -> Rgb:
        x = np.clip(np.nan_to_num(as_rgb(rgb)), -65504, 65504)
        near = x.astype(np.float16)
        over = np.abs(near.astype(np.float32)) > np.abs(x)
        bits = near.view(np.uint16).astype(np.int64) - over  # towards 0
        further = np.where((bits & 0x7FFF) < 0x7BFF, bits + 1, bits)
        a, b = (i.astype(np.uint16).view(np.float16).astype(np.float32) for i in (bits, further))
        width = np.where(a == b, 1, b - a)
        share = np.where(a == b, 0, (x - a) / width)
        out = np.empty_like(x)
        for c in range(3):
            first = self.values[bits[..., c], c]
            out[..., c] = first + share[..., c] * (self.values[further[..., c], c] - first)
        return out


def half_inputs() -> Rgb:
    """Return the value of every half-float bit pattern, float32 (65536,); NaN as 0, infinities held.

    >>> half_inputs()[[0, 0x3C00, 0x8000, 0x7BFF]].tolist()
    [0.0, 1.0, -0.0, 65504.0]
    """
    halves = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)
    return np.nan_to_num(halves, nan=0.0, posinf=65504.0, neginf=-65504.0)
