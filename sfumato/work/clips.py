"""Clips graded into new clips: decode, colour and encode side by side, frame by frame.

Range, matrix, depth and chroma sampling are read from the stream and written back as they are, as
far as the codec holds them; every frame keeps its time, sound is copied.
"""

from __future__ import annotations

import glob
import os
import queue
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import numpy as np
from attrs import evolve, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import ExportError, MediaError, ValueRefused
from sfumato.core.sample import Packed
from sfumato.media.clip import WEIGHTS, matrix_of
from sfumato.media.contract import H273
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import placed, refusal
from sfumato.work.stills import Chain
from sfumato.work.tiles import pool
from sfumato.work.timecode import later

_KEPT = {"title", "artist", "copyright", "comment", "date", "creation_time"}  # of the container
_AHEAD = 4  # frames in hand between two stages
Colour = Callable[[Rgb], Rgb]


@frozen
class Codec:
    """How a codec is written: its encoder, the suffixes that hold it, and the depths and samplings it takes."""

    key: str
    title: str
    encoder: str
    suffixes: tuple[str, ...]
    formats: tuple[str, ...]  # pixel formats, the usual one first
    options: tuple[tuple[str, str], ...] = ()
    full: bool = True  # whether it can say that its numbers are of full range
    matrices: tuple[int, ...] = tuple(WEIGHTS)  # of H.273, that it can say


CODECS = {
    c.key: c
    for c in (
        Codec(
            "ffv1",
            "FFV1, lossless",
            "ffv1",
            (".mkv",),
            tuple(
                f"yuv{s}p{d}" for d in ("", "10le", "12le", "16le") for s in ("420", "422", "444")
            ),
            (("level", "3"), ("slices", "4"), ("slicecrc", "1")),
        ),
        Codec(
            "prores",
            "ProRes 422 HQ",
            "prores_ks",
            (".mov",),
            ("yuv422p10le", "yuv444p10le"),
            (("profile", "3"),),
            full=False,
        ),
        Codec(
            "dnxhr",
            "DNxHR",
            "dnxhd",
            (".mov", ".mkv"),
            ("yuv422p10le", "yuv422p"),
            matrices=(1,),
        ),
        Codec(
            "h264",
            "H.264",
            "libx264",
            (".mp4", ".mov", ".mkv"),
            tuple(f"yuv{s}p{d}" for d in ("", "10le") for s in ("420", "422", "444")),
        ),
        Codec(
            "hevc",
            "HEVC",
            "libx265",
            (".mp4", ".mov", ".mkv"),
            tuple(f"yuv{s}p{d}" for d in ("", "10le") for s in ("420", "422", "444")),
            (("x265-params", "log-level=error"),),
        ),
    )
}
# Presets of the H.264 and HEVC encoders. At one rate factor quick makes about three times the frames a
# second of thorough, at a tenth more error.
EFFORTS = {"quick": "veryfast", "thorough": "medium"}
_USUAL = {".mkv": "ffv1", ".mov": "prores", ".mp4": "h264", ".m4v": "h264"}


@frozen
class ClipWish:
    """What is to be written: "" or None = as the source is, or as is usual for the suffix."""

    codec: str = ""
    quality: int = 16  # constant rate factor of H.264 and HEVC: less is better
    effort: str = "quick"  # of H.264 and HEVC, a key of EFFORTS
    first: int = 0
    last: int | None = None
    encoding: str = ""  # of the result; "" = the stream says what the source's says


@frozen
class ClipMade:
    """What was written: frames, seconds it took, the pixel format, and what could not be kept."""

    frames: int
    seconds: float
    format: str
    remarks: tuple[str, ...] = ()


