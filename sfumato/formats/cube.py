"""The .cube text LUT: 1D, 3D, and a 1D shaper before a 3D lattice; both dialects of its domain.

Dialect A: TITLE, DOMAIN_MIN, DOMAIN_MAX and one of the two sizes. Dialect B: LUT_1D_INPUT_RANGE,
LUT_3D_INPUT_RANGE, and possibly both sizes, the 1D rows first. 3D rows run red fastest.
"""

from __future__ import annotations

import io
from typing import Any

from attrs import define, field

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.recast import full_in, full_out
from sfumato.core.lut.table import UNIT, Domain, Table1D, Table3D, from_red_fastest, red_fastest
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_MOST_3D, _MOST_1D = 256, 1_048_576
_SIZES = {b"LUT_3D_SIZE": 3, b"LUT_1D_SIZE": 1}
_RANGES = {b"LUT_3D_INPUT_RANGE": 3, b"LUT_1D_INPUT_RANGE": 1}
_VIDEO = {b"LUT_IN_VIDEO_RANGE": "in", b"LUT_OUT_VIDEO_RANGE": "out"}
_NARROWEST = 1e-5
FULL, STORED = "full range", "numbers as stored"
_COMMENT_MOST, _COMMENTS_MOST, _REMARKS_MOST = 2000, 500, 20
_LINE_MOST = 511  # some readers split longer lines and read the tail as a row


def sniff(head: bytes) -> Sniff:
    upper = head.upper()
    if b"LUT_3D_SIZE" in upper or b"LUT_1D_SIZE" in upper:
        return Sniff.SURE
    return Sniff.NO


@define
class _Header:
    sizes: dict[int, int] = field(factory=dict)
    ranges: dict[int, tuple[float, float]] = field(factory=dict)
    low: tuple[float, ...] | None = None
    high: tuple[float, ...] | None = None
    title: str = ""
    comments: list[str] = field(factory=list)
    remarks: list[str] = field(factory=list)
    video: set[str] = field(factory=set)  # ends that are in video range: "in", "out"


def _twice(key: bytes, line: int) -> FormatError:
    return FormatError(
        f"{key.decode()} stands twice with different numbers", hint="keep one", line=line
    )


def _take_size(header: _Header, key: bytes, tokens: list[bytes], line: int) -> None:
    kind = _SIZES[key]
    most = _MOST_3D if kind == 3 else _MOST_1D
    name = key.decode()
    if len(tokens) != 2:
        raise FormatError(f"{name} needs one number", hint="repair the line", line=line)
    size = text.number(tokens[1], line, name)
    if size != int(size) or not 2 <= size <= most:
        raise FormatError(
            f"{name} is {size:g}", hint=f"a whole number from 2 to {most} can be read", line=line
        )
    if header.sizes.get(kind, size) != size:
        raise _twice(key, line)
    header.sizes[kind] = int(size)


def _take(header: _Header, tokens: list[bytes], raw: bytes, line: int) -> None:
    """Take one keyword line into the header."""
    key = tokens[0].upper()
    if key in _SIZES:
        _take_size(header, key, tokens, line)
    elif key in _RANGES:
        if len(tokens) != 3:
            raise FormatError(
                f"{key.decode()} needs two numbers", hint="repair the line", line=line
            )
        pair = (
            text.number(tokens[1], line, "the range"),
            text.number(tokens[2], line, "the range"),
        )
        if header.ranges.get(_RANGES[key], pair) != pair:
            raise _twice(key, line)
        header.ranges[_RANGES[key]] = pair
    elif key in (b"DOMAIN_MIN", b"DOMAIN_MAX"):
        if len(tokens) != 4:
            raise FormatError(
                f"{key.decode()} needs three numbers", hint="repair the line", line=line
            )
        triple = tuple(text.number(t, line, key.decode()) for t in tokens[1:])
        side = "low" if key == b"DOMAIN_MIN" else "high"
        if getattr(header, side) not in (None, triple):
            raise _twice(key, line)
        setattr(header, side, triple)
    elif key in _VIDEO:
        header.video.add(_VIDEO[key])
    elif key == b"TITLE":
        header.title = text.words(raw.strip()[5:_COMMENT_MOST].strip().strip(b'"'))
    else:
        header.remarks.append(
            f"line {line}: the keyword {text.words(tokens[0])[:40]!r} is not known"
        )


