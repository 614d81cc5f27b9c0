"""What an assay looks at and what it finds."""

from __future__ import annotations

from enum import Enum

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.luma import luma
from sfumato.core.lut.recast import domain_of, sampled
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform


class Level(Enum):
    """How a finding should be taken."""

    GOOD = "good"
    NOTE = "note"
    WARN = "warning"
    FAULT = "fault"


@frozen
class Finding:
    """One thing that was looked at: `repair` is a key of `REPAIRS`, "" when there is none."""

    key: str
    level: Level
    title: str
    sentence: str
    figure: float = 0.0
    repair: str = ""


@frozen
class Stored:
    """What the file said beside its numbers: depth, whether a picture codec altered them, its reading.

    `columns` are the slices that lie side by side in a strip or tiles, 0 for other files.
    """

    depth: str = ""
    lossy: bool = False
    is_hald: bool = False
    columns: int = 0
    is_green_up: bool = False

    @property
    def is_picture(self) -> bool:
        return self.is_hald or self.columns > 0


@frozen(eq=False)
class Looked:
    """What all checks look at."""

    transform: Transform
    table: Table3D  # the file's own lattice, or one sampled from its chain
    own: bool
    greys: Rgb  # results of 1024 greys over the domain
    stored: Stored
    display: Encoding

    @property
    def tones(self) -> Array:
        """Return the luma of the greys' results, float64."""
        return luma(self.greys.astype(np.float64))

    @property
    def domain(self) -> object:
        return self.table.domain


def table_of(transform: Transform) -> Table3D:
    """Return the chain's own lattice, or one sampled from it."""
    if transform.table is not None:
        return transform.table
    found = sampled(transform, 33, domain_of(transform)).table
    assert found is not None
    return found


def percent(share: float) -> str:
    return f"{100 * share:.2g} %" if share < 0.1 else f"{100 * share:.0f} %"
