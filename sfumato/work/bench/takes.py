"""Takes: what a monitor records onto its card, a clip and a note of what it is beside it."""

from __future__ import annotations

import itertools
import os
import time
from collections.abc import Callable
from pathlib import Path

import attrs
import av
from attrs import frozen

from sfumato.core.bench.monitor import RECORDING, through_monitor
from sfumato.core.bench.signal import Signal
from sfumato.core.colour.encodings import encodings
from sfumato.core.errors import ExportError, MediaError, SfumatoError, StudyError
from sfumato.work.bench import devices, mounting
from sfumato.work.bench.coding import CODEC, RATE, opened, write
from sfumato.work.bench.devices import BUFFER, Rig
from sfumato.work.bench.feeds import Feed
from sfumato.work.bench.places import Loaded
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import (
    exists,
    is_file,
    json_bytes,
    make_folder,
    read_json,
    stamp_of,
    write_bytes,
)
from sfumato.work.results.clips import sweep
from sfumato.work.results.timecode import later

NOTE = ".take.json"
_MARK = "sfumato take"
_MOST = 64 << 10
_START = "01:00:00:00"
_LOOK = 12  # frames between two looks at the card
_SPARE = 1 << 20  # bytes that are kept free, for what a file needs at its end


@frozen
class Take:
    """What is known of a recording.

    Attributes:
        look: the name of the look that is burnt in, "" when the picture is natural.
        encoding: what its codes mean, "" when that is not known.
        ended: why it ended before it was stopped, "" when it was stopped.
    """

    device: str
    source: str
    look: str
    encoding: str
    timecode: str
    frames: int
    rate: int = RATE
    ended: str = ""

    @property
    def says(self) -> str:
        """What it is, in a few words."""
        return f"recorded, {self.look} burnt in" if self.look else "recorded natural"


def note_of(clip: Path) -> Path:
    return clip.with_name(clip.stem + NOTE)


def take_of(clip: Path) -> Take | None:
    """Return what stands beside a clip of what it is, None for nothing, or nothing that can be read."""
    note = note_of(clip)
    if not is_file(note):
        return None
    try:
        plain = read_json(note, "a note of a take", "", _MOST)
        if not isinstance(plain, dict) or plain.pop(_MARK, None) != 1:
            return None
        kept = {f.name: plain[f.name] for f in attrs.fields(Take)}
    except (StudyError, KeyError):
        return None
    words = [v for k, v in kept.items() if k not in ("frames", "rate")]
    if not all(isinstance(w, str) and len(w) < 300 for w in words):
        return None
    if not all(type(kept[k]) is int and 0 <= kept[k] < 1 << 40 for k in ("frames", "rate")):
        return None
    take = Take(**kept)
    return take if take.encoding in ("", *encodings()) else attrs.evolve(take, encoding="")


@frozen
class Recorded:
    """What was recorded: the clip where it lies now, and its note."""

    file: Path
    take: Take
    on_card: bool


def record(
    rig: Rig,
    feed: Feed,
    signal: Callable[[int], Signal],
    lut: Loaded | None,
    ends: Callable[[int], str | None],
    *,
    start: int = 0,
    in_time: bool = False,
    cancel: Cancel | None = None,
    told: Progress = silent,
    seen: Callable[[int, Signal], None] = lambda _number, _signal: None,
) -> Recorded:
    """Record frames until something ends it, onto the card; without one the take waits in the device.

    Args:
        signal: gives the natural frame of a number.
        lut: what stands in the chosen place; it is burnt in when the device is used so.
        ends: is asked before each frame, by its number; a text ends the take: "" = it was stopped.
        start: the frame of the feed that comes first.
        in_time: go no faster than the frames come by the cable.
        seen: is given each natural frame that was recorded, by its number in the feed.
    Raises:
        ExportError: nothing could be written, and nothing is left.
        MediaError: a frame could not be decoded, or there was none.
        Cancelled: nothing is left.
    """
    suffix = CODEC[rig.monitor.codec][2]
    buffer = rig.folder / BUFFER
    make_folder(buffer)
    part = ".take.part"
    sweep(buffer, part)
    temporary = buffer / f"{part}{os.getpid()}-{time.monotonic_ns()}{suffix}"
    burnt = rig.state.use == RECORDING and lut is not None
    timecode = later(_START, rig.state.run, RATE)
    cancel = cancel or Cancel()
    room = mounting.room_left(rig) - _SPARE
    ended, count = "", 0
    try:
        with av.open(str(temporary), "w") as out:
            stream = opened(out, rig.monitor.codec, feed.width, feed.height, timecode)
            began = time.perf_counter()
            for count in itertools.count():
                cancel.check()
                why = ends(count)
                if why is None and not count % _LOOK:
                    why = _of_card(rig, temporary, room)
                if why is not None:
                    ended = why
                    break
                frame = natural = signal(start + count)
                if burnt:
                    assert lut is not None
                    frame = through_monitor(rig.monitor, lut.kept, frame)
                write(out, stream, frame, count)
                seen(start + count, natural)
                told(0.0, f"{count // RATE // 60:02}:{count // RATE % 60:02}:{count % RATE:02}")
                if in_time:
                    time.sleep(max(0.0, (count + 1) / RATE - (time.perf_counter() - began)))
            if not count:
                raise MediaError("nothing was recorded: " + (ended or "it was stopped at once"))
            for packet in stream.encode():
                out.mux(packet)
        take = Take(
            rig.monitor.title,
            feed.shot.name[:200],
            lut.name if burnt and lut is not None else "",
            lut.gives if burnt and lut is not None else feed.encoding,
            timecode,
            count,
            ended=ended,
        )
        return _kept(rig, temporary, take)
    except (av.error.FFmpegError, OSError) as error:
        raise ExportError(
            "the take cannot be written: the disk is full or cannot be written",
            where=str(buffer),
        ) from error
    finally:
        temporary.unlink(missing_ok=True)


def _of_card(rig: Rig, file: Path, room: int) -> str | None:
    """Say why the card ends a take; None while it does not."""
    if rig.card is not None and not rig.has_card:
        return "the card was pulled"
    if rig.card is not None and (stamp_of(file) or (0, 0))[1] > room:
        return "the card is full"
    return None


def _kept(rig: Rig, temporary: Path, take: Take) -> Recorded:
    """Give a finished take its name on the card, or in the device where the card does not take it."""
    stem = _next_name(rig)
    own = rig.folder / BUFFER / f"{stem}{temporary.suffix}"
    write_bytes(note_of(own), json_bytes({_MARK: 1, **attrs.asdict(take)}))
    temporary.rename(own)
    devices.changed(rig, lambda now: attrs.evolve(now.state, run=now.state.run + take.frames))
    if rig.card is None or not rig.has_card:
        return Recorded(own, take, False)
    try:
        note = mounting.moved(note_of(own), rig.card)
        return Recorded(mounting.moved(own, rig.card), take, True)
    except SfumatoError:  # pulled or full in the last moment: it waits in the device, whole
        note = note_of(rig.card / own.name)
        if is_file(note) and is_file(own):
            mounting.moved(note, own.parent)
        return Recorded(own, take, False)


def _next_name(rig: Rig) -> str:
    """Return a name that no take has, on the card or in the device."""
    places = [rig.folder / BUFFER, *([rig.card] if rig.card is not None else [])]
    for number in itertools.count(1):
        stem = f"TAKE_{number:03}"
        if not any(exists(p / f"{stem}{s}") for p in places for s in (".mov", ".mkv", NOTE)):
            return stem
    raise AssertionError  # pragma: no cover
