"""CIE Lab, the CIEDE2000 colour difference, and that in ITP, of colours as displays show them."""

from __future__ import annotations

from typing import Any

import numpy as np

from sfumato.core.arrays import Array, as_rgb
from sfumato.core.colour.adapt import D65, transformed, xyz_of
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.transfers import PQ
from sfumato.core.compiled import KERNELS, WORTH, lab_of_light

_SINGLE = np.dtype(np.float32)


def lab_of(code: Any, display: Encoding) -> Array:
    """Return CIE Lab (D65, peak of the display = L 100) of display code values, clipped to 0..1.

    Args:
        code: float32 (..., 3) in the display encoding.
    Returns:
        float32 (..., 3): L 0..100, a, b.  Source: CIE 15:2018.
    """
    light = display.decode(np.clip(np.nan_to_num(as_rgb(code)), 0, 1))
    over_white = display.to_xyz_d65 / xyz_of(D65)[:, None]
    found = lab_of_light(light, over_white)
    if found is not None:
        return found
    xyz = transformed(light, over_white)
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), xyz * np.float32(841 / 108) + np.float32(4 / 29))
    lab = np.empty_like(xyz)
    lab[..., 0] = 116 * f[..., 1] - 16
    lab[..., 1] = 500 * (f[..., 0] - f[..., 1])
    lab[..., 2] = 200 * (f[..., 1] - f[..., 2])
    return lab


# Of BT.2100-2, table 7: BT.2020 light to L, M, S, and their PQ values to I, C_T, C_P.
_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096
_WHITE_NITS = 203.0  # of diffuse white, BT.2408-7


def itp_of(code: Any, display: Encoding) -> Array:
    """Return I, T, P of display code values, with diffuse white of every display at 203 cd/m².

    So pictures of a standard and of a high dynamic range compare. Source: BT.2100-2 and BT.2124-0,
    where T is half of C_T.

    >>> from sfumato.core.colour.encodings import encoding
    >>> round(float(itp_of([1.0, 1.0, 1.0], encoding("BT.1886"))[0]), 4)
    0.5807
    """
    wide = encoding("Linear BT.2020")
    light = display.decode(np.nan_to_num(as_rgb(code))) / np.float32(display.reference)
    back = np.linalg.solve(wide.to_xyz_d65, display.to_xyz_d65)
    nits = np.maximum(transformed(light, _TO_LMS @ back), 0) * (_WHITE_NITS / 10_000)
    found = transformed(np.asarray(PQ.encoded(nits.astype(np.float32)), np.float32), _TO_ICTCP)
    found[..., 1] *= 0.5
    return np.asarray(found)


def delta_itp(a: Any, b: Any, displays: tuple[Encoding, Encoding]) -> Array:
    """Return ΔE ITP of code values of two displays, (...,); 1 is just seen. Source: BT.2124-0."""
    apart = itp_of(a, displays[0]) - itp_of(b, displays[1])
    return np.asarray(720 * np.sqrt((apart * apart).sum(-1)))


def ciede2000(lab1: Any, lab2: Any) -> Array:
    """Return the CIEDE2000 difference of two arrays of Lab colours, shape (...,).

    Source: CIE 142-2001; Sharma, Wu and Dalal 2005, whose first test pair gives 2.0425.

    >>> round(float(ciede2000([50.0, 2.6772, -79.7751], [50.0, 0.0, -82.7485])), 4)
    2.0425
    """
    lab1, lab2 = np.asarray(lab1), np.asarray(lab2)
    kernels, kinds = KERNELS.lab, {lab1.dtype, lab2.dtype}
    if (
        kernels is not None
        and kinds == {_SINGLE}
        and lab1.shape == lab2.shape
        and lab1.size >= WORTH
    ):
        one, two = (np.ascontiguousarray(v).reshape(-1, 3) for v in (lab1, lab2))
        apart = np.empty(len(one), np.float32)
        kernels.ciede2000(one, two, apart)
        return apart.reshape(lab1.shape[:-1])
    l1, a1, b1 = lab1[..., 0], lab1[..., 1], lab1[..., 2]
    l2, a2, b2 = lab2[..., 0], lab2[..., 1], lab2[..., 2]
    mean_c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    c7 = mean_c**7
    g = 1.5 - 0.5 * np.sqrt(c7 / (c7 + 25.0**7))
    a1, a2 = a1 * g, a2 * g
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1 = np.degrees(np.arctan2(b1, a1)) % 360
    h2 = np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(grey, 0, turn)
    dl, dc = l2 - l1, c2 - c1
    dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    mean_h = np.where(
        np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, total / 2 + 180, total / 2 - 180)
    )
    mean_h = np.radians(np.where(grey, total, mean_h))
    weight = (
        1
        - 0.17 * np.cos(mean_h - np.radians(30))
        + 0.24 * np.cos(2 * mean_h)
        + 0.32 * np.cos(3 * mean_h + np.radians(6))
        - 0.20 * np.cos(4 * mean_h - np.radians(63))
    )
    bow = (mean_l - 50) ** 2
    s_l = 1 + 0.015 * bow / np.sqrt(20 + bow)
    s_c = 1 + 0.045 * mean_c
    s_h = 1 + 0.015 * mean_c * weight
    c7 = mean_c**7
    swing = np.radians(30 * np.exp(-(((np.degrees(mean_h) - 275) / 25) ** 2)))
    r_t = -2 * np.sqrt(c7 / (c7 + 25.0**7)) * np.sin(2 * swing)
    x, y, z = dl / s_l, dc / s_c, dh / s_h
    return np.asarray(np.sqrt(np.maximum(x * x + y * y + z * z + r_t * y * z, 0)))