def _is_row(token: bytes) -> bool:
    return token[:1] in b"+-.0123456789" or token[:3].lower() in (b"nan", b"inf")


def _domain(header: _Header, kind: int, line: int) -> Domain:
    if (header.low or header.high) and header.ranges:
        raise FormatError(
            "DOMAIN_MIN/MAX and an INPUT_RANGE stand together",
            hint="keep one way of giving the domain",
            line=line,
        )
    if kind in header.ranges:
        low, high = header.ranges[kind]
        lows, highs = (low,) * 3, (high,) * 3
    elif len(header.sizes) == 2:
        return UNIT
    else:
        lows, highs = header.low or UNIT[0], header.high or UNIT[1]  # type: ignore[assignment]
    for a, b in zip(lows, highs, strict=True):
        if not a < b:
            raise FormatError(
                f"the domain runs from {a:g} to {b:g}", hint="it must rise", line=line
            )
        if b - a < _NARROWEST * max(abs(a), abs(b), 1.0):
            raise FormatError(
                f"the domain from {a:.9g} to {b:.9g} is too narrow to be told apart",
                hint="the file is damaged; export it again",
                line=line,
            )
    return (lows, highs)  # type: ignore[return-value]


def read(data: bytes) -> Read:
    """Read a .cube file; nothing is allocated before the rows are there.

    Raises:
        FormatError: with the line, for anything that cannot be taken for certain.
    """
    return read_as(data, "")


def read_as(data: bytes, reading: str) -> Read:
    """Read a .cube file; of one that states video range the reading says whether it is carried to full.

    Raises:
        FormatError: with the line, for anything that cannot be taken for certain.
    """
    body, remarks = text.unwrapped(data)
    header = _Header(remarks=remarks)
    at, line = len(body), 1
    for number, place, raw in text.lines(body):
        line = number
        tokens = raw.split(None, 5)
        if tokens and tokens[0].startswith(b"#"):
            header.comments.append(text.words(raw.strip()[1:_COMMENT_MOST].strip()))
        elif tokens and _is_row(tokens[0]):
            at = place
            break
        elif tokens:
            _take(header, tokens, raw, line)
    del header.comments[_COMMENTS_MOST:]
    if len(header.remarks) > _REMARKS_MOST:
        more = len(header.remarks) - _REMARKS_MOST
        header.remarks[_REMARKS_MOST:] = [f"and {more} more"]
    if not header.sizes:
        raise FormatError(
            "no LUT_3D_SIZE or LUT_1D_SIZE stands before the rows",
            hint="this is not a .cube file, or its header is lost",
            line=line,
        )
    wanted = header.sizes.get(1, 0) + header.sizes.get(3, 0) ** 3
    if wanted * 6 - 1 > len(body):
        raise FormatError(
            f"the size asks for {wanted} rows, more than the file can hold",
            hint="the file is cut short or its size line is wrong",
            line=body.removesuffix(b"\n").count(b"\n") + 1,
        )
    values = text.rows(body, line, wanted, at=at)
    stages: list[Table1D | Table3D] = []
    n1, n3 = header.sizes.get(1, 0), header.sizes.get(3, 0)
    if n1:
        stages.append(Table1D(values[:n1], _domain(header, 1, line)))
    if n3:
        stages.append(Table3D(from_red_fastest(values[n1:], n3), _domain(header, 3, line)))
    transform = Transform(tuple(stages), header.title, tuple(header.comments))
    if not header.video:
        return Read(transform, tuple(header.remarks))
    ends = " and ".join(["takes"] * ("in" in header.video) + ["gives"] * ("out" in header.video))
    header.remarks.append(f"the file says that it {ends} video range: read as {reading or FULL}")
    if reading != STORED:
        transform = full_in(transform) if "in" in header.video else transform
        transform = full_out(transform) if "out" in header.video else transform
    return Read(transform, tuple(header.remarks), reading=reading or FULL, readings=(FULL, STORED))


