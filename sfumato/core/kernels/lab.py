"""CIE Lab and how far its colours lie apart: `core/colour/delta_e.py` and `lab50.py` say what.

The forms there in NumPy give the same to the rounding of float32.
"""

from __future__ import annotations

import math
from typing import Any

import numba
import numpy as np

_SEVENTH = 25.0**7
_COS_30, _SIN_30 = math.cos(math.radians(30)), math.sin(math.radians(30))
_COS_6, _SIN_6 = math.cos(math.radians(6)), math.sin(math.radians(6))
_COS_63, _SIN_63 = math.cos(math.radians(63)), math.sin(math.radians(63))
_TURN = 2 * math.pi
_BLUE, _WIDE = math.radians(275), math.radians(25)
_inline = numba.njit(error_model="numpy")


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, error_model="numpy")


@_inline
def _seventh(x):  # type: ignore[no-untyped-def]
    square = x * x
    return square * square * square * x


@_inline
def _hue(b, a):  # type: ignore[no-untyped-def]
    """The angle of a hue, 0 to a whole turn."""
    angle = math.atan2(b, a)
    return angle if angle >= 0 else angle + _TURN


@_jit(
    "void(Array(float32, 2, 'C', readonly=True), Array(float32, 2, 'C', readonly=True), float32[::1])"
)
def ciede2000(one, two, out):  # type: ignore[no-untyped-def]
    """Lab colours (n, 3) twice, and how far each pair lies apart (n,); computed in float64.

    The mean hue is where the sum of both directions points, of which cosines of its multiples follow: no
    angle is needed but for the turn of blues.
    """
    for i in range(len(out)):
        l1, a1, b1 = np.float64(one[i, 0]), np.float64(one[i, 1]), np.float64(one[i, 2])
        l2, a2, b2 = np.float64(two[i, 0]), np.float64(two[i, 1]), np.float64(two[i, 2])
        c7 = _seventh((math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2)) / 2)
        g = 1.5 - 0.5 * math.sqrt(c7 / (c7 + _SEVENTH))
        a1 *= g
        a2 *= g
        c1 = math.sqrt(a1 * a1 + b1 * b1)
        c2 = math.sqrt(a2 * a2 + b2 * b2)
        cos, sin, dh = 1.0, 0.0, 0.0
        if c1 * c2 > 0:
            across = a1 * b2 - a2 * b1
            x, y = a1 / c1 + a2 / c2, b1 / c1 + b2 / c2
            length = math.sqrt(x * x + y * y)
            is_back = across < 0
            if length > 1e-9:
                cos, sin = x / length, y / length
            else:  # opposite hues: the mean as the formula has it
                h1, h2 = _hue(b1, a1), _hue(b2, a2)
                is_back = h2 < h1
                cos, sin = math.cos((h1 + h2) / 2), math.sin((h1 + h2) / 2)
            da, db, dc = a2 - a1, b2 - b1, c2 - c1
            dh = math.sqrt(max(da * da + db * db - dc * dc, 0.0))  # 0 for the same colours
            dh = -dh if is_back else dh
        elif c1 + c2 > 0:  # a grey has no hue: that of the other
            cos, sin = (a1 + a2) / (c1 + c2), (b1 + b2) / (c1 + c2)
        cos2, sin2 = 2 * cos * cos - 1, 2 * sin * cos
        cos3, sin3 = cos2 * cos - sin2 * sin, sin2 * cos + cos2 * sin
        cos4, sin4 = 2 * cos2 * cos2 - 1, 2 * sin2 * cos2
        weight = (
            1
            - 0.17 * (cos * _COS_30 + sin * _SIN_30)
            + 0.24 * cos2
            + 0.32 * (cos3 * _COS_6 - sin3 * _SIN_6)
            - 0.20 * (cos4 * _COS_63 + sin4 * _SIN_63)
        )
        mean_c = (c1 + c2) / 2
        bow = (l1 + l2) / 2 - 50
        bow *= bow
        light = (l2 - l1) / (1 + 0.015 * bow / math.sqrt(20 + bow))
        chroma = (c2 - c1) / (1 + 0.045 * mean_c)
        hue = dh / (1 + 0.015 * mean_c * weight)
        square = light * light + chroma * chroma + hue * hue
        if chroma * hue != 0.0:
            away = (_hue(sin, cos) - _BLUE) / _WIDE
            away *= away
            if away < 25:  # beyond that less than 1e-10
                c7 = _seventh(mean_c)
                swing = math.sin(math.pi / 3 * math.exp(-away))
                square -= 2 * math.sqrt(c7 / (c7 + _SEVENTH)) * swing * chroma * hue
        out[i] = 0.0 if square < 0 else math.sqrt(square)  # NaN stays NaN


