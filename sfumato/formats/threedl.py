"""The .3dl text LUT: a lattice of integers, blue fastest, behind a line of node positions.

White is 2**bits - 1. Headers (`3DMESH`, `Mesh i o`) are read when they are there, and written on request:
the plain form with 17 points, 10 bit positions and 12 bit values reaches every reader. Positions that
are not evenly spaced are read as even, as the places of the nodes, or as a curve: readers differ.
"""

from __future__ import annotations

import io

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.stages import Knots1D
from sfumato.core.lut.table import UNIT, table_of
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_DEPTHS = (8, 10, 12, 14, 16)
_MOST = 256
_LEAST = 4  # fewer positions look like a row
_MOST_COMMENT, _MOST_TRAILER = 2000, 100


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


_EVEN, _NODES, _CURVE = "even", "positions of the nodes", "positions as a curve"


def read(data: bytes) -> Read:
    """Read a .3dl file.

    Raises:
        FormatError: with the line.
    """
    return read_as(data, "")


def read_as(data: bytes, reading: str) -> Read:
    """Read a .3dl file at a named depth (`12 bit`), with uneven positions taken as said behind a comma.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    mesh: list[float] | None = None
    stated: int | None = None
    at, first, line = len(body), 0, 1
    comments: list[str] = []
    for line, place, raw in text.lines(body):
        tokens = raw.split(None, _MOST + 1)
        if not tokens or tokens[0].startswith(b"#"):
            if tokens and len(comments) < 100:
                comments.append(text.words(raw[:_MOST_COMMENT].strip()[1:].strip()))
            continue
        lowered = tokens[0].lower()
        if lowered == b"mesh" and len(tokens) == 3:
            depth = text.number(tokens[2], line, "the output depth")
            if depth not in _DEPTHS:
                raise FormatError(f"the output depth is {depth:g}", hint="8 to 16 bit", line=line)
            stated = int(depth)
        elif lowered.isalpha() or lowered in (b"3dmesh", b"lut8"):
            continue
        elif mesh is None and len(tokens) > 3:
            mesh = [text.number(t, line, "a node position") for t in tokens]
        else:
            at, first = place, line
            break
    rows = body[: _end_of_rows(body, at)]
    count = text.row_count(rows, at)
    n = len(mesh) if mesh else round(count ** (1 / 3))
    if not 2 <= n <= _MOST or n**3 != count:
        raise FormatError(
            f"there are {count} rows, which make no lattice" + (f" of {n} points" if mesh else ""),
            hint="the file is cut short or its line of positions is wrong",
            line=body.removesuffix(b"\n").count(b"\n") + 1,
        )
    values = text.rows(rows, first, count, at=at)
    if (values != np.round(values)).any():
        bad = int(np.argmax((values != np.round(values)).any(axis=1)))
        where = text.line_of_row(rows, at, first, bad)
        raise FormatError("a value is not whole", hint="3dl holds integers", line=where)
    if stated and (values.max() > 2**stated - 1 or values.min() < 0):
        remarks.append(
            f"values run from {values.min():.0f} to {values.max():.0f}, beyond the {stated} bit that "
            "the file states"
        )
    words, _, places = reading.partition(", ")
    chosen = next((d for d in _DEPTHS if words == f"{d} bit"), None)
    bits = chosen or stated or _depth_of(float(values.max()))
    if mesh is None:
        remarks.append("there is no line of node positions: taken as evenly spaced")
    if not (chosen or stated):
        remarks.append(f"the depth is not stated: taken as {bits} bit from the largest value")
    front: tuple[Knots1D, ...] = ()
    suffix = ""
    kinds: tuple[str, ...] = ("",)
    if mesh is not None and not _is_even(mesh):
        kinds = ("", f", {_NODES}", f", {_CURVE}") if (np.diff(mesh) > 0).all() else ("",)
        front = _front(mesh, places)
        suffix = f", {places}" if front else ""
        remarks.append(
            f"the node positions are not evenly spaced: readers differ; taken as {places if front else _EVEN}"
        )
    codes = values.reshape(n, n, n, 3)
    table = table_of(n, lambda part: codes[part].astype(np.float64) / (2**bits - 1))
    readings = tuple(f"{d} bit{kind}" for kind in kinds for d in _DEPTHS)
    return Read(
        Transform((*front, table), comments[0] if comments else "", tuple(comments[1:])),
        tuple(remarks),
        reading=f"{bits} bit{suffix}",
        readings=readings,
        depth=str(bits),
    )


def _end_of_rows(body: bytes, at: int) -> int:
    """Return where the rows end: before a trailer of a few words, such as `gamma 1.0`."""
    end = len(body)
    for _ in range(_MOST_TRAILER):
        start = body.rfind(b"\n", at, max(end - 1, at)) + 1
        line = body[start:end].strip()
        if start <= at or (
            line
            and not (line.split(None, 1)[0].isalpha() or line[:1] == b"#")
            and line.split(None, 1)[0].lower() != b"lut8"
        ):
            break
        end = start
    return end


def _front(mesh: list[float], places: str) -> tuple[Knots1D, ...]:
    """Return the curve that uneven positions stand for, nothing when they are taken as even."""
    if places not in (_NODES, _CURVE) or not (np.diff(mesh) > 0).all():
        return ()
    at = np.array(mesh) / mesh[-1]
    even = np.linspace(0, 1, len(mesh))
    x, y = (at, even) if places == _NODES else (even, at)
    return (Knots1D((x, x, x), (y, y, y)),)


def _is_even(mesh: list[float]) -> bool:
    """Whether positions are even; a last step that is one short is usual."""
    steps = np.diff(mesh)
    return bool((steps > 0).all() and np.ptp(steps) <= 1.0 + 1e-9)


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None or table.domain != UNIT:
        return "a 3dl file holds one 3D table over 0 to 1"
    if table.size < _LEAST:
        return f"readers of 3dl files take grids of {_LEAST} points and more"
    return ""


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    table = transform.table
    found = []
    if table is not None:
        if table.values.max() < 0.5:
            found.append("the table is so dark that readers will take it for a lower depth")
        if table.size not in (17, 33, 65):
            found.append("readers expect 17, 33 or 65 points")
    return tuple(found)


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write 10 bit positions and whole values, clipped to 0..1.

    Raises:
        ValueRefused: the transform is something else, or a header cannot state its grid.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    n = table.size
    bits = int(SPEC.depth_of(options))
    title = options.title or transform.title
    words = [title, *(options.comments or transform.comments)] if title else []
    out = [f"# {' '.join(text.ascii_of(w).split())}"[:500] for w in words]
    if SPEC.layout_of(options) == _HEADER:
        power = (n - 1).bit_length() - 1
        if 2**power + 1 != n:
            raise ValueRefused(
                f"the header of a 3dl file cannot state a grid of {n}", hint="use 17, 33 or 65"
            )
        out += ["3DMESH", f"Mesh {power} {bits}"]
    mesh = [min(round(i * 1024 / (n - 1)), 1023) for i in range(n)]
    out.append(" ".join(map(str, mesh)))

    def as_written(_first: int, rows: Array) -> Array:
        return np.asarray(np.floor(np.clip(rows, 0, 1).astype(np.float64) * (2**bits - 1) + 0.5))

    whole = io.BytesIO()
    whole.write(("\n".join(out) + "\n").encode("ascii"))
    text.write_rows(whole, table.values.reshape(-1, 3), as_written)
    return whole.getvalue()


_PLAIN, _HEADER = "plain", "with header"
SPEC = FormatSpec(
    key="3dl",
    title="3dl text LUT",
    suffixes=(".3dl",),
    sniff=sniff,
    read=read,
    read_as=read_as,
    write=write,
    holds=holds,
    losses=losses,
    clips=True,
    keeps_title=True,
    depths=("12", "10", "16"),
    layouts=(_PLAIN, _HEADER),
    grid_for=lambda grid: min(max(grid, _LEAST), 129),
    default_grid=17,
    limits={"3D": "2 to 256 points read, 4 to 129 written; 8 to 16 bit read, 10, 12, 16 written"},
)
