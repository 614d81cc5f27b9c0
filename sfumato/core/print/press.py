"""A press as a model: what four inks give on paper, and which inks give a colour.

Made up: "Saltglass press" is no press and no standard of anybody. The model is Neugebauer's with the factor of Yule
and Nielsen, over the spectrum, with one dot gain for each ink: areas of sixteen overprints, each as light as its
inks let it be.

Sources: H. E. J. Neugebauer 1937 (areas of overprints, after Demichel); J. A. C. Yule and W. J. Nielsen 1951 (the
exponent); C. Wyman, P.-P. Sloan and P. Shirley 2013, "Simple Analytic Approximations to the CIE XYZ Color
Matching Functions", equation 4 (the observer).
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.colour.adapt import adaptation
from sfumato.core.colour.lab50 import D50, WHITE_D50, lab_of_xyz

INKS = ("cyan", "magenta", "yellow", "black")
_E = (1 / 3, 1 / 3)  # chromaticity of equal energy, which lights the model
_NM = np.arange(400.0, 701.0, 10.0)
_STEP = 5e-3  # of an ink, by which slopes are measured
_TRIES = 40  # steps towards a colour
_HELD, _FREE = 60.0, 2.0  # how strongly black is held where it is, at first and in the end


@frozen
class Press:
    """A press on a paper.

    Attributes:
        n: the factor of Yule and Nielsen; 1 = light does not wander in the paper.
        gain: how much an area of one half grows, of cyan, magenta, yellow and black.
        dark: density of the black ink.
        yellowish: how much less the paper reflects at 400 nm than at 700.
    """

    title: str = "Saltglass press"
    n: float = 1.8
    gain: tuple[float, float, float, float] = (0.14, 0.15, 0.13, 0.17)
    dark: float = 1.75
    yellowish: float = 0.06
    ink_limit: float = 3.0  # of all inks together, 4 = no limit


SALTGLASS = Press()


@cache
def _observer() -> Array:
    """Return what the observer of 1931 makes of each wavelength, (31, 3); white of 1 gives Y = 1."""

    def lobe(at: float, left: float, right: float) -> Array:
        t = (_NM - at) * np.where(at > _NM, left, right)
        return np.asarray(np.exp(-0.5 * t * t))

    x = 1.056 * lobe(599.8, 0.0264, 0.0323) + 0.362 * lobe(442.0, 0.0624, 0.0374)
    x = x - 0.065 * lobe(501.1, 0.0490, 0.0382)
    y = 0.821 * lobe(568.8, 0.0213, 0.0247) + 0.286 * lobe(530.9, 0.0613, 0.0322)
    z = 1.217 * lobe(437.0, 0.0845, 0.0278) + 0.681 * lobe(459.0, 0.0385, 0.0725)
    found = np.stack([x, y, z], -1)
    return np.asarray(found / found.sum(0))


@cache
def _overprints(press: Press) -> Array:
    """Return the reflectance of the sixteen overprints to the power of 1/n, (16, 31); bit i = ink i."""

    def band(low: float, high: float, soft: float) -> Array:
        return np.asarray(
            1 / (1 + np.exp((low - _NM) / soft)) - 1 / (1 + np.exp((high - _NM) / soft))
        )

    density = np.stack(
        [
            1.45 * band(580, 900, 20)
            + 0.30 * band(505, 580, 18)
            + 0.05 * band(300, 450, 20)
            + 0.05,
            1.45 * band(500, 598, 13) + 0.62 * band(300, 490, 22) + 0.03,
            1.30 * band(200, 495, 12) + 0.03,
            np.full(len(_NM), press.dark) - 0.1 * (_NM - 550) / 300,
        ]
    )
    paper = 0.88 * (1 - press.yellowish * (700 - _NM) / 300)
    bits = np.array([[k >> i & 1 for i in range(4)] for k in range(16)], float)
    # Wet on wet the second ink takes a little less well.
    taken = 1 - 0.06 * np.maximum(bits.sum(1) - 1, 0)[:, None]
    reflected = paper * 10 ** -((bits @ density) * taken)
    return np.asarray(reflected ** (1 / press.n))


def xyz_of(inks: Any, press: Press = SALTGLASS) -> Array:
    """Return XYZ (D50, a perfect white has Y = 1) of areas of ink, float64 (..., 3).

    Args:
        inks: (..., 4) of 0..1: cyan, magenta, yellow, black.

    >>> print(xyz_of([0, 0, 0, 0]).round(3)[1] > xyz_of([0, 0, 0, 1]).round(3)[1] * 20)
    True
    """
    areas = np.clip(np.asarray(inks, np.float64), 0, 1)
    grown = areas + 4 * np.array(press.gain) * areas * (1 - areas)
    shares: Array = np.ones((*areas.shape[:-1], 1))
    for i in range(4):  # Demichel: how much of the paper each overprint covers
        a = grown[..., i : i + 1]
        shares = np.concatenate([shares * (1 - a), shares * a], -1)
    reflected = (shares @ _overprints(press)) ** press.n
    return np.asarray(reflected @ _observer() @ adaptation(_E, WHITE_D50, "Bradford").T)


def paper_of(press: Press = SALTGLASS) -> Array:
    """Return XYZ of the bare paper."""
    return xyz_of(np.zeros(4), press)


def lab_of(inks: Any, press: Press = SALTGLASS, *, absolute: bool = False) -> Array:
    """Return Lab of areas of ink, float64 (..., 3): relative to the paper, which is white, or absolute.

    Relative as ICC.1:2022, 6.3.2.3 has it: XYZ over those of the paper, times the D50 white.
    """
    xyz = xyz_of(inks, press)
    return lab_of_xyz(xyz if absolute else xyz / paper_of(press) * D50)


# --- which inks ----------------------------------------------------------------------------------
def black_for(light: Array) -> Array:
    """Return how much black a separation begins with, 0..1, by lightness: none in light tones.

    >>> black_for(np.array([100.0, 60.0, 0.0])).round(2)
    array([0.  , 0.08, 0.95])
    """
    dark = np.clip((75 - np.asarray(light, np.float64)) / 75, 0, 1)
    return np.asarray(0.95 * dark**1.55)


def separated(lab: Any, press: Press = SALTGLASS, *, black: Any = None) -> Array:
    """Return areas of ink that give relative Lab colours, or come nearest, float64 (..., 4).

    Args:
        black: the black that is held, (...); None = as `black_for` has it, changed where a colour asks for it.
    The sum of inks stays within the press's limit.
    """
    wanted = np.asarray(lab, np.float64).reshape(-1, 3)
    fixed = black is not None
    start = black_for(wanted[:, 0]) if black is None else np.asarray(black, np.float64).reshape(-1)
    grey = np.clip((100 - wanted[:, 0]) / 100, 0, 1) * (1 - start)
    inks = np.clip(np.stack([grey, grey, grey, start], -1), 0, 1)
    inks[:, :3] += np.stack([-wanted[:, 1], wanted[:, 1], wanted[:, 2]], -1) / 300
    inks = _within(np.clip(inks, 0, 1), press, fixed)
    off = _off(inks, wanted, press)
    pull = np.full(len(inks), 1e-3)
    count = 3 if fixed else 4
    for number in range(_TRIES):
        here = lab_of(inks, press)
        slopes = np.empty((len(inks), 3, count))
        for i in range(count):
            step = inks.copy()
            way = np.where(inks[:, i] > 0.5, -_STEP, _STEP)
            step[:, i] += way
            slopes[:, :, i] = (lab_of(step, press) - here) / way[:, None]
        gap = wanted - here
        # Least squares with a pull to stay, more on black: it moves where the other inks cannot reach.
        hold = np.ones(count)
        if not fixed:
            hold[3] = _HELD if number < _TRIES // 2 else _FREE
        normal = np.einsum("nji,njk->nik", slopes, slopes)
        scale = np.einsum("nii->n", normal)[:, None, None] / count
        normal += np.eye(count) * hold * scale * pull[:, None, None]
        move = np.linalg.solve(normal, np.einsum("nji,nj->ni", slopes, gap)[..., None])[..., 0]
        tried = inks.copy()
        tried[:, :count] += np.clip(move, -0.3, 0.3)
        tried = _within(np.clip(tried, 0, 1), press, fixed)
        after = _off(tried, wanted, press)
        better = after < off
        inks[better], off = tried[better], np.where(better, after, off)
        pull = np.where(better, np.maximum(pull / 3, 1e-6), np.minimum(pull * 6, 1e3))
    return inks.reshape(*np.shape(lab)[:-1], 4)


def _off(inks: Array, wanted: Array, press: Press) -> Array:
    gap = lab_of(inks, press) - wanted
    return np.asarray((gap * gap).sum(-1))


def _within(inks: Array, press: Press, fixed: bool) -> Array:
    """Return inks whose sum keeps the limit: the coloured ones give way; black only where they do not suffice."""
    inks = inks.copy()
    if not fixed:
        inks[:, 3] = np.minimum(inks[:, 3], press.ink_limit)
    room = np.maximum(press.ink_limit - inks[:, 3], 0)
    colours = inks[:, :3].sum(1)
    share = np.where(colours > room, room / np.maximum(colours, 1e-9), 1)
    inks[:, :3] *= share[:, None]
    return np.asarray(inks)
