"""Rows of a picture over a shared thread pool; the kernels and NumPy release the interpreter lock."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.sample import Packed, apply_packed
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import CHUNK
from sfumato.work.cancel import Cancel


@cache
def workers() -> int:
    return max(1, min(8, len(os.sched_getaffinity(0))))


@cache
def pool() -> ThreadPoolExecutor:
    """Return the pool that all tiled work shares (tiles never submit tiles)."""
    return ThreadPoolExecutor(workers(), thread_name_prefix="tile")


def _stripes(rows: int, count: int) -> list[slice]:
    edges = np.linspace(0, rows, min(count, rows) + 1).astype(int)
    return [slice(a, b) for a, b in zip(edges, edges[1:], strict=False) if b > a]


def apply_tiled(
    table: Packed,
    pixels: Array,
    dtype: type,
    interp: str = "tetrahedral",
    cancel: Cancel | None = None,
) -> Array:
    """Look a picture (h, w, 3) up in a packed table; returns a new array of `dtype`."""
    out: Array = np.empty(pixels.shape, dtype)

    def one(rows: slice) -> None:
        if cancel is not None:
            cancel.check()
        apply_packed(table, pixels[rows], out[rows], interp)

    list(pool().map(one, _stripes(len(pixels), 4 * workers())))
    return out


def run_tiled(
    run: Callable[[Rgb], Rgb], pixels: Rgb, cancel: Cancel | None = None, tile: int = CHUNK
) -> Rgb:
    """Run a pure function over float32 (..., 3) colours in tiles; the same as running it on all."""
    flat = pixels.reshape(-1, 3)
    out = np.empty_like(flat)
    starts = range(0, len(flat), tile)

    def one(start: int) -> None:
        if cancel is not None:
            cancel.check()
        out[start : start + tile] = run(flat[start : start + tile])

    if len(starts) <= 1:
        if len(flat):
            one(0)
    else:
        list(pool().map(one, starts))
    return out.reshape(pixels.shape)


def bake_tiled(
    transform: Transform,
    grid: int,
    cancel: Cancel | None = None,
    node_range: tuple[float, float] = NODE_RANGE,
) -> Table3D:
    """Bake as `core.bake.baked` does, over the pool."""
    tile = min(CHUNK, max(8192, -(-(grid**3) // workers())))
    nodes = run_tiled(transform.apply, lattice_colours(grid), cancel, tile=tile)
    return Table3D(np.clip(np.nan_to_num(nodes), *node_range))
