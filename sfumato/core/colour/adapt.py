"""Primaries, white points and chromatic adaptation (float64 3x3 matrices, row vectors on the right)."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
import numpy.typing as npt

Matrix = npt.NDArray[np.float64]
Xy = tuple[float, float]
D65: Xy = (0.3127, 0.3290)
ACES_WHITE: Xy = (0.32168, 0.33767)
DCI_WHITE: Xy = (0.314, 0.351)

# CAT16: Li et al. 2017, "Comprehensive color solutions: CAM16, CAT16, and CAM16-UCS".
CAT16 = np.array(
    [
        [0.401288, 0.650173, -0.051461],
        [-0.250268, 1.204414, 0.045854],
        [-0.002079, 0.048952, 0.953127],
    ]
)
# Bradford: Lam 1985, as in ICC.1:2022 annex E.
BRADFORD = np.array(
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]]
)
_CATS = {"CAT16": CAT16, "Bradford": BRADFORD}


def xyz_of(xy: Xy) -> Matrix:
    """Return XYZ with Y = 1 of a chromaticity.

    >>> xyz_of((0.3127, 0.3290)).round(4)
    array([0.9505, 1.    , 1.0891])
    """
    x, y = xy
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


@cache
def rgb_to_xyz(primaries: tuple[Xy, Xy, Xy], white: Xy) -> Matrix:
    """Return the normalised primary matrix (SMPTE RP 177): linear RGB -> XYZ, white -> Y = 1.

    >>> bt709 = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
    >>> rgb_to_xyz(bt709, D65)[1].round(4)
    array([0.2126, 0.7152, 0.0722])
    """
    columns = np.array([xyz_of(p) for p in primaries]).T
    matrix: Matrix = columns * np.linalg.solve(columns, xyz_of(white))
    matrix.flags.writeable = False
    return matrix


@cache
def adaptation(source: Xy, target: Xy, method: str = "CAT16") -> Matrix:
    """Return the XYZ -> XYZ matrix that carries white `source` to white `target` (full adaptation).

    >>> white = adaptation(DCI_WHITE, D65) @ xyz_of(DCI_WHITE)
    >>> bool(np.allclose(white, xyz_of(D65)))
    True
    """
    cone = _CATS[method]
    gain = (cone @ xyz_of(target)) / (cone @ xyz_of(source))
    matrix: Matrix = np.linalg.solve(cone, gain[:, None] * cone)
    matrix.flags.writeable = False
    return matrix


def transformed(rgb: Any, matrix: Matrix) -> npt.NDArray[np.float32]:
    """Apply a 3x3 matrix to float32 (..., 3) colours in float32."""
    out: npt.NDArray[np.float32] = rgb @ matrix.T.astype(np.float32)
    return out
