"""Readers of LUT files that are not ours: what they make of a file that was written.

A written LUT is proved by the first of them that knows its format; where none does, that is said.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from attrs import frozen
from PIL import ImageCms

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.errors import FormatError
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.cube import beyond_ffmpeg
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import WriteOptions

_NOT_OPTIMISED = 0x100  # cmsFLAGS_NOOPTIMIZE
_WIDE = 1024  # of pictures for FFmpeg: a multiple of 16 floats, so that no row is padded


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


def ffmpeg(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Apply a LUT file as the `lut3d` filter of the FFmpeg libraries reads it, in float.

    Args:
        rgb: (..., 3) numbers; NaN becomes 0 first (FFmpeg's float code cannot take it).
    Returns:
        New float32 (..., 3), not clipped.
    Raises:
        FormatError: FFmpeg refuses the file.
    """
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


def ffmpeg_hald(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Let FFmpeg decode a HALD picture and look colours up in it by its `haldclut` filter, in float.

    Raises:
        FormatError: FFmpeg refuses the picture.
    """
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


def opencolorio(path: str | Path, rgb: Any, interp: str = "tetrahedral") -> Rgb:
    """Apply a LUT or CDL file as the OpenColorIO library reads it.

    Raises:
        FormatError: the library refuses the file.
    """
    import PyOpenColorIO as ocio

    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    ocio.ClearAllCaches()
    between = ocio.INTERP_LINEAR if interp == "trilinear" else ocio.INTERP_TETRAHEDRAL
    how = ocio.FileTransform(str(path), interpolation=between)
    how.setCDLStyle(ocio.CDL_ASC)
    try:
        made = ocio.Config.CreateRaw().getProcessor(how)
    except ocio.Exception as error:
        raise FormatError("OpenColorIO does not read this file", where=str(path)) from error
    out = np.ascontiguousarray(rgb, np.float32).copy()
    made.getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE).applyRGB(out)
    return out


def littlecms(path: str | Path, rgb: Any) -> Rgb:
    """Apply a device link RGB to RGB, or an abstract profile between sRGB colours, as LittleCMS reads it.

    Raises:
        FormatError: LittleCMS refuses the file.
    """
    from imagecodecs import CmsError, cms_profile

    flat = np.ascontiguousarray(np.nan_to_num(as_rgb(rgb)).reshape(1, -1, 3), np.float32)
    try:
        profile = Path(path).read_bytes()
        if profile[12:16] == b"abst":
            srgb = cms_profile("srgb")
            lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
            found = _by_profiles(flat, srgb, profile, "rgb", "lab", "f8")
            found = _by_profiles(found, lab, srgb, "lab", "rgb", "f4")
        else:
            write = registry.formats()["icc"].write
            assert write is not None
            unit = Transform((Table3D(lattice_colours(2)),))
            same = write(unit, WriteOptions(layout="device link, version 2"))
            found = _by_profiles(flat, profile, same, "rgb", "rgb", "f4")
    except (CmsError, ImageCms.PyCMSError, OSError, ValueError) as error:
        raise FormatError("LittleCMS does not read this file", where=str(path)) from error
    return np.asarray(found, np.float32).reshape(np.shape(rgb))


def _by_profiles(
    values: Array, first: bytes, second: bytes, space: str, into: str, kind: str
) -> Array:
    from imagecodecs import cms_transform

    return np.asarray(
        cms_transform(
            values,
            first,
            second,
            colorspace=space,
            outcolorspace=into,
            outdtype=kind,
            flags=_NOT_OPTIMISED,
        )
    )


@frozen(eq=False)
class Reader:
    """`cannot(transform)` says why a file of that is beyond it, "" when it is not."""

    name: str
    keys: tuple[str, ...]  # of formats
    apply: Callable[[str | Path, Any], Rgb]
    cannot: Callable[[Transform], str] = lambda _transform: ""


def _beyond_opencolorio(transform: Transform) -> str:
    table = transform.table
    if table is not None and table.size < 4:
        return "OpenColorIO reads grids of 4 points or more"
    return ""


READERS = (
    Reader("FFmpeg", ("cube",), ffmpeg, beyond_ffmpeg),
    Reader("FFmpeg", ("hald",), ffmpeg_hald),
    Reader(
        "OpenColorIO",
        ("cube", "3dl", "csp", "spi1d", "spi3d", "spimtx", "cdl", "clf"),
        opencolorio,
        _beyond_opencolorio,
    ),
    Reader("LittleCMS", ("icc",), littlecms),
)


def reader_for(key: str, transform: Transform) -> tuple[Reader | None, str]:
    """Return who else reads a file of that format, or None and why nobody does."""
    why = "no other reader of this format is at hand"
    for reader in READERS:
        if key in reader.keys:
            why = reader.cannot(transform)
            if not why:
                return reader, ""
    return None, why
