"""One place of the picture, measured on the full picture and the exact path."""

from __future__ import annotations

import attrs
import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.path import path
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import as_float
from sfumato.work.preview.asks import EXACT, PINNED, SOURCE, Ask, Probe
from sfumato.work.preview.sides import Sides


class Probes(Sides):
    """One place of the picture, exactly."""

    def probe(self, ask: Ask, x: int, y: int, reach: int = 0) -> Probe:
        """Measure one pixel of the full picture (the mean of 2 reach + 1 pixels square)."""
        still = self.frames.still(ask.shot)
        w, h = still.size
        x, y = min(x, w - 1), min(y, h - 1)
        rows = slice(max(0, y - reach), min(h, y + reach + 1))
        columns = slice(max(0, x - reach), min(w, x + reach + 1))
        part = as_float(still.pixels[rows, columns])
        source = part.reshape(-1, 3).mean(axis=0, keepdims=True, dtype=np.float32)
        code = path.to_working(ask.shot, ask.study, source)
        sides = []
        for which in (ask.a, ask.b):
            if which == PINNED and ask.pinned is not None:
                value = self._pinned_pixel(ask, ask.pinned, x / w, y / h)
            else:
                value = source if which == SOURCE else self.side(ask, which)(code)
            sides.append(np.asarray(value, np.float32))
        display = encoding(ask.study.view.encoding)
        apart = float(delta_e(sides[0], sides[1], display)[0])
        entering = self.entering(ask, code)[0] if ask.coat else code[0]
        grounded = path.through_ground(ask.shot, ask.study, code)[0]
        return Probe(
            x=x,
            y=y,
            source=source[0],
            a=sides[0][0],
            b=sides[1][0],
            delta=apart,
            entering=entering,
            entering_look=grounded,
        )

    def _pinned_pixel(self, ask: Ask, shot: Shot, x: float, y: float) -> Rgb:
        """Return the pinned shot at a place given as shares of the picture, as displayed, (1, 3)."""
        still = self.frames.still(shot)
        w, h = still.size
        pixel = still.pixels[min(int(y * h), h - 1), min(int(x * w), w - 1)][None]
        code = path.to_working(shot, ask.study, as_float(pixel))
        return self.side(attrs.evolve(ask, shot=shot), EXACT)(code)
