"""Pictures whose pixels are the nodes of a lattice: containers, arrangements, and how to tell them apart.

Numbers are code values: profiles and colour chunks are ignored. In a HALD of level n the lattice has
n**2 points and fills n**3 x n**3 pixels, red fastest, running on row by row. In strips and tiles a
slice of N x N has red from left to right and green downwards; the slices follow blue.
"""

from __future__ import annotations

import io
import itertools
import math
import struct
from collections.abc import Callable
from fractions import Fraction
from typing import Any

import av
import imagecodecs
import numpy as np
import tifffile
from attrs import frozen
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import GRID_MOST, UNIT, Table3D
from sfumato.core.lut.transform import Transform
from sfumato.formats.contract import QUANTUM, Read, Sniff, WriteOptions

MOST_PIXELS = GRID_MOST**3
SUFFIXES = (".png", ".tif", ".tiff", ".exr")
DEPTHS = ("16", "8", "16f", "32f")
DEPTH_BY_SUFFIX = {".exr": "32f"}
_PNG, _EXR = b"\x89PNG\r\n\x1a\n", b"v/1\x01"
_TIFFS = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")
_PEAK = {"8": 255.0, "16": 65535.0}


@frozen(eq=False)
class Pixels:
    """What a container held: code values (h, w, 3), their depth, and what was left out."""

    values: Rgb
    depth: str
    lossy: bool = False
    remarks: tuple[str, ...] = ()


def sniff(head: bytes) -> Sniff:
    known = head.startswith((_PNG, _EXR, b"\xff\xd8\xff", *_TIFFS))
    return Sniff.MAYBE if known else Sniff.NO


def _checked(width: int, height: int) -> None:
    if width < 2 or height < 2 or width * height > MOST_PIXELS:
        raise FormatError(
            f"the picture is {width} × {height} pixels, which holds no LUT",
            hint="a HALD has n³ × n³ pixels, a strip N² × N",
        )


def _png(data: bytes) -> tuple[Array, str]:
    if len(data) < 33:
        raise FormatError("the PNG is cut short", hint="copy or export it again")
    width, height, bits, kind = struct.unpack(">IIBB", data[16:26])
    _checked(width, height)
    if kind not in (2, 6) or bits not in (8, 16):
        raise FormatError("the PNG is a palette or grey picture", hint="save it as RGB")
    return np.asarray(imagecodecs.png_decode(data)), str(bits)


def _jpeg(data: bytes) -> tuple[Array, str]:
    with Image.open(io.BytesIO(data)) as image:
        _checked(*image.size)
        if image.mode != "RGB":
            raise FormatError("the JPEG is not an RGB picture", hint="save it as RGB")
        return np.asarray(image), "8"


def _tiff(data: bytes) -> tuple[Array, str]:
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page: Any = file.pages[0]
        _checked(int(page.imagewidth), int(page.imagelength))
        depth = {"uint8": "8", "uint16": "16", "float16": "16f", "float32": "32f"}.get(
            page.dtype.name if page.dtype is not None else ""
        )
        if page.photometric != 2 or depth is None or page.samplesperpixel not in (3, 4):
            raise FormatError(
                "the TIFF is not an RGB picture of 8 or 16 bit or float", hint="save it as RGB"
            )
        if getattr(page, "imagedepth", 1) != 1:
            raise FormatError("the TIFF has more than one plane", hint="save it as RGB")
        pixels = page.asarray()
        return (np.moveaxis(pixels, 0, -1) if page.planarconfig == 2 else pixels), depth


def _exr_facts(data: bytes) -> tuple[int, int, str]:
    """Return width, height and depth from an OpenEXR header (openexr.com, file layout)."""
    at, found, most = 8, {}, min(len(data), 1 << 20)
    while at < most and data[at] != 0:
        name, _, _ = data[at : at + 256].partition(b"\x00")
        at += len(name) + 1
        kind, _, _ = data[at : at + 256].partition(b"\x00")
        at += len(kind) + 1
        (size,) = struct.unpack_from("<i", data, at)
        if size < 0:
            raise struct.error
        found[name] = data[at + 4 : at + 4 + size]
        at += 4 + size
    x0, y0, x1, y1 = struct.unpack_from("<4i", found.get(b"dataWindow", b""))
    channels = found.get(b"channels", b"")
    (kind_of,) = struct.unpack_from("<i", channels, channels.index(b"\x00") + 1)
    return x1 - x0 + 1, y1 - y0 + 1, {1: "16f", 2: "32f"}.get(kind_of, "")


