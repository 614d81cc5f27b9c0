"""Tables: frozen records of a 1D or 3D LUT with its domain."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb, frozen_array
from sfumato.core.errors import ShapeError, ValueRefused

Domain = tuple[tuple[float, float, float], tuple[float, float, float]]
UNIT: Domain = ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0))
GRID_LEAST, GRID_MOST = 2, 256
NODE_RANGE = (-0.25, 1.25)  # of nodes in formats that keep what lies outside 0..1
_NOTHING = 1e-12  # what lies nearer to 0 is 0
_SLAB = 1 << 18  # nodes that are worked on at once: all of 64 points


def node_values(results: Any, node_range: tuple[float, float] = NODE_RANGE) -> Array:
    """Return results as the nodes of a baked table hold them: finite, and within a range.

    What a power makes of black, 2e-23 perhaps, becomes 0: no depth holds it, and readers of text
    tables stumble over its exponent.

    >>> node_values(np.float32([2e-23, 0.5, 7])).tolist()
    [0.0, 0.5, 1.25]
    """
    nodes = np.asarray(np.nan_to_num(results))
    np.clip(nodes, *node_range, out=nodes)
    nodes[np.abs(nodes) < _NOTHING] = 0
    return nodes


_values: Any = attrs.field(
    converter=frozen_array, repr=False, eq=attrs.cmp_using(eq=np.array_equal)
)


def _check_domain(_owner: Any, _field: Any, domain: Domain) -> None:
    for low, high in zip(*domain, strict=True):
        if not (np.isfinite(low) and np.isfinite(high) and low < high):
            raise ValueRefused(
                f"a LUT domain must rise, not run from {low:g} to {high:g}",
                hint="give a minimum below the maximum for each channel",
            )


@frozen
class Table1D:
    """A curve per channel: `values` float32 (n, 3), inputs spaced evenly over `domain`."""

    values: Rgb = _values
    domain: Domain = attrs.field(default=UNIT, validator=_check_domain)

    def __attrs_post_init__(self) -> None:
        if self.values.ndim != 2 or self.values.shape[1] != 3 or len(self.values) < 2:
            raise ShapeError(f"a 1D table is (n, 3) with n >= 2, not {self.values.shape}")

    @property
    def size(self) -> int:
        return len(self.values)

    def apply(self, rgb: Any) -> Rgb:
        """Look colours up, linear between entries; inputs are clamped to the domain, NaN reads as its minimum."""
        pixels = as_rgb(rgb)
        out = np.empty_like(pixels)
        low, high = self.domain
        top = self.size - 1
        for c in range(3):
            at = (pixels[..., c].astype(np.float64) - low[c]) * (top / (high[c] - low[c]))
            at = np.clip(np.nan_to_num(at, nan=0.0, posinf=top, neginf=0.0), 0, top)
            i = np.minimum(at.astype(np.intp), top - 1)
            column = self.values[:, c]
            first = column[i]
            out[..., c] = first + (at - i) * (column[i + 1] - first)
        return out


@frozen
class Table3D:
    """A lattice: `values` float32 [r, g, b, 3], nodes spaced evenly over `domain`.

    `interp` is what the file demands; "" leaves the interpolation to the caller.
    """

    values: Rgb = _values
    domain: Domain = attrs.field(default=UNIT, validator=_check_domain)
    interp: str = attrs.field(default="", eq=False)

    def __attrs_post_init__(self) -> None:
        n = self.values.shape[0] if self.values.ndim else 0
        if self.values.shape != (n, n, n, 3) or not GRID_LEAST <= n <= GRID_MOST:
            raise ShapeError(
                f"a 3D table is (n, n, n, 3) with n from {GRID_LEAST} to {GRID_MOST}, "
                f"not {self.values.shape}"
            )

    @property
    def size(self) -> int:
        """Grid points a side."""
        return len(self.values)


def lattice_colours(n: int, domain: Domain = UNIT, part: slice = slice(None)) -> Rgb:
    """Return the colour of every node, float32 [r, g, b, 3]; of those of some reds, when `part` says which."""
    axis = np.arange(n, dtype=np.float64) / (n - 1)
    out = np.empty((len(axis[part]), n, n, 3), np.float32)
    for c in range(3):
        low, high = domain[0][c], domain[1][c]
        shape = [1, 1, 1]
        shape[c] = -1
        values = (low + (high - low) * axis).astype(np.float32)
        out[..., c] = (values[part] if c == 0 else values).reshape(shape)
    return out


def slabs(n: int) -> list[slice]:
    """Return parts of a lattice's first axis that are worked on one after the other.

    What is made of some of a million nodes may take many times the memory of what is kept of it: the
    table of a HALD of 256 points has 201 MB.

    >>> slabs(64), len(slabs(129)), slabs(256)[-1]
    ([slice(0, 64, None)], 9, slice(252, 256, None))
    """
    count = -(-n // max(1, _SLAB // (n * n)))
    ends = [i * n // count for i in range(count + 1)]
    return [slice(*pair) for pair in itertools.pairwise(ends)]


def table_of(n: int, make: Callable[[slice], Any], domain: Domain = UNIT) -> Table3D:
    """Return a table of n points a side whose nodes `make` gives, a slab of `slabs` after the other."""
    values = np.empty((n, n, n, 3), np.float32)
    for part in slabs(n):
        values[part] = make(part)
    values.flags.writeable = False  # nobody else has it: it need not be copied
    return Table3D(values, domain)


def red_fastest(table: Table3D) -> Rgb:
    """Return the nodes as (n**3, 3) in the order of most text files: red runs quickest."""
    return _turned(table.values).reshape(-1, 3)


def from_red_fastest(rows: Any, n: int) -> Rgb:
    """Return rows (n**3, 3), red quickest, as a lattice [r, g, b, 3]."""
    out = _turned(np.ascontiguousarray(rows, np.float32).reshape(n, n, n, 3))
    out.flags.writeable = False
    return out


def _turned(lattice: Rgb) -> Rgb:
    """Swap the first and third axes; nodes are moved whole, which is three times quicker."""
    n = len(lattice)
    nodes = lattice.view("V12").reshape(n, n, n).transpose(2, 1, 0)
    return np.ascontiguousarray(nodes).view(np.float32).reshape(n, n, n, 3)
