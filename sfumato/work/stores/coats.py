"""Files as glazes: what a LUT or CDL file becomes in the path."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
import platformdirs

from sfumato.core.controls import LutFile
from sfumato.core.errors import ValueRefused
from sfumato.core.glazes import cdl
from sfumato.core.glazes.lut import AS_IT_IS
from sfumato.core.lut.stages import CdlStage
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.study import Study
from sfumato.work.files import free, make_folder, plain_name
from sfumato.work.luts.ends import Ends, ends_in
from sfumato.work.luts.lut_files import stem_of
from sfumato.work.stores.study_store import read_lut_file


def library_folder() -> Path:
    """Return the user's own folder of LUTs, which may not be there yet."""
    return Path(platformdirs.user_data_dir("sfumato", appauthor=False)) / "luts"


def place_in_library(name: str) -> Path:
    """Return where in it a look of that name goes: a path that no file has yet."""
    make_folder(library_folder())
    return free(library_folder() / f"{plain_name(name)}.cube")


def lut_values(value: LutFile, ends: Ends) -> dict[str, Any]:
    """Return a LUT and its ends as values of the LUT glaze."""
    return {
        "file": value,
        "expects": ends.expects or AS_IT_IS,
        "gives": ends.gives or AS_IT_IS,
        "sure": ends.sure,
    }


def values_in(value: LutFile, study: Study) -> dict[str, Any]:
    """Return a LUT as values of the LUT glaze in a study, by what it says or how it looks."""
    ends = ends_in(value.transform, study.working, study.view.encoding)
    return lut_values(value, ends)


def coat_of(file: Path, study: Study, ends: Ends | None = None) -> Coat:
    """Return the glaze that a file becomes: a CDL when it holds one that fits, else a LUT.

    Args:
        ends: what it expects and gives, where somebody has said so.
    Raises:
        FormatError: the file cannot be read.
    """
    value = read_lut_file(file)
    values = values_in(value, study) if ends is None else lut_values(value, ends)
    as_lut = attrs.evolve(new_coat("lut", **values), name=stem_of(file))
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
    return attrs.evolve(coat, name=s.id or stem_of(file))
