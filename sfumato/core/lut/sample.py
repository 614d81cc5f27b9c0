"""Interpolation in 3D tables: compiled kernels when they are loaded, the same result in NumPy until then."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.compiled import KERNELS
from sfumato.core.errors import ShapeError, ValueRefused
from sfumato.core.lut.table import Table3D

INTERPOLATIONS: Final = ("tetrahedral", "trilinear")
_PEAK = {"float32": 1.0, "uint8": 255.0, "uint16": 65535.0}
_PAIRS = {
    ("float32", "float32"),
    ("float32", "uint8"),
    ("uint8", "uint8"),
    ("uint16", "uint16"),
}


@frozen(eq=False)
class Packed:
    """A 3D table in the kernels' memory order, with the map from pixel values to lattice coordinates."""

    lattice: Rgb
    size: int
    domain: Any
    most: float  # the largest size of any value

    def coordinates(self, peak: float) -> tuple[Rgb, Rgb]:
        """Return scale and shift per channel for pixels whose white is `peak`."""
        return _coordinates(self.size, self.domain, peak)


def _coordinates(size: int, domain: Any, peak: float) -> tuple[Rgb, Rgb]:
    low, high = np.asarray(domain, np.float64)
    scale = (size - 1) / (high - low)
    return (scale / peak).astype(np.float32), (-low * scale).astype(np.float32)


def packed(table: Table3D) -> Packed:
    """Lay a table out for the kernels: four floats a node, red fastest. The newest few are kept."""
    if table.size > _KEPT_SIZE:
        return _laid_out(table)
    return _NEWEST.of(table)


_KEPT_SIZE = 65  # 4.4 MB
_FEW = 8  # nodes of a larger table for each colour, from which on it is not laid out for them
_PART = 65536  # colours that NumPy looks up at once


