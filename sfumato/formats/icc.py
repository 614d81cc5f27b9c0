"""ICC device links and abstract profiles as LUTs. Not divided: one format, one file.

Device links run from RGB to RGB, or to and from inks; abstract profiles from Lab to Lab. Links with inks are
read here; they are written where a press is at hand.
Source: ICC.1:2022 (version 4.4) and ICC.1:2001-04 (version 2.4). Tables run first channel slowest.
An abstract profile works on Lab (D50); as a LUT it is taken between sRGB code values.
"""

from __future__ import annotations

import struct
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import D50, code_of_lab, lab_of_code
from sfumato.core.errors import ShapeError, ValueRefused
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.stages import Exponent, Matrix
from sfumato.core.lut.table import UNIT, Table1D, Table3D
from sfumato.core.lut.transform import Function, Stage, Transform
from sfumato.core.print.abstract import fitted_nodes
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions
from sfumato.raster.icc.build import (
    LAB_NEW,
    LAB_OLD,
    LAB_SHIFT,
    codes,
    lut16,
    profile,
    straight,
    words,
    xyz,
)
from sfumato.raster.icc.chains import chain_of
from sfumato.raster.icc.links import ink_link
from sfumato.raster.icc.looks import abstract_profile
from sfumato.raster.icc.tags import (
    MOST_CURVE,
    Curves,
    Powers,
    Shift,
    Step,
    bad,
    description,
    head_of,
    steps_of,
    tags_of,
)

_LINK4, _LINK2, _ABSTRACT2, _ABSTRACT4 = (
    "device link",
    "device link, version 2",
    "abstract profile, version 2",
    "abstract profile",
)
_CHANNELS = {b"RGB ": 3, b"CMYK": 4}
_LAB_POINTS, _FITTED = 33, 36_000  # of a lattice over Lab, and colours that it is fitted to
_SLACK = 2e-5  # how far outside 0..1 a curve may reach: rounding


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head[36:40] == b"acsp" else Sniff.NO


def _ends(scale: Array) -> tuple[Function, Function]:
    """Return the functions from sRGB to a Lab code in 0..1, and back."""

    def enter(code: Rgb) -> Rgb:
        return np.asarray((lab_of_code(code, encoding("sRGB")) - LAB_SHIFT) / scale, np.float32)

    def leave(values: Rgb) -> Rgb:
        return np.asarray(code_of_lab(values * scale + LAB_SHIFT, encoding("sRGB")), np.float32)

    return Function("sRGB to Lab", enter), Function("Lab to sRGB", leave)


# Reading


def _stage(step: Step) -> Stage:
    """Return a step of three channels as a stage."""
    if isinstance(step, Curves):
        return Table1D(np.ascontiguousarray(step.values.T))
    if isinstance(step, Powers):
        r, g, b = step.exponents
        return Exponent((r, g, b))
    if isinstance(step, Shift):
        rows: Any = step.matrix.tolist()
        plus: Any = step.plus.tolist()
        return Matrix((tuple(rows[0]), tuple(rows[1]), tuple(rows[2])), tuple(plus))
    return Table3D(frozen_array(step.nodes))


def read(data: bytes) -> Read:
    """Read a device link between RGB and inks, or an abstract profile Lab to Lab.

    Raises:
        FormatError: it is damaged, or a profile of another class.
    """
    head = head_of(data)
    sides = (head.kind, head.space, head.pcs)
    is_abstract = sides == (b"abst", b"Lab ", b"Lab ")
    channels = _CHANNELS.get(head.space, 0), _CHANNELS.get(head.pcs, 0)
    if not is_abstract and (head.kind != b"link" or 0 in channels):
        words = " ".join(text.words(w).strip() for w in sides)
        raise bad(
            f"the profile is of the kind {words}, which is no LUT",
            "device links between RGB and CMYK and abstract profiles Lab to Lab can be read",
        )
    tags = tags_of(data)
    tag = tags.get(b"A2B0")
    if tag is None:
        raise bad("the profile has no A2B0 table")
    title = description(tags.get(b"desc"))
    if 4 in channels:
        steps, form = steps_of(tag, channels)
        link = ink_link(chain_of(steps, channels, form))
        remark = "a link of inks: between colours it is seen by the Saltglass press"
        return Read(Transform((link,), title), (remark,), depth="8" if form == "mft1" else "16")
    try:
        steps, form = steps_of(tag, (3, 3))
        stages = [_stage(step) for step in steps]
    except (ShapeError, ValueRefused) as error:
        raise bad(f"the table of the profile cannot be used: {error.summary}") from error
    depth = "8" if form == "mft1" else "16"
    remarks: tuple[str, ...] = ()
    if is_abstract:
        scale = LAB_OLD if form == "mft2" else LAB_NEW
        enter, leave = _ends(scale)
        stages = [enter, *(_trilinear(s) for s in stages), leave]
        remarks = ("an abstract profile changes Lab: taken here between sRGB code values",)
    return Read(Transform(tuple(stages), title), remarks, depth=depth)


