"""The .3dl text LUT: a lattice of integers, blue fastest, behind a line of node positions.

White is 2**bits - 1. Headers (`3DMESH`, `Mesh i o`) are read when they are there, and not written:
the plain form with 17 points, 10 bit positions and 12 bit values reaches every reader.
"""

from __future__ import annotations

import numpy as np

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.table import UNIT, Table3D
from sfumato.core.transform import Transform
from sfumato.formats import text
from sfumato.formats.contract import FormatSpec, Read, Sniff, WriteOptions

_DEPTHS = (8, 10, 12, 14, 16)


def sniff(head: bytes) -> Sniff:
    if head.lstrip()[:6].upper() == b"3DMESH":
        return Sniff.SURE
    for raw in head.split(b"\n"):
        tokens = raw.split()
        if tokens and not tokens[0].startswith(b"#"):
            mesh = len(tokens) > 3 and all(t.isdigit() for t in tokens)
            return Sniff.MAYBE if mesh else Sniff.NO
    return Sniff.NO


def _depth_of(peak: float) -> int:
    """Guess the depth from the largest value, with the limits that other readers use."""
    for limit, bits in ((512, 8), (2048, 10), (8192, 12)):
        if peak < limit:
            return bits
    return 16


def read(data: bytes) -> Read:
    """Read a .3dl file.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    mesh: list[float] | None = None
    depth: int | None = None
    rows: list[bytes] = []
    first = 0
    lines = body.removesuffix(b"\n").split(b"\n")
    for i, raw in enumerate(lines):
        tokens = raw.split()
        if not tokens or tokens[0].startswith(b"#"):
            if rows:
                rows.append(b"")
            continue
        lowered = tokens[0].lower()
        if lowered == b"mesh" and len(tokens) == 3:
            depth = int(text.number(tokens[2], i + 1, "the output depth"))
            if depth not in _DEPTHS:
                raise FormatError(f"the output depth is {depth}", hint="8 to 16 bit", line=i + 1)
        elif lowered.isalpha() or lowered in (b"3dmesh", b"lut8"):
            continue  # a header or a trailer such as `gamma 1.0`
        elif mesh is None and len(tokens) > 3 and not rows:
            mesh = [text.number(t, i + 1, "a node position") for t in tokens]
        else:
            first = first or i + 1
            rows.append(raw)
    while rows and not rows[-1]:
        rows.pop()
    count = sum(1 for r in rows if r)
    n = len(mesh) if mesh else round(count ** (1 / 3))
    if n < 2 or n**3 != count:
        raise FormatError(
            f"there are {count} rows, which make no lattice" + (f" of {n} points" if mesh else ""),
            hint="the file is cut short or its line of positions is wrong",
            line=len(lines),
        )
    values = text.rows(b"\n".join(rows), first, count)
    if (values != np.round(values)).any():
        bad = int(np.argmax((values != np.round(values)).any(axis=1)))
        raise FormatError("a value is not whole", hint="3dl holds integers", line=first + bad)
    if mesh is None:
        remarks.append("there is no line of node positions: taken as evenly spaced")
    elif not _is_even(mesh):
        remarks.append("the node positions are not evenly spaced: readers differ; taken as even")
    if depth is None:
        depth = _depth_of(float(values.max()))
        remarks.append(f"the depth is not stated: taken as {depth} bit from the largest value")
    lattice = (values.astype(np.float64) / (2**depth - 1)).reshape(n, n, n, 3)
    return Read(Transform((Table3D(lattice),)), tuple(remarks))


def _is_even(mesh: list[float]) -> bool:
    """Whether positions are even; a last step that is one short is usual."""
    steps = np.diff(mesh)
    return bool((steps > 0).all() and np.ptp(steps) <= 1.0 + 1e-9)


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None or table.domain != UNIT:
        return "a 3dl file holds one 3D table over 0 to 1"
    return ""


def losses(transform: Transform) -> tuple[str, ...]:
    table = transform.table
    found = ["values are rounded to 12 bit"]
    if transform.title:
        found.append("the title is kept as a comment")
    if table is not None:
        if table.values.min() < 0 or table.values.max() > 1:
            found.append("values below 0 and above 1 are clipped")
        if table.values.max() < 0.5:
            found.append("the table is so dark that readers will take it for a lower depth")
        if table.size not in (17, 33, 65):
            found.append("readers expect 17, 33 or 65 points")
    return tuple(found)


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write 10 bit positions and 12 bit values, clipped to 0..1.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    n = table.size
    step = 1024 // (n - 1) if n <= 1024 and 1024 % (n - 1) == 0 else 1024 / (n - 1)
    mesh = [min(round(i * step), 1023) for i in range(n)]
    codes = (np.clip(table.values, 0, 1).astype(np.float64) * 4095 + 0.5).astype(np.int64)
    title = options.title or transform.title
    out = [f"# {text.ascii_of(title)}"[:500]] if title else []
    out.append(" ".join(map(str, mesh)))
    out += [f"{r} {g} {b}" for r, g, b in codes.reshape(-1, 3).tolist()]
    return ("\n".join(out) + "\n").encode("ascii")


SPEC = FormatSpec(
    key="3dl",
    title="3dl text LUT",
    suffixes=(".3dl",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    default_grid=17,
    limits={"3D": "2 to 256 points read, 2 to 129 written; 8 to 16 bit read, 12 bit written"},
)
