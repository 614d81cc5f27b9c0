"""Looks as ICC profiles: abstract ones over Lab, and links between RGB and inks.

Source: ICC.1:2022 (version 4.4) and ICC.1:2001-04 (version 2.4).
"""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.lab50 import D50
from sfumato.core.print.abstract import places
from sfumato.raster.icc.build import LAB_OLD, LAB_SHIFT, lut16, profile, straight, words, xyz

_CURVE = 4096


def _common(title: str, version: int) -> dict[bytes, bytes]:
    return {
        b"desc": words(title, version, b"desc"),
        b"cprt": words("No copyright, use freely", version, b"cprt"),
        b"wtpt": xyz(D50),
    }


def abstract_profile(nodes: Array, title: str, version: int = 4) -> bytes:
    """Return an abstract profile, Lab to Lab, of nodes (n, n, n, 3) in Lab that lie at `abstract.places`."""
    code = np.repeat(np.linspace(0, 1, _CURVE)[:, None], 3, 1)
    first = places(code * LAB_OLD + LAB_SHIFT).T
    lattice = (nodes - LAB_SHIFT) / LAB_OLD
    tags = {**_common(title, version), b"A2B0": lut16(first, lattice, straight(3))}
    return profile(b"abst", b"Lab ", b"Lab ", version, tags)


def link_profile(nodes: Array, title: str, version: int = 4) -> bytes:
    """Return a device link of nodes (n, ..., out), evenly over 0..1 of RGB or of inks."""
    into, out = nodes.ndim - 1, nodes.shape[-1]
    spaces = {3: b"RGB ", 4: b"CMYK"}
    tags = {
        **_common(title, version),
        b"pseq": b"pseq\0\0\0\0\0\0\0\0",
        b"A2B0": lut16(straight(into), nodes, straight(out)),
    }
    return profile(b"link", spaces[into], spaces[out], version, tags)
