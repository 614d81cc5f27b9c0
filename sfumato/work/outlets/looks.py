"""What can be sent: the study's own Look, presets, and files of LUTs."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import attrs

from sfumato.core.errors import ValueRefused
from sfumato.core.study.look import Look
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.files import is_file
from sfumato.work.luts.lut_files import stem_of
from sfumato.work.outlets.sent import Sending
from sfumato.work.stores.coats import coat_of
from sfumato.work.stores.presets import SUFFIXES, read_preset, shelf


def of_study(study: Study, shot: Shot | None = None) -> Sending:
    """Return the study's Look, with the Ground of a shot where the Span includes one."""
    return Sending(study, shot if study.span.with_ground else None)


def of_file(study: Study, file: Path) -> Sending:
    """Return the look in a LUT file or preset, as the study shows its shots through it.

    Raises:
        SfumatoError: it cannot be read.
    """
    if file.suffix in SUFFIXES:
        return Sending(attrs.evolve(study, look=read_preset(file).as_look()))
    look = Look(stem_of(file), (coat_of(file, study),))
    return Sending(attrs.evolve(study, look=look))


def named_looks(study: Study, names: Iterable[str]) -> list[Sending]:
    """Return looks by name, of the study or of a preset, or by file.

    Raises:
        SfumatoError: there is no such look, or its file cannot be read.
    """
    found = []
    for name in names:
        if name == study.look.name:
            found.append(of_study(study))
        elif is_file(name):
            found.append(of_file(study, Path(name)))
        else:
            presets = [s.preset for s in shelf() if s.preset is not None]
            known = next((p for p in presets if p.name == name), None)
            if known is None:
                raise ValueRefused(
                    f"there is no look {name!r}",
                    hint="name the study's, a preset of yours, or a file",
                )
            found.append(Sending(attrs.evolve(study, look=known.as_look())))
    return found