def codec_for(target: Path, key: str = "") -> Codec:
    """Return the codec that is written into a file.

    Raises:
        ExportError: the suffix names no kind of clip, or does not hold that codec.
    """
    suffix = target.suffix.lower()
    if suffix not in _USUAL:
        raise ExportError(
            "clips of this kind cannot be written", hint="use .mkv, .mov or .mp4", where=str(target)
        )
    found = CODECS.get(key or _USUAL[suffix])
    if found is None:
        raise ValueRefused(f"there is no codec {key!r}", hint=f"use one of {', '.join(CODECS)}")
    if suffix not in found.suffixes and not (suffix == ".m4v" and ".mp4" in found.suffixes):
        raise ExportError(
            f"{suffix} does not hold {found.title}",
            hint=f"use {' or '.join(found.suffixes)}",
            where=str(target),
        )
    return found


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

    def _codes(self) -> tuple[float, float, float, float]:
        """Return offset and size of luma, middle and size of chroma, in codes."""
        scale, half = float(1 << (self.bits - 8)), float(1 << (self.bits - 1))
        top = float((1 << self.bits) - 1)
        return (0.0, top, half, top) if self.full else (16 * scale, 219 * scale, half, 224 * scale)

    def unpacking(self) -> Array:
        kr, kb = WEIGHTS[self.matrix]
        low, size, half, chroma = self._codes()
        numbers = (low, 1 / size, half, 1 / chroma, 2 * (1 - kr), 2 * (1 - kb), kr, kb)
        return np.array((*numbers, 1 / (1 - kr - kb)), np.float32)

    def packing(self) -> Array:
        kr, kb = WEIGHTS[self.matrix]
        low, size, half, chroma = self._codes()
        numbers = (low, size, half, chroma, kr, 1 - kr - kb, kb)
        ends = (1 / (2 * (1 - kb)), 1 / (2 * (1 - kr)), (1 << self.bits) - 1)
        return np.array((*numbers, *ends), np.float32)


_ROWS = 24  # that are coloured at a time: their floats stay near the processor
_PARTS = 4  # of a frame where no floats of it are kept


def _in_stripes(height: int, one: Callable[[int, int], None], rows: int = _ROWS) -> None:
    """Run one(first, last) for stripes of an even number of rows, over the tile pool."""
    list(pool().map(lambda f: one(f, min(f + rows, height)), range(0, height, rows)))


def _planes(frame: Any, layout: Layout) -> list[Array]:
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
    _in_stripes(frame.height, lambda first, last: read(out[first:last], first))
    return out


