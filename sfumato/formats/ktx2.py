"""KTX2: a 3D texture for real-time engines, x red, y green, z blue, with alpha 1.

Source: the KTX 2.0 file format specification and the Khronos Data Format Specification 1.3, by
Khronos. Written without mip maps, supercompression or sRGB decoding.
"""

from __future__ import annotations

import math
import struct
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import UNIT, Table3D, from_red_fastest, red_fastest
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_IDENTIFIER = bytes.fromhex("AB4B5458203230BB0D0A1A0A")
_HEADER = struct.Struct("<9I4I2Q")  # vkFormat … supercompression; dfd, kvd offsets; sgd offset
_HEAD = len(_IDENTIFIER) + _HEADER.size + 24
_MOST = 256
_AT_ONCE = 1 << 18  # texels that are turned into floats at once


@frozen
class _Kind:
    """A texel layout: Vulkan's number, bytes of a texel, the size it is swapped by, its samples."""

    vk: int
    texel: int
    unit: int
    bits: tuple[int, ...]
    floats: bool
    depth: str


_KINDS = {
    "16f": _Kind(97, 8, 2, (16,) * 4, True, "16f"),  # R16G16B16A16_SFLOAT
    "32f": _Kind(109, 16, 4, (32,) * 4, True, "32f"),  # R32G32B32A32_SFLOAT
    "10": _Kind(64, 4, 4, (10, 10, 10, 2), False, "10"),  # A2B10G10R10_UNORM_PACK32
    "8": _Kind(37, 4, 1, (8,) * 4, False, "8"),  # R8G8B8A8_UNORM
    "16": _Kind(91, 8, 2, (16,) * 4, False, "16"),  # R16G16B16A16_UNORM
}
_BY_VK = {k.vk: k for k in _KINDS.values()}
_CHANNELS = (0, 1, 2, 15)


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if head.startswith(_IDENTIFIER) else Sniff.NO


def _descriptor(kind: _Kind) -> bytes:
    """Return the data format descriptor: model RGBSDA, BT.709 primaries, linear transfer."""
    block = 24 + 16 * len(kind.bits)
    head = struct.pack(
        "<IIHH4B4B8B", 4 + block, 0, 2, block, 1, 1, 1, 0, 0, 0, 0, 0, kind.texel, *[0] * 7
    )
    samples, at = b"", 0
    for bits, channel in zip(kind.bits, _CHANNELS, strict=True):
        low, high = 0, 2**bits - 1
        if kind.floats:
            channel |= 0xC0
            low, high = (int(np.float32(v).view(np.uint32)) for v in (-1, 1))
        samples += struct.pack("<HBB4BII", at, bits - 1, channel, 0, 0, 0, 0, low, high)
        at += bits
    return head + samples


