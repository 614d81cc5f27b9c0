"""Files as glazes: what a LUT or CDL file becomes in the path."""

from __future__ import annotations

from pathlib import Path

import attrs

from sfumato.core.controls import LutFile
from sfumato.core.errors import ValueRefused
from sfumato.core.glazes import cdl
from sfumato.core.lut.stages import CdlStage
from sfumato.core.path import span_note
from sfumato.core.study.coat import Coat, new_coat
from sfumato.work.stores.study_store import read_lut_file


def stated_ends(value: LutFile) -> dict[str, str]:
    """Return what a LUT says of itself, as values of the LUT glaze."""
    expects, gives = span_note.read(value.transform.comments)
    return {"expects": expects, "gives": gives} if expects and gives else {}


def coat_of(file: Path) -> Coat:
    """Return the glaze that a file becomes: a CDL when it holds one that fits, else a LUT.

    Raises:
        FormatError: the file cannot be read.
    """
    value = read_lut_file(file)
    as_lut = attrs.evolve(new_coat("lut", file=value, **stated_ends(value)), name=file.stem)
    stages = value.transform.stages
    if len(stages) != 1 or not isinstance(stages[0], CdlStage):
        return as_lut
    s = stages[0]
    try:
        coat = new_coat(
            "cdl",
            slope=s.slope,
            offset=s.offset,
            power=s.power,
            saturation=s.saturation,
            clamp=cdl.CLAMP if s.clamp else cdl.NO_CLAMP,
            direction=cdl.INVERSE if s.inverse else cdl.FORWARD,
        )
    except ValueRefused:
        return as_lut  # beyond what the glaze's controls offer
    return attrs.evolve(coat, name=s.id or file.stem)
