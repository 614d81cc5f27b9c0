"""An outlet by a file that the target takes: its format, dialect, grid, depth, layout and style of names."""

from __future__ import annotations

import re
from pathlib import Path

import attrs
import numpy as np

from sfumato.core.errors import ExportError, FormatError
from sfumato.core.lut.table import Table1D, Table3D
from sfumato.core.lut.text_style import Style
from sfumato.core.study.outlet import ANY_LETTERS, CAPITALS, PLAIN_LETTERS, Outlet
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import FormatSpec, Read
from sfumato.formats.parts.style import learnt
from sfumato.work.files import MOST_TABLE_BYTES, read_bytes
from sfumato.work.luts.target import Target, encoded

_GRID = re.compile(r"(?<!\d)(\d{1,3})(?:x\1x\1)?(?!\d)")


def like(file: Path) -> tuple[Outlet, tuple[str, ...]]:
    """Return an outlet that writes files as this one is, without a folder, and what was found.

    Raises:
        FormatError: the file cannot be read.
        ExportError: it is of a format that cannot be written.
    """
    data = read_bytes(file, FormatError, MOST_TABLE_BYTES)
    read = registry.read(data, str(file))
    spec = registry.formats()[read.key]
    if spec.write is None:
        raise ExportError(f"{spec.title} can only be read", where=str(file))
    table = read.transform.table
    grid = table.size if isinstance(table, Table3D) else spec.default_grid
    shaper = table is not None and isinstance(read.transform.stages[0], Table1D)
    style = learnt(data, spec.key) if spec.is_text else None
    depth = read.depth if read.depth in spec.depths else ""
    suffix = file.suffix.lower() if file.suffix.lower() in spec.suffixes else ""
    outlet = Outlet(
        "like",
        f"Like {file.name}"[:80],
        format=spec.key,
        grid=min(max(grid, 2), 129),
        depth=depth,
        layout=_layout(spec, read, data, suffix, style),
        suffix=suffix,
        shaper=shaper,
        names=_names(file.stem, grid),
        heading=read.transform.title and "{look}",
        comments=bool(read.transform.comments),
        letters=_letters(file.stem),
        longest=8 if len(file.stem) <= 8 and _letters(file.stem) == CAPITALS else 0,
        style=style,
    )
    if depth in ("8", "10", "12", "16"):
        outlet = attrs.evolve(outlet, nodes=f"{depth} bit")
    said = [f"{spec.title}, {grid} points" if table is not None else spec.title]
    if outlet.layout:
        said.append(outlet.layout)
    if style is not None:
        said.append(style.says)
    return outlet, (*said, *read.remarks)


def _layout(spec: FormatSpec, read: Read, data: bytes, suffix: str, style: Style | None) -> str:
    """Return the layout of a file: as the reader names it, or the one whose bytes look most like it."""
    named = read.reading.partition(" of ")[0].strip()
    for name in (read.reading, named):
        if name in spec.layouts:
            return name
    if not spec.layouts or spec.holds(read.transform):
        return ""
    off = {}
    for layout in spec.layouts:
        target = Target(spec.key, layout=layout, suffix=suffix, style=style)
        off[layout] = _unlike(encoded(read.transform, target)[0], data)
    return min(off, key=lambda layout: off[layout])


def _unlike(one: bytes, two: bytes) -> float:
    """Return how far two files differ at their heads and in length."""
    head = 512
    a, b = (np.frombuffer(v[:head].ljust(head, b"\0"), np.uint8) for v in (one, two))
    return float((a != b).sum()) + abs(len(one) - len(two)) / max(len(two), 1) * head


def _names(stem: str, grid: int) -> str:
    """Return a pattern of names: as the file's, with the look in the place of its words."""
    if str(grid) in _GRID.findall(stem):
        mark = re.search(rf"([_\- .]?)(?<!\d){grid}(?!\d)", stem)
        return "{look}" + (mark[1] if mark else "_") + "{grid}"
    return "{look}"


def _letters(stem: str) -> str:
    if re.fullmatch(r"[A-Z0-9_]+", stem) and re.search("[A-Z]", stem):
        return CAPITALS
    return PLAIN_LETTERS if re.fullmatch(r"[a-z0-9_-]+", stem) else ANY_LETTERS