def _trilinear(stage: Stage) -> Stage:
    """Mark a Lab table as trilinear, which is how colour engines interpolate in Lab."""
    if isinstance(stage, Table3D):
        return Table3D(stage.values, stage.domain, "trilinear")
    return stage


# Writing


def _parts(transform: Transform) -> tuple[Table1D | None, Table3D | None]:
    stages = transform.stages
    table = stages[-1] if stages else None
    front = stages[0] if len(stages) == 2 else None
    if not isinstance(table, Table3D) or len(stages) > 2 or table.domain != UNIT:
        return None, None
    if front is None:
        return None, table
    if not isinstance(front, Table1D) or front.domain != UNIT or front.size > MOST_CURVE:
        return None, None
    inside = front.values.min() >= -_SLACK and front.values.max() <= 1 + _SLACK
    return (front, table) if inside else (None, None)


def holds(transform: Transform) -> str:
    _, table = _parts(transform)
    if table is None:
        return "an ICC profile holds one 3D table over 0 to 1, and a curve of 0 to 1 before it"
    return "" if table.size <= 255 else "an ICC profile holds grids of up to 255 points"


def _lut16(front: Table1D | None, lattice: Array) -> bytes:
    """Return lut16Type: identity matrix, input tables, lattice, straight output tables."""
    first = front.values.T if front is not None else straight(3)
    return lut16(np.asarray(first), lattice, straight(3))


def _mab(front: Table1D | None, lattice: Array) -> bytes:
    """Return lutAToBType: A curves, lattice of 16 bit, straight B curves."""
    n = len(lattice)
    straight = b"para" + struct.pack(">IHHi", 0, 0, 0, 65536)
    curves = straight * 3
    if front is not None:
        one = [b"curv" + struct.pack(">II", 0, front.size) + codes(c) for c in front.values.T]
        curves = b"".join(c + b"\0" * (-len(c) % 4) for c in one)
    clut = bytes([n] * 3 + [0] * 13 + [2, 0, 0, 0]) + codes(lattice)
    clut += b"\0" * (-len(clut) % 4)
    b_at = 32
    clut_at = b_at + 3 * len(straight)
    a_at = clut_at + len(clut)
    head = b"mAB " + struct.pack(">I4B5I", 0, 3, 3, 0, 0, b_at, 0, 0, clut_at, a_at)
    return head + straight * 3 + clut + curves


def _abstract(transform: Transform) -> Array:
    """Return the nodes of a Lab lattice, fitted to colours all over sRGB.

    Lab that no sRGB colour has is continued: F(clip(x)) + (x - clip(x)). Without it, cells that the gamut's shell
    cuts would be far off.
    """
    seen = encoding("sRGB")

    def change(lab: Array) -> Array:
        code = np.asarray(code_of_lab(np.asarray(lab, np.float32), seen), np.float32)
        inside = np.clip(code, 0, 1)
        return np.asarray(lab_of_code(transform.apply(inside) + (code - inside), seen))

    gamut = np.asarray(lab_of_code(cube_colours(_FITTED), seen), np.float64)
    return fitted_nodes(change, np.zeros((0, 3)), gamut, _LAB_POINTS)


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write a device link or an abstract profile, 16 bit.

    Raises:
        ValueRefused: the transform is none that a profile holds.
    """
    why = holds(transform)
    front, table = _parts(transform)
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    layout = SPEC.layout_of(options)
    SPEC.depth_of(options)
    version = 2 if layout.endswith("2") else 4
    title = options.title or transform.title or "LUT"
    common = {
        b"desc": words(text.ascii_of(title), version, b"desc"),
        b"cprt": words("No copyright, use freely", version, b"cprt"),
        b"wtpt": xyz(D50),
    }
    if layout.startswith("abstract"):
        return abstract_profile(_abstract(transform), text.ascii_of(title), version)
    tag = _mab(front, table.values) if version == 4 else _lut16(front, table.values)
    sequence = b"pseq\0\0\0\0\0\0\0\0"
    return profile(b"link", b"RGB ", b"RGB ", version, {**common, b"pseq": sequence, b"A2B0": tag})


def losses(transform: Transform, options: WriteOptions) -> tuple[str, ...]:
    found = ["comments are not kept"] if transform.comments else []
    if options.layout.startswith("abstract"):
        found.append(
            "a Lab profile misses an RGB grade by up to several ΔE at the edge of the gamut: "
            "a device link is exact"
        )
    return tuple(found)


SPEC = FormatSpec(
    key="icc",
    title="ICC profile",
    suffixes=(".icc", ".icm"),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    shaper=True,
    clips=True,
    keeps_title=True,
    depths=("16",),
    layouts=(_LINK4, _LINK2, _ABSTRACT4, _ABSTRACT2),
    converting=(_ABSTRACT4, _ABSTRACT2),
    is_text=False,
    limits={
        "3D": "2 to 255 points read, 2 to 129 written; 8 and 16 bit read, 16 bit written",
        "classes": "device links between RGB and CMYK (with CMYK by `--kind`), abstract profile Lab to Lab; "
        "versions 2 and 4",
    },
)
