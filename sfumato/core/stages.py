"""Stages of a chain that are not evenly spaced tables: matrices, curves by knots, CDLs."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.adapt import transformed
from sfumato.core.arrays import Array, Rgb, as_rgb, frozen_array
from sfumato.core.encodings import encoding
from sfumato.core.errors import ShapeError, ValueRefused
from sfumato.core.glazes.cdl import Cdl, run


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


@frozen
class CdlStage:
    """An ASC CDL as a stage; the record is the CDL glaze's own."""

    parameters: Cdl
    id: str = ""

    def apply(self, rgb: Any) -> Rgb:
        return np.asarray(run(self.parameters, as_rgb(rgb), encoding("sRGB")), np.float32)
