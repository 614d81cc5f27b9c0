"""The .csp text LUT: a curve by knots for each channel (the prelut), then a 1D or 3D table."""

from __future__ import annotations

import io

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.stages import Knots1D
from sfumato.core.lut.table import UNIT, Domain, Table1D, Table3D, from_red_fastest, red_fastest
from sfumato.core.lut.transform import Stage, Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_MOST_KNOTS, _MOST_3D, _MOST_1D = 65_536, 256, 1_048_576
_MOST_COMMENT = 2000
_KNOTS = 1024  # least knots written for a curve: linear and cubic readers then agree


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head.lstrip()[:10].upper() == b"CSPLUTV100" else Sniff.NO


class _Lines:
    """Walks over the lines that are not blank, with their numbers."""

    def __init__(self, body: bytes) -> None:
        self._body = body
        self._walk = text.lines(body)
        self._next: tuple[int, int, bytes] | None = None
        self._step()

    def _step(self) -> None:
        for number, at, raw in self._walk:
            if raw.strip() and not raw.startswith(b"#"):
                self._next = number, at, raw
                return
        self._next = None

    def take(self, what: str) -> tuple[int, bytes]:
        if self._next is None:
            last = self._body.removesuffix(b"\n").count(b"\n") + 1
            raise FormatError(f"{what} is missing", hint="the file is cut short", line=last)
        number, _at, raw = self._next
        self._step()
        return number, raw

    def peek(self) -> bytes:
        return self._next[2] if self._next is not None else b""

    def rest(self) -> tuple[int, int]:
        """Return line and place of the first line that was not taken."""
        return self._next[:2] if self._next is not None else (1, len(self._body))


def _count(token: bytes, line: int, what: str, most: int) -> int:
    value = text.number(token, line, what)
    if value != int(value) or not 2 <= value <= most:
        raise FormatError(f"{what} is {value:g}", hint=f"2 to {most} can be read", line=line)
    return int(value)


def _prelut(lines: _Lines, name: str) -> tuple[Array, Array]:
    """Read one channel's knots; a count of 0 is the identity."""
    line, raw = lines.take(f"the prelut of {name}")
    tokens = raw.split(None, 2)
    if len(tokens) == 1 and tokens[0] == b"0":
        return np.array([0.0, 1.0]), np.array([0.0, 1.0])
    if len(tokens) != 1:
        raise FormatError(f"the prelut of {name} needs its count", hint="repair it", line=line)
    count = _count(tokens[0], line, f"the prelut of {name}", _MOST_KNOTS)
    found = []
    for what in ("inputs", "outputs"):
        line, raw = lines.take(f"the prelut {what} of {name}")
        tokens = raw.split(None, count)
        if len(tokens) != count:
            many = len(tokens) if len(tokens) < count else "more"
            raise FormatError(
                f"the prelut of {name} has {many} {what} instead of {count}",
                hint="repair the line",
                line=line,
            )
        found.append(np.array([text.number(t, line, f"a prelut {what[:-1]}") for t in tokens]))
    if not (np.diff(found[0].astype(np.float32)) > 0).all():
        raise FormatError(
            f"the prelut inputs of {name} do not rise", hint="repair it", line=line - 1
        )
    return found[0], found[1]


def read(data: bytes) -> Read:
    """Read a .csp file.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    lines = _Lines(body)
    line, raw = lines.take("the header")
    if raw.strip().upper() != b"CSPLUTV100":
        raise FormatError("this is not a csp file", hint="its first line is CSPLUTV100", line=line)
    line, raw = lines.take("1D or 3D")
    kind = raw.strip().upper()
    if kind not in (b"1D", b"3D"):
        raise FormatError("the second line is neither 1D nor 3D", hint="repair it", line=line)
    comments: list[str] = []
    title = ""
    if lines.peek().strip().upper() == b"BEGIN METADATA":
        lines.take("metadata")
        while (raw := lines.take("END METADATA")[1].strip()).upper() != b"END METADATA":
            comments.append(text.words(raw[:_MOST_COMMENT]))
        title = comments.pop(0) if comments else ""
    curves = [_prelut(lines, name) for name in ("red", "green", "blue")]
    line, raw = lines.take("the size")
    tokens = raw.split(None, 4)
    three = kind == b"3D"
    if len(tokens) != (3 if three else 1) or len(set(tokens)) != 1:
        raise FormatError("the size line does not fit", hint="one size, or three alike", line=line)
    n = _count(tokens[0], line, "the size", _MOST_3D if three else _MOST_1D)
    wanted = n**3 if three else n
    if wanted * 6 - 1 > len(body):
        raise FormatError("the size asks for more rows than there are", hint="cut short", line=line)
    first, at = lines.rest()
    values = text.rows(body, first, wanted, at=at)
    table_values = from_red_fastest(values, n) if three else values
    stages, domain = _front(curves)
    table: Stage = Table3D(table_values, domain) if three else Table1D(table_values, domain)
    return Read(Transform((*stages, table), title, tuple(comments)), tuple(remarks))


def _front(curves: list[tuple[Array, Array]]) -> tuple[tuple[Stage, ...], Domain]:
    """Turn preluts into the table's domain when they are straight to 0..1, else into a stage."""
    straight = all(len(x) == 2 and tuple(y) == (0.0, 1.0) for x, y in curves)
    if straight:
        low = tuple(float(x[0]) for x, _ in curves)
        high = tuple(float(x[1]) for x, _ in curves)
        return (), (low, high)  # type: ignore[return-value]
    inputs, outputs = zip(*curves, strict=True)
    return (Knots1D(inputs, outputs),), UNIT


