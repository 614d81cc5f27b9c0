"""A second, independent reader of LUT files: the `lut3d` filter of the FFmpeg libraries."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.filter import Graph

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.errors import FormatError

NAME = "FFmpeg"


def cannot(domain: Any) -> str:
    """Return why FFmpeg cannot judge a cube file of this domain, "" when it can.

    It ignores a minimum that is not 0 and a maximum below 1.
    """
    low, high = domain
    if any(v != 0 for v in low) or any(v < 1 for v in high):
        return "FFmpeg reads domains from 0 to 1 or more only"
    return ""


def apply_file(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Apply a LUT file as FFmpeg reads it, in float.

    Args:
        rgb: (..., 3) numbers; NaN becomes 0 first (FFmpeg's float code cannot take it).
    Returns:
        New float32 (..., 3), not clipped.
    Raises:
        FormatError: FFmpeg refuses the file.
    """
    colours = np.nan_to_num(as_rgb(rgb)).reshape(-1, 3)
    width = 1024  # a multiple of 16 floats: no uninitialised padding at the row ends
    height = -(-len(colours) // width)
    padded = np.zeros((height * width, 3), np.float32)
    padded[: len(colours)] = colours
    graph = Graph()
    graph.threads = 1
    base = Fraction(1, 25)
    kind: Any = "gbrpf32le"
    try:
        source = graph.add_buffer(width=width, height=height, format=kind, time_base=base)
        lut = graph.add("lut3d", file=str(path), interp=interp)
        sink = graph.add("buffersink")
        source.link_to(lut)
        lut.link_to(sink)
        graph.configure()
        frame = av.VideoFrame.from_ndarray(padded.reshape(height, width, 3), format="gbrpf32le")
        frame.pts = 0
        frame.time_base = base
        graph.push(frame)
        result = graph.pull().to_ndarray().reshape(-1, 3)
    except (av.error.FFmpegError, ValueError, OSError) as error:
        raise FormatError("FFmpeg does not read this file", where=str(path)) from error
    return np.asarray(result[: len(colours)], np.float32).reshape(np.shape(rgb))
