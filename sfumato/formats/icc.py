"""ICC device links and abstract profiles as LUTs. Not divided: one format, one file.

Device links run from RGB to RGB, abstract profiles from Lab to Lab.
Source: ICC.1:2022 (version 4.4) and ICC.1:2001-04 (version 2.4). Tables run first channel slowest.
An abstract profile works on Lab (D50); as a LUT it is taken between sRGB code values.
"""

from __future__ import annotations

import struct
from functools import cache
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.colour.adapt import D65, adaptation
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import FormatError, ShapeError, ValueRefused
from sfumato.core.lut.stages import Exponent, Matrix
from sfumato.core.lut.table import UNIT, Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Stage, Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions
from sfumato.formats.parts.icc_profile import D50, codes, lut16, profile, straight, words, xyz

_LINK4, _LINK2, _ABSTRACT2, _ABSTRACT4 = (
    "device link",
    "device link, version 2",
    "abstract profile, version 2",
    "abstract profile",
)
_MOST_TAGS, _MOST_CURVE = 200, 4096
_SLACK = 2e-5  # how far outside 0..1 a curve may reach: rounding


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head[36:40] == b"acsp" else Sniff.NO


# Lab (D50) and sRGB code values


@cache
def _linear_to_d50() -> Array:
    white = (D50[0] / D50.sum(), D50[1] / D50.sum())
    return np.asarray(adaptation(D65, white, "Bradford") @ encoding("sRGB").to_xyz_d65)


def lab_of_code(code: Any) -> Array:
    """Return Lab (D50) of sRGB code values, float64 (..., 3); values beyond 0..1 go on smoothly.

    >>> [round(float(v), 3) + 0.0 for v in lab_of_code([1.0, 1.0, 1.0])]
    [100.0, 0.0, 0.0]
    """
    x = np.asarray(code, np.float64)
    size = np.abs(x)
    light = np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    xyz = (np.copysign(light, x) @ _linear_to_d50().T) / D50
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), xyz * (841 / 108) + 4 / 29)
    lab = np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )
    return lab


def code_of_lab(lab: Any) -> Array:
    """Return sRGB code values of Lab (D50), float64 (..., 3), unclipped; inverse of `lab_of_code`."""
    v = np.asarray(lab, np.float64)
    fy = (v[..., 0] + 16) / 116
    f = np.stack([fy + v[..., 1] / 500, fy, fy - v[..., 2] / 200], -1)
    xyz = np.where(f > 6 / 29, f**3, (f - 4 / 29) * (108 / 841)) * D50
    light = xyz @ np.linalg.inv(_linear_to_d50()).T
    size = np.abs(light)
    code = np.where(size <= 0.0031308, size * 12.92, 1.055 * size ** (1 / 2.4) - 0.055)
    return np.asarray(np.copysign(code, light))


# How Lab is written as 0..1: lut16 keeps the code of version 2 whatever the profile's version.
_OLD_SCALE = np.array([100 * 65535 / 65280, 65535 / 256, 65535 / 256])
_NEW_SCALE = np.array([100.0, 255.0, 255.0])
_SHIFT = np.array([0.0, -128.0, -128.0])


def _ends(scale: Array) -> tuple[Function, Function]:
    """Return the functions from sRGB to a Lab code in 0..1, and back."""

    def enter(code: Rgb) -> Rgb:
        return np.asarray((lab_of_code(code) - _SHIFT) / scale, np.float32)

    def leave(values: Rgb) -> Rgb:
        return np.asarray(code_of_lab(values * scale + _SHIFT), np.float32)

    return Function("sRGB to Lab", enter), Function("Lab to sRGB", leave)


# Reading


def _bad(what: str, hint: str = "export it again") -> FormatError:
    return FormatError(what, hint=hint)


class _Bytes:
    """A tag's bytes; reading past their end is a refusal, not an exception of another kind."""

    def __init__(self, data: bytes) -> None:
        self.data = data

    def take(self, form: str, at: int) -> tuple[Any, ...]:
        try:
            return struct.unpack_from(">" + form, self.data, at)
        except struct.error as error:
            raise _bad("the profile is cut short", "copy or export it again") from error

    def array(self, kind: str, at: int, count: int) -> Array:
        if count < 0 or at < 0 or at + count * np.dtype(kind).itemsize > len(self.data):
            raise _bad("the profile is cut short", "copy or export it again")
        return np.frombuffer(self.data, kind, count, at).astype(np.float64)


def _tags(data: bytes) -> dict[bytes, _Bytes]:
    body = _Bytes(data)
    (count,) = body.take("I", 128)
    if count > _MOST_TAGS:
        raise _bad(f"the profile claims {count} tags")
    found = {}
    for i in range(count):
        name, at, size = body.take("4sII", 132 + 12 * i)
        if at + size > len(data):
            raise _bad("a tag lies outside the profile", "copy or export it again")
        found[name] = _Bytes(data[at : at + size])
    return found


