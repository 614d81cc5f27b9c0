"""Frames of a clip, decoded by the FFmpeg libraries and turned into RGB by our own arithmetic."""

from __future__ import annotations

import bisect
import contextlib
import io
import threading
import weakref
from collections.abc import Iterator
from typing import Any

import attrs
import numpy as np

from sfumato.core import luma
from sfumato.core.arrays import Array
from sfumato.core.colour.ranges import BLACK, WHITE
from sfumato.core.compiled import KERNELS
from sfumato.core.errors import MediaError
from sfumato.media.parts.contract import FrameFacts, MediaSpec, Still
from sfumato.media.parts.upright import check_size

# Luma weights Kr, Kb: ITU-R BT.709-6, BT.601-7, BT.2020-2; keys are H.273 matrix coefficients.
WEIGHTS = {
    1: (luma.WEIGHTS[0], luma.WEIGHTS[2]),
    5: (0.299, 0.114),
    6: (0.299, 0.114),
    9: (0.2627, 0.0593),
}
_ONWARDS = 12  # frames that are decoded through rather than sought
# Transfer characteristics of H.273 that name one of our encodings beyond doubt; cameras write
# BT.709 into everything, so that says nothing.
_STATED = {16: "BT.2100 PQ", 18: "BT.2100 HLG"}
_NAMES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020"}


def sniff(head: bytes) -> bool:
    return (
        head[4:8] == b"ftyp"
        or head[:4] == b"\x1aE\xdf\xa3"
        or head[4:8] in (b"moov", b"mdat", b"wide")
    )


def matrix_of(frame: Any) -> int:
    """Return the H.273 matrix of a frame: what it states, or else what its size makes likely."""
    matrix = int(frame.colorspace)
    return matrix if matrix in WEIGHTS else 1 if frame.height >= 720 else 6


