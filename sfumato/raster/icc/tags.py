"""Tables of ICC profiles, read: curves, lattices and matrices of lut8, lut16, lutAToB and lutBToA.

Source: ICC.1:2022 (version 4.4), 10.10 to 10.13 and 10.18, and ICC.1:2001-04. Lattices run first channel slowest.
"""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError

MOST_CURVE = 4096
_MOST_TAGS, _MOST_ENTRIES, _MOST_CHANNELS = 200, 65536, 15
_MOST_NODES = 40_000_000  # numbers in one lattice


def bad(what: str, hint: str = "export it again") -> FormatError:
    """Return the refusal of a profile."""
    return FormatError(what, hint=hint)


class Bytes:
    """A tag's bytes; reading past their end is a refusal, not an exception of another kind."""

    def __init__(self, data: bytes) -> None:
        self.data = data

    def take(self, form: str, at: int) -> tuple[Any, ...]:
        try:
            return struct.unpack_from(">" + form, self.data, at)
        except struct.error as error:
            raise bad("the profile is cut short", "copy or export it again") from error

    def array(self, kind: str, at: int, count: int) -> Array:
        if count < 0 or at < 0 or at + count * np.dtype(kind).itemsize > len(self.data):
            raise bad("the profile is cut short", "copy or export it again")
        return np.frombuffer(self.data, kind, count, at).astype(np.float64)


@frozen(eq=False)
class Curves:
    """Curves of one length, a row a channel, over 0..1, straight between their values."""

    values: Array


@frozen(eq=False)
class Powers:
    """Pure powers, one a channel."""

    exponents: tuple[float, ...]


@frozen(eq=False)
class Lattice:
    """Nodes over 0..1 of each channel, (n, n, ..., out)."""

    nodes: Array


@frozen(eq=False)
class Shift:
    """A matrix and what is added, both of three."""

    matrix: Array
    plus: Array


Step = Curves | Powers | Lattice | Shift


@frozen
class Head:
    """What the header says: class, colours of the device, the other side, and the whole version."""

    kind: bytes
    space: bytes
    pcs: bytes
    version: int


def is_profile(data: bytes) -> bool:
    return data[36:40] == b"acsp"


def head_of(data: bytes) -> Head:
    """Return what a profile's header says.

    Raises:
        FormatError: it is no profile.
    """
    if len(data) < 132 or not is_profile(data):
        raise bad("this is not an ICC profile", "choose a file .icc or .icm")
    return Head(data[12:16], data[16:20], data[20:24], data[8])


def tags_of(data: bytes) -> dict[bytes, Bytes]:
    """Return the tags of a profile by signature.

    Raises:
        FormatError: there are too many, or one lies outside of it.
    """
    body = Bytes(data)
    (count,) = body.take("I", 128)
    if count > _MOST_TAGS:
        raise bad(f"the profile claims {count} tags")
    found = {}
    for i in range(count):
        name, at, size = body.take("4sII", 132 + 12 * i)
        if at + size > len(data):
            raise bad("a tag lies outside the profile", "copy or export it again")
        found[name] = Bytes(data[at : at + size])
    return found


def description(tag: Bytes | None) -> str:
    """Return a description: textDescription of version 2 or multiLocalizedUnicode of version 4."""
    if tag is None or len(tag.data) < 16:
        return ""
    if tag.data[:4] == b"desc":
        (length,) = tag.take("I", 8)
        raw = tag.data[12 : 12 + min(length, 500)].split(b"\0")[0]
        try:
            return raw.decode("utf-8")
        except UnicodeDecodeError:
            return raw.decode("latin-1")
    if tag.data[:4] == b"mluc" and len(tag.data) >= 28:
        size, at = tag.take("II", 20)
        return tag.data[at : at + min(size, 1000)].decode("utf-16-be", "replace")
    return ""


def steps_of(tag: Bytes, channels: tuple[int, int]) -> tuple[list[Step], str]:
    """Return the steps of a table from `channels` to how many, in order, and its type: mft1, mft2, mAB or mBA.

    Raises:
        FormatError: it is damaged, of another type or of other channels.
    """
    form = tag.data[:4]
    known = {b"mft1": "mft1", b"mft2": "mft2", b"mAB ": "mAB", b"mBA ": "mBA"}
    if form not in known:
        raise bad(f"the table of the profile is of the kind {form.decode('latin-1').strip()!r}")
    found = tag.take("BB", 8)
    if found != channels:
        raise bad(
            f"the profile has {found[0]} inputs and {found[1]} outputs",
            f"{channels[0]} and {channels[1]} can be read",
        )
    if form in (b"mft1", b"mft2"):
        return _fixed(tag, channels, form == b"mft2"), known[form]
    return _free(tag, channels, form == b"mAB "), known[form]