_EDGE = np.float32(6 / 29)
_CUBE = np.float32((6 / 29) ** 3)
_SLOPE, _FOOT = np.float32(841 / 108), np.float32(4 / 29)
_ONE, _TWO, _THIRD = np.float32(1), np.float32(2), 709921077  # of the bits of a float32


@_jit("void(float32[::1], float32[::1])")
def _f_of(t, f):  # type: ignore[no-untyped-def]
    """Turn XYZ over white into the f of Lab: cube roots by two steps of Halley's from a third of the bits."""
    bits = t.view(np.int32)
    guess = f.view(np.int32)
    for i in range(t.shape[0]):
        guess[i] = bits[i] // 3 + _THIRD
    for i in range(t.shape[0]):
        x, y = t[i], f[i]
        cube = y * y * y
        y = y * (cube + _TWO * x) / (_TWO * cube + x)
        cube = y * y * y
        y = y * (cube + _TWO * x) / (_TWO * cube + x)
        f[i] = y if x > _CUBE else x * _SLOPE + _FOOT


_ROW = 512  # colours that are worked on together


@_jit("void(float32[:,::1], float32[:,::1], float32[::1], float32[:,::1])")
def lab_of_light(light, matrix, plus, out):  # type: ignore[no-untyped-def]
    """Return Lab of linear light by a matrix to XYZ over the white of Lab, and what is added to that."""
    t, f = np.empty(3 * _ROW, np.float32), np.empty(3 * _ROW, np.float32)
    for start in range(0, light.shape[0], _ROW):
        m = min(_ROW, light.shape[0] - start)
        for k in range(m):
            r, g, b = light[start + k, 0], light[start + k, 1], light[start + k, 2]
            for c in range(3):
                t[3 * k + c] = r * matrix[c, 0] + g * matrix[c, 1] + b * matrix[c, 2] + plus[c]
        _f_of(t, f)
        for k in range(m):
            x, y, z = f[3 * k], f[3 * k + 1], f[3 * k + 2]
            out[start + k, 0] = np.float32(116) * y - np.float32(16)
            out[start + k, 1] = np.float32(500) * (x - y)
            out[start + k, 2] = np.float32(200) * (y - z)


@_jit("void(float32[:,::1], float32[:,::1], float32[::1], float32[:,::1])")
def light_of_lab(lab, matrix, plus, out):  # type: ignore[no-untyped-def]
    """Return linear light of Lab by a matrix from XYZ over the white of Lab, and what is added."""
    for k in range(lab.shape[0]):
        y = (lab[k, 0] + np.float32(16)) * np.float32(1 / 116)
        x = y + lab[k, 1] * np.float32(1 / 500)
        z = y - lab[k, 2] * np.float32(1 / 200)
        x = x * x * x if x > _EDGE else (x - _FOOT) / _SLOPE
        y = y * y * y if y > _EDGE else (y - _FOOT) / _SLOPE
        z = z * z * z if z > _EDGE else (z - _FOOT) / _SLOPE
        for c in range(3):
            out[k, c] = x * matrix[c, 0] + y * matrix[c, 1] + z * matrix[c, 2] + plus[c]
