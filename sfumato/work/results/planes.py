"""Frames of clips as planes of numbers: how they are laid out, to RGB and back, and through a look-up."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import av
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.sample import Packed
from sfumato.media.clip import WEIGHTS, codes, matrix_of, unpacking
from sfumato.work.results.stills import Chain
from sfumato.work.tiles import spread

Colour = Callable[[Rgb], Rgb]


@frozen
class Layout:
    """How a frame's numbers are laid out: bits, chroma divisors, full range or legal, matrix."""

    bits: int
    across: int
    down: int
    full: bool
    matrix: int

    @classmethod
    def of(cls, frame: Any) -> Layout:
        parts = frame.format.components
        across = 1 if parts[1].width == frame.width else 2
        down = 1 if parts[1].height == frame.height else 2
        full = frame.color_range == 2 or frame.format.name.startswith("yuvj")
        return cls(parts[0].bits, across, down, full, matrix_of(frame))

    @property
    def format(self) -> str:
        name = {(2, 2): "420", (2, 1): "422", (1, 1): "444"}[self.across, self.down]
        return f"yuv{name}p" + (f"{self.bits}le" if self.bits > 8 else "")

    def unpacking(self) -> Array:
        return unpacking(self.bits, self.full, self.matrix)

    def packing(self) -> Array:
        kr, kb = WEIGHTS[self.matrix]
        low, size, half, chroma = codes(self.bits, self.full)
        numbers = (low, size, half, chroma, kr, 1 - kr - kb, kb)
        ends = (1 / (2 * (1 - kb)), 1 / (2 * (1 - kr)), (1 << self.bits) - 1)
        return np.array((*numbers, *ends), np.float32)


_ROWS = 24  # that are coloured at a time: their floats stay near the processor
_PARTS = 4  # of a frame where no floats of it are kept


def in_stripes(height: int, one: Callable[[int, int], None], rows: int = _ROWS) -> None:
    """Run one(first, last) for stripes of an even number of rows, over the tile pool."""
    spread(lambda first: one(first, min(first + rows, height)), range(0, height, rows))


def planes_of(frame: Any, layout: Layout) -> list[Array]:
    kind = np.dtype("<u2" if layout.bits > 8 else "u1")
    found = []
    for plane in frame.planes:
        row = np.frombuffer(plane, kind).reshape(plane.height, plane.line_size // kind.itemsize)
        found.append(row)  # with what lies beyond the picture: whole rows are quicker
    return found


def to_rgb(frame: Any, layout: Layout) -> Rgb:
    """Return a decoded frame as float32 (h, w, 3), full range 0..1, not clipped."""
    out = np.empty((frame.height, frame.width, 3), np.float32)
    read = _reader(frame, layout)
    in_stripes(frame.height, lambda first, last: read(out[first:last], first))
    return out


def _reader(frame: Any, layout: Layout) -> Callable[[Rgb, int], None]:
    """Return what fills an array with the rows of a frame from a row on."""
    from sfumato.core.kernels import video

    planes, numbers = planes_of(frame, layout), layout.unpacking()
    height, across = frame.height, -(-frame.width // layout.across)

    def read(out: Rgb, first: int) -> None:
        video.unpack(*planes, height, across, numbers, out, first)

    return read


def empty_planes(height: int, width: int, layout: Layout) -> list[Array]:
    kind = np.uint16 if layout.bits > 8 else np.uint8
    chroma = (-(-height // layout.down), -(-width // layout.across))
    return [np.empty(size, kind) for size in ((height, width), chroma, chroma)]


def _writer(planes: list[Array], layout: Layout) -> Callable[[Rgb, int], None]:
    """Return what puts rows of RGB into planes from an even row on."""
    from sfumato.core.kernels import video

    numbers = layout.packing()

    def write(rgb: Rgb, first: int) -> None:
        video.pack(np.ascontiguousarray(rgb, np.float32), numbers, *planes, first)

    return write


def to_planes(rgb: Rgb, layout: Layout) -> list[Array]:
    """Return RGB (h, w, 3) as the planes of a frame, rounded; values beyond 0..1 are clipped."""
    planes = empty_planes(rgb.shape[0], rgb.shape[1], layout)
    write = _writer(planes, layout)
    in_stripes(len(rgb), lambda first, last: write(rgb[first:last], first))
    return planes


def graded_planes(frame: Any, source: Layout, held: Layout, colour: Colour) -> list[Array]:
    """Return a decoded frame through a colour function as planes, without a whole picture of floats."""
    planes = empty_planes(frame.height, frame.width, held)
    look = _looked_up(frame, source, held, colour, planes)
    if look is not None:
        in_stripes(frame.height, look, 2 * -(-frame.height // (2 * _PARTS)))
        return planes
    read, write = _reader(frame, source), _writer(planes, held)

    def one(first: int, last: int) -> None:
        rgb = np.empty((last - first, frame.width, 3), np.float32)
        read(rgb, first)
        write(colour(rgb), first)

    in_stripes(frame.height, one)
    return planes


def _looked_up(
    frame: Any, source: Layout, held: Layout, colour: Colour, planes: list[Array]
) -> Callable[[int, int], None] | None:
    """Return what fills rows of planes by one look-up from planes to planes, None where more is done."""
    if not isinstance(colour, Chain) or colour.only is None:
        return None
    from sfumato.core.kernels.video_lattice import LOOKS

    taken = planes_of(frame, source)
    if taken[0].dtype != planes[0].dtype:
        return None
    look = LOOKS[planes[0].dtype.name]
    numbers = np.concatenate([source.unpacking(), *colour.only.coordinates(1.0)])
    lattice, folded = _folded(colour.only, held)
    packing, size = held.packing(), colour.only.size
    shape = frame.height, -(-frame.width // source.across)

    def one(first: int, last: int) -> None:
        look(*taken, *shape, numbers, lattice, size, folded, packing, *planes, first, last - first)

    return one


@lru_cache(maxsize=4)
def _folded(table: Packed, held: Layout) -> tuple[Array, bool]:
    """Return a lattice of luma and chroma where nothing has to be clipped, else the one of RGB."""
    nodes = table.lattice.reshape(-1, 4).astype(np.float64)
    if nodes.min() < 0.0 or nodes.max() > 1.0:
        return table.lattice, False
    kr, kb = WEIGHTS[held.matrix]
    luma = nodes[:, :3] @ (kr, 1 - kr - kb, kb)
    blue, red = (nodes[:, 2] - luma) / (2 * (1 - kb)), (nodes[:, 0] - luma) / (2 * (1 - kr))
    folded = np.stack([luma, blue, red, np.zeros_like(luma)], axis=-1)
    return np.ascontiguousarray(folded, np.float32).reshape(-1), True


def frame_of(planes: list[Array], layout: Layout) -> Any:
    frame = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], layout.format)
    held: list[Any] = list(frame.planes)
    for plane, pixels in zip(held, planes, strict=True):
        row = np.frombuffer(plane, pixels.dtype).reshape(plane.height, -1)
        row[:, : pixels.shape[1]] = pixels
    return frame
