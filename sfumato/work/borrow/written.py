"""What was borrowed, written: as a LUT, a preset or a study."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

import attrs
from attrs import frozen

from sfumato.core.colour import span_note
from sfumato.core.controls import LutFile
from sfumato.core.glazes.lut import AS_IT_IS, Lut
from sfumato.core.lut.transform import Transform
from sfumato.core.study.coat import Coat, renewed
from sfumato.core.study.loan import REFERENCE
from sfumato.core.study.look import Look
from sfumato.core.study.preset import Preset
from sfumato.work.borrow.borrowing import Borrowing
from sfumato.work.files import Sources, check_free, write_bytes
from sfumato.work.luts.deliver import NO_SOURCES, write_lut
from sfumato.work.stores.presets import LOOK, write_preset
from sfumato.work.stores.study_store import as_bytes

_STUDY = ".sfumato"


@frozen
class Written:
    """The files that were written: OUT, and the LUT of the rest beside it."""

    file: Path
    beside: Path | None = None
    said: tuple[str, ...] = ()


def write(
    found: Borrowing, out: Path, *, force: bool = False, key: str | None = None,
    sources: Sequence[Path] = (),
) -> Written:  # fmt: skip
    """Write what was borrowed: a `.look` preset or a study with the glazes, else a LUT.

    Raises:
        ExportError: a file exists and `force` is false, or the place cannot be written.
    """
    kept = Sources.of(sources)
    if out.suffix.lower() not in (LOOK, _STUDY):
        held = write_lut(noted(found), out, format=key, title=found.name, force=force, sources=kept)
        return Written(out, None, tuple(held.said))
    kept.check(out)
    if not force:
        check_free(out)
    coats = [*found.base, *found.coats]
    beside: Path | None = None
    said: tuple[str, ...] = ()
    if found.rest is not None:
        beside = out.with_name(f"{out.stem}_rest.cube")
        coat, said = write_rest(found, beside, force=force, sources=kept)
        coats.append(coat)
    if out.suffix.lower() == LOOK:
        preset = Preset(found.name, tuple(coats), found.study.working, _words(found))
        write_preset(preset, out, force=force)
    else:
        study = attrs.evolve(found.study, look=Look(found.name, tuple(coats)), name=found.name)
        if not study.shots:
            study = attrs.evolve(study, shots=found.shots)
        write_bytes(out, as_bytes(study, out.resolve().parent), force=force)
    return Written(out, beside, said)


def noted(found: Borrowing) -> Transform:
    """Return the LUT with what it expects and gives, and where it comes from, among its comments."""
    comments = (span_note.written(*found.spans), f"borrowed from {found.name}")
    return attrs.evolve(found.table, comments=comments, title=found.name)


def write_rest(
    found: Borrowing, file: Path, *, force: bool = False, sources: Sources = NO_SOURCES
) -> tuple[Coat, tuple[str, ...]]:
    """Write what the glazes leave as a LUT; return the glaze that it is, and remarks.

    Raises:
        ExportError: as `write_lut`.
    """
    assert found.rest is not None
    lut: Lut = found.rest.parameters
    assert lut.file.transform is not None
    ends = [found.study.working if e == AS_IT_IS else e for e in (lut.expects, lut.gives)]
    rest = attrs.evolve(lut.file.transform, comments=(span_note.written(ends[0], ends[1]),))
    held = write_lut(rest, file, title=f"{found.name}, the rest", force=force, sources=sources)
    placed = attrs.evolve(lut, file=LutFile(os.path.abspath(file), rest))
    note = f"borrowed from {found.name}"
    coat = attrs.evolve(renewed(found.rest), parameters=placed, note=note)
    return coat, tuple(held.said)


def _words(found: Borrowing) -> str:
    if found.mode == REFERENCE:
        return f"Borrowed from {found.name}: a starting point."
    share = 100 * found.told.share
    return f"Borrowed from {found.name}: these glazes explain {share:.0f} % of the difference."