def _parts(transform: Transform) -> tuple[Knots1D | Table1D | None, Table1D | Table3D | None]:
    """Return the front curve and the table of a transform that a csp file can hold."""
    stages = transform.stages
    table = stages[-1] if stages else None
    if not isinstance(table, Table1D | Table3D) or len(stages) > 2:
        return None, None
    if len(stages) == 1:
        return None, table
    front = stages[0]
    if isinstance(front, Knots1D | Table1D) and table.domain == UNIT:
        return front, table
    return None, None


def holds(transform: Transform) -> str:
    front, table = _parts(transform)
    if table is None:
        return "a csp file holds one table over 0 to 1, alone or behind a curve"
    knots = 0
    if isinstance(front, Knots1D):
        knots = max(len(x) for x in front.inputs)
    elif isinstance(front, Table1D):
        knots = front.size
    return "" if knots <= _MOST_KNOTS else f"a csp file has up to {_MOST_KNOTS} knots in its curve"


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    return ("comments are kept only with a title",) if not transform.title else ()


def _dense(x: Array, y: Array) -> tuple[Array, Array]:
    """Add knots on the straight pieces until there are enough that cubic readers agree."""
    pieces = -(-_KNOTS // (len(x) - 1))
    if pieces == 1:
        return x, y
    share = np.arange(pieces) / pieces
    more = [(v[:-1, None] + np.diff(v)[:, None] * share).reshape(-1) for v in (x, y)]
    return np.append(more[0], x[-1]), np.append(more[1], y[-1])


def _knots(front: Knots1D | Table1D | None, table: Table1D | Table3D) -> list[tuple[Array, Array]]:
    """Return knots for the preluts; a curve gets at least 1024, a plain domain two."""
    if front is None:
        ends = zip(*table.domain, strict=True)
        return [(np.array(pair), np.array([0.0, 1.0])) for pair in ends]
    curves = []
    x: Array
    y: Array
    for c in range(3):
        if isinstance(front, Knots1D):
            x, y = front.inputs[c], front.outputs[c]
        else:
            x = np.linspace(front.domain[0][c], front.domain[1][c], front.size)
            y = front.values[:, c]
        curves.append(_dense(np.asarray(x, np.float64), np.asarray(y, np.float64)))
    return curves


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write metadata, preluts and the table.

    Raises:
        ValueRefused: the transform is none that a csp file holds.
    """
    why = holds(transform)
    front, table = _parts(transform)
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    title = options.title or transform.title
    words = [title, *(options.comments or transform.comments)] if title else []
    out = ["CSPLUTV100", "3D" if isinstance(table, Table3D) else "1D", ""]
    out += ["BEGIN METADATA", *(" ".join(text.ascii_of(w).split()) for w in words), "END METADATA"]
    for x, y in _knots(front, table):
        out += [str(len(x)), *(" ".join(f"{v:.12g}" for v in row) for row in (x, y))]
    out.append("")
    if isinstance(table, Table3D):
        out.append(f"{table.size} {table.size} {table.size}")
        rows = red_fastest(table)
    else:
        out.append(str(table.size))
        rows = table.values
    whole = io.BytesIO()
    whole.write(("\n".join(out) + "\n").encode("ascii"))
    text.write_rows(whole, rows)
    return whole.getvalue()


SPEC = FormatSpec(
    key="csp",
    title="csp text LUT",
    suffixes=(".csp",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    shaper=True,
    domain=True,
    keeps_title=True,
    limits={"1D": "2 to 1 048 576 entries", "3D": "2 to 256 points", "prelut": "2 to 65 536 knots"},
)
