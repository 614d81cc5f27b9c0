"""The .spi3d text LUT: a lattice whose rows carry their own indices."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import UNIT, Table3D
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_AT_ONCE = 1 << 18  # rows that are checked together
_MOST = 256


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head.lstrip()[:6].upper() == b"SPILUT" else Sniff.NO


def read(data: bytes) -> Read:
    """Read an .spi3d file; rows may come in any order, each node exactly once.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    head: list[tuple[int, list[bytes]]] = []
    at, line = len(body), 0
    for line, place, raw in text.lines(body):
        if len(head) == 3:
            at = place
            break
        if tokens := raw.split(None, 8):
            head.append((line, tokens))
    if len(head) < 3 or head[0][1][0].upper() != b"SPILUT":
        raise FormatError("the header of an spi3d file is missing", hint="export it again", line=1)
    size_line, tokens = head[2]
    sizes = [text.number(t, size_line, "the size") for t in tokens]
    if len(sizes) != 3 or len(set(sizes)) != 1:
        raise FormatError(
            "the three sizes are not the same", hint="cubic lattices can be read", line=size_line
        )
    n = int(sizes[0])
    if n != sizes[0] or not 2 <= n <= _MOST:
        raise FormatError(
            f"the size is {sizes[0]:g}", hint=f"2 to {_MOST} can be read", line=size_line
        )
    if n**3 * 12 - 1 > len(body):
        raise FormatError(
            f"the size asks for {n**3} rows, more than the file can hold",
            hint="the file is cut short or its size is wrong",
            line=body.removesuffix(b"\n").count(b"\n") + 1,
        )
    rows = text.rows(body, line, n**3, 6, at)

    def line_of(place: int) -> int:
        return text.line_of_row(body, at, line, place)

    return Read(Transform((Table3D(_lattice(rows, n, line_of)),)), tuple(remarks))


def _lattice(rows: Array, n: int, line_of: Callable[[int], int]) -> Array:
    """Put rows of three indices and three numbers in place."""
    index = rows[:, :3]

    def fault(wrong: Array, what: str, before: int = 0) -> FormatError:
        """Return the refusal of the first row that is wrong, with its line."""
        line = line_of(before + int(np.argmax(wrong)))
        return FormatError(what, hint="repair the row", line=line)

    for start in range(0, len(index), _AT_ONCE):
        part = index[start : start + _AT_ONCE]
        wrong: Array = np.asarray((part != np.round(part)).any(axis=1))
        if wrong.any():
            raise fault(wrong, "an index is not whole", start)
        wrong = np.asarray(((part < 0) | (part >= n)).any(axis=1))
        if wrong.any():
            raise fault(wrong, f"an index lies outside 0 to {n - 1}", start)
    place = np.zeros(len(index), np.int32)
    for column in index.T:
        place *= n
        place += column.astype(np.int32)
    first = np.full(n**3, -1, np.int32)
    order = np.arange(len(place), dtype=np.int32)
    first[place[::-1]] = order[::-1]
    if (wrong := first[place] != order).any():
        raise fault(wrong, "a node stands twice")
    values = np.empty((n**3, 3), np.float32)
    values[place] = rows[:, 3:]
    return values.reshape(n, n, n, 3)


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None:
        return "an spi3d file holds one 3D table and nothing else"
    return "" if table.domain == UNIT else "an spi3d file has the domain 0 to 1"


def write(transform: Transform, _options: WriteOptions) -> bytes:
    """Write one 3D table over 0..1.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    n = table.size

    def as_written(first: int, rows: Array) -> Array:
        places = np.unravel_index(np.arange(first, first + len(rows)), (n, n, n))
        return np.column_stack([*places, rows])

    whole = io.BytesIO()
    whole.write(f"SPILUT 1.0\n3 3\n{n} {n} {n}\n".encode())
    text.write_rows(whole, table.values.reshape(-1, 3), as_written)
    return whole.getvalue()


SPEC = FormatSpec(
    key="spi3d",
    title="spi3d text LUT",
    suffixes=(".spi3d",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    limits={"3D": "2 to 256 points read, 2 to 129 written, domain 0 to 1"},
)
