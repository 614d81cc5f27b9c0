"""Clips graded into new clips: decode, colour and encode side by side, frame by frame.

Range, matrix, depth and chroma sampling are read from the stream and written back as they are, as
far as the codec holds them; every frame keeps its time, sound is copied.
"""

from __future__ import annotations

import contextlib
import errno
import glob
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.errors import ExportError, MediaError, NameTaken
from sfumato.media.parts.clip_check import Examination, promised
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import cut_name, exists, followed, placed, refusal
from sfumato.work.results.clip_line import ClipWish, Line, Stage, of_source
from sfumato.work.results.codecs import Codec, codec_for, out_layout
from sfumato.work.results.planes import (
    Colour,
    Layout,
    graded_planes,
    in_stripes,
    to_planes,
    to_rgb,
)

_USUAL = ClipWish()
_OF_THE_DISK = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO, errno.EROFS, errno.EACCES}
_LATE = 0.2  # seconds by which the length of a clip may be off


@frozen
class ClipMade:
    """What was written: frames, seconds it took, the pixel format, and what could not be kept."""

    frames: int
    seconds: float
    format: str
    remarks: tuple[str, ...] = ()


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
    wish: ClipWish = _USUAL,
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
    if exists(file) and not force:
        raise NameTaken(str(file))
    part = f".{cut_name(file.stem, 100)}.part"
    try:
        sweep(file.parent, part)
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
            f"{codec.title} cannot hold this clip", hint="choose another codec", where=str(file)
        ) from error
    except ExportError as error:
        raise error.at(str(file)) from error.__cause__
    finally:
        temporary.unlink(missing_ok=True)
    return made


def sweep(folder: Path, part: str) -> None:
    """Remove what a run that was killed has left of the same result."""
    for left in folder.glob(f"{glob.escape(part)}*"):
        number = left.name[len(part) :].split("-")[0]
        if number.isdigit() and not exists(Path(f"/proc/{number}")):
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
        line = Line(source, container, out, video, codec, wish, cancel)
        colours = Stage("colour", _coloured(line.frames(), colour, codec))
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


def _early(line: Line, done: int, whole: int, seconds: float) -> Iterator[str]:
    """Say that the source ends early: by its count of frames, else by its length in seconds."""
    if done < whole:
        yield f"the source ends early: {done} of {whole} frames are there"
    elif not whole and line.is_to_the_end and seconds - line.reached > _LATE:
        yield f"the source ends early: {line.reached:.2f} s of {seconds:.2f} s are there"


@contextlib.contextmanager
def _opened(source: Path) -> Iterator[Any]:
    """Open the source.

    Raises:
        MediaError: it cannot be read.
    """
    try:
        container = av.open(str(source))
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise of_source(source, error) from error
    with container:
        yield container


def _coloured(frames: Iterator[Any], colour: Colour, codec: Codec) -> Iterator[Any]:
    """Colour decoded frames: planes out, ready to be encoded."""
    for frame in frames:
        if _is_planar(frame):
            layout = Layout.of(frame)
            held, remarks = out_layout(layout, codec, frame.width, frame.height)
            planes = graded_planes(frame, layout, held, colour)
        else:
            rgb, layout = _as_rgb(frame)
            held, remarks = out_layout(layout, codec, frame.width, frame.height)
            graded = np.empty_like(rgb)

            def one(first: int, last: int, rgb: Rgb = rgb, graded: Rgb = graded) -> None:
                graded[first:last] = colour(rgb[first:last])

            in_stripes(len(rgb), one)
            planes = to_planes(graded, held)
        yield planes, held, frame, remarks
