"""What a monitor shows: a frame of its feed through the device, as the screen before us shows it."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.bench.monitor import HALF, RECORDING, half_and_half, over, through_monitor
from sfumato.core.bench.signal import Signal, from_signal, to_signal
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import FormatError
from sfumato.core.measure import scopes
from sfumato.core.study.study import Study
from sfumato.work.bench.coding import RATE
from sfumato.work.bench.devices import Place, Rig
from sfumato.work.bench.feeds import Feed, signal_of
from sfumato.work.bench.monitors import Proof, proof
from sfumato.work.bench.places import Loaded, ready
from sfumato.work.cancel import Cancel
from sfumato.work.preview import glass
from sfumato.work.preview.preview import Previewer
from sfumato.work.results.planes import in_stripes
from sfumato.work.results.timecode import later

_STRIPE = 4  # pixels
_TILE = (128, 72)
_ROWS = 68  # that are worked on at a time


@frozen(eq=False)
class Screen:
    """One frame on the screen of a device.

    Attributes:
        picture: uint8 (h, w, 3), with the zebra; black while the device is off.
        waveform: of what leaves it, uint8 (256, 512, 3); None while the device is off, and for every second
            frame while it plays.
        share_over: of its pixels that lie over the zebra's level.
    """

    feed: Feed
    number: int
    picture: Array
    waveform: Array | None
    share_over: float
    timecode: str


class Looks:
    """The LUTs of places, read once and kept while their files stand there."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, Place], Loaded] = {}

    def of(self, rig: Rig, place: Place | None) -> Loaded | None:
        """Return what stands in a place; None for an empty one.

        Raises:
            FormatError: its file is gone or damaged.
        """
        if place is None:
            return None
        key = (rig.monitor, place)
        found = self._known.get(key)
        if found is None:
            self._known = {
                k: v
                for k, v in self._known.items()
                if k[0] == rig.monitor and k[1] in rig.state.places
            }
            found = self._known[key] = ready(rig, place)
        return found


def leaves(rig: Rig, lut: Loaded | None, natural: Signal) -> Signal:
    """Return the frame that leaves a device for its screen."""
    if lut is None:
        return natural
    graded = through_monitor(rig.monitor, lut.kept, natural)
    if rig.state.use == HALF:
        return half_and_half(natural, graded, rig.state.line)
    return graded


def screen(
    rig: Rig,
    looks: Looks,
    feed: Feed,
    number: int,
    study: Study,
    previewer: Previewer,
    *,
    quick: bool = False,
    natural: Signal | None = None,
) -> Screen:
    """Return a frame of the feed as a device shows it; `natural` is that frame, where it is known already.

    Raises:
        MediaError: the frame cannot be decoded.
        FormatError: the LUT in the chosen place is gone or damaged.
    """
    timecode = later("00:00:00:00", number, RATE)
    if not rig.state.is_on:
        black = np.zeros((feed.height, feed.width, 3), np.uint8)
        return Screen(feed, number, black, None, 0.0, timecode)
    if natural is None:
        natural = signal_of(feed, number, previewer.frames, quick=quick)
    incoming = natural
    lut, display = looks.of(rig, rig.place), encoding(study.view.encoding)
    seen = np.empty((feed.height, feed.width, 3), np.uint8)
    stripes, counts = _stripes(feed.height, feed.width), [0]

    def one(first: int, last: int) -> None:
        signal = leaves(rig, lut, incoming.rows(first, last))
        part = glass.shown_signal(signal, display, previewer.screen, quick=quick)
        if rig.state.zebra:
            bright = over(signal, rig.state.zebra)
            count = int(np.count_nonzero(bright))
            if count:
                counts.append(count)
                dark = 255 - part // 4
                part = np.where((bright & stripes[first:last])[..., None], dark, part)
        seen[first:last] = part

    in_stripes(feed.height, one, _ROWS)
    waveform = None
    if not (quick and number % 2):
        counted = seen[::2] if quick else seen
        waveform = scopes.drawn("waveform", scopes.counted("waveform", counted))[..., :3]
    return Screen(feed, number, seen, waveform, sum(counts) / (feed.height * feed.width), timecode)


@lru_cache(maxsize=2)
def _stripes(height: int, width: int) -> Array:
    rows, columns = np.indices((height, width), np.int32)
    return np.asarray((rows + columns) // _STRIPE % 2 == 0)


def place_pictures(
    rig: Rig,
    looks: Looks,
    feed: Feed,
    number: int,
    study: Study,
    previewer: Previewer,
    cancel: Cancel,
) -> dict[int, Array]:
    """Return a small picture of the feed through each place, uint8 (h, w, 3) by the place's index."""
    natural = signal_of(feed, number, previewer.frames)
    step = max(1, feed.width // _TILE[0])
    small = to_signal(np.ascontiguousarray(from_signal(natural)[::step, ::step]))
    found, display = {}, encoding(study.view.encoding)
    for i, place in enumerate(rig.state.places):
        cancel.check()
        try:
            lut = looks.of(rig, place)
        except FormatError:
            continue
        if lut is not None:
            signal = through_monitor(rig.monitor, lut.kept, small)
            found[i] = glass.shown_signal(signal, display, previewer.screen, quick=False)
    return found


def proof_of(rig: Rig, looks: Looks, feed: Feed, number: int, previewer: Previewer) -> Proof | None:
    """Measure what the chosen place makes of a frame against its exact look; None without one."""
    lut = looks.of(rig, rig.place)
    if lut is None or not rig.state.is_on:
        return None
    rgb = from_signal(signal_of(feed, number, previewer.frames))
    return proof(
        rig.monitor, lut.transform, np.clip(rgb, 0, 1), recorded=rig.state.use == RECORDING
    )
