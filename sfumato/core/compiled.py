"""The compiled kernels of the process: loaded once, behind the first picture.

Until then, and for small arrays and float64, NumPy forms beside the callers give the same to rounding.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from sfumato.core.arrays import Array

WORTH = 96  # numbers from which a compiled form is quicker


class Kernels:
    """Modules of `core/kernels`, None until `load`; set once, then read by any thread."""

    def __init__(self) -> None:
        self.colour: Any = None
        self.hue: Any = None
        self.tone: Any = None
        self.lattice: Any = None
        self.counts: Any = None
        self.areas: Any = None
        self.lab: Any = None

    @property
    def are_loaded(self) -> bool:
        return self.colour is not None

    def load_lattice(self) -> None:
        """Compile what looks pictures up in tables, or load it: in a second the very first time."""
        from sfumato.core.kernels import lattice

        self.lattice = lattice

    def load(self) -> None:
        """Compile them or load them from the cache: 0.7 s warm, half a minute the very first time."""
        from sfumato.core.kernels import areas, colour, counts, hue, lab, tone

        self.load_lattice()
        self.hue, self.tone, self.counts, self.areas, self.lab = hue, tone, counts, areas, lab
        self.colour = colour


KERNELS = Kernels()
_NOTHING = np.zeros(3, np.float32)


def lab_of_light(light: Array, matrix: Array) -> Array | None:
    """Return Lab of linear light (..., 3) by a matrix to XYZ over white; None where NumPy does that as well."""
    if KERNELS.lab is None or light.size < WORTH:
        return None
    flat = np.require(light, np.float32, ("C", "W")).reshape(-1, 3)
    out = np.empty(light.shape, np.float32)
    held = np.ascontiguousarray(matrix, np.float32)
    KERNELS.lab.lab_of_light(flat, held, _NOTHING, out.reshape(-1, 3))
    return out


def load_kernels() -> None:
    KERNELS.load()


_MANY = 2_000_000  # colours, from which on the rest pays for the second that it takes to be loaded


def load_for(colours: int) -> None:
    """Load what is worth its time for a command that ends when it has worked on about so many colours.

    What looks them up in tables is there in a tenth of a second, and is always loaded.
    """
    if colours < _MANY:
        KERNELS.load_lattice()
    else:
        KERNELS.load()


def kernels(x: Any) -> Any:
    """Return the compiled colour steps when they are there and `x` is float32 and large enough, else None."""
    if KERNELS.colour is None or x.dtype != np.float32 or x.size < WORTH:
        return None
    return KERNELS.colour
