"""The only two doors through which arrays enter: pixels (`as_rgb`) and tables (`frozen_array`)."""

from __future__ import annotations

from typing import Any, TypeAlias

import numpy as np
import numpy.typing as npt

from sfumato.core.errors import ShapeError

Rgb: TypeAlias = npt.NDArray[np.float32]
Array: TypeAlias = npt.NDArray[Any]


def as_rgb(pixels: npt.ArrayLike) -> Rgb:
    """Return `pixels` as float32 (..., 3), C order; the same array when it already is that.

    Raises:
        ShapeError: the last axis is not 3.

    >>> as_rgb([0, 0.5, 1]).dtype.name
    'float32'
    """
    rgb = np.ascontiguousarray(pixels, np.float32)
    if rgb.ndim == 0 or rgb.shape[-1] != 3:
        raise ShapeError(f"colours need three numbers in the last axis, not shape {rgb.shape}")
    return rgb


def planes(rgb: Rgb) -> tuple[Rgb, Rgb, Rgb]:
    """Return the three channels as contiguous arrays (...,): sums over them vectorise."""
    r, g, b = (np.asarray(rgb[..., c], order="C") for c in range(3))  # keeps a single colour 0-d
    return r, g, b


def joined(r: Rgb, g: Rgb, b: Rgb) -> Rgb:
    """Return three channels as one float32 array (..., 3)."""
    out = np.empty((*r.shape, 3), np.float32)
    out[..., 0], out[..., 1], out[..., 2] = r, g, b
    return out


def product(a: Array, b: Array) -> Array:
    """Return the product of two matrices, or of a matrix and a vector, of which one is very long.

    `@` keeps the interpreter from all other threads, the window's too, until it is done: 48 ms for the
    products of six columns of two million rows. What is computed is the same.

    >>> product(np.eye(2), np.array([1.0, 2.0])).tolist()
    [1.0, 2.0]
    """
    return np.asarray(np.dot(a, b))


def frozen_array(values: npt.ArrayLike) -> Rgb:
    """Return `values` as a read-only float32 array; an array that already is one comes back as is.

    >>> a = frozen_array([1, 2]); frozen_array(a) is a, a.flags.writeable
    (True, False)
    """
    if (
        isinstance(values, np.ndarray)
        and values.dtype == np.float32
        and values.flags.c_contiguous
        and not values.flags.writeable
    ):
        return values
    array = np.array(values, np.float32, order="C")
    array.flags.writeable = False
    return array
