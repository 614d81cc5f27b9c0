"""Clips graded into new clips: decode, colour and encode side by side, frame by frame.

Range, matrix, depth and chroma sampling are read from the stream and written back as they are, as
far as the codec holds them; every frame keeps its time, sound is copied.
"""

from __future__ import annotations

import contextlib
import errno
import glob
import os
import queue
import tempfile
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import ExportError, MediaError
from sfumato.media.parts.clip_check import Examination, promised
from sfumato.media.parts.contract import H273
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import cut_name, followed, placed, refusal
from sfumato.work.results.codecs import EFFORTS, Codec, codec_for, out_layout
from sfumato.work.results.planes import (
    Colour,
    Layout,
    frame_of,
    graded_planes,
    in_stripes,
    to_planes,
    to_rgb,
)
from sfumato.work.results.timecode import later

_KEPT = {"title", "artist", "copyright", "comment", "date", "creation_time"}  # of the container
_OF_THE_DISK = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO, errno.EROFS, errno.EACCES}
_LATE = 0.2  # seconds by which the length of a clip may be off
_AHEAD = 4  # frames in hand between two stages


@frozen
class ClipWish:
    """What is to be written: "" or None = as the source is, or as is usual for the suffix."""

    codec: str = ""
    quality: int = 16  # constant rate factor of H.264 and HEVC: less is better
    effort: str = "quick"  # of H.264 and HEVC, a key of EFFORTS
    first: int = 0
    last: int | None = None
    encoding: str = ""  # of the result; "" = the stream says what the source's says
    damaged: bool = False  # write it even when the source is short or damaged


@frozen
class ClipMade:
    """What was written: frames, seconds it took, the pixel format, and what could not be kept."""

    frames: int
    seconds: float
    format: str
    remarks: tuple[str, ...] = ()


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
        MediaError: the source cannot be decoded, or it is short or damaged and that is not wished.
        Cancelled: before the file was there; nothing is left.
    """
    file, codec = followed(Path(target)), codec_for(Path(target), wish.codec)
    cancel = cancel or Cancel()
    if file.exists() and not force:
        raise ExportError(
            "the file exists already", hint="choose another name or replace it", where=str(file)
        )
    part = f".{cut_name(file.stem, 100)}.part"
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
    except (av.error.FFmpegError, OSError) as error:  # those of the source are told as such
        number = getattr(error, "errno", None)
        if number in _OF_THE_DISK:
            raise refusal(OSError(number, os.strerror(number)), file, ExportError) from error
        raise ExportError(
            "the clip cannot be encoded", hint=str(error)[:120], where=str(file)
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
    with (
        _opened(source) as container,
        av.open(str(target), "w") as out,
        contextlib.ExitStack() as ending,
    ):
        if not container.streams.video:
            raise MediaError("the clip has no picture", hint="choose another", where=str(source))
        video = container.streams.video[0]
        video.thread_type = "AUTO"
        examination = Examination(str(source), wish.first, wish.last)
        ending.callback(examination.stop)
        count, seconds = promised(container, video)
        ends = [n for n in (count - 1 if count else None, wish.last) if n is not None]
        whole = max(min(ends) - wish.first + 1, 0) if ends else 0
        line = _Line(source, container, out, video, codec, wish, cancel)
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
        faults = [*_early(line, done, whole if count else 0, seconds)]
        faults += [words for words in (examination.result().words(),) if words]
    if faults and not wish.damaged:
        raise MediaError(
            "; ".join(faults),
            hint="copy it again, or allow short and damaged clips",
            where=str(source),
        )
    return ClipMade(done, time.perf_counter() - start, line.format, (*line.remarks, *faults))


def _early(line: _Line, done: int, whole: int, seconds: float) -> Iterator[str]:
    """Say that the source ends early: by its count of frames, else by its length in seconds."""
    if done < whole:
        yield f"the source ends early: {done} of {whole} frames are there"
    elif not whole and line.is_to_the_end and seconds - line.reached > _LATE:
        yield f"the source ends early: {line.reached:.2f} s of {seconds:.2f} s are there"


def _of_source(source: Path, error: Exception) -> MediaError:
    return MediaError("the clip cannot be decoded", hint=str(error)[:120], where=str(source))


@contextlib.contextmanager
def _opened(source: Path) -> Iterator[Any]:
    """Open the source.

    Raises:
        MediaError: it cannot be read.
    """
    try:
        container = av.open(str(source))
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise _of_source(source, error) from error
    with container:
        yield container


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

            in_stripes(len(rgb), one)
            planes = to_planes(graded, held)
        yield planes, held, frame, remarks


class _Line:
    """One clip on its way: packets in, packets out, sound beside."""

    def __init__(
        self,
        source: Path,
        container: Any,
        out: Any,
        video: Any,
        codec: Codec,
        wish: ClipWish,
        cancel: Cancel,
    ) -> None:
        self._source = source
        self._container, self._out, self._video = container, out, video
        self._codec, self._wish, self._cancel = codec, wish, cancel
        self.format = ""
        self.remarks: tuple[str, ...] = ()
        self._made: Any = None
        self._begin = video.start_time or 0
        self._start = float(self._begin * video.time_base)
        self.reached = 0.0  # seconds of the source that were there
        self.is_to_the_end = wish.last is None
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
        self._decoder = _Stage("decode", self._told(self._decoded()))

    def frames(self) -> Iterator[Any]:
        return iter(self._decoder)

    def _told(self, frames: Iterator[Any]) -> Iterator[Any]:
        """Yield decoded frames; a fault of the source is told as one."""
        try:
            yield from frames
        except (av.error.FFmpegError, OSError) as error:
            raise _of_source(self._source, error) from error

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
            if packet.pts is not None and packet.time_base:
                end = float((packet.pts + (packet.duration or 0)) * packet.time_base)
                self.reached = max(self.reached, end - self._start)
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
        frame = frame_of(planes, layout)
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
