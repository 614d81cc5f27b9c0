"""What stands in for a target: an engine that is really there, or a simulation of what it does.

Each reads the file that was written. What no engine at hand does (pictures of 10 bit, legal range) is
laid around it, and said.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.bench.monitor import held, through_lattice
from sfumato.core.bench.signal import in_ten_bit
from sfumato.core.colour.encodings import convert
from sfumato.core.errors import ExportError
from sfumato.core.lut.device import FLOAT, FULL, rounded
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.study.outlet import ACES, CONFIG, CORRECTIONS, SHADER, Outlet
from sfumato.core.study.study import Study
from sfumato.work.luts import readers, reading
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.outlets import gl_reader
from sfumato.work.outlets.forms.aces_look import SPACE
from sfumato.work.outlets.forms.ocio_config import by_library
from sfumato.work.outlets.forms.shader import read_shader, texture_of
from sfumato.work.outlets.ocio_parts import Names
from sfumato.work.outlets.shader_text import LANGUAGES, identifier, shader_text

SIMULATED = "simulated"
Apply = Callable[[Rgb], Rgb]
_TEXTURES = ("strip", "ktx2")  # what real-time programs load into a texture


@frozen(eq=False)
class Engine:
    """Who reads a target's file; `beside` says what is simulated around it."""

    name: str
    apply: Apply
    beside: tuple[str, ...] = ()
    device: str = ""  # of the Bench, which stands in for it

    @property
    def is_real(self) -> bool:
        return self.name != SIMULATED

    @property
    def says(self) -> str:
        if self.device:
            return f"{self.device} · on the Bench"
        return " · ".join((self.name, *(f"{b} simulated" for b in self.beside)))


def engine_for(outlet: Outlet, files: tuple[Path, ...], study: Study) -> Engine:
    """Return who reads the files of an outlet, as the target does.

    Args:
        study: as `order.suited` returns it.
    Raises:
        FormatError: a file cannot be read.
        ExportError: they hold no look.
    """
    if outlet.form == CORRECTIONS:
        raise ExportError("corrections of shots hold no look", hint="leave this outlet out")
    if outlet.bench:
        return _on_bench(outlet, files[0])
    name, apply = _reader(outlet, files, study)
    beside = list[str]()
    if outlet.codes != FLOAT:
        beside.append(f"picture of {outlet.codes}")
    if outlet.reach != FULL:
        beside.append("legal range")

    def run(rgb: Rgb) -> Rgb:
        given = rounded(rgb, outlet.codes, outlet.reach)
        return rounded(apply(given), outlet.codes, outlet.reach)

    return Engine(name, run, () if name == SIMULATED else tuple(beside))


def _on_bench(outlet: Outlet, file: Path) -> Engine:
    """Return what a device of the Bench makes of a file, colour by colour: all but its 4:2:2."""
    from sfumato.work.bench.devices import monitor_named

    monitor = monitor_named(outlet.bench)
    table = read_lut(file, key=outlet.format).transform.table
    if table is None:
        raise ExportError("the device takes 3D tables alone", where=str(file))
    kept = held(monitor, table)

    def run(rgb: Rgb) -> Rgb:
        return in_ten_bit(through_lattice(monitor, kept, in_ten_bit(rgb)))

    return Engine(SIMULATED, run, device=monitor.title)


def _reader(outlet: Outlet, files: tuple[Path, ...], study: Study) -> tuple[str, Apply]:
    file = files[0]
    if outlet.form == SHADER:
        return _shader(outlet, file)
    if outlet.form == CONFIG:
        return "OpenColorIO", lambda rgb: by_library(file, rgb, Names.of(study))
    if outlet.form == ACES:

        def by_aces(rgb: Rgb) -> Rgb:
            there = reading.opencolorio(file, convert(rgb, study.working, SPACE))
            return convert(there, SPACE, study.working)

        return "OpenColorIO", by_aces
    transform = read_lut(file, key=outlet.format).transform
    if outlet.interp == "trilinear" and outlet.format in _TEXTURES and transform.table is not None:
        depth = "8" if outlet.depth == "8" else ""
        found = _by_driver(transform.table, depth, "_trilinear")
        if found is not None:
            return "GL driver", found
    reader, _why = readers.reader_for(outlet.format, transform)
    if reader is None:
        return SIMULATED, _simulated(transform, outlet)
    of_interp = {"FFmpeg": _FFMPEG.get(outlet.format), "OpenColorIO": reading.opencolorio}
    by = of_interp.get(reader.name)
    if by is None:
        return reader.name, lambda rgb: reader.apply(file, rgb)
    return reader.name, lambda rgb: by(file, rgb, outlet.interp)


_FFMPEG = {"cube": reading.ffmpeg, "hald": reading.ffmpeg_hald}


def _simulated(transform: Transform, outlet: Outlet) -> Apply:
    """Return what our kernels make of a file, its nodes at the depth in which the target holds them."""
    table = transform.table
    if table is None:
        return lambda rgb: transform.apply(rgb)
    values = table.values if outlet.nodes == FLOAT else rounded(table.values, outlet.nodes)
    held = Table3D(values, table.domain)
    return lambda rgb: apply_table(held, rgb, outlet.interp)


def _by_driver(table: Table3D, depth: str, which: str) -> Apply | None:
    """Return what the GL driver makes of a lattice, None when none runs."""
    if not gl_reader.driver():
        return None
    text = shader_text(LANGUAGES[".glsl"], "look_a", table.size, "", "", "")
    lattice = texture_of(table, depth)
    return lambda rgb: gl_reader.run(text, f"look_a{which}", lattice, rgb)


def _shader(outlet: Outlet, file: Path) -> tuple[str, Apply]:
    text, table = read_shader(file)
    which = "_trilinear" if outlet.interp == "trilinear" else ""
    if file.suffix == ".glsl" and gl_reader.driver():
        lattice = texture_of(table, outlet.depth)
        call = identifier(file.stem) + which
        return "GL driver", lambda rgb: gl_reader.run(text, call, lattice, rgb)
    return SIMULATED, lambda rgb: apply_table(table, np.asarray(rgb), outlet.interp)
