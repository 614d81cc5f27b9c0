"""The .spi1d text LUT: one curve for all channels, or one each, over one domain."""

from __future__ import annotations

import io

import numpy as np

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import Table1D
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_MOST = 1_048_576


def sniff(head: bytes) -> Sniff:
    lowered = head.lower()
    return Sniff.SURE if b"components" in lowered and b"length" in lowered else Sniff.NO


def _header(body: bytes) -> tuple[dict[str, tuple[list[bytes], int]], int, int]:
    """Return the keyword lines with their numbers, and line and place of the first row."""
    found: dict[str, tuple[list[bytes], int]] = {}
    line = 1
    for line, at, raw in text.lines(body):
        tokens = raw.split(None, 5)
        if not tokens or tokens[0].startswith(b"#"):
            continue
        if tokens[0] == b"{":
            return found, line + 1, at + len(raw) + 1
        key = text.words(tokens[0][:40]).lower()
        if key in found:
            raise FormatError(f"{key.capitalize()} stands twice", hint="keep one", line=line)
        found[key] = (tokens[1:], line)
    raise FormatError("there is no { before the rows", hint="the file is cut short", line=line)


def _numbers(header: dict[str, tuple[list[bytes], int]], key: str, count: int) -> list[float]:
    if key not in header:
        raise FormatError(
            f"the line {key.capitalize()} is missing", hint="repair the header", line=1
        )
    tokens, line = header[key]
    if len(tokens) != count:
        raise FormatError(
            f"{key.capitalize()} needs {count} number{'s' if count > 1 else ''}",
            hint="repair the line",
            line=line,
        )
    return [text.number(t, line, key.capitalize()) for t in tokens]


def read(data: bytes) -> Read:
    """Read an .spi1d file.

    Raises:
        FormatError: with the line.
    """
    body, remarks = text.unwrapped(data)
    header, line, at = _header(body)
    (version,) = _numbers(header, "version", 1)
    if version != 1:
        raise FormatError(f"version {version:g} is not known", hint="version 1 can be read", line=1)
    low, high = _numbers(header, "from", 2)
    (length,) = _numbers(header, "length", 1)
    (components,) = _numbers(header, "components", 1)
    if not low < high:
        raise FormatError(
            f"From runs from {low:g} to {high:g}", hint="it must rise", line=header["from"][1]
        )
    if length != int(length) or not 2 <= length <= _MOST:
        raise FormatError(
            f"Length is {length:g}",
            hint=f"a whole number from 2 to {_MOST} can be read",
            line=header["length"][1],
        )
    if components not in (1, 3):
        raise FormatError(
            f"Components is {components:g}",
            hint="1 and 3 can be read",
            line=header["components"][1],
        )
    if length * 2 > len(body):
        raise FormatError(
            "Length asks for more rows than the file can hold",
            hint="the file is cut short",
            line=body.count(b"\n"),
        )
    brace = body.find(b"}", at)
    end = body.rfind(b"\n", 0, brace) + 1
    if brace < 0 or body[end:brace].strip():  # within a row it is no number, and refused as such
        remarks.append("the } after the rows is missing")
        end = len(body)
    elif body[brace + 1 :].strip():
        raise FormatError(
            "something stands after the }",
            hint="remove it, or export the file again",
            line=body.count(b"\n", 0, brace) + 1,
        )
    values = text.rows(body[:end], line, int(length), int(components), at)
    values = np.repeat(values, 3, axis=1) if components == 1 else values
    table = Table1D(values, ((low,) * 3, (high,) * 3))
    return Read(Transform((table,)), tuple(remarks))


def holds(transform: Transform) -> str:
    only = transform.stages[0] if len(transform.stages) == 1 else None
    if not isinstance(only, Table1D):
        return "an spi1d file holds one 1D table and nothing else"
    if len(set(only.domain[0])) > 1 or len(set(only.domain[1])) > 1:
        return "an spi1d file has one domain for all channels"
    return ""


def write(transform: Transform, _options: WriteOptions) -> bytes:
    """Write one 1D table.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="choose a format that holds 3D tables")
    (table,) = transform.stages
    assert isinstance(table, Table1D)
    low, high = (np.float32(d[0]) for d in table.domain)
    same = (table.values == table.values[:, :1]).all()
    lines = ["Version 1", f"From {low:.9g} {high:.9g}", f"Length {table.size}"]
    lines += [f"Components {1 if same else 3}", "{"]
    whole = io.BytesIO()
    whole.write(("\n".join(lines) + "\n").encode("ascii"))
    text.write_rows(whole, table.values[:, :1] if same else table.values)
    whole.write(b"}\n")
    return whole.getvalue()


SPEC = FormatSpec(
    key="spi1d",
    title="spi1d text LUT",
    suffixes=(".spi1d",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    bakes=False,
    domain=True,
    limits={"1D": "2 to 1 048 576 entries, one domain"},
)
