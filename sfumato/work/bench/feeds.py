"""What comes into a monitor by the cable: a shot as video, still or clip, frame by frame."""

from __future__ import annotations

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.bench.signal import Signal, to_signal
from sfumato.core.study.shot import Shot
from sfumato.work.frames import Frames

MOST_WIDE, MOST_HIGH = 960, 540


@frozen
class Feed:
    """A shot on the cable: its size in pixels, how many frames, and the first of them."""

    shot: Shot
    width: int
    height: int
    count: int
    first: int

    @property
    def encoding(self) -> str:
        """What its codes mean, "" when nobody said."""
        return self.shot.encoding or ""


def feed_of(shot: Shot, frames: Frames) -> Feed:
    """Return a shot as it goes on the cable: made to fit 960 x 540, of an even width.

    Raises:
        MediaError: it cannot be read.
    """
    still = frames.still(shot)
    wide, high = still.size
    share = min(1.0, MOST_WIDE / wide, MOST_HIGH / high)
    size = max(2, round(wide * share) // 2 * 2), max(1, round(high * share))
    count = still.facts.frames or 1
    last = count - 1 if shot.last is None else min(shot.last, count - 1)
    first = min(shot.first, last)
    return Feed(shot, *size, last - first + 1, first)


def signal_of(feed: Feed, number: int, frames: Frames, *, quick: bool = False) -> Signal:
    """Return a frame, counted from the start of the feed and round again after its end.

    Args:
        quick: by the decoder's own scaler, as near as that is; for playing.
    Raises:
        MediaError: it cannot be decoded.
    """
    shot = attrs.evolve(feed.shot, frame=feed.first + number % feed.count)
    planes = frames.video(shot, feed.width, feed.height) if quick and feed.count > 1 else None
    if planes is not None:
        return Signal(*planes)
    still = frames.still(shot)
    if still.size == (feed.width, feed.height) and still.pixels.dtype == np.float32:
        return to_signal(still.pixels)  # a clip's own frames, as they are decoded
    return to_signal(frames.proxy(shot, feed.width, feed.height))
