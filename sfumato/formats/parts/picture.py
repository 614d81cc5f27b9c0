"""Pictures whose pixels are the nodes of a lattice (`core.carrier.arrange`), in their containers.

Numbers are code values: profiles and colour chunks are ignored. A file that does not name its
arrangement is read by its colours.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange
from sfumato.core.errors import FormatError, MediaError, ValueRefused
from sfumato.core.lut.table import UNIT, table_of
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.contract import QUANTUM, Read, Sniff, WriteOptions
from sfumato.raster import exr, jpeg, png, tiff
from sfumato.raster.samples import DEPTHS as SAMPLE_DEPTHS
from sfumato.raster.samples import Samples, SizeRule, in_codes

SUFFIXES = (".png", ".tif", ".tiff", ".exr")
DEPTHS = ("16", "8", "16f", "32f")
DEPTH_BY_SUFFIX = {".exr": "32f"}
_MOST_VALUE = 65504.0  # the largest half float
_TEXT_KEY, _EXR_KEY, _TIFF_LEAD = "LUT layout", "lutLayout", "LUT layout: "
_PEAK = {"8": 255.0, "16": 65535.0}


@frozen(eq=False)
class Pixels:
    """What a container held: codes (h, w, 3) as they are stored, their depth, and what was left out."""

    codes: Array
    depth: str
    lossy: bool = False
    remarks: tuple[str, ...] = ()
    stated: str = ""  # the arrangement that the file names
    sampling: str = ""  # of a JPEG's colours
    ignored: tuple[str, ...] = ()  # what to say where the numbers are taken for nodes

    @property
    def peak(self) -> float:
        """Which code is white."""
        return _PEAK.get(self.depth, 1.0)

    def values(self) -> Rgb:
        """Return the code values as floats, whole codes over 0..1."""
        return _floats(self.codes, self.peak)


def _floats(codes: Array, peak: float) -> Rgb:
    found: Rgb = np.array(codes, np.float32)
    if peak != 1.0:
        found /= np.float32(peak)
    return found


def sniff(head: bytes) -> Sniff:
    known = any(head.startswith(marks) for marks, _run, _name in _DECODERS)
    return Sniff.MAYBE if known else Sniff.NO


_DECODERS: tuple[tuple[tuple[bytes, ...], Callable[[bytes, SizeRule], Samples], str], ...] = (
    ((png.SIGNATURE,), png.decode, "PNG"),
    ((jpeg.SIGNATURE,), jpeg.decode, "JPEG"),
    (tiff.SIGNATURES, tiff.decode, "TIFF"),
    ((exr.SIGNATURE,), exr.decode, "EXR"),
)


def decoded(data: bytes, check: SizeRule) -> Pixels:
    """Decode a picture to its code values, profiles ignored; `check` refuses sizes before it is decoded.

    Raises:
        FormatError: it is damaged, too large, not RGB, or holds NaN or infinity.
    """
    decode, name = next(
        ((run, n) for marks, run, n in _DECODERS if data.startswith(marks)), (None, "")
    )
    if decode is None:
        raise FormatError("this is not a picture", hint="PNG, TIFF, EXR and JPEG can be read")
    try:
        found = decode(data, check)
    except FormatError:
        raise
    except MediaError as error:
        raise FormatError(error.summary, hint=error.hint) from error
    pixels = found.pixels
    if not found.is_colour:
        raise FormatError(f"the {name} is a palette or grey picture", hint="save it as RGB")
    if pixels.ndim != 3 or pixels.shape[-1] not in (3, 4):
        raise FormatError(f"the {name} is not an RGB picture", hint="save it as RGB")
    remarks = ["the alpha channel was left out"] if pixels.shape[-1] == 4 else []
    if name == "EXR":
        remarks += exr.remarks(found.header)
    ignored = []
    if (name == "PNG" and b"iCCP" in data[:4096]) or (
        name == "JPEG" and b"ICC_PROFILE" in data[:65536]
    ):
        ignored.append("the embedded colour profile was ignored: the numbers are code values")
    if name == "JPEG":
        ignored.append("the JPEG compression has altered the values")
    codes = np.ascontiguousarray(pixels[..., :3])
    if found.depth not in _PEAK:
        _check_floats(codes)
    lossy = name == "JPEG" or bool(found.header.get("altered"))
    return Pixels(
        codes,
        found.depth,
        lossy,
        tuple(remarks),
        _stated(found, name),
        str(found.header.get("sampling", "")),
        tuple(ignored),
    )


def _check_floats(values: Array) -> None:
    with np.errstate(all="ignore"):  # damaged bytes hold signalling NaN
        low, high = float(values.min()), float(values.max())
    if not (math.isfinite(low) and math.isfinite(high)):
        raise FormatError("a pixel is not a finite number", hint="export the picture again")
    most = max(high, -low)
    if most > _MOST_VALUE:
        raise FormatError(
            f"a pixel holds {most:.3g}, which is no colour of a LUT",
            hint="the file is damaged, or no LUT; export the picture again",
        )


def _stated(found: Samples, name: str) -> str:
    """Return the arrangement that a file of ours names, "" when it names none."""
    place = {"PNG": _TEXT_KEY, "TIFF": "270", "EXR": _EXR_KEY}.get(name, "")
    text = str(found.header.get(place, ""))
    return text.removeprefix(_TIFF_LEAD) if name != "TIFF" or text.startswith(_TIFF_LEAD) else ""


def encoded(pixels: Array, suffix: str, layout: str = "") -> bytes:
    """Encode codes (h, w, 3), see `in_codes`, in the container that the suffix names (PNG when it names none).

    The file says its arrangement: as a PNG text "LUT layout", an EXR attribute lutLayout, or in a
    TIFF's ImageDescription (tag 270).

    Raises:
        ValueRefused: the container does not hold that depth.
    """
    held = {".exr": ("16f", "32f"), **dict.fromkeys((".tif", ".tiff"), ("8", "16", "32f"))}.get(
        suffix, ("8", "16")
    )
    if SAMPLE_DEPTHS[pixels.dtype.name] not in held:
        raise ValueRefused(
            f"a {suffix.lstrip('.').upper() or 'PNG'} picture does not hold this depth",
            hint="use 8 or 16 bit for PNG, half or float for EXR, all but half for TIFF",
        )
    if suffix == ".exr":
        return exr.encode(pixels, **{_EXR_KEY: layout} if layout else {})
    if suffix in (".tif", ".tiff"):
        return tiff.encode(pixels, **{"description": f"{_TIFF_LEAD}{layout}"} if layout else {})
    return png.encode(pixels, is_table=True, **{_TEXT_KEY: layout} if layout else {})


def read(data: bytes, reading: str = "") -> Read:
    """Read a HALD, strip or tile picture; a named reading wins over what the file says, and that wins
    over what the pixels suggest (`arrange.taken`).

    Raises:
        FormatError: the picture is damaged or of a size that holds no LUT.
    """
    pixels = decoded(data, arrange.check_size)
    taken = arrange.taken(pixels.codes, pixels.stated, reading, pixels.peak)
    nodes = taken.lattice
    table = table_of(len(nodes), lambda part: _floats(nodes[part], pixels.peak))
    return Read(
        Transform((table,)),
        (*pixels.remarks, *pixels.ignored, *taken.remarks),
        key="hald" if taken.name == arrange.HALD else "strip",
        reading=taken.name,
        readings=taken.names,
        depth=pixels.depth,
        lossy=pixels.lossy,
        columns=taken.across,
    )


def holds(transform: Transform) -> str:
    table = transform.table
    if table is None or table.domain != UNIT:
        return "a picture holds one 3D table over 0 to 1"
    return ""


def file_of(transform: Transform, options: WriteOptions, layout: str, depth: str) -> bytes:
    """Encode the one table of a transform.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    table = transform.table
    if why or table is None:
        raise ValueRefused(why, hint="bake it to a grid first")
    assert depth in QUANTUM
    return encoded(arrange.arranged(in_codes(table.values, depth), layout), options.suffix, layout)