def _fixed(tag: Bytes, channels: tuple[int, int], wide: bool) -> list[Step]:
    """Read lut8Type or lut16Type; the 3x3 matrix is for XYZ alone and is passed over."""
    into, out = channels
    (n,) = tag.take("B", 10)
    entries, exits = tag.take("HH", 48) if wide else (256, 256)
    at, kind, peak, width = (52, ">u2", 65535.0, 2) if wide else (48, ">u1", 255.0, 1)
    if not (2 <= entries <= MOST_CURVE and 2 <= exits <= MOST_CURVE and n >= 2):
        raise bad("the tables of the profile have impossible sizes")
    if out * n**into > _MOST_NODES:
        raise bad("the lattice of the profile is impossibly large")
    first = tag.array(kind, at, into * entries).reshape(into, entries) / peak
    at += into * entries * width
    nodes = tag.array(kind, at, out * n**into).reshape(*[n] * into, out) / peak
    at += out * n**into * width
    last = tag.array(kind, at, out * exits).reshape(out, exits) / peak
    return [*_unless_straight(first), Lattice(nodes), *_unless_straight(last)]


def _unless_straight(values: Array) -> list[Step]:
    straight = np.linspace(0, 1, values.shape[1])
    return [] if np.abs(values - straight).max() < 1e-7 else [Curves(values)]


def _parametric(kind: int, p: Array) -> Array:
    """Sample a parametric curve of function 0 to 4 at 4096 places (ICC.1:2022, 10.18)."""
    x = np.linspace(0, 1, MOST_CURVE)
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
        raise bad("a parametric curve of the profile is not finite")
    return np.asarray(out)


def _curves(tag: Bytes, at: int, count: int) -> list[Step]:
    """Read curves, each padded to four bytes."""
    columns: list[Array] = []
    powers: list[float] = []  # 0 = no pure power
    for _ in range(count):
        (kind,) = tag.take("4s", at)
        if kind == b"curv":
            (size,) = tag.take("I", at + 8)
            if size > _MOST_ENTRIES:
                raise bad("a curve of the profile is impossibly long")
            values = tag.array(">u2", at + 12, size)
            at += 12 + 2 * size + (-2 * size % 4)
            powers.append(float(values[0] / 256) if size == 1 else 1.0 if size == 0 else 0.0)
            columns.append(values / 65535 if size > 1 else np.array([0.0, 1.0]))
        elif kind == b"para":
            (function,) = tag.take("H", at + 8)
            if function > 4:
                raise bad("a parametric curve of the profile is of no known kind")
            size = (1, 3, 4, 5, 7)[function]
            p = tag.array(">i4", at + 12, size) / 65536
            at += 12 + 4 * size
            powers.append(float(p[0]) if function == 0 else 0.0)
            columns.append(np.array([0.0, 1.0]) if function == 0 else _parametric(function, p))
        else:
            raise bad("a curve of the profile is of no known kind")
    if all(p > 0 for p in powers):
        return [] if all(p == 1 for p in powers) else [Powers(tuple(powers))]
    even = np.linspace(0, 1, MOST_CURVE)
    columns = [even**p if p > 0 else c for p, c in zip(powers, columns, strict=True)]
    size = max(len(c) for c in columns)
    at_ = np.linspace(0, 1, size)
    return _unless_straight(
        np.stack([np.interp(at_, np.linspace(0, 1, len(c)), c) for c in columns])
    )


def _free(tag: Bytes, channels: tuple[int, int], forth: bool) -> list[Step]:
    """Read lutAToBType (A curves, lattice, M curves, matrix, B curves) or lutBToAType (the other way round)."""
    into, out = channels
    b, matrix, m, clut, a = tag.take("5I", 12)
    parts: list[list[Step]] = []
    if a and clut:
        parts.append(_curves(tag, a, into if forth else out))
    if clut:
        grid = set(tag.take(f"{into}B", clut))
        (n,) = grid if len(grid) == 1 else (0,)
        (width,) = tag.take("B", clut + 16)
        if n < 2 or width not in (1, 2):
            raise bad("the lattice of the profile is not cubic, or of no known precision")
        if out * n**into > _MOST_NODES:
            raise bad("the lattice of the profile is impossibly large")
        flat = tag.array(f">u{width}", clut + 20, out * n**into) / (256.0**width - 1)
        parts.append([Lattice(flat.reshape(*[n] * into, out))])
    elif into != out:
        raise bad("the table of the profile has no lattice")
    if m and matrix:
        parts.append(_curves(tag, m, 3))
    if matrix:
        e = tag.array(">i4", matrix, 12) / 65536
        parts.append([Shift(e[:9].reshape(3, 3), e[9:])])
    if b:
        parts.append(_curves(tag, b, out if forth else into))
    return [step for part in (parts if forth else reversed(parts)) for step in part]