def holds(transform: Transform) -> str:
    kinds = tuple(type(s) for s in transform.stages)
    if kinds in ((Table1D,), (Table3D,)):
        return ""
    if kinds == (Table1D, Table3D):
        for stage in transform.stages:
            domain: Any = getattr(stage, "domain", UNIT)
            if len(set(domain[0])) > 1 or len(set(domain[1])) > 1:
                return "a shaper with a 3D table takes one domain for all channels"
        return ""
    return "a cube file holds one 1D table, one 3D table, or a 1D table before a 3D table"


def beyond_ffmpeg(transform: Transform) -> str:
    """Return what FFmpeg's lut3d filter makes of a file that it misreads, "" where it does not.

    It passes over a 1D table before a grid (off by up to .89 where one was tried), a minimum that is
    not 0 (.59) and a maximum below 1 (.24).
    """
    if not any(isinstance(s, Table3D) for s in transform.stages):
        return "FFmpeg reads 3D tables only"
    if len(transform.stages) > 1:
        return "FFmpeg passes over a shaper and shows other colours"
    low, high = getattr(transform.stages[0], "domain", UNIT)
    if any(v != 0 for v in low) or any(v < 1 for v in high):
        return "FFmpeg takes the domain for one from 0 to 1 or more and shows other colours"
    return ""


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    said = []
    if len(transform.stages) == 2 and transform.title:
        said.append("the title is kept as a comment: readers refuse TITLE beside a shaper")
    misread = beyond_ffmpeg(transform)
    if misread and any(isinstance(s, Table3D) for s in transform.stages):
        said.append(f"readers differ: {misread}")
    return tuple(said)


def _comment(words: str) -> list[str]:
    plain = text.ascii_of(words)
    return [f"# {line}"[:_LINE_MOST] for line in plain.splitlines()]


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write for every reader: comments, TITLE, sizes at column 0, domain, rows; ASCII, LF.

    Raises:
        ValueRefused: the transform is none that a cube file holds.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="bake it to a grid first")
    title = options.title or transform.title
    out: list[str] = []
    for comment in options.comments or transform.comments:
        out += _comment(comment)
    combined = len(transform.stages) == 2
    if title:
        plain = text.ascii_of(title).replace('"', "'")
        plain = " ".join(plain.split())[:200]
        out.append(f"# {plain}" if combined else f'TITLE "{plain}"')
    for stage in transform.stages:
        assert isinstance(stage, Table1D | Table3D)
        out.append(f"LUT_{1 if isinstance(stage, Table1D) else 3}D_SIZE {stage.size}")
    for stage in transform.stages:
        domain: Any = getattr(stage, "domain", UNIT)
        if domain == UNIT:
            continue
        if combined:
            kind = 1 if isinstance(stage, Table1D) else 3
            out.append(f"LUT_{kind}D_INPUT_RANGE {domain[0][0]:.9g} {domain[1][0]:.9g}")
        else:
            for name, triple in zip(("MIN", "MAX"), domain, strict=True):
                out.append(f"DOMAIN_{name} " + " ".join(f"{v:.9g}" for v in triple))
    whole = io.BytesIO()
    whole.write(("\n".join(out) + "\n").encode("ascii"))
    for stage in transform.stages:
        assert isinstance(stage, Table1D | Table3D)
        text.write_rows(whole, red_fastest(stage) if isinstance(stage, Table3D) else stage.values)
    return whole.getvalue()


SPEC = FormatSpec(
    key="cube",
    title="Cube text LUT",
    suffixes=(".cube",),
    sniff=sniff,
    read=read,
    read_as=read_as,
    write=write,
    holds=holds,
    losses=losses,
    shaper=True,
    domain=True,
    keeps_title=True,
    most_line=511,
    limits={"1D": "2 to 1 048 576 entries", "3D": "2 to 256 points read, 2 to 129 written"},
)