def _words(tag: _Bytes | None) -> str:
    """Return a description: textDescription of version 2 or multiLocalizedUnicode of version 4."""
    if tag is None or len(tag.data) < 16:
        return ""
    if tag.data[:4] == b"desc":
        (length,) = tag.take("I", 8)
        return text.words(tag.data[12 : 12 + min(length, 500)].split(b"\0")[0])
    if tag.data[:4] == b"mluc" and len(tag.data) >= 28:
        size, at = tag.take("II", 20)
        return tag.data[at : at + min(size, 1000)].decode("utf-16-be", "replace")
    return ""


def _curve_stage(columns: list[Array]) -> tuple[Stage, ...]:
    """Return the stage of three curves of one length, nothing when they change nothing."""
    size = max(len(c) for c in columns)
    even = [np.interp(np.linspace(0, 1, size), np.linspace(0, 1, len(c)), c) for c in columns]
    straight = np.linspace(0, 1, size)
    if all(np.abs(c - straight).max() < 1e-7 for c in even):
        return ()
    return (Table1D(np.stack(even, -1)),)


def _of_lut(tag: _Bytes, wide: bool) -> list[Stage]:
    """Read lut8Type or lut16Type; the 3x3 matrix is for XYZ alone and is passed over."""
    inputs, outputs, n = tag.take("BBB", 8)
    if (inputs, outputs) != (3, 3):
        raise _bad(f"the profile has {inputs} inputs and {outputs} outputs", "3 and 3 can be read")
    entries, exits = tag.take("HH", 48) if wide else (256, 256)
    at, kind, peak = (52, ">u2", 65535.0) if wide else (48, ">u1", 255.0)
    width = 2 if wide else 1
    if not (2 <= entries <= _MOST_CURVE and 2 <= exits <= _MOST_CURVE and n >= 2):
        raise _bad("the tables of the profile have impossible sizes")
    first = tag.array(kind, at, 3 * entries).reshape(3, entries) / peak
    at += 3 * entries * width
    lattice = tag.array(kind, at, 3 * n**3).reshape(n, n, n, 3) / peak
    at += 3 * n**3 * width
    last = tag.array(kind, at, 3 * exits).reshape(3, exits) / peak
    return [*_curve_stage(list(first)), Table3D(frozen_array(lattice)), *_curve_stage(list(last))]


def _parametric(kind: int, p: Array) -> Array:
    """Sample a parametric curve of function 0 to 4 at 4096 places (ICC.1:2022, 10.18)."""
    x = np.linspace(0, 1, _MOST_CURVE)
    g, a, b, c, d, e, f = np.pad(p, (0, 7 - len(p))).tolist()
    with np.errstate(all="ignore"):
        power = np.maximum(a * x + b, 0) ** g
        out = {
            0: x**g,
            1: np.where(a * x + b >= 0, power, 0),
            2: np.where(a * x + b >= 0, power + c, c),
            3: np.where(x >= d, power, c * x),
            4: np.where(x >= d, power + e, c * x + f),
        }[kind]
    if not np.isfinite(out).all():
        raise _bad("a parametric curve of the profile is not finite")
    return np.asarray(out)


def _curves(tag: _Bytes, at: int) -> list[Stage]:
    """Read three curves, each padded to four bytes."""
    columns: list[Array] = []
    gammas = []
    for _ in range(3):
        (kind,) = tag.take("4s", at)
        if kind == b"curv":
            (count,) = tag.take("I", at + 8)
            if count > 65536:
                raise _bad("a curve of the profile is impossibly long")
            values = tag.array(">u2", at + 12, count)
            at += 12 + 2 * count + (-2 * count % 4)
            gammas.append(float(values[0] / 256) if count == 1 else 1.0 if count == 0 else 0.0)
            columns.append(values / 65535 if count > 1 else np.array([0.0, 1.0]))
        elif kind == b"para":
            (function,) = tag.take("H", at + 8)
            if function > 4:
                raise _bad("a parametric curve of the profile is of no known kind")
            count = (1, 3, 4, 5, 7)[function]
            p = tag.array(">i4", at + 12, count) / 65536
            at += 12 + 4 * count
            gammas.append(float(p[0]) if function == 0 else 0.0)
            columns.append(np.array([0.0, 1.0]) if function == 0 else _parametric(function, p))
        else:
            raise _bad("a curve of the profile is of no known kind")
    if all(g > 0 for g in gammas):
        if all(g == 1 for g in gammas):
            return []
        return [Exponent((gammas[0], gammas[1], gammas[2]))]
    even = np.linspace(0, 1, _MOST_CURVE)
    return list(
        _curve_stage([even**g if g > 0 else c for g, c in zip(gammas, columns, strict=True)])
    )


