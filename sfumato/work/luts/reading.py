"""What libraries that are not ours make of a LUT file: large files are read in a process beside.

FFmpeg and OpenColorIO hold the interpreter while they read one, which for 65 points is up to 1.4
seconds in which the window would stand still. `python -m sfumato.work.luts.reading` is the process.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.errors import FormatError
from sfumato.work.beside import Beside, Message, serve

_WIDE = 1024  # of pictures for FFmpeg: a multiple of 16 floats, so that no row is padded
_SMALL = 1 << 17  # bytes: what is not larger is read here, in 10 ms or less
_IDLE = 20.0  # seconds without a question, after which the process ends
_BESIDE = Beside("sfumato.work.luts.reading", "the second reader does not answer")


def _rows(rgb: Any) -> Rgb:
    """Return colours as a picture that FFmpeg's float code can take: no NaN, whole rows."""
    colours = np.nan_to_num(as_rgb(rgb)).reshape(-1, 3)
    padded = np.zeros((-(-len(colours) // _WIDE) * _WIDE, 3), np.float32)
    padded[: len(colours)] = colours
    return padded.reshape(-1, _WIDE, 3)


def _source(graph: Any, pixels: Rgb) -> Any:
    kind: Any = "gbrpf32le"
    base = Fraction(1, 25)
    h, w = pixels.shape[:2]
    return graph.add_buffer(width=w, height=h, format=kind, time_base=base)


def _frame(pixels: Rgb) -> Any:
    import av  # here and below where it is used: to load it takes longer than to convert a small file

    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="gbrpf32le")
    frame.pts, frame.time_base = 0, Fraction(1, 25)
    return frame


def _ffmpeg(path: str | Path, rgb: Any, interp: str) -> Rgb:
    import av
    from av.filter import Graph

    pixels = _rows(rgb)
    graph = Graph()
    graph.threads = 1
    try:
        source = _source(graph, pixels)
        lut = graph.add("lut3d", file=str(path), interp=interp)
        sink = graph.add("buffersink")
        source.link_to(lut)
        lut.link_to(sink)
        graph.configure()
        graph.push(_frame(pixels))
        result = graph.pull().to_ndarray().reshape(-1, 3)
    except (av.error.FFmpegError, ValueError, OSError) as error:
        raise FormatError("FFmpeg does not read this file", where=str(path)) from error
    return np.asarray(result[: np.size(rgb) // 3], np.float32).reshape(np.shape(rgb))


def _ffmpeg_hald(path: str | Path, rgb: Any, interp: str) -> Rgb:
    import av
    from av.filter import Graph

    try:
        with av.open(str(path)) as container:
            frame = next(container.decode(video=0))
        nodes = _pixels(frame)
        pixels = _rows(rgb)
        graph = Graph()
        graph.threads = 1
        sources = [_source(graph, p) for p in (pixels, nodes)]
        clut = graph.add("haldclut", f"shortest=1:repeatlast=1:interp={interp}")
        sink = graph.add("buffersink")
        for i, source in enumerate(sources):
            source.link_to(clut, 0, i)
        clut.link_to(sink)
        graph.configure()
        for source, picture in zip(sources, (pixels, nodes), strict=True):
            source.push(_frame(picture))
            source.push(None)
        result = graph.pull().to_ndarray().reshape(-1, 3)
    except (av.error.FFmpegError, ValueError, OSError, StopIteration) as error:
        raise FormatError("FFmpeg does not read this picture", where=str(path)) from error
    return np.asarray(result[: np.size(rgb) // 3], np.float32).reshape(np.shape(rgb))


def _pixels(frame: Any) -> Rgb:
    """Return a decoded frame as RGB, 0..1."""
    if frame.format.name.startswith("gbrpf16"):
        planes = [
            np.frombuffer(p, "<f2").reshape(-1, p.line_size // 2)[:, : frame.width]
            for p in frame.planes
        ]
        return np.stack([planes[2], planes[0], planes[1]], -1).astype(np.float32)
    values = frame.to_ndarray()
    peak = {np.dtype(np.uint8): 255, np.dtype(np.uint16): 65535}.get(values.dtype, 1)
    return np.asarray(values[..., :3] / np.float32(peak), np.float32)


def _opencolorio(path: str | Path, rgb: Any, interp: str) -> Rgb:
    out = np.ascontiguousarray(rgb, np.float32).copy()
    try:
        state = os.stat(path)
        _processor(str(path), interp, (state.st_ino, state.st_mtime_ns, state.st_size)).applyRGB(
            out
        )
    except OSError as error:
        raise FormatError("the file cannot be read", where=str(path)) from error
    return out


@functools.lru_cache(1)  # the colours of one file come in several arrays
def _processor(path: str, interp: str, _state: tuple[int, ...]) -> Any:
    import PyOpenColorIO as ocio

    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    ocio.ClearAllCaches()
    between = ocio.INTERP_LINEAR if interp == "trilinear" else ocio.INTERP_TETRAHEDRAL
    how = ocio.FileTransform(path, interpolation=between)
    how.setCDLStyle(ocio.CDL_ASC)
    try:
        made = ocio.Config.CreateRaw().getProcessor(how)
    except ocio.Exception as error:
        raise FormatError("OpenColorIO does not read this file", where=path) from error
    return made.getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)


_HERE: dict[str, Callable[[Any, Any, str], Rgb]] = {
    "ffmpeg": _ffmpeg,
    "ffmpeg_hald": _ffmpeg_hald,
    "opencolorio": _opencolorio,
}


def _read(which: str, path: str | Path, rgb: Any, interp: str) -> Rgb:
    file = Path(path)
    try:
        small = file.stat().st_size <= _SMALL
    except OSError:
        small = True  # the library says what is wrong
    if small:
        return _HERE[which](file, rgb, interp)
    colours = as_rgb(rgb)
    asked = {"do": which, "path": str(file.absolute()), "interp": interp}
    try:
        _words, found = _BESIDE.ask(asked, colours.reshape(-1, 3))
    except FormatError as error:
        raise error.at(str(path)) from None
    return found[0].reshape(colours.shape).copy()


def ffmpeg(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Apply a LUT file as the `lut3d` filter of the FFmpeg libraries reads it, in float.

    Args:
        rgb: (..., 3) numbers; NaN becomes 0 first (FFmpeg's float code cannot take it).
    Returns:
        New float32 (..., 3), not clipped.
    Raises:
        FormatError: FFmpeg refuses the file.
    """
    return _read("ffmpeg", path, rgb, interp)


def ffmpeg_hald(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Let FFmpeg decode a HALD picture and look colours up in it by its `haldclut` filter, in float.

    Raises:
        FormatError: FFmpeg refuses the picture.
    """
    return _read("ffmpeg_hald", path, rgb, interp)


def opencolorio(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Apply a LUT or CDL file as the OpenColorIO library reads it.

    Raises:
        FormatError: the library refuses the file.
    """
    return _read("opencolorio", path, rgb, interp)


def _answer(head: dict[str, Any], arrays: list[Array]) -> Message:
    return {}, [_HERE[head["do"]](Path(head["path"]), arrays[0], head["interp"])]


if __name__ == "__main__":
    serve(_answer, (FormatError,), _IDLE)
