"""Raw NumPy arrays: a lattice [r, g, b, 3] or a curve (n, 3), float or integer codes."""

from __future__ import annotations

import ast
import io
import struct

import numpy as np
from numpy.lib import format as npy

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import UNIT, Table1D, Table3D, table_of
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_MAGIC = b"\x93NUMPY"
_KINDS = {"f2": "16f", "f4": "32f", "f8": "32f", "u1": "8", "u2": "16"}
_MOST_3D, _MOST_1D, _MOST_HEADER = 256, 1_048_576, 4096


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head.startswith(_MAGIC) else Sniff.NO


def _header(data: bytes) -> tuple[tuple[int, ...], bool, np.dtype, int]:
    """Return shape, Fortran order, type and start of the numbers; the header is a Python literal.

    Source: numpy.lib.format, versions 1.0 to 3.0.
    """
    if not data.startswith(_MAGIC) or len(data) < 12:
        raise FormatError("this is not a whole .npy file", hint="save the array again", line=1)
    wide = data[6] >= 2
    (length,) = struct.unpack_from("<I" if wide else "<H", data, 8)
    start = (12 if wide else 10) + length
    try:
        if length > _MOST_HEADER:
            raise ValueError
        facts = ast.literal_eval(data[start - length : start].decode("latin-1").strip())
        shape = tuple(int(v) for v in facts["shape"])
        kind = np.dtype(str(facts["descr"]))
        return shape, bool(facts["fortran_order"]), kind, start
    except (ValueError, SyntaxError, KeyError, TypeError, MemoryError, RecursionError) as error:
        raise FormatError(
            "the header of the .npy file is damaged", hint="save the array again", line=1
        ) from error


def read(data: bytes) -> Read:
    """Read an array of shape (n, n, n, 3), the nodes [r, g, b], or (n, 3), a curve per channel.

    Raises:
        FormatError: another shape or type, cut short, or not finite.
    """
    shape, fortran, kind, start = _header(data)
    depth = _KINDS.get(kind.str[1:])
    if depth is None:
        raise FormatError(
            f"the array holds {kind}", hint="use float16, 32, 64 or uint8, 16", line=1
        )
    lattice = len(shape) == 4 and len(set(shape[:3])) == 1 and 2 <= shape[0] <= _MOST_3D
    curve = len(shape) == 2 and 2 <= shape[0] <= _MOST_1D
    if not (lattice or curve) or shape[-1] != 3:
        raise FormatError(
            f"the array has the shape {shape}", hint="(n, n, n, 3) or (n, 3) can be read", line=1
        )
    count = int(np.prod(shape))
    if len(data) - start < count * kind.itemsize:
        raise FormatError("the array is cut short", hint="save it again", line=1)
    values = np.frombuffer(data, kind, count, start).reshape(shape, order="F" if fortran else "C")

    def numbers(part: slice) -> Array:
        with np.errstate(all="ignore"):  # damaged bytes hold signalling NaN; they are refused below
            found = values[part].astype(np.float64)
        if kind.kind == "u":
            found /= np.iinfo(kind).max
        if not (np.abs(found) <= 3.4e38).all():
            raise FormatError("a value is not a finite number", hint="save it again", line=1)
        return found

    table = table_of(shape[0], numbers) if lattice else Table1D(numbers(slice(None)))
    return Read(Transform((table,)), depth=depth)


def holds(transform: Transform) -> str:
    only = transform.stages[0] if len(transform.stages) == 1 else None
    if not isinstance(only, Table1D | Table3D) or only.domain != UNIT:
        return "an array holds one 1D or 3D table over 0 to 1"
    return ""


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write the array [r, g, b, 3] or (n, 3).

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="bake it to a grid first")
    (table,) = transform.stages
    assert isinstance(table, Table1D | Table3D)
    values = table.values
    if SPEC.depth_of(options) == "16f":
        values = np.clip(values, -65504, 65504).astype("<f2")
    out = io.BytesIO()
    npy.write_array(out, values, version=(1, 0))
    return out.getvalue()


SPEC = FormatSpec(
    key="npy",
    title="NumPy array",
    suffixes=(".npy",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    depths=("32f", "16f"),
    is_text=False,
    limits={"1D": "2 to 1 048 576 entries", "3D": "2 to 256 points"},
)