def _reader(frame: Any, layout: Layout) -> Callable[[Rgb, int], None]:
    """Return what fills an array with the rows of a frame from a row on."""
    from sfumato.core.kernels import video

    planes, numbers = _planes(frame, layout), layout.unpacking()
    height, across = frame.height, -(-frame.width // layout.across)

    def read(out: Rgb, first: int) -> None:
        video.unpack(*planes, height, across, numbers, out, first)

    return read


def _empty_planes(height: int, width: int, layout: Layout) -> list[Array]:
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
    planes = _empty_planes(rgb.shape[0], rgb.shape[1], layout)
    write = _writer(planes, layout)
    _in_stripes(len(rgb), lambda first, last: write(rgb[first:last], first))
    return planes


def graded_planes(frame: Any, source: Layout, held: Layout, colour: Colour) -> list[Array]:
    """Return a decoded frame through a colour function as planes, without a whole picture of floats."""
    planes = _empty_planes(frame.height, frame.width, held)
    look = _looked_up(frame, source, held, colour, planes)
    if look is not None:
        _in_stripes(frame.height, look, 2 * -(-frame.height // (2 * _PARTS)))
        return planes
    read, write = _reader(frame, source), _writer(planes, held)

    def one(first: int, last: int) -> None:
        rgb = np.empty((last - first, frame.width, 3), np.float32)
        read(rgb, first)
        write(colour(rgb), first)

    _in_stripes(frame.height, one)
    return planes


def _looked_up(
    frame: Any, source: Layout, held: Layout, colour: Colour, planes: list[Array]
) -> Callable[[int, int], None] | None:
    """Return what fills rows of planes by one look-up from planes to planes, None where more is done."""
    if not isinstance(colour, Chain) or colour.only is None:
        return None
    from sfumato.core.kernels.video_lattice import LOOKS

    taken = _planes(frame, source)
    look = LOOKS.get((taken[0].dtype.name, planes[0].dtype.name))
    if look is None:
        return None
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


def _frame_of(planes: list[Array], layout: Layout) -> Any:
    frame = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], layout.format)
    held: list[Any] = list(frame.planes)
    for plane, pixels in zip(held, planes, strict=True):
        row = np.frombuffer(plane, pixels.dtype).reshape(plane.height, -1)
        row[:, : pixels.shape[1]] = pixels
    return frame


def out_layout(source: Layout, codec: Codec) -> tuple[Layout, tuple[str, ...]]:
    """Return the source's layout as near as a codec holds it, and what is not kept."""
    remarks = []
    if source.full and not codec.full:
        source = evolve(source, full=False)
        remarks.append(f"{codec.title} holds legal range only")
    if source.matrix not in codec.matrices:
        source = evolve(source, matrix=codec.matrices[0])
        remarks.append(f"{codec.title} holds the BT.709 matrix only")
    if source.format in codec.formats:
        return source, tuple(remarks)
    wanted = {"420": (2, 2), "422": (2, 1), "444": (1, 1)}

    def layout(name: str) -> Layout:
        across, down = wanted[name[3:6]]
        bits = int(name[7:-2]) if name.endswith("le") else 8
        return Layout(bits, across, down, source.full, source.matrix)

    def cost(held: Layout) -> tuple[int, int, int]:
        # Chroma that is thrown away costs most, then bits, then what is written for nothing.
        coarse = max(held.across - source.across, 0) + max(held.down - source.down, 0)
        size = 4 - held.across - held.down + abs(held.bits - source.bits)
        return coarse, max(source.bits - held.bits, 0), size

    best = min((layout(f) for f in codec.formats), key=cost)
    if best.bits < source.bits:
        remarks.append(f"{codec.title} holds {best.bits} bit of {source.bits}")
    if best.across > source.across or best.down > source.down:
        remarks.append(f"{codec.title} holds less chroma than the source")
    return best, tuple(remarks)


class _Stage:
    """One stage of the line, in a thread of its own: what it makes waits in a short queue.

    A fault of the stage is raised where its results are taken.
    """

    def __init__(self, name: str, items: Iterator[Any]) -> None:
        self._items, self._ended = items, threading.Event()
        self._out: queue.Queue[Any] = queue.Queue(_AHEAD)
        self._runner = ThreadPoolExecutor(1, thread_name_prefix=name)
        self._done = self._runner.submit(self._run)

    def _run(self) -> None:
        for item in self._items:
            while not self._ended.is_set():
                try:
                    self._out.put(item, timeout=0.1)
                    break
                except queue.Full:
                    continue
            if self._ended.is_set():
                return

    def __iter__(self) -> Iterator[Any]:
        while True:
            over = self._done.done()  # asked first: what it put before it ended is in the queue
            try:
                yield self._out.get(timeout=0.02)
            except queue.Empty:
                if over:
                    self._done.result()
                    return

    def stop(self) -> None:
        self._ended.set()
        self._runner.shutdown()


def _is_planar(frame: Any) -> bool:
    return frame.format.name.startswith("yuv") and len(frame.format.components) == 3


def _as_rgb(frame: Any) -> tuple[Rgb, Layout]:
    """Return any decoded frame as RGB, and the layout in which it is to be written."""
    if _is_planar(frame):
        layout = Layout.of(frame)
        return to_rgb(frame, layout), layout
    rgb = frame.to_ndarray(format="rgb48le").astype(np.float32) / np.float32(65535)
    bits = max(8, min(frame.format.components[0].bits, 12))
    return rgb, Layout(bits, 1, 1, False, 1 if frame.height >= 720 else 6)


def graded_clip(
    source: str | Path,
    target: str | Path,
    colour: Colour,
    wish: ClipWish = ClipWish(),
    *,
    force: bool = False,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> ClipMade:
    """Write a clip with every frame through a colour function.

    Args:
        colour: float32 (h, w, 3) code values of the source -> code values to write, each pixel for
            itself; it is given stripes of a frame by workers of the tile pool.
    Raises:
        ExportError: the file exists and `force` is false, or the place or kind cannot be written.
        MediaError: the source cannot be decoded.
        Cancelled: before the file was there; nothing is left.
    """
    file, codec = Path(target), codec_for(Path(target), wish.codec)
    cancel = cancel or Cancel()
    if file.exists() and not force:
        raise ExportError(
            "the file exists already", hint="choose another name or replace it", where=str(file)
        )
    part = f".{file.stem[:60]}.part"
    try:
        _sweep(file.parent, part)
        handle, name = tempfile.mkstemp(
            prefix=f"{part}{os.getpid()}-", suffix=file.suffix, dir=file.parent
        )
        os.close(handle)
    except OSError as error:
        raise refusal(error, file, ExportError) from error
    temporary = Path(name)
    try:
        made = _write(Path(source), temporary, codec, colour, wish, cancel, progress)
        placed(temporary, file, force=force)
    except av.error.FFmpegError as error:
        raise MediaError(
            "the clip cannot be decoded or encoded", hint=str(error)[:120], where=str(source)
        ) from error
    finally:
        temporary.unlink(missing_ok=True)
    return made


def _sweep(folder: Path, part: str) -> None:
    """Remove what a run that was killed has left of the same result."""
    for left in folder.glob(f"{glob.escape(part)}*"):
        number = left.name[len(part) :].split("-")[0]
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            left.unlink(missing_ok=True)


def _write(
    source: Path,
    target: Path,
    codec: Codec,
    colour: Colour,
    wish: ClipWish,
    cancel: Cancel,
    progress: Progress,
) -> ClipMade:
    start = time.perf_counter()
    with av.open(str(source)) as container, av.open(str(target), "w") as out:
        if not container.streams.video:
            raise MediaError("the clip has no picture", hint="choose another", where=str(source))
        video = container.streams.video[0]
        video.thread_type = "AUTO"
        count = video.frames or 0
        whole = (
            (wish.last - wish.first + 1) if wish.last is not None else max(count - wish.first, 0)
        )
        line = _Line(container, out, video, codec, wish, cancel)
        colours = _Stage("colour", _coloured(line.frames(), colour, codec))
        try:
            done = 0
            for planes, layout, frame, remarks in colours:
                cancel.check()
                line.encode(planes, layout, frame, remarks)
                done += 1
                rate = done / (time.perf_counter() - start)
                left = f", {max(whole - done, 0) / rate:.0f} s left" if whole else ""
                progress(done / whole if whole else 0.0, f"{rate:.1f} frames a second{left}")
            line.finish()
        finally:
            line.stop()
            colours.stop()
    return ClipMade(done, time.perf_counter() - start, line.format, line.remarks)


def _coloured(frames: Iterator[Any], colour: Colour, codec: Codec) -> Iterator[Any]:
    """Colour decoded frames: planes out, ready to be encoded."""
    for frame in frames:
        if _is_planar(frame):
            layout = Layout.of(frame)
            held, remarks = out_layout(layout, codec)
            planes = graded_planes(frame, layout, held, colour)
        else:
            rgb, layout = _as_rgb(frame)
            held, remarks = out_layout(layout, codec)
            graded = np.empty_like(rgb)

            def one(first: int, last: int, rgb: Rgb = rgb, graded: Rgb = graded) -> None:
                graded[first:last] = colour(rgb[first:last])

            _in_stripes(len(rgb), one)
            planes = to_planes(graded, held)
        yield planes, held, frame, remarks


class _Line:
    """One clip on its way: packets in, packets out, sound beside."""

    def __init__(
        self, container: Any, out: Any, video: Any, codec: Codec, wish: ClipWish, cancel: Cancel
    ) -> None:
        self._container, self._out, self._video = container, out, video
        self._codec, self._wish, self._cancel = codec, wish, cancel
        self.format = ""
        self.remarks: tuple[str, ...] = ()
        self._made: Any = None
        self._begin = video.start_time or 0
        self._sound = {}
        for stream in container.streams.audio:
            try:
                self._sound[stream.index] = out.add_stream_from_template(stream)
            except (ValueError, av.error.FFmpegError):
                self.remarks = (
                    *self.remarks,
                    f"the sound ({stream.codec_context.name}) cannot be kept",
                )
        self._packets: list[Any] = []
        self._lock = threading.Lock()
        self._decoder = _Stage("decode", self._decoded())

    def frames(self) -> Iterator[Any]:
        return iter(self._decoder)

    def _decoded(self) -> Iterator[Any]:
        """Decode the frames that are wanted; sound packets on the way are kept for the encoder."""
        wanted = {self._video.index, *self._sound}
        streams = [s for s in self._container.streams if s.index in wanted]
        number = -1
        for packet in self._container.demux(streams):
            self._cancel.check()
            if packet.stream.index != self._video.index:
                if packet.dts is not None:
                    with self._lock:
                        self._packets.append(packet)
                continue
            for frame in packet.decode():
                number += 1
                if number < self._wish.first:
                    continue
                if self._wish.last is not None and number > self._wish.last:
                    return
                if number == self._wish.first and frame.pts is not None:
                    self._begin = frame.pts
                yield frame

    def _open(
        self,
        layout: Layout,
        width: int,
        height: int,
        rotation: float,
        remarks: tuple[str, ...],
    ) -> None:
        video, codec = self._video, self._codec
        rate = video.average_rate or video.guessed_rate or Fraction(25)
        made = self._made = self._out.add_stream(codec.encoder, rate=rate)
        context = made.codec_context
        context.width, context.height, context.pix_fmt = width, height, layout.format
        context.time_base = made.time_base = video.time_base
        context.color_range = 2 if layout.full else 1
        context.colorspace = layout.matrix
        said = next((n for n, name in H273.items() if name == self._wish.encoding), None)
        if said is None and not self._wish.encoding:
            said = video.codec_context.color_primaries, video.codec_context.color_trc
        context.color_primaries, context.color_trc = said or (2, 2)  # 2: not stated
        options = dict(codec.options)
        if codec.key in ("h264", "hevc"):
            options |= {"crf": str(self._wish.quality), "preset": EFFORTS[self._wish.effort]}
        if codec.key == "dnxhr":
            options["profile"] = "dnxhr_hqx" if layout.bits > 8 else "dnxhr_hq"
        context.options = options
        if rotation:
            made.set_display_rotation(rotation)
        timecode = self._timecode()
        if timecode:
            made.metadata["timecode"] = later(timecode, self._wish.first, Fraction(rate))
        for key in _KEPT & set(self._container.metadata):
            self._out.metadata[key] = self._container.metadata[key]
        self.format = layout.format
        self.remarks = (*self.remarks, *remarks)

    def _timecode(self) -> str:
        """Return the timecode of the source's first frame, wherever the file keeps it; "" for none."""
        places = (self._video, *self._container.streams.data, self._container)
        held = ({k.lower(): v for k, v in p.metadata.items()} for p in places)
        return next((h["timecode"] for h in held if h.get("timecode")), "")

    def encode(
        self, planes: list[Array], layout: Layout, source: Any, remarks: tuple[str, ...]
    ) -> None:
        """Encode the planes of a frame that were made from `source`, at its time."""
        pts = source.pts
        if self._made is None:
            size = planes[0].shape[1], planes[0].shape[0]
            self._open(layout, *size, float(source.rotation), remarks)
        frame = _frame_of(planes, layout)
        frame.pts = None if pts is None else pts - self._begin
        frame.time_base = self._video.time_base
        frame.color_range = 2 if layout.full else 1
        frame.colorspace = layout.matrix
        context = self._made.codec_context  # some encoders write what the frames say
        frame.color_primaries, frame.color_trc = context.color_primaries, context.color_trc
        for packet in self._made.encode(frame):
            self._out.mux(packet)
        self._mux_sound()

    def _mux_sound(self) -> None:
        with self._lock:
            ready, self._packets = self._packets, []
        begin = float(self._begin * self._video.time_base)
        for packet in ready:
            stream, base = packet.stream, packet.time_base
            shift = round(begin / base)
            if packet.pts is None or packet.pts < shift:
                continue
            packet.pts -= shift
            packet.dts -= shift
            packet.stream = self._sound[stream.index]
            self._out.mux(packet)

    def finish(self) -> None:
        if self._made is None:
            raise MediaError("the clip has no frame in that range", hint="choose earlier frames")
        for packet in self._made.encode():
            self._out.mux(packet)
        self._mux_sound()

    def stop(self) -> None:
        self._decoder.stop()