def _exr(data: bytes) -> tuple[Array, str]:
    try:
        width, height, depth = _exr_facts(data)
    except (struct.error, ValueError) as error:
        raise FormatError("the EXR header is damaged", hint="copy or export it again") from error
    _checked(width, height)
    decoder: Any = av.CodecContext.create("exr", "r")
    frames = decoder.decode(av.Packet(data))
    form = frames[0].format.name if frames else ""
    if not depth or form not in ("gbrpf32le", "gbrapf32le", "gbrpf16le", "gbrapf16le"):
        raise FormatError("the EXR is not an RGB picture", hint="save R, G and B in one part")
    kind = np.dtype("<f2" if "f16" in form else "<f4")
    frame = frames[0]
    planes = [
        np.frombuffer(plane, kind).reshape(-1, plane.line_size // kind.itemsize)
        for plane in frame.planes[:3]
    ]
    green, blue, red = (p[: frame.height, : frame.width] for p in planes)
    return np.stack([red, green, blue], axis=-1), depth


def _decoders() -> list[tuple[tuple[bytes, ...], Callable[[bytes], tuple[Array, str]], str]]:
    return [
        ((_PNG,), _png, "PNG"),
        ((b"\xff\xd8\xff",), _jpeg, "JPEG"),
        (_TIFFS, _tiff, "TIFF"),
        ((_EXR,), _exr, "EXR"),
    ]


_BROKEN = (
    OSError,
    SyntaxError,
    ValueError,
    RuntimeError,
    IndexError,
    KeyError,
    TypeError,
    ArithmeticError,
    MemoryError,
    AttributeError,
    AssertionError,
    struct.error,
    Image.DecompressionBombError,
    av.error.FFmpegError,
)


def decoded(data: bytes) -> Pixels:
    """Decode a picture to its code values, profiles ignored.

    Raises:
        FormatError: it is damaged, too large, not RGB, or holds NaN or infinity.
    """
    decoder, name = next(
        ((run, n) for marks, run, n in _decoders() if data.startswith(marks)), (None, "")
    )
    if decoder is None:
        raise FormatError("this is not a picture", hint="PNG, TIFF, EXR and JPEG can be read")
    try:
        pixels, depth = decoder(data)
    except FormatError:
        raise
    except _BROKEN as error:
        raise FormatError(
            f"the {name} is damaged or cut short", hint="copy or export it again"
        ) from error
    if pixels.ndim != 3 or pixels.shape[-1] not in (3, 4):
        raise FormatError(f"the {name} is not an RGB picture", hint="save it as RGB")
    remarks = [] if pixels.shape[-1] == 3 else ["the alpha channel was left out"]
    if (name == "PNG" and b"iCCP" in data[:4096]) or (
        name == "JPEG" and b"ICC_PROFILE" in data[:65536]
    ):
        remarks.append("the embedded colour profile was ignored: the numbers are code values")
    if name == "JPEG":
        remarks.append("the JPEG compression has altered the values")
    with np.errstate(all="ignore"):
        values = np.ascontiguousarray(pixels[..., :3], np.float32)
    if depth in _PEAK:
        values /= np.float32(_PEAK[depth])
    if not np.isfinite(values).all():
        raise FormatError("a pixel is not a finite number", hint="export the picture again")
    return Pixels(values, depth, name == "JPEG", tuple(remarks))


def encoded(values: Rgb, depth: str, suffix: str) -> bytes:
    """Encode code values (h, w, 3) in the container that the suffix names (PNG when it names none).

    Raises:
        ValueRefused: the container does not hold that depth.
    """
    held = {".exr": ("16f", "32f"), **dict.fromkeys((".tif", ".tiff"), ("8", "16", "32f"))}.get(
        suffix, ("8", "16")
    )
    if depth not in held:
        raise ValueRefused(
            f"a {suffix.lstrip('.').upper() or 'PNG'} picture does not hold this depth",
            hint="use 8 or 16 bit for PNG, half or float for EXR, all but half for TIFF",
        )
    if suffix == ".exr":
        return _exr_of(values, depth)
    if depth in _PEAK:
        peak = _PEAK[depth]
        kind = np.uint8 if depth == "8" else np.uint16
        pixels: Array = (np.clip(values, 0, 1) * np.float64(peak) + 0.5).astype(kind)
    else:
        pixels = np.clip(values, -65504, 65504).astype(np.float16) if depth == "16f" else values
    if suffix in (".tif", ".tiff"):
        out = io.BytesIO()
        tifffile.imwrite(
            out,
            pixels,
            photometric="rgb",
            compression="deflate",
            predictor=True,
            metadata=None,
            software="Sfumato",
        )
        return out.getvalue()
    return bytes(imagecodecs.png_encode(pixels, level=3))


def _exr_of(values: Rgb, depth: str) -> bytes:
    encoder: Any = av.CodecContext.create("exr", "w")
    encoder.height, encoder.width = values.shape[:2]
    encoder.pix_fmt = "gbrpf32le"
    encoder.time_base = Fraction(1, 25)
    encoder.options = {"format": "half" if depth == "16f" else "float", "compression": "zip1"}
    if depth == "16f":  # rounded here: the encoder truncates
        values = np.clip(values, -65504, 65504).astype(np.float16).astype(np.float32)
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(values), format="gbrpf32le")
    frame.pts = 0
    return b"".join(bytes(p) for p in [*encoder.encode(frame), *encoder.encode(None)])


