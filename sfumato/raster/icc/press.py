"""A press as an ICC output profile: from inks to Lab and back, for each rendering intent."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.print.press import Press, lab_of, paper_of, separated
from sfumato.raster.icc.build import lut16, profile, straight, words, xyz

_INK_POINTS, _LAB_POINTS, _CURVE = 11, 27, 1024
_CALM = 0.92  # of chroma that the perceptual intent keeps of strong colours
_SEEN = 1.5  # ΔE from which a colour is said not to be reached
# Lab as lut16 holds it: L of 100 at 65280, a and b of 0 at 32768.
_SCALE, _SHIFT = np.array([100.0, 65535 / 256, 65535 / 256]), np.array([0.0, -128.0, -128.0])
_LIGHT = 65535 / 65280


def _grid(points: int, channels: int) -> Array:
    axis = np.linspace(0, 1, points)
    return np.stack(np.meshgrid(*[axis] * channels, indexing="ij"), -1)


def _lab_code(lab: Array) -> Array:
    """Return Lab as lut16 holds it, 0..1."""
    code: Array = (lab - _SHIFT) / _SCALE
    code[..., 0] /= _LIGHT
    return code


@lru_cache(maxsize=4)
def _tables(press: Press) -> tuple[bytes, bytes, bytes, bytes]:
    """Return the tags: inks to Lab, Lab to inks (relative, then perceptual), and what is not reached."""
    a2b = _lab_code(lab_of(_grid(_INK_POINTS, 4), press))
    to_lab = lut16(straight(4), a2b, straight(3))
    lab = _grid(_LAB_POINTS, 3) * _SCALE + _SHIFT
    # The curve before the lattice puts L of 100 onto its last node: paper gets no ink.
    light = np.minimum(np.linspace(0, 1, _CURVE) * _LIGHT, 1)
    first = np.stack([light, *straight(2, _CURVE)])
    inks = separated(lab, press)
    relative = lut16(first, inks, straight(4))
    black = lab_of(np.array([0.7, 0.6, 0.6, 1.0]), press)[0]
    soft = lab.copy()
    soft[..., 0] = black + (100 - black) * lab[..., 0] / 100
    chroma = np.hypot(lab[..., 1], lab[..., 2])[..., None]
    soft[..., 1:] *= 1 - (1 - _CALM) * np.clip(chroma / 60, 0, 1)
    perceptual = lut16(first, separated(soft, press), straight(4))
    off = np.sqrt(((lab_of(inks, press) - lab) ** 2).sum(-1, keepdims=True))
    gamut = lut16(first, np.clip((off - _SEEN) / 2, 0, 1), straight(1))
    return to_lab, relative, perceptual, gamut


def press_profile(press: Press, version: int = 4) -> bytes:
    """Return a press as an ICC output profile of version 2 or 4."""
    to_lab, relative, perceptual, gamut = _tables(press)
    tags = {
        b"desc": words(press.title, version, b"desc"),
        b"cprt": words("No copyright, use freely", version, b"cprt"),
        b"wtpt": xyz(paper_of(press)),
        b"A2B0": to_lab,
        b"A2B1": to_lab,
        b"A2B2": to_lab,
        b"B2A0": perceptual,
        b"B2A1": relative,
        b"B2A2": relative,
        b"gamt": gamut,
    }
    if version < 4:
        tags[b"targ"] = b"text\0\0\0\0" + b"made up: no press was measured\0"
    return profile(b"prtr", b"CMYK", b"Lab ", version, tags)
