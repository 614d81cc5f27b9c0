"""LUT files and transforms: read from a path, made fit for a format, written to a path."""

from __future__ import annotations

import re
from pathlib import Path

import attrs

from sfumato.core.bake import baked
from sfumato.core.encodings import encodings
from sfumato.core.errors import ExportError, FormatError, ValueRefused
from sfumato.core.table import Table3D
from sfumato.core.transform import Transform
from sfumato.formats import registry
from sfumato.formats.contract import FormatSpec, Read, WriteOptions
from sfumato.work.files import MOST_TABLE_BYTES, read_bytes, write_bytes


def read_lut(path: str | Path) -> Read:
    """Read a LUT file.

    Raises:
        FormatError: it cannot be read, with the line.
    """
    file = Path(path)
    return registry.read(read_bytes(file, FormatError, MOST_TABLE_BYTES), str(file))


def stated_span(transform: Transform) -> tuple[str | None, str | None]:
    """Return the encodings that a LUT says it expects and gives, in the comments that we write."""
    for comment in transform.comments:
        found = _SPAN.match(comment)
        if found and found[1] in encodings() and found[2] in encodings():
            return found[1], found[2]
    return None, None


def format_for(path: str | Path, key: str | None = None) -> FormatSpec:
    """Return the format that `key` names, or else the suffix of `path`.

    Raises:
        ExportError: there is none, or it cannot be written.
    """
    known = registry.formats()
    spec = known.get(key) if key else registry.by_suffix(str(path))
    if spec is None:
        raise ExportError(
            f"there is no LUT format {key!r}" if key else "the suffix names no LUT format",
            hint=f"use one of {', '.join(known)}",
            where=str(path),
        )
    if spec.write is None:
        raise ExportError(f"{spec.title} can only be read", where=str(path))
    return spec


def fitted_to(transform: Transform, spec: FormatSpec, grid: int | None = None) -> Transform:
    """Return the transform as the format can hold it: as it is, or baked to a grid.

    A 3D table that has the wanted grid already, or for which none is asked, stays exact.
    """
    table = transform.table
    same = grid is None or (isinstance(table, Table3D) and table.size == grid)
    if same and spec.holds(transform) == "":
        return transform
    if not spec.bakes:
        raise ValueRefused(
            spec.holds(transform) or f"{spec.title} has no grid",
            hint="choose a format that holds it",
        )
    return baked(transform, grid or spec.default_grid, domain=table.domain if table else _UNIT)


_SPAN = re.compile(r"expects (.+?) \(.*\), gives (.+?) \(")
_UNIT = ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0))


def write_lut(
    transform: Transform,
    path: str | Path,
    *,
    format: str | None = None,
    grid: int | None = None,
    title: str | None = None,
    force: bool = False,
) -> Transform:
    """Write a transform to a LUT file and return what was written.

    Raises:
        ExportError: the file exists and `force` is false, or the place cannot be written.
        ValueRefused: the grid is none that can be baked, or the format cannot hold the transform.
    """
    file = Path(path)
    spec = format_for(file, format)
    if not force and file.exists():
        raise ExportError(
            "the file exists already", hint="choose another name or use --force", where=str(file)
        )
    held = fitted_to(transform, spec, grid)
    if title is not None:
        held = attrs.evolve(held, title=title)
    assert spec.write is not None
    data = spec.write(held, WriteOptions(held.title, held.comments))
    write_bytes(file, data, force=force)
    return held
