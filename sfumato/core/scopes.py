"""Instrument data of a picture: histogram, parade, waveform, vectorscope, neutral line."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb

_SHAPES: dict[str, tuple[int, ...]] = {
    "histogram": (3, 256),
    "parade": (3, 138, 256),
    "waveform": (415, 256),
    "vectorscope": (256, 256),
}


class _Loaded:
    counts: Any = None


def load_kernels() -> None:
    """Compile the counting kernels or load them from the cache."""
    from sfumato.core.kernels import counts

    _Loaded.counts = counts


def counted(kind: str, image: Array) -> Array:
    """Count the pixels of uint8 (h, w, 3) for one instrument; int32 counts, layout as in the kernels.

    >>> image = np.zeros((4, 5, 3), np.uint8); image[..., 0] = 255
    >>> counted("histogram", image)[:, [0, 255]].tolist()
    [[0, 20], [20, 0], [20, 0]]
    """
    counts = np.zeros(_SHAPES[kind], np.int32)
    if _Loaded.counts is not None:
        getattr(_Loaded.counts, kind)(np.require(image, requirements=("C", "W")), counts)
        return counts
    return np.asarray(_NUMPY[kind](image, counts))


def _bin(index: Array, shape: tuple[int, ...]) -> Array:
    size = int(np.prod(shape))
    return np.asarray(np.bincount(index.reshape(-1), minlength=size).reshape(shape), np.int32)


def _histogram(image: Array, counts: Array) -> Array:
    return np.stack([_bin(image[..., c].astype(np.intp), (256,)) for c in range(3)])


def _columns(image: Array, columns: int) -> Array:
    width = image.shape[1]
    return np.asarray((np.arange(width) * columns // width)[None, :] * 256)


def _parade(image: Array, counts: Array) -> Array:
    shape = counts.shape[1:]
    at = _columns(image, shape[0])
    return np.stack([_bin(at + image[..., c], shape) for c in range(3)])


def _waveform(image: Array, counts: Array) -> Array:
    luma = (image.astype(np.intp) @ np.array([54, 183, 19]) + 128) >> 8
    return _bin(_columns(image, counts.shape[0]) + luma, counts.shape)


def _vectorscope(image: Array, counts: Array) -> Array:
    pixels = image.astype(np.intp)
    cb = (pixels @ np.array([-7509, -25259, 32768]) + 8421376) >> 16
    cr = (pixels @ np.array([32768, -29763, -3005]) + 8421376) >> 16
    return _bin((255 - cr) * 256 + cb, counts.shape)


_NUMPY: dict[str, Callable[[Array, Array], Array]] = {
    "histogram": _histogram,
    "parade": _parade,
    "waveform": _waveform,
    "vectorscope": _vectorscope,
}


def neutral_line(run: Callable[[Rgb], Rgb], steps: int = 129) -> Rgb:
    """Return what a function does to greys 0..1, float32 (steps, 3)."""
    greys = np.repeat(np.linspace(0, 1, steps, dtype=np.float32)[:, None], 3, axis=1)
    return run(greys)