class _Newest:
    """The tables that were laid out last."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._pairs: tuple[tuple[Table3D, Packed], ...] = ()

    def of(self, table: Table3D) -> Packed:
        pairs = self._pairs
        for known, laid_out in pairs:
            if known is table:
                return laid_out
        made = _laid_out(table)
        self._pairs = (*pairs, (table, made))[-self._most :]  # one assignment: any thread may
        return made


_NEWEST = _Newest(4)


def _laid_out(table: Table3D) -> Packed:
    n = table.size
    lattice = np.zeros((n, n, n, 4), np.float32)
    lattice[..., :3] = table.values.transpose(2, 1, 0, 3)
    most = float(max(table.values.max(), -table.values.min()))
    return Packed(lattice.reshape(-1), n, table.domain, most)


def _check(interp: str) -> None:
    if interp not in INTERPOLATIONS:
        raise ValueRefused(
            f"there is no interpolation {interp!r}", hint=f"use {' or '.join(INTERPOLATIONS)}"
        )


_CODES_MOST = 1e4  # nodes beyond +-10 000 would overflow the integers in which codes are clamped


def apply_packed(table: Packed, pixels: Array, out: Array, interp: str = "tetrahedral") -> None:
    """Look `pixels` up and write into `out`; both C order, (..., 3), of one of the known type pairs.

    float32 comes out unclipped; uint8 and uint16 stand for 0..1 and come out rounded.

    Raises:
        ShapeError: the pair of types is not known or the arrays do not fit.
        ValueRefused: the interpolation is not known.
    """
    _check(interp)
    pair = (pixels.dtype.name, out.dtype.name)
    fits = pixels.shape == out.shape and pixels.shape[-1] == 3 and out.flags.c_contiguous
    if pair not in _PAIRS or not fits:
        raise ShapeError(f"no interpolation from {pair[0]} {pixels.shape} to {pair[1]} {out.shape}")
    if pixels.size == 0:
        return
    scale, shift = table.coordinates(_PEAK[pair[0]])
    flat_in, flat_out = np.ascontiguousarray(pixels).reshape(-1), out.reshape(-1)
    tetrahedral = interp == "tetrahedral"
    lattice = table.lattice
    if pair[1] != "float32" and table.most > _CODES_MOST:
        lattice = np.clip(lattice, -_CODES_MOST, _CODES_MOST)
    if KERNELS.lattice is not None:
        KERNELS.lattice.KERNELS[pair](
            flat_in, flat_out, lattice, table.size, scale, shift, tetrahedral
        )
        return
    nodes, steps = lattice.reshape(-1, 4)[:, :3], (1, table.size, table.size**2)
    step = 3 * _PART
    for start in range(0, flat_in.size, step):
        part = flat_in[start : start + step].astype(np.float32).reshape(-1, 3)
        mixed = _numpy(nodes, steps, part * scale + shift, tetrahedral)
        if pair[1] != "float32":
            peak = _PEAK[pair[1]]
            mixed = np.clip(mixed * np.float32(peak) + np.float32(0.5), 0, peak)
        flat_out[start : start + step] = mixed.reshape(-1).astype(out.dtype)


def _numpy(nodes: Rgb, strides: tuple[int, int, int], at: Rgb, tetrahedral: bool) -> Rgb:
    """The kernels' arithmetic in NumPy, for nodes (n**3, 3) that lie so far apart along each axis."""
    n, steps = round(len(nodes) ** (1 / 3)), np.array(strides)
    with np.errstate(invalid="ignore"):
        at = np.where(at > 0, at, 0)
    at = np.where(at < n - 1, at, n - 1).astype(np.float32)
    cell = np.minimum(np.floor(at), n - 2)
    f = at - cell
    base = cell.astype(np.int64) @ steps
    if not tetrahedral:
        r, g, b = f[:, 0:1], f[:, 1:2], f[:, 2:3]
        er, eg, eb = 1 - r, 1 - g, 1 - b
        total = np.zeros_like(at)
        for bit in range(8):
            w = (r if bit & 1 else er) * (g if bit & 2 else eg) * (b if bit & 4 else eb)
            at_node = base + steps @ np.array([bit & 1, bit >> 1 & 1, bit >> 2 & 1])
            total += nodes[at_node] * w
        return total
    order = np.argsort(-f, axis=1, kind="stable")
    s = np.take_along_axis(f, order, axis=1)
    first = base + steps[order[:, 0]]
    second = first + steps[order[:, 1]]
    last = base + steps.sum()
    mixed: Rgb = (
        nodes[base] * (1 - s[:, 0:1])
        + nodes[first] * (s[:, 0:1] - s[:, 1:2])
        + nodes[second] * (s[:, 1:2] - s[:, 2:3])
        + nodes[last] * s[:, 2:3]
    )
    return mixed


def apply_table(table: Table3D, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Return float32 (..., 3) colours looked up in a 3D table, not clipped.

    Inputs are clamped to the domain; NaN reads as the domain minimum.
    """
    _check(interp)
    pixels = as_rgb(rgb)
    if table.size > _KEPT_SIZE and pixels.size * _FEW < table.values.size:
        return _looked_up(table, pixels, interp)
    out = np.empty_like(pixels)
    apply_packed(packed(table), pixels, out, interp)
    return out


def _looked_up(table: Table3D, pixels: Rgb, interp: str) -> Rgb:
    """Look few colours up where the nodes lie: to lay a large table out takes longer, and memory."""
    nodes, strides = table.values.reshape(-1, 3), (table.size**2, table.size, 1)
    scale, shift = _coordinates(table.size, table.domain, 1.0)
    flat, out = pixels.reshape(-1, 3), np.empty_like(pixels)
    found = out.reshape(-1, 3)
    for start in range(0, len(flat), _PART):
        part = slice(start, start + _PART)
        found[part] = _numpy(nodes, strides, flat[part] * scale + shift, interp == "tetrahedral")
    return out
