"""The .spi3d text LUT: a lattice whose rows carry their own indices."""

from __future__ import annotations

import numpy as np

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.table import UNIT, Table3D
from sfumato.core.transform import Transform
from sfumato.formats import text
from sfumato.formats.contract import FormatSpec, Read, Sniff, WriteOptions

_MOST = 256


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head.lstrip()[:6].upper() == b"SPILUT" else Sniff.NO


def read(data: bytes) -> Read:
    """Read an .spi3d file; rows may come in any order, each node exactly once.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    lines = body.removesuffix(b"\n").split(b"\n")
    kept = [(i + 1, t) for i, raw in enumerate(lines) if (t := raw.split())]
    if len(kept) < 3 or kept[0][1][0].upper() != b"SPILUT":
        raise FormatError("the header of an spi3d file is missing", hint="export it again", line=1)
    line, tokens = kept[2]
    sizes = [text.number(t, line, "the size") for t in tokens]
    if len(sizes) != 3 or len(set(sizes)) != 1:
        raise FormatError(
            "the three sizes are not the same", hint="cubic lattices can be read", line=line
        )
    n = int(sizes[0])
    if n != sizes[0] or not 2 <= n <= _MOST:
        raise FormatError(f"the size is {sizes[0]:g}", hint=f"2 to {_MOST} can be read", line=line)
    rows = kept[3:]
    if len(rows) != n**3:
        what = "missing" if len(rows) < n**3 else "too many"
        raise FormatError(
            f"{abs(n**3 - len(rows))} of {n**3} rows are {what}",
            hint="the file is cut short or its size is wrong",
            line=rows[-1][0] if rows else line,
        )
    values = _lattice(rows, n)
    return Read(Transform((Table3D(values),)), tuple(remarks))


def _lattice(rows: list[tuple[int, list[bytes]]], n: int) -> np.ndarray:
    """Put rows of three indices and three numbers in place."""
    for line, tokens in rows:
        if len(tokens) != 6:
            raise FormatError(
                f"the row has {len(tokens)} fields instead of 6", hint="repair it", line=line
            )
    try:
        index = np.array([t[:3] for _, t in rows], dtype="S").astype(np.int64)
    except ValueError:
        index = np.array([[text.number(v, line, "an index") for v in t[:3]] for line, t in rows])
        whole = index == np.round(index)
        if not whole.all():
            bad = int(np.argmin(whole.all(axis=1)))
            raise FormatError(
                "an index is not whole", hint="repair it", line=rows[bad][0]
            ) from None
        index = index.astype(np.int64)
    outside = ((index < 0) | (index >= n)).any(axis=1)
    if outside.any():
        bad = int(np.argmax(outside))
        raise FormatError(
            f"an index lies outside 0 to {n - 1}", hint="repair the row", line=rows[bad][0]
        )
    flat = (index[:, 0] * n + index[:, 1]) * n + index[:, 2]
    first = np.full(n**3, -1)
    order = np.arange(len(flat))
    first[flat[::-1]] = order[::-1]
    repeated = first[flat] != order
    if repeated.any():
        bad = int(np.argmax(repeated))
        raise FormatError("a node stands twice", hint="remove one of the rows", line=rows[bad][0])
    numbers = text.rows(b"\n".join(b" ".join(t[3:]) for _, t in rows), rows[0][0], n**3)
    values = np.empty((n**3, 3), np.float64)
    values[flat] = numbers
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
    places = np.indices((n, n, n), np.float32).reshape(3, -1).T
    rows = text.written(np.hstack([places, table.values.reshape(-1, 3)]))
    return f"SPILUT 1.0\n3 3\n{n} {n} {n}\n".encode() + rows


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
