"""One clip on its way: a stage of work in a thread of its own, packets in, packets out, sound beside."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError
from sfumato.media.parts.contract import H273
from sfumato.work.cancel import Cancel
from sfumato.work.results.codecs import EFFORTS, Codec
from sfumato.work.results.planes import (
    Layout,
    frame_of,
)
from sfumato.work.results.timecode import later

_KEPT = {"title", "artist", "copyright", "comment", "date", "creation_time"}  # of the container
_MOST_EARLY = 10  # seconds that a frame is decoded before it is shown
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


class Stage:
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


def of_source(source: Path, error: Exception) -> MediaError:
    return MediaError("the clip cannot be decoded", hint=str(error)[:120], where=str(source))


class Line:
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
        self._shift: int | None = None  # of decode times; unknown until the first packet
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
        self._decoder = Stage("decode", self._told(self._decoded()))

    def frames(self) -> Iterator[Any]:
        return iter(self._decoder)

    def _told(self, frames: Iterator[Any]) -> Iterator[Any]:
        """Yield decoded frames; a fault of the source is told as one."""
        try:
            yield from frames
        except (av.error.FFmpegError, OSError) as error:
            raise of_source(self._source, error) from error

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
        self._mux(self._made.encode(frame))
        self._mux_sound()

    def _mux(self, packets: list[Any]) -> None:
        """Write packets of the encoder.

        Of a clip of one or two frames the HEVC encoder gives decode times out of memory that it never
        wrote; those are put where the frames are shown.
        """
        for packet in packets:
            if self._shift is None and packet.pts is not None and packet.dts is not None:
                early = (packet.pts - packet.dts) * packet.time_base
                self._shift = 0 if 0 <= early <= _MOST_EARLY else packet.pts - packet.dts
            if self._shift:
                packet.dts += self._shift
            self._out.mux(packet)

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
        self._mux(self._made.encode())
        self._mux_sound()

    def stop(self) -> None:
        self._decoder.stop()