def _words(transform: Transform, options: WriteOptions) -> bytes:
    """Return the key/value data, keys in order."""
    values = {"KTXorientation": "rdi", "KTXwriter": "Sfumato"}
    title = options.title or transform.title
    if title:
        values["title"] = text.ascii_of(title)[:500]
    out = b""
    for key in sorted(values):
        pair = f"{key}\0{values[key]}\0".encode("ascii")
        out += struct.pack("<I", len(pair)) + pair + b"\0" * (-len(pair) % 4)
    return out


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None or table.domain != UNIT:
        return "a 3D texture holds one 3D table over 0 to 1"
    return ""


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    return ("comments are not kept",) if transform.comments else ()


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write one 3D texture, red fastest.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    kind = _KINDS[SPEC.depth_of(options)]
    n = table.size
    rows = red_fastest(table)
    body = b"".join(
        _stored(rows[first : first + _AT_ONCE], kind) for first in range(0, len(rows), _AT_ONCE)
    )
    descriptor, words = _descriptor(kind), _words(transform, options)
    words_at = _HEAD + len(descriptor)
    align = math.lcm(kind.texel, 4)
    start = -(-(words_at + len(words)) // align) * align
    head = _IDENTIFIER + _HEADER.pack(
        kind.vk, kind.unit, n, n, n, 0, 1, 1, 0,
        _HEAD, len(descriptor), words_at, len(words), 0, 0,
    )  # fmt: skip
    level = struct.pack("<3Q", start, len(body), len(body))
    front = head + level + descriptor + words
    return front + b"\0" * (start - len(front)) + body


def _refused(what: str, hint: str = "export it as an uncompressed 3D texture") -> FormatError:
    return FormatError(what, hint=hint)


def _title(data: bytes, at: int, length: int) -> str:
    """Return the value of the key `title`."""
    end = min(at + length, len(data))
    while at + 4 <= end:
        (size,) = struct.unpack_from("<I", data, at)
        key, _, value = data[at + 4 : min(at + 4 + size, end)].partition(b"\0")
        if key == b"title":
            return text.words(value.rstrip(b"\0"))[:500]
        at += 4 + size + (-size % 4)
    return ""


def read(data: bytes) -> Read:
    """Read an uncompressed 3D texture of the kinds that are written, and of 16 bit integers.

    Raises:
        FormatError: it is cut short, or a kind of texture that holds no LUT.
    """
    if len(data) < _HEAD or not data.startswith(_IDENTIFIER):
        raise _refused("this is not a whole KTX2 file", "copy or export it again")
    header: Any = _HEADER.unpack_from(data, len(_IDENTIFIER))
    vk, _unit, width, height, depth, layers, faces, levels, scheme, *places = header
    start, length, _ = struct.unpack_from("<3Q", data, _HEAD - 24)
    kind = _BY_VK.get(vk)
    if kind is None:
        raise _refused(f"the texture has the Vulkan format {vk}, which is not read")
    if scheme != 0:
        raise _refused("the texture is supercompressed")
    if not 2 <= width <= _MOST or not width == height == depth or layers > 1 or faces != 1:
        raise _refused(f"the texture is {width} × {height} × {depth}: no cube of 2 to {_MOST}")
    size = width**3 * kind.texel
    if length < size or start + length > len(data) or start < _HEAD:
        raise _refused("the texture is cut short", "copy or export it again")
    if length != size:
        raise _refused(
            f"the texture states {length} bytes, {width} × {height} × {depth} texels have {size}",
            "export it again",
        )
    values = np.empty((width**3, 3), np.float32)
    for first in range(0, len(values), _AT_ONCE):
        part = values[first : first + _AT_ONCE]
        place = start + first * kind.texel
        part[:] = _texels(data[place : place + len(part) * kind.texel], kind)
        if not np.isfinite(part).all():
            raise _refused("a texel is not a finite number", "export it again")
    remarks = ("only the first mip level was read",) if levels > 1 else ()
    table = Table3D(from_red_fastest(values, width))
    title = _title(data, places[2], places[3])
    return Read(Transform((table,), title), remarks, depth=kind.depth)


def _stored(rows: Array, kind: _Kind) -> bytes:
    """Return colours (n, 3) as texels."""
    texels: Array = np.ones((len(rows), 4), np.float32)
    texels[:, :3] = rows
    if kind.floats:
        return np.clip(texels, -65504, 65504).astype("<f2" if kind.unit == 2 else "<f4").tobytes()
    peaks = np.array([2**b - 1 for b in kind.bits], np.float64)
    codes = (np.clip(texels, 0, 1) * peaks + 0.5).astype(np.uint32)
    if kind.depth == "10":
        shifts = np.array([0, 10, 20, 30], np.uint32)
        words: Array = (codes << shifts).sum(axis=1, dtype=np.uint32)
        return words.astype("<u4").tobytes()
    return codes.astype("<u1" if kind.unit == 1 else "<u2").tobytes()


def _texels(body: bytes, kind: _Kind) -> Array:
    """Return the colours of texels as float64 (n, 3)."""
    if kind.depth == "10":
        packed = np.frombuffer(body, "<u4")
        return np.stack([(packed >> s) & 1023 for s in (0, 10, 20)], -1) / 1023
    form = {("8", 1): "<u1", ("16", 2): "<u2", ("16f", 2): "<f2", ("32f", 4): "<f4"}
    texels = np.frombuffer(body, form[kind.depth, kind.unit]).reshape(-1, 4)[:, :3]
    peak = 1.0 if kind.floats else 2.0 ** kind.bits[0] - 1
    with np.errstate(all="ignore"):  # damaged bytes hold signalling NaN, which is refused
        return texels.astype(np.float64) / peak


SPEC = FormatSpec(
    key="ktx2",
    title="KTX2 3D texture",
    suffixes=(".ktx2",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    clips=True,
    keeps_title=True,
    depths=("16f", "32f", "10", "8", "16"),
    default_grid=33,
    is_text=False,
    no_reader="its bytes are compared with the standard, field by field, in the tests",
    limits={"3D": "2 to 256 points; RGBA in 8, 10 (+2), 16 bit, half or float"},
)
