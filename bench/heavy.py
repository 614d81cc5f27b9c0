"""A Look of twelve glazes of the heaviest kinds."""

from __future__ import annotations

from sfumato.core.controls import Pair
from sfumato.core.glaze import glazes
from sfumato.core.study.coat import Coat, new_coat

HEAVY = (
    "white_balance",
    "cdl",
    "balance",
    "contrast",
    "curves",
    "colourfulness",
    "tints",
    "hue_table",
    "nudges",
    "gamut_fit",
    "highlight_rolloff",
    "encoding_change",
)


def heavy_coats() -> tuple[Coat, ...]:
    """Return twelve glazes, none at rest: four nudges, keep hue, kept ends, protections."""
    values = {key: dict(glazes()[key].mild) for key in HEAVY}
    values["contrast"]["keep_ends"] = True
    values["highlight_rolloff"]["keep_hue"] = 60.0
    values["nudges"]["pairs"] = (
        *values["nudges"]["pairs"],
        Pair((0.5, 0.02, 0.1), (0.5, 0.05, 0.1)),
        Pair((0.4, -0.1, 0.05), (0.4, -0.1, 0.0)),
    )
    return tuple(new_coat(key, **values[key]) for key in HEAVY)
