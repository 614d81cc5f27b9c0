"""Links to and from inks that came from elsewhere, as functions on colours as they are seen.

A link knows inks and no colours. Between colours it is seen by a press: the one that ships, since a link does not
say which it was made for. A picture in CMYK goes through a link from inks to inks as it is.
"""

from __future__ import annotations

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import from_white, to_white
from sfumato.core.lut.transform import Function
from sfumato.raster.icc.chains import Chain
from sfumato.raster.icc.engine import press_of
from sfumato.raster.icc.shipped import shipped

_SEEN = "sRGB"


@frozen(eq=False)
class InkLink(Function):
    """A stage that goes through a link with inks on a side of it; `chain` is the link itself."""

    chain: Chain = field(kw_only=True)

    @property
    def sides(self) -> tuple[int, int]:
        """How many channels it takes and gives: 3 = RGB, 4 = inks."""
        return self.chain.into, self.chain.out

    def on_codes(self, values: Array) -> Array:
        """Return codes (..., channels), uint8 or uint16, through the link itself."""
        most = np.float32(np.iinfo(values.dtype).max)
        flat = values.reshape(-1, self.chain.into).astype(np.float32) / most
        made = np.clip(self.chain(flat), 0, 1) * most + np.float32(0.5)
        return made.astype(values.dtype).reshape(*values.shape[:-1], self.chain.out)


def ink_link(chain: Chain) -> InkLink:
    """Return a link as a stage between sRGB codes."""

    def run(code: Rgb) -> Rgb:
        display, press = encoding(_SEEN), press_of(shipped())
        flat = np.ascontiguousarray(np.clip(code, 0, 1), np.float32).reshape(-1, 3)
        if chain.into == 4:
            light = np.ascontiguousarray(display.decode(flat), np.float32)
            flat = press.back().of_light(light, to_white(display))
        made = chain(flat)
        if chain.out == 4:
            light = press.seen.light(np.clip(made, 0, 1), from_white(display))
            made = np.asarray(display.encode(light), np.float32)
        return made.reshape(np.shape(code))

    return InkLink("a link of inks", run, chain=chain)
