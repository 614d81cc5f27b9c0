"""Frames of a signal through the codecs that monitors record with: 10 bit, 4:2:2, legal range."""

from __future__ import annotations

import io
from fractions import Fraction
from typing import Any

import av
import numpy as np

from sfumato.core.bench.signal import Signal
from sfumato.work.results.codecs import CODECS
from sfumato.work.results.planes import Layout, frame_of, planes_of

RATE = 25
# The encoder, its options and the suffix. This ProRes encoder is three times as fast as the one for results:
# a recorder has to keep up.
CODEC: dict[str, tuple[str, dict[str, str], str]] = {
    "ProRes": ("prores", {"profile": "3"}, ".mov"),
    "FFV1": ("ffv1", dict(CODECS["ffv1"].options), ".mkv"),
}
_THREADS = 2
_LAYOUT = Layout(10, 2, 1, False, 1)


def opened(out: Any, codec: str, width: int, height: int, timecode: str) -> Any:
    """Return a stream of a container for frames of that size."""
    encoder, options, _suffix = CODEC[codec]
    stream = out.add_stream(encoder, rate=Fraction(RATE))
    context = stream.codec_context
    context.width, context.height, context.pix_fmt = width, height, _LAYOUT.format
    context.color_range, context.colorspace = 1, 1
    context.color_primaries, context.color_trc = 2, 2  # not stated
    context.options = options
    context.thread_count, context.thread_type = _THREADS, "AUTO"
    stream.metadata["timecode"] = timecode
    return stream


def write(out: Any, stream: Any, signal: Signal, number: int) -> None:
    """Encode a frame."""
    frame = frame_of([signal.y, signal.cb, signal.cr], _LAYOUT)
    frame.pts, frame.time_base = number, Fraction(1, RATE)
    frame.color_range, frame.colorspace = 1, 1
    for packet in stream.encode(frame):
        out.mux(packet)


def coded(signal: Signal, codec: str) -> Signal:
    """Return a frame as it comes back from a codec."""
    box = io.BytesIO()
    with av.open(box, "w", format="mov" if CODEC[codec][2] == ".mov" else "matroska") as out:
        stream = opened(out, codec, *signal.size, "00:00:00:00")
        write(out, stream, signal, 0)
        for packet in stream.encode():
            out.mux(packet)
    box.seek(0)
    with av.open(box, "r") as back:
        frame = next(back.decode(video=0))
        wide = signal.y.shape[1], signal.cb.shape[1], signal.cr.shape[1]
        planes = (p[:, :w] for p, w in zip(planes_of(frame, _LAYOUT), wide, strict=True))
        return Signal(*(np.array(p, np.uint16) for p in planes))
