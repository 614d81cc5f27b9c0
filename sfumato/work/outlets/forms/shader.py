"""A shader to include, and its lattice as a KTX2 texture beside it."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import ExportError, FormatError
from sfumato.core.lut.difference import CLOSE
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D
from sfumato.core.study.outlet import SHADER, Outlet
from sfumato.work.files import drop, read_bytes, write_bytes
from sfumato.work.luts.deliver import REPLACE
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.outlets import gl_reader
from sfumato.work.outlets.forms.lut_file import delivered
from sfumato.work.outlets.order import Form, Order, Written, free_together
from sfumato.work.outlets.shader_text import LANGUAGES, Language, identifier, shader_text

TEXTURE = ".ktx2"
_MOST_TEXT = 1 << 20
_APART = 0.25  # ΔE between our reading of a lattice and the driver's


def language_of(outlet: Outlet) -> Language:
    """Return the language of an outlet's shader.

    Raises:
        ExportError: there is no such language.
    """
    found = LANGUAGES.get(outlet.suffix or ".glsl")
    if found is None:
        raise ExportError(
            f"there is no shader language for {outlet.suffix!r}",
            hint=f"use {', '.join(LANGUAGES)}",
        )
    return found


def texture_of(table: Table3D, depth: str) -> Array:
    """Return the nodes of a table as a texture holds them, [b, g, r, 3]: float32, or 8 bit."""
    values = np.ascontiguousarray(table.values.transpose(2, 1, 0, 3))
    if depth != "8":
        return values
    return np.asarray(np.rint(np.clip(values, 0, 1) * 255), np.uint8)


def _write(order: Order) -> Written:
    outlet = order.outlet
    language = language_of(outlet)
    order.progress(0.02, f"writing {order.file.name}")
    place, beside = free_together(order, (language.suffix, language.suffix + TEXTURE))
    texture = attrs.evolve(outlet, format="ktx2", suffix=TEXTURE, shaper=False)
    made = delivered(attrs.evolve(order, outlet=texture, file=beside, taken=set()))
    table = made.transform.table
    assert table is not None
    text = shader_text(
        language,
        identifier(place.stem),
        table.size,
        made.place.name,
        order.title,
        made.transform.comments[0] if made.transform.comments else " to ".join(order.ends),
    )
    try:
        write_bytes(place, text.encode(), force=order.existing == REPLACE)
    except ExportError:
        drop(made.place)  # a texture alone is of no use
        raise
    readers, wrong = _read_by_others(order, language, place, table, outlet.depth)
    return Written((place, made.place), made.own, readers, made.said, wrong)


def _read_by_others(
    order: Order, language: Language, place: Path, table: Table3D, depth: str
) -> tuple[tuple[str, ...], str]:
    """Let the GL driver run the text as it was written; say who did, and what is wrong."""
    if language.name != "GLSL" or order.yardstick is None or not gl_reader.driver():
        return (), ""
    order.progress(0.9, "running it on the GL driver")
    text = read_bytes(place, FormatError, _MOST_TEXT).decode()
    lattice = texture_of(table, depth)

    def through(rgb: Array) -> Array:
        return gl_reader.run(text, identifier(place.stem), lattice, rgb)

    try:
        loss = order.yardstick().loss(through, table.size)
    except FormatError as error:
        return (), error.summary
    # What the grid itself loses is said elsewhere: the driver need only be as near.
    own = order.yardstick().loss(lambda rgb: apply_table(table, rgb), table.size).main.p99
    wrong = loss.main.p99 > max(CLOSE, own + _APART)
    return ("GL driver",), "the GL driver shows other colours" if wrong else ""


def read_shader(place: Path) -> tuple[str, Table3D]:
    """Return the text of a shader that was written, and the table beside it.

    Raises:
        FormatError: one of them cannot be read.
    """
    text = read_bytes(place, FormatError, _MOST_TEXT).decode(errors="replace")
    table = read_lut(place.with_name(place.name + TEXTURE)).transform.table
    if table is None:
        raise FormatError("the texture beside the shader holds no lattice", where=str(place))
    return text, table


SPEC = Form(SHADER, _write, lambda outlet: language_of(outlet).suffix)
