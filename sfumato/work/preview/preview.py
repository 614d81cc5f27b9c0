"""What the Easel and the Instruments show: sides A and B of a shot, and the counts of B.

While a control is dragged, the whole path from working values to the display is baked into one
table (33 points, fewer for a path that is too slow for the hand) and looked up; at rest everything
is computed exactly, or through the very table that will be written.
"""

from __future__ import annotations

import time

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import FrameFacts, as_float
from sfumato.work.cancel import Cancel
from sfumato.work.frames import WHOLE
from sfumato.work.preview.asks import (
    MATTE,
    PINNED,
    PRINTED,
    SOURCE,
    UNBAKED,
    Ask,
    Shown,
    to_bytes,
)
from sfumato.work.preview.measures import Measures, smears
from sfumato.work.preview.prints import Printed
from sfumato.work.preview.probe import Probes
from sfumato.work.preview.thumbnails import Thumbnails
from sfumato.work.tiles import run_tiled

_MOUNT = 64  # around a pinned shot of another shape
_OUTSIDE = 0.004  # of code


class Previewer(Measures, Probes, Thumbnails):
    """Renders asks; everything it keeps is kept by one of its parts."""

    def show(self, ask: Ask, cancel: Cancel) -> Shown:
        """Render an ask.

        Raises:
            Cancelled: a newer ask came.
            MediaError: the shot cannot be read.
        """
        clock = Clock()
        shape = (ask.width, ask.height, ask.region)
        source = self.source(ask, *shape)
        code = self.working(ask, *shape)
        clock.mark("proxy")
        pictures: dict[str, Array] = {}
        painted: dict[str, Array] = {}
        floats: dict[str, Rgb] = {}
        print_: Printed | None = None
        for which in {ask.b, *([ask.a] if ask.need_a or ask.difference else [])}:
            cancel.check()
            if which == SOURCE:
                pictures[which], floats[which] = to_bytes(source), source
            elif which == PINNED and ask.pinned is not None:
                pictures[which] = self._pinned(ask, ask.pinned, cancel)
                painted[which] = self.screened(ask.study, as_float(pictures[which]), cancel)
                clock.mark("pinned")
            elif ask.dragging and which not in UNBAKED:
                self._drag_table(ask, which, cancel)
                clock.mark("bake")
                pictures[which] = self._dragged(ask, which, code, cancel)
                clock.mark("apply")
                if self.to_screen(ask.study) is not None:
                    painted[which] = self._dragged(ask, which, code, cancel, screen=True)
                    clock.mark("screen")
            else:
                if which == PRINTED:
                    meant = run_tiled(self.for_print(ask), code, cancel)
                    made = self.printed(ask, meant, marks=ask.gamut, cancel=cancel)
                    floats[which] = made.codes
                    print_ = made if ask.gamut and which == ask.b else print_
                else:
                    floats[which] = run_tiled(self.side(ask, which, cancel), code, cancel)
                pictures[which] = to_bytes(floats[which])
                if which != MATTE:
                    painted[which] = self.screened(ask.study, floats[which], cancel)
                clock.mark("exact")
        delta = None
        if ask.difference:
            a, b = (floats.get(s, as_float(pictures[s])) for s in (ask.a, ask.b))
            delta = self._delta(a, b, ask, cancel)
            clock.mark("difference")
        scene = self.scene(ask, pictures[ask.b], cancel)
        counts = self.measured(ask.instruments, scene, cancel)
        clock.mark("scopes")
        known = self.riders(ask)
        smeared = smears(ask.study, ask.shot, lambda c: self.screened(ask.study, c), known)
        entry = None if ask.dragging or not ask.coat else self.entry(ask)
        clock.mark("smears")
        outside = None
        if print_ is not None:
            outside = print_.outside
        elif ask.gamut and ask.b in floats:
            # A lattice gives a little less than 0 or more than 1 inside the gamut too.
            outside = np.asarray((floats[ask.b] < -_OUTSIDE).any(axis=-1))
        space = encoding(ask.study.view.encoding)
        if ask.b == SOURCE:
            space = encoding(ask.shot.encoding or ask.study.working)
        size, facts = self._about(ask)
        return Shown(
            ask=ask,
            a=pictures.get(ask.a),
            b=pictures[ask.b],
            delta=delta,
            instruments=counts,
            smears=smeared,
            entry=entry,
            seconds=clock.parts,
            size=size,
            facts=facts,
            painted=painted,
            reference=self._reference(ask, cancel),
            outside=outside,
            over=None if print_ is None else print_.over,
            space=space,
        )

    def _pinned(self, ask: Ask, shot: Shot, cancel: Cancel) -> Array:
        """Return another shot through its Ground and the Look, whole, in the middle of the picture."""
        whole = to_bytes(self.whole_picture(ask.study, shot, ask.width, ask.height, cancel))
        out = np.full((ask.height, ask.width, 3), _MOUNT, np.uint8)
        top, left = ((ask.height - whole.shape[0]) // 2, (ask.width - whole.shape[1]) // 2)
        out[top : top + whole.shape[0], left : left + whole.shape[1]] = whole
        return out

    def _about(self, ask: Ask) -> tuple[tuple[int, int], FrameFacts]:
        """Return the size of the shot's picture and what is known of it."""
        if ask.playing and ask.region == WHOLE:
            quick = self.frames.quick(ask.shot, ask.width, ask.height)
            return self.frames.clip_size(ask.shot), quick.facts
        told = self.frames.told(ask.shot)
        return told.size, told.facts


class Clock:
    def __init__(self) -> None:
        self.parts: dict[str, float] = {}
        self._last = time.perf_counter()

    def mark(self, part: str) -> None:
        now = time.perf_counter()
        self.parts[part] = self.parts.get(part, 0.0) + now - self._last
        self._last = now
