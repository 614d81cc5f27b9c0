"""Rows of a picture over a shared thread pool; the kernels and NumPy release the interpreter lock."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import TypeVar

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.sample import Packed, apply_packed
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours, node_values, table_of
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import CHUNK
from sfumato.work.cancel import Cancel
from sfumato.work.turns import behind, give_way

T = TypeVar("T")
R = TypeVar("R")


@cache
def workers() -> int:
    return max(1, min(8, len(os.sched_getaffinity(0))))


_LONG, _PART = 0.03, 8192  # seconds of a tile, beyond which it is done in parts of so many colours

_HERE = threading.local()  # `tile`: whether this thread works on a tile now


def _begin() -> None:
    behind()
    _HERE.tile = True


@cache
def pool() -> ThreadPoolExecutor:
    """Return the pool that all tiled work shares."""
    return ThreadPoolExecutor(workers(), thread_name_prefix="tile", initializer=_begin)


def spread(run: Callable[[T], R], parts: Sequence[T]) -> list[R]:
    """Return what a function gives for each part, over the pool; within a tile in place.

    A tile that waited for tiles of its own would wait for itself when all threads do the same.
    """
    if len(parts) < 2 or getattr(_HERE, "tile", False):
        return [run(part) for part in parts]

    def one(part: T) -> R:
        give_way()
        return run(part)

    return list(pool().map(one, parts))


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

    spread(one, _stripes(len(pixels), 4 * workers()))
    return out


def run_tiled(
    run: Callable[[Rgb], Rgb], pixels: Rgb, cancel: Cancel | None = None, tile: int = CHUNK
) -> Rgb:
    """Run a pure function over float32 (..., 3) colours in tiles; the same as running it on all."""
    flat = pixels.reshape(-1, 3)
    out = np.empty_like(flat)
    starts = range(0, len(flat), tile)
    step = tile

    def one(start: int) -> None:
        nonlocal step
        by = step  # other tiles may change it meanwhile
        began, end = time.thread_time(), min(start + tile, len(flat))
        for at in range(start, end, by):
            if cancel is not None:
                cancel.check()
            elif at > start:
                give_way()
            part = slice(at, min(at + by, end))
            out[part] = run(flat[part])
        if time.thread_time() - began > _LONG:
            step = min(_PART, tile)

    spread(one, starts)
    return out.reshape(pixels.shape)


def bake_tiled(
    transform: Transform,
    grid: int,
    cancel: Cancel | None = None,
    node_range: tuple[float, float] = NODE_RANGE,
) -> Table3D:
    """Bake as `core.lut.bake.baked` does, over the pool."""
    tile = min(CHUNK, max(8192, -(-(grid**3) // workers())))

    def nodes(part: slice) -> Rgb:
        found = run_tiled(transform.apply, lattice_colours(grid, part=part), cancel, tile=tile)
        return node_values(found, node_range)

    return table_of(grid, nodes)