def _planes(frame: Any) -> tuple[list[Array], int]:
    """Return the planes as integer arrays, whose lines may go on beyond the picture, and the bits of a sample."""
    components = frame.format.components
    bits = components[0].bits
    kind = np.dtype("<u2" if bits > 8 else "u1")
    planes = []
    for plane in frame.planes:
        planes.append(
            np.frombuffer(plane, kind).reshape(plane.height, plane.line_size // kind.itemsize)
        )
    return planes, bits


def _enlarged(plane: Array, width: int, height: int) -> Array:
    """Bring a chroma plane to full size: linear, samples sited left, centred between lines."""
    out = plane.astype(np.float32)
    if out.shape[1] < width:
        right = np.concatenate([out[:, 1:], out[:, -1:]], axis=1)
        wide = np.empty((out.shape[0], out.shape[1] * 2), np.float32)
        wide[:, 0::2] = out
        wide[:, 1::2] = (out + right) / 2
        out = wide[:, :width]
    if out.shape[0] < height:
        above = np.concatenate([out[:1], out[:-1]])
        below = np.concatenate([out[1:], out[-1:]])
        tall = np.empty((out.shape[0] * 2, out.shape[1]), np.float32)
        tall[0::2] = 0.75 * out + 0.25 * above
        tall[1::2] = 0.75 * out + 0.25 * below
        out = tall[:height]
    return out


def to_rgb(frame: Any) -> tuple[Array, str, tuple[str, ...]]:
    """Turn a decoded frame into float32 RGB code values (h, w, 3), full range 0..1, unclipped."""
    remarks: list[str] = []
    if not frame.format.name.startswith("yuv"):
        rgb = frame.to_ndarray(format="rgb48le").astype(np.float32) / np.float32(65535)
        return rgb, f"{frame.format.name}", ()
    planes, bits = _planes(frame)
    full = frame.color_range == 2 or frame.format.name.startswith("yuvj")
    if frame.color_range == 0 and not full:
        remarks.append("the range is not stated: taken as legal range")
    matrix = matrix_of(frame)
    if int(frame.colorspace) not in WEIGHTS:
        remarks.append(f"the matrix is not stated: taken as {_NAMES[matrix]}")
    numbers = unpacking(bits, full, matrix)
    if KERNELS.are_loaded:
        from sfumato.core.kernels import video

        rgb = np.empty((frame.height, frame.width, 3), np.float32)
        video.unpack(*planes, frame.height, chroma_width(frame), numbers, rgb, 0)
    else:
        rgb = _unpacked(planes, frame, numbers)
    said = f"{bits} bit, {'full' if full else 'legal'} range, {_NAMES[matrix]} matrix"
    return rgb, said, tuple(remarks)


def chroma_width(frame: Any) -> int:
    """Return how many chroma samples a line of the picture has."""
    return int(frame.format.components[1].width)


def unpacking(bits: int, full: bool, matrix: int) -> Array:
    """Return the numbers of `core/kernels/video.unpack`: offset and scale of luma, middle and scale of
    chroma, then 2(1-kr), 2(1-kb), kr, kb, 1/kg."""
    kr, kb = WEIGHTS[matrix]
    low, size, half, chroma = codes(bits, full)
    numbers = (low, 1 / size, half, 1 / chroma, 2 * (1 - kr), 2 * (1 - kb), kr, kb)
    return np.array((*numbers, 1 / (1 - kr - kb)), np.float32)


def codes(bits: int, full: bool) -> tuple[float, float, float, float]:
    """Return offset and size of luma, middle and size of chroma, in codes.

    >>> codes(10, False)
    (64.0, 876.0, 512.0, 896.0)
    """
    scale, half = float(1 << (bits - 8)), float(1 << (bits - 1))
    top = float((1 << bits) - 1)
    if full:
        return 0.0, top, half, top
    return BLACK * scale, (WHITE - BLACK) * scale, half, 224 * scale


def _unpacked(planes: list[Array], frame: Any, numbers: Array) -> Array:
    """The kernel's arithmetic in NumPy."""
    low, size, half, chroma, more_red, more_blue, kr, kb, per_green = numbers
    width, height = frame.width, frame.height
    y = (planes[0][:height, :width].astype(np.float32) - low) * size
    cb, cr = (
        (_enlarged(p[:, : chroma_width(frame)], width, height) - half) * chroma for p in planes[1:3]
    )
    red, blue = y + more_red * cr, y + more_blue * cb
    return np.stack([red, (y - kr * red - kb * blue) * per_green, blue], -1)


class Clip:
    """The first video stream of a clip, frame by frame; frames are counted from 0.

    Frames near the last one are decoded onwards, others found by seeking to the key frame before
    them. Safe to use from several threads, one at a time. It closes when nobody has it any more.
    """

    def __init__(self, source: str | io.BytesIO) -> None:
        """Open a file, by path, or bytes.

        Raises:
            MediaError: it has no picture or cannot be decoded.
        """
        import av  # here, and below: the window is there before it is loaded

        self._lock = threading.Lock()
        self._ahead: Any = None
        self._next = 0
        with _as_media_error():
            self._container = container = av.open(source, "r")
            # The library's container and streams hold one another: left to the collector of cycles, which
            # looks through old things seldom, decoders of clips that nobody had piled up.
            weakref.finalize(self, container.close).atexit = False
            if not self._container.streams.video:
                raise MediaError(
                    "the clip has no picture", hint="choose a file with a video stream"
                )
            stream = self._stream = self._container.streams.video[0]
            check_size(stream.codec_context.width, stream.codec_context.height)
            self.size = stream.codec_context.width, stream.codec_context.height
            stream.thread_type = "AUTO"
            rate = stream.average_rate or stream.guessed_rate or 25
            self.rate = float(rate)
            self._base = float(stream.time_base or 1 / 90000)  # seconds a tick
            length = stream.duration * self._base if stream.duration else 0.0
            self._start = stream.start_time or 0
            self._times = self._uneven_times()
            self.seconds = tuple((t - self._times[0]) * self._base for t in self._times)
            counted = len(self._times) or int(stream.frames)
            self.count = counted or max(1, round(length * self.rate))
            self.turns = self._quarter_turns()
            if self.turns % 2:
                self.size = self.size[1], self.size[0]

    def _uneven_times(self) -> list[int]:
        """Return the time stamps of all frames in order, unless the file says that they are even.

        Found by a look through the packets, which decodes nothing; [] for an even clip.
        """
        stream = self._stream
        even = stream.base_rate
        if stream.frames and even and abs(float(even) / self.rate - 1) < 0.01:
            return []
        times = sorted(p.pts for p in self._container.demux(stream) if p.pts is not None)
        self._container.seek(0, stream=stream, backward=True)
        return times

    def _quarter_turns(self) -> int:
        """Return by how many quarter turns, against the clock, the first frame is to be turned."""
        for decoded in self._container.decode(self._stream):
            self._container.seek(0, stream=self._stream, backward=True)
            return round(decoded.rotation / 90) % 4
        return 0

    def _number(self, frame: Any) -> int:
        """Return the number of a decoded frame, from its time."""
        if frame.pts is None:
            return self._next
        if self._times:
            return bisect.bisect_left(self._times, frame.pts)
        number: int = round((frame.pts - self._start) * self._base * self.rate)
        return number

    def _seek(self, number: int) -> None:
        at = int(number / self.rate / self._base) + self._start
        if self._times:
            at = self._times[min(number, len(self._times) - 1)]
        self._container.seek(max(at, 0), stream=self._stream, backward=True)
        self._ahead = self._container.decode(self._stream)

    def _decoded(self, number: int) -> Any:
        """Return a frame as the library gives it; the lock is held."""
        if self._ahead is None or not self._next <= number <= self._next + _ONWARDS:
            self._seek(number)
        for decoded in self._ahead:
            here = self._number(decoded)
            self._next = here + 1
            if here >= number:
                return decoded
        self._ahead = None
        raise MediaError(f"the clip has no frame {number}", hint="choose an earlier frame")

    def _facts(self, number: int, said: str, remarks: tuple[str, ...], trc: int) -> FrameFacts:
        count = max(self.count, number + 1)
        facts = FrameFacts(said, remarks=remarks, frames=count, rate=self.rate, times=self.seconds)
        if trc not in _STATED:
            return facts
        evidence = f"the stream states its transfer characteristics: {_STATED[trc]}"
        return attrs.evolve(facts, encoding=_STATED[trc], evidence=evidence)

    def frame(self, number: int) -> Still:
        """Decode one frame.

        Raises:
            MediaError: there is no such frame, or it cannot be decoded.
        """
        with self._lock, _as_media_error():
            decoded = self._decoded(number)
            pixels, said, remarks = to_rgb(decoded)
        pixels = np.ascontiguousarray(np.rot90(pixels, self.turns))
        return Still(pixels, self._facts(number, said, remarks, int(decoded.color_trc)))

    def quick(self, number: int, width: int, height: int) -> Still:
        """Decode one frame at a size for playing: by the library's own scaler, clipped to 0..1.

        Raises:
            MediaError: there is no such frame, or it cannot be decoded.
        """
        pixels, trc = self._small(number, width, height, "rgb48le")
        return Still(pixels, self._facts(number, "", (), trc))

    def rgb8(self, number: int, width: int, height: int) -> Array:
        """Return one frame as uint8 (height, width, 3), full range, by the library's own scaler.

        Raises:
            MediaError: there is no such frame, or it cannot be decoded.
        """
        return self._small(number, width, height, "rgb24")[0]

    def _small(self, number: int, width: int, height: int, kind: str) -> tuple[Array, int]:
        """Return one frame at a size in a pixel format, upright, and what it says of its transfer."""
        with self._lock, _as_media_error():
            decoded = self._decoded(number)
            matrix = matrix_of(decoded)
            if self.turns % 2:
                width, height = height, width
            small = decoded.reformat(
                width,
                height,
                kind,
                src_colorspace=5 if matrix == 6 else matrix,
                dst_color_range="JPEG",
                interpolation="FAST_BILINEAR",
            )
            pixels = np.ascontiguousarray(np.rot90(small.to_ndarray(), self.turns))
            return pixels, int(decoded.color_trc)

    def video(self, number: int, width: int, height: int) -> list[Array]:
        """Return one frame, not turned, as planes of 10-bit legal-range 4:2:2, by the library's own scaler.

        Raises:
            MediaError: there is no such frame, or it cannot be decoded.
        """
        with self._lock, _as_media_error():
            decoded = self._decoded(number)
            matrix = matrix_of(decoded)
            frame = decoded.reformat(
                width,
                height,
                "yuv422p10le",
                src_colorspace=5 if matrix == 6 else matrix,
                dst_colorspace=1,
                dst_color_range="MPEG",
                interpolation="FAST_BILINEAR",
            )
            wide = (width, -(-width // 2), -(-width // 2))
            return [p[:, :w].copy() for p, w in zip(_planes(frame)[0], wide, strict=True)]

    def close(self) -> None:
        with self._lock:
            self._container.close()


@contextlib.contextmanager
def _as_media_error() -> Iterator[None]:
    import av

    try:
        yield
    except (av.error.FFmpegError, ValueError, OSError, EOFError) as error:
        raise MediaError(
            "the clip is damaged or of a kind that cannot be decoded", hint="export it again"
        ) from error


def read(data: bytes, frame: int) -> Still:
    """Decode frame number `frame` (from 0) of the first video stream.

    Raises:
        MediaError: there is no such stream or frame, or it cannot be decoded.
    """
    clip = Clip(io.BytesIO(data))
    try:
        return clip.frame(frame)
    finally:
        clip.close()


SPEC = MediaSpec("clip", "Clip (a frame of it)", (".mov", ".mp4", ".mkv", ".m4v"), sniff, read)
