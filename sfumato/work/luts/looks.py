"""Looks in whatever file they are kept: LUT files, presets and studies, all as one Transform."""

from __future__ import annotations

from pathlib import Path

import attrs

from sfumato.core.colour import span_note
from sfumato.core.lut.bake import baked
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import span_names
from sfumato.core.study.preset import Preset
from sfumato.core.study.study import Study
from sfumato.formats.parts.contract import Read
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.stores.presets import SUFFIXES as PRESETS
from sfumato.work.stores.presets import read_preset
from sfumato.work.stores.study_store import SUFFIX as STUDY
from sfumato.work.stores.study_store import open_study

SUFFIXES = (*PRESETS, STUDY)
_GRID = 65  # points: finer than what most targets are written with


def read_look(path: str | Path, reading: str = "") -> Read:
    """Read a LUT file as `read_lut` does; of a preset or a study its Look, as a table of 65 points.

    A preset becomes a table between the values it was set in, a study one for the encodings of its own
    Span, without the Ground of a shot.

    Raises:
        SfumatoError: it cannot be read.
    """
    file = Path(path)
    if file.suffix in PRESETS:
        preset = read_preset(file)
        study = study_of(preset)
        return _baked(study, preset.name, (study.working, study.working))
    if file.suffix == STUDY:
        study = open_study(file)
        return _baked(study, study.look.name, span_names(study))
    return read_lut(file, reading)


def title_of(file: Path) -> str:
    """Return what a look that is no LUT file is kept in.

    >>> title_of(Path("a.sfumato")), title_of(Path("a.look"))
    ('Study', 'Preset')
    """
    return "Study" if file.suffix == STUDY else "Preset"


def study_of(preset: Preset) -> Study:
    """Return a study whose Look is a preset, in the values it was set in."""
    study = attrs.evolve(Study().suited_to(preset.working), working=preset.working)
    return attrs.evolve(study, look=preset.as_look())


def _baked(study: Study, title: str, span: tuple[str, str]) -> Read:
    made = baked(study.transform(span), _GRID)
    return Read(Transform(made.stages, title, (span_note.written(*span),)))
