"""White balance: carry a warm or cool, green or magenta white back to neutral."""

from __future__ import annotations

import math

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import CAT16, D65, Matrix, Xy, transformed, xyz_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Number, control
from sfumato.core.glaze import Category, Domain, GlazeSpec

_LIMIT_MIRED, _LIMIT_TINT = 150.0, 50.0


@frozen
class WhiteBalance:
    temperature: float = control(
        0.0,
        Number(
            title="Temperature",
            least=-_LIMIT_MIRED,
            most=_LIMIT_MIRED,
            soft=(-60.0, 60.0),
            step=1.0,
            digits=1,
            unit="mired",
            signed=True,
            help="Right is warmer, left is cooler; a mired is an even step to the eye.",
        ),
    )
    tint: float = control(
        0.0,
        Number(
            title="Tint, Duv × 1000",
            least=-_LIMIT_TINT,
            most=_LIMIT_TINT,
            soft=(-20.0, 20.0),
            step=0.5,
            digits=1,
            unit="Duv × 1000",
            signed=True,
            help="Right is more magenta, left is more green.",
        ),
    )


def locus(mired: float) -> tuple[float, float]:
    """Return CIE 1960 u, v of a Planckian radiator: Krystek 1985, 1000 to 15 000 K.

    6504 K (153.75 mired) -> u 0.1978, v 0.3073 (about).
    """
    t = 1e6 / mired
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (
        1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t
    )
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (
        1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t
    )
    return u, v


_BASE = 1e6 / 6504.0
_LEAST_MIRED = 20.0


def source_white(temperature: float, tint: float) -> Xy:
    """Return the xy of the white that the balance takes as neutral; (0, 0) gives D65 exactly.

    `temperature` counts in mired towards blue: a picture lit by that white looks too cool, so the
    balance warms it. `tint` counts Duv x 1000 towards green, along the locus' normal.
    """
    mired = max(_BASE - temperature, _LEAST_MIRED)
    u0, v0 = locus(_BASE)
    u, v = locus(mired)
    h = 0.5
    du, dv = (b - a for a, b in zip(locus(mired - h), locus(mired + h), strict=True))
    length = math.hypot(du, dv)
    nu, nv = -dv / length, du / length
    if nv < 0:
        nu, nv = -nu, -nv
    # The offsets are taken from D65 itself, which lies a little above the locus.
    d = 12 * D65[1] - 2 * D65[0] + 3
    u_white, v_white = 4 * D65[0] / d, 6 * D65[1] / d
    u = u_white + (u - u0) + nu * tint / 1000
    v = v_white + (v - v0) + nv * tint / 1000
    bottom = 2 * u - 8 * v + 4
    return 3 * u / bottom, 2 * v / bottom


def _matrix(p: WhiteBalance, working: Encoding) -> Matrix:
    white = xyz_of(source_white(p.temperature, p.tint))
    gain = (CAT16 @ xyz_of(D65)) / (CAT16 @ white)
    adapt = np.linalg.solve(CAT16, gain[:, None] * CAT16)
    to_xyz = working.to_xyz_d65
    matrix: Matrix = np.linalg.solve(to_xyz, adapt @ to_xyz).astype(np.float64)
    return matrix


def run(p: WhiteBalance, light: Rgb, working: Encoding) -> Rgb:
    """CAT16 from the chosen white to D65, on linear light (Li et al. 2017)."""
    return transformed(light, _matrix(p, working))


def pick(p: WhiteBalance, code: Rgb, working: Encoding) -> WhiteBalance:
    """Solve temperature and tint so that the picked colour becomes grey (Newton, float64)."""
    light = working.decode(code).astype(np.float64).reshape(3)
    xyz = working.to_xyz_d65 @ light
    if not xyz.sum() > 1e-6:
        return p
    target = np.array([xyz[0], xyz[1]]) / xyz.sum()
    at = np.zeros(2)
    limit = np.array([_LIMIT_MIRED, _LIMIT_TINT])
    most = np.minimum(limit, [_BASE - _LEAST_MIRED - 1, np.inf])  # beyond, nothing changes any more
    for _ in range(30):
        miss = np.array(source_white(*at)) - target
        if np.abs(miss).max() < 1e-10:
            break
        slope = np.array(
            [(np.array(source_white(*(at + e))) - target - miss) / 0.1 for e in 0.1 * np.eye(2)]
        ).T
        at = np.clip(at - np.linalg.solve(slope, miss), -limit, most)
    return WhiteBalance(round(float(at[0]), 3), round(float(at[1]), 3))


SPEC = GlazeSpec(
    "white_balance",
    "White balance",
    Category.LIGHT,
    WhiteBalance,
    run,
    domain=Domain.LIGHT,
    help="Takes a colour cast away or lays one on, as if the light had another colour.",
    more=(
        "Moves the colour of the light along daylight and across it, with full adaptation. "
        "Pick something in the picture that should be grey, or set warmth by eye."
    ),
    pick=pick,
    pick_title="Pick a grey",
    mild={"temperature": 25.0, "tint": -6.0},
)
