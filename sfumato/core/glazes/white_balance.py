"""White balance: carry a warm or cool, green or magenta white back to neutral."""

from __future__ import annotations

import math

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.adapt import CAT16, D65, Matrix, Xy, transformed, xyz_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Number, control
from sfumato.core.glaze import Category, Domain, GlazeSpec

_COLDEST, _WARMEST, _LIMIT_TINT = 133.0, -360.0, 50.0  # whites of 48 000 K and 1947 K


@frozen
class WhiteBalance:
    temperature: float = control(
        0.0,
        Number(
            title="Temperature",
            least=_WARMEST,
            most=_COLDEST,
            soft=(-60.0, 60.0),
            step=1.0,
            digits=1,
            unit="mired",
            signed=True,
            help="Right is warmer, left is cooler; a mired is an even step to the eye. Lamps: -100 to -260.",
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
_NEAR = 0.0005  # in xy, of a white that was reached


def source_white(temperature: float, tint: float) -> Xy:
    """Return the xy of the white that the balance takes as neutral; (0, 0) gives D65 exactly.

    `temperature` counts in mired towards blue: a picture lit by that white looks too cool, so the
    balance warms it. `tint` counts Duv x 1000 towards green, along the locus' normal.
    """
    mired = _BASE - temperature
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


def _xy_of(code: Rgb, working: Encoding) -> Array | None:
    """Return the chromaticity of a colour; None of one without light."""
    xyz = working.to_xyz_d65 @ working.decode(code).astype(np.float64).reshape(3)
    return xyz[:2] / xyz.sum() if xyz.sum() > 1e-6 and np.isfinite(xyz).all() else None


def pick(p: WhiteBalance, code: Rgb, working: Encoding) -> WhiteBalance:
    """Solve temperature and tint so that the picked colour becomes grey, or comes as near as they reach.

    Damped least squares (Levenberg 1944, Marquardt 1963) on chromaticity within the limits of both, in
    float64, from several starts: the locus bends, and far from it the nearest place is not unique.
    """
    target = _xy_of(code, working)
    if target is None:
        return p
    least, most = np.array([_WARMEST, -_LIMIT_TINT]), np.array([_COLDEST, _LIMIT_TINT])
    scale = np.array([100.0, 20.0])  # both count alike

    def miss(at: Array) -> Array:
        return np.array(source_white(*at)) - target

    found: list[tuple[float, Array]] = []
    for start in (0.0, -120.0, -240.0, 90.0):
        at, damping = np.array([start, 0.0]), 1e-3
        error = miss(at)
        for _ in range(60):
            slope = np.array([(miss(at + e) - error) / 0.1 for e in 0.1 * np.eye(2)]).T * scale
            square = slope.T @ slope
            step = np.linalg.solve(square + damping * 1e-3 * np.eye(2), -slope.T @ error)
            to = np.clip(at + scale * step, least, most)
            after = miss(to)
            if after @ after < error @ error:
                at, error, damping = to, after, damping / 8
                if error @ error < 1e-20:
                    break
            else:
                damping *= 8
                if damping > 1e9:
                    break
        found.append((float(error @ error), at))
    best = min(found, key=lambda f: f[0])[1]
    return WhiteBalance(round(float(best[0]), 3), round(float(best[1]), 3))


def short_of(p: WhiteBalance, code: Rgb, working: Encoding) -> str:
    """Say what a picked colour becomes when temperature and tint do not reach it, "" when they do."""
    target = _xy_of(code, working)
    if target is None or np.hypot(*(source_white(p.temperature, p.tint) - target)) < _NEAR:
        return ""
    light = run(p, working.decode(np.asarray(code, np.float32).reshape(1, 3)), working)[0]
    r, g, b = light / max(float(light[1]), 1e-6)
    return f"the nearest that it reaches: the colour becomes {r:.2f} : {g:.2f} : {b:.2f}, no grey"


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
    short_of=short_of,
    mild={"temperature": 25.0, "tint": -6.0},
)
