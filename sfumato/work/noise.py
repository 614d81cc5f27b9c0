"""The noise floor that the shots of a study show."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError
from sfumato.core.measure.noise import noise_floor
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import as_float
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.frames import Frames


def noise_of(
    shots: Iterable[Shot], frames: Frames, cancel: Cancel, progress: Progress = silent
) -> tuple[float | None, int]:
    """Return the middle of the noise floors of shots, in stops, and of how many: those of stated encoding.

    None when none of them can be read and has enough that is dark.
    """
    found, every = [], [s for s in shots if s.encoding is not None]
    for i, shot in enumerate(every):
        cancel.check()
        progress(i / len(every), shot.name)
        try:
            pixels = frames.still(shot).pixels
        except MediaError:
            continue
        floor = noise_floor(pixels, as_float, encoding(shot.encoding or ""))
        if floor is not None:
            found.append(floor)
    return (round(float(np.median(found)), 1) if found else None), len(found)
