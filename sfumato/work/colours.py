"""Colours of the working encoding as the View shows them, and typed ones brought back."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.colour import oklab
from sfumato.core.colour.colour_text import display_light
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.controls import Lab
from sfumato.core.glazes.nudges import lab_of
from sfumato.core.path import path
from sfumato.core.study.study import Study


@frozen(eq=False)
class Incoming:
    """What enters a glaze: counts by channel (3, bins), Oklab colours (n, 3), and how they are shown.

    `colours` is uint8 (n, 3), the same colours through the View; `covers` is the share of the
    picture, 0..1, that the Reach of the glaze takes.
    """

    histogram: Array
    lab: Array
    colours: Array
    covers: float


@frozen
class Colours:
    """The study's way between Oklab of working light and what is seen."""

    study: Study

    def shown(self, lab: Any) -> Array:
        """Return uint8 (..., 3): Oklab of working light through the View."""
        working = encoding(self.study.working)
        code = working.encode(oklab.to_light(np.asarray(lab, np.float32), working))
        seen = path.through_view(self.study, code.reshape(-1, 3)).reshape(code.shape)
        return np.asarray(np.clip(np.nan_to_num(seen), 0, 1) * 255 + 0.5, np.uint8)

    def meant(self, text: str) -> Lab:
        """Return the Oklab of working light that the View shows as a typed colour.

        Raises:
            ValueRefused: the text is no colour.
        """
        display = encoding(self.study.view.encoding)
        code = convert(display_light(text), "Linear BT.709", display)
        return lab_of(path.unviewed(self.study, code), encoding(self.study.working))
