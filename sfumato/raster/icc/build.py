"""ICC profiles as bytes: header, tags, texts and 16-bit tables, for whatever is in them.

Source: ICC.1:2022 (version 4.4) and ICC.1:2001-04 (version 2.4).
"""

from __future__ import annotations

import struct

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.lab50 import D50

# Lab as tables hold it: a code of 0..1 means scale * code + LAB_SHIFT. lut16 keeps the code of version 2,
# with L of 100 at 65280, whatever the profile's version.
LAB_OLD, LAB_NEW = (
    np.array([100 * 65535 / 65280, 65535 / 256, 65535 / 256]),
    np.array([100.0, 255.0, 255.0]),
)
LAB_SHIFT = np.array([0.0, -128.0, -128.0])


def fixed(values: object) -> bytes:
    """Return numbers as s15Fixed16.

    >>> fixed([1.0, -0.5]).hex()
    '00010000ffff8000'
    """
    return np.rint(np.asarray(values, np.float64) * 65536).astype(">i4").tobytes()


def xyz(values: object) -> bytes:
    """Return a tag of XYZ."""
    return b"XYZ \0\0\0\0" + fixed(values)


def codes(values: Array) -> bytes:
    """Return 0..1 as 16-bit codes; what lies beyond is held."""
    return (np.clip(values, 0, 1).astype(np.float64) * 65535 + 0.5).astype(">u2").tobytes()


def words(said: str, version: int, kind: bytes) -> bytes:
    """Return a text as a version has it: multiLocalizedUnicode, or the kind of version 2."""
    plain = said[:400]
    if version >= 4:
        wide = plain.encode("utf-16-be", "replace")
        return b"mluc" + struct.pack(">III2s2sII", 0, 1, 12, b"en", b"US", len(wide), 28) + wide
    if kind == b"cprt":
        return b"text\0\0\0\0" + plain.encode("ascii", "replace") + b"\0"
    short = plain.encode("ascii", "replace") + b"\0"
    return b"desc\0\0\0\0" + struct.pack(">I", len(short)) + short + bytes(4 + 4 + 2 + 1 + 67)


def lut16(first: Array, lattice: Array, last: Array) -> bytes:
    """Return lut16Type with an identity matrix.

    Args:
        first, last: input and output curves, a row a channel, values 0..1.
        lattice: (n, n, ..., out), the first channel slowest, values 0..1.
    """
    n, into, out = lattice.shape[0], len(first), len(last)
    unit = [65536 if i % 4 == 0 else 0 for i in range(9)]
    head = b"mft2" + struct.pack(
        ">I4B9iHH", 0, into, out, n, 0, *unit, first.shape[1], last.shape[1]
    )
    return head + codes(first) + codes(lattice) + codes(last)


def straight(channels: int, points: int = 2) -> Array:
    """Return curves that change nothing, a row a channel."""
    return np.tile(np.linspace(0, 1, points), (channels, 1))


def profile(
    kind: bytes, space: bytes, pcs: bytes, version: int, tags: dict[bytes, bytes], intent: int = 0
) -> bytes:
    """Return a whole profile: header, tag table, tags on four-byte places; equal tags stand there once.

    Args:
        kind, space, pcs: signatures of its class, its device's colours and its other side.
    """
    at = 132 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    places: dict[bytes, int] = {}
    for name, data in tags.items():
        if data not in places:
            places[data] = at + len(body)
            body += data + b"\0" * (-len(data) % 4)
        table += name + struct.pack(">II", places[data], len(data))
    head = struct.pack(">I4sI4s4s4s", at + len(body), b"\0" * 4, version << 24, kind, space, pcs)
    head += struct.pack(">6H4s", 2026, 1, 1, 0, 0, 0, b"acsp") + bytes(24)
    head += struct.pack(">I", intent) + fixed(D50)
    return head.ljust(128, b"\0") + table + body