def _of_mab(tag: _Bytes) -> list[Stage]:
    """Read lutAToBType: A curves, CLUT, M curves, matrix, B curves, in this order."""
    inputs, outputs = tag.take("BB", 8)
    if (inputs, outputs) != (3, 3):
        raise _bad(f"the profile has {inputs} inputs and {outputs} outputs", "3 and 3 can be read")
    b, matrix, m, clut, a = tag.take("5I", 12)
    stages: list[Stage] = []
    if a and clut:
        stages += _curves(tag, a)
    if clut:
        grid = set(tag.take("3B", clut))
        (n,) = grid if len(grid) == 1 else (0,)
        (width,) = tag.take("B", clut + 16)
        if n < 2 or width not in (1, 2):
            raise _bad("the lattice of the profile is not cubic, or of no known precision")
        flat = tag.array(f">u{width}", clut + 20, 3 * n**3) / (256.0**width - 1)
        stages.append(Table3D(flat.reshape(n, n, n, 3)))
    if m and matrix:
        stages += _curves(tag, m)
    if matrix:
        e = tag.array(">i4", matrix, 12) / 65536
        r: Any = e[:9].reshape(3, 3).tolist()
        stages.append(Matrix((tuple(r[0]), tuple(r[1]), tuple(r[2])), tuple(e[9:].tolist())))
    if b:
        stages += _curves(tag, b)
    return stages


def read(data: bytes) -> Read:
    """Read a device link RGB to RGB or an abstract profile Lab to Lab.

    Raises:
        FormatError: it is damaged, or a profile of another class.
    """
    if len(data) < 132 or data[36:40] != b"acsp":
        raise _bad("this is not an ICC profile", "choose a device link or an abstract profile")
    kind, space, pcs = data[12:16], data[16:20], data[20:24]
    pairs = {(b"link", b"RGB ", b"RGB "): False, (b"abst", b"Lab ", b"Lab "): True}
    if (kind, space, pcs) not in pairs:
        words = " ".join(text.words(w).strip() for w in (kind, space, pcs))
        raise _bad(
            f"the profile is of the kind {words}, which is no LUT",
            "device links RGB to RGB and abstract profiles Lab to Lab can be read",
        )
    tags = _tags(data)
    tag = tags.get(b"A2B0")
    if tag is None:
        raise _bad("the profile has no A2B0 table")
    form = tag.data[:4]
    try:
        if form == b"mAB ":
            stages = _of_mab(tag)
        elif form in (b"mft1", b"mft2"):
            stages = _of_lut(tag, form == b"mft2")
        else:
            raise _bad(f"the table of the profile is of the kind {text.words(form)}")
    except (ShapeError, ValueRefused) as error:
        raise _bad(f"the table of the profile cannot be used: {error.summary}") from error
    depth = "8" if form == b"mft1" else "16"
    remarks: tuple[str, ...] = ()
    if pairs[kind, space, pcs]:
        scale = _OLD_SCALE if form == b"mft2" else _NEW_SCALE
        enter, leave = _ends(scale)
        stages = [enter, *(_trilinear(s) for s in stages), leave]
        remarks = ("an abstract profile changes Lab: taken here between sRGB code values",)
    title = _words(tags.get(b"desc"))
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
    if not isinstance(front, Table1D) or front.domain != UNIT or front.size > _MOST_CURVE:
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


def _abstract(transform: Transform, n: int) -> Array:
    """Return the nodes of a Lab lattice, in the code of lut16.

    Lab nodes that no sRGB colour has are continued: F(clip(x)) + (x - clip(x)). Without it, cells
    that the gamut's shell cuts would be far off.
    """
    enter, leave = _ends(_OLD_SCALE)
    code = leave.run(lattice_colours(n)).astype(np.float64)
    inside = np.clip(code, 0, 1)
    out = transform.apply(inside.astype(np.float32)) + (code - inside)
    return np.asarray(enter.run(np.asarray(out, np.float32)))


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
        b"desc": words(title, version, b"desc"),
        b"cprt": words("No copyright, use freely", version, b"cprt"),
        b"wtpt": xyz(D50),
    }
    if layout.startswith("abstract"):
        nodes = _abstract(transform, max(33, table.size | 1))
        tag = _lut16(None, nodes)
        return profile(b"abst", b"Lab ", b"Lab ", version, {**common, b"A2B0": tag})
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
        "classes": "device link RGB to RGB, abstract profile Lab to Lab; versions 2 and 4",
    },
)