# Arrangements

HALD = "HALD"
ROW, COLUMN, SQUARE = "row", "column", "square"
DOWN, UP, TURNED, MIRRORED = "", ", green up", ", upside down", ", mirrored"
LAYOUTS = tuple(
    shape + turn
    for turn in (DOWN, UP, TURNED, MIRRORED)
    for shape in (ROW, COLUMN, SQUARE)
    if (shape, turn) != (ROW, TURNED)  # the same as green up
)


def columns_of(n: int) -> int:
    """Return how many slices stand side by side in a square: the fewest that leave no cell empty.

    >>> [columns_of(n) for n in (16, 17, 32, 33, 64)]
    [4, 5, 8, 11, 8]
    """
    root = math.ceil(math.sqrt(n))
    return next((c for c in range(root, 2 * root) if n % c == 0), root)


def _shapes(width: int, height: int) -> list[tuple[str, int, int]]:
    """Return every arrangement that a picture of this size can be: name, N, columns."""
    found = []
    level = round(width ** (1 / 3))
    if width == height == level**3 and 2 <= level <= 16:
        found.append((HALD, level**2, 0))
    for n in range(2, min(width, height, GRID_MOST) + 1):
        if width % n or height % n:
            continue
        across, down = width // n, height // n
        if (across, down) == (n, 1):
            found.append((ROW, n, n))
        elif (across, down) == (1, n):
            found.append((COLUMN, n, 1))
        elif across > 1 and down > 1 and n <= across * down < n + across:
            found.append((SQUARE, n, across))
    return found


def _lattice(values: Rgb, shape: str, n: int, across: int, turn: str = DOWN) -> Rgb:
    """Return the nodes [r, g, b, 3] of a picture as a view where that is possible."""
    if shape == HALD:
        return values.reshape(n, n, n, 3).transpose(2, 1, 0, 3)
    if turn == TURNED:
        values = values[::-1]
    elif turn == MIRRORED:
        values = values[:, ::-1]
    down = len(values) // n
    cells = values.reshape(down, n, across, n, 3)  # row of cells, green, cell, red
    slices = cells.transpose(0, 2, 1, 3, 4).reshape(down * across, n, n, 3)[:n]
    if turn == UP:
        slices = slices[:, ::-1]
    return slices.transpose(2, 1, 0, 3)


def _roughness(lattice: Rgb) -> float:
    return float(sum(np.abs(np.diff(lattice, axis=a)).mean() for a in range(3)))


def _in_order(lattice: Rgb) -> float:
    """Return how well each output rises along its own axis, 3 = all do, -3 = all fall."""
    n = len(lattice)
    at = np.linspace(-1, 1, n)
    total = 0.0
    for c in range(3):
        means = lattice[..., c].mean(axis=tuple(a for a in range(3) if a != c), dtype=np.float64)
        spread = means.std() * at.std() * n
        total += float((means - means.mean()) @ at / spread) if spread > 1e-9 else 0.0
    return total


_BETTER = 0.5  # how much more in order a turned reading must be than the plain one


def read(data: bytes, reading: str = "") -> Read:
    """Read a HALD, strip or tile picture; a named reading wins over what the pixels suggest.

    The arrangement is the smoothest that the size allows; which way green, blue and red run is the
    order in which outputs rise with their own inputs, unless all of them fall.

    Raises:
        FormatError: the picture is damaged or of a size that holds no LUT.
    """
    pixels = decoded(data)
    height, width = pixels.values.shape[:2]
    shapes = _shapes(width, height)
    if not shapes:
        raise FormatError(
            f"the picture is {width} × {height} pixels, which holds no LUT",
            hint="a HALD has n³ × n³ pixels, a strip N² × N",
        )
    choices: dict[str, tuple[str, int, int, str]] = {}
    for (shape, n, across), turn in itertools.product(shapes, (DOWN, UP, TURNED, MIRRORED)):
        if (shape, turn) != (ROW, TURNED) and (shape != HALD or turn == DOWN):
            choices.setdefault(shape + turn, (shape, n, across, turn))
    remarks = list(pixels.remarks)
    if reading and reading not in choices:
        raise FormatError(f"the picture cannot be read as {reading}", hint=", ".join(choices))
    if reading:
        lattice = _lattice(pixels.values, *choices[reading])
    else:
        rough = {s: _roughness(_lattice(pixels.values, *s)) for s in shapes}
        best = min(rough, key=lambda s: rough[s])
        turned = {k: c for k, c in choices.items() if c[:3] == best}
        order = {k: _in_order(_lattice(pixels.values, *c)) for k, c in turned.items()}
        likely = max(order, key=lambda k: order[k])
        plain = best[0]
        reading = likely if order[likely] > max(order[plain] + _BETTER, 0) else plain
        lattice = _lattice(pixels.values, *choices[reading])
        if len(shapes) > 1:
            remarks.append(f"the size fits {len(shapes)} arrangements: taken as {reading}")
        elif reading != HALD:
            remarks.append(f"taken as {reading}")
    return Read(
        Transform((Table3D(np.ascontiguousarray(lattice)),)),
        tuple(remarks),
        key="hald" if reading == HALD else "strip",
        reading=reading,
        readings=tuple(choices),
        depth=pixels.depth,
        lossy=pixels.lossy,
    )


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None or table.domain != UNIT:
        return "a picture holds one 3D table over 0 to 1"
    return ""


def arranged(lattice: Rgb, layout: str) -> Rgb:
    """Return the picture (h, w, 3) of nodes [r, g, b, 3] in one of HALD and LAYOUTS."""
    n = len(lattice)
    slices = np.ascontiguousarray(lattice.transpose(2, 1, 0, 3))  # blue, green, red
    if layout == HALD:
        side = math.isqrt(n) ** 3
        return slices.reshape(side, side, 3)
    shape, comma, turn = layout.partition(", ")
    turn = comma + turn
    if turn == UP:
        slices = slices[:, ::-1]
    across = {ROW: n, COLUMN: 1}.get(shape) or columns_of(n)
    down = -(-n // across)
    cells = np.zeros((down * across, n, n, 3), np.float32)
    cells[:n] = slices
    whole = cells.reshape(down, across, n, n, 3).transpose(0, 2, 1, 3, 4)
    picture = whole.reshape(down * n, across * n, 3)
    if turn == TURNED:
        picture = picture[::-1]
    elif turn == MIRRORED:
        picture = picture[:, ::-1]
    return np.ascontiguousarray(picture)


def written(transform: Transform, options: WriteOptions, layout: str, depth: str) -> bytes:
    """Encode the one table of a transform.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    assert depth in QUANTUM
    return encoded(arranged(table.values, layout), depth, options.suffix)
