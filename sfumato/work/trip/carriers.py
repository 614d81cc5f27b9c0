"""Carriers as files: what is sent to another program, and the card that says what to do there."""

from __future__ import annotations

import hashlib
import math
import zlib
from pathlib import Path

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Rgb
from sfumato.core.carrier import arrange
from sfumato.core.carrier.frame import MOST_SIDE, Plan, composed
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError, ValueRefused
from sfumato.core.lut.table import lattice_colours
from sfumato.formats.parts.contract import DEPTH_WORDS
from sfumato.media.parts.contract import MediaSpec, Saving
from sfumato.media.parts.registry import by_suffix
from sfumato.raster.samples import in_codes
from sfumato.work.files import write_bytes

SUFFIXES = (".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr")
_KINDS = ("png", "tiff", "jpeg", "exr")
_POINTS = range(2, 257)
_FRAME_POINTS = (4, 64)


@frozen
class Carrier:
    """What is sent.

    Attributes:
        points: nodes a side: the square of a HALD's level.
        layout: HALD, one of LAYOUTS, or WRAPPED beside a frame.
        cell: pixels a side of each node beside a frame.
        depth: 8, 16, 16f or 32f, "" for the usual one of the file's kind.
        profile: an encoding that the file says it is in, "" for none.
    """

    points: int = 64
    layout: str = arrange.HALD
    cell: int = 4
    depth: str = ""
    profile: str = ""

    def __attrs_post_init__(self) -> None:
        hald = self.layout == arrange.HALD
        if self.points not in _POINTS or (hald and math.isqrt(self.points) ** 2 != self.points):
            raise ValueRefused(
                f"a carrier of {self.points} points cannot be made",
                hint="a HALD has level 2 to 16, a strip 2 to 129 points",
            )


@frozen(eq=False)
class Sent:
    """A carrier as it was written."""

    file: Path
    carrier: Carrier
    depth: str
    size: tuple[int, int]  # pixels
    bytes: int
    digest: str  # SHA-256 of the file
    plan: Plan | None = None
    remarks: tuple[str, ...] = field(default=())


def plan_for(carrier: Carrier, width: int, height: int, number: int = 0) -> Plan:
    """Return what a frame of this size and the nodes beside it are together.

    Raises:
        ValueRefused: there are too many points, or it would be too large.
    """
    low, high = _FRAME_POINTS
    if not low <= carrier.points <= high:
        raise ValueRefused(
            f"{carrier.points} points beside a frame", hint=f"{low} to {high} can be read back"
        )
    plan = Plan(width, height, carrier.points, carrier.cell, carrier.layout, number)
    if max(plan.size) > MOST_SIDE:
        raise ValueRefused(
            f"the carrier would be {plan.size[0]} × {plan.size[1]} pixels",
            hint="choose fewer points, another layout or a smaller frame",
        )
    return plan


def size_of(carrier: Carrier, frame: tuple[int, int] | None = None) -> tuple[int, int]:
    """Return a carrier's width and height in pixels, alone or beside a frame of a size.

    >>> size_of(Carrier(64)), size_of(Carrier(16, arrange.ROW))
    ((512, 512), (256, 16))

    Raises:
        ValueRefused: there are too many points, or it would be too large.
    """
    if frame is not None:
        return plan_for(carrier, *frame).size
    n = carrier.points
    if carrier.layout == arrange.HALD:
        return math.isqrt(n) ** 3, math.isqrt(n) ** 3
    shape = carrier.layout.partition(",")[0]
    across = {arrange.ROW: n, arrange.COLUMN: 1}.get(shape) or arrange.columns_of(n)
    return across * n, -(-n // across) * n


def neutral(carrier: Carrier, frame: Rgb | None = None) -> tuple[Rgb, Plan | None]:
    """Return a carrier's code values (h, w, 3), and where its parts lie when it goes beside a frame.

    Raises:
        ValueRefused: the frame is too large, or the block would be.
    """
    if frame is None:
        return arrange.arranged(lattice_colours(carrier.points), carrier.layout), None
    height, width = frame.shape[:2]
    number = zlib.crc32(np.ascontiguousarray(frame[:: max(1, height // 64)]).tobytes()) & 0xFFFF
    plan = plan_for(carrier, width, height, number)
    return composed(plan, frame), plan


def _spec(path: Path) -> MediaSpec:
    spec = by_suffix(path.name)
    if spec is None or spec.write is None or spec.key not in _KINDS:
        raise MediaError(
            "carriers are PNG, TIFF, JPEG or EXR files",
            hint=f"end the name with one of {' '.join(SUFFIXES)}",
            where=str(path),
        )
    return spec


def title_of(path: Path) -> str:
    """Return what a carrier's file is called by its suffix: PNG, TIFF, JPEG, EXR.

    Raises:
        MediaError: it is no kind for carriers.
    """
    return _spec(path).title.removesuffix(" picture")


def depth_for(path: Path, depth: str) -> str:
    """Return the depth of a carrier in a file, the usual one for "".

    Raises:
        MediaError: the file's kind does not hold it.
    """
    spec = _spec(path)
    held = [d for d, words in DEPTH_WORDS.items() if words in spec.depths]
    if depth and depth not in held:
        raise MediaError(
            f"a {spec.title} does not hold {DEPTH_WORDS.get(depth, depth)}",
            hint=f"it holds {', '.join(DEPTH_WORDS[d] for d in held)}",
            where=str(path),
        )
    whole = [d for d in held if not d.endswith("f")]
    return depth or (whole or held)[-1]


def write_carrier(
    path: Path, carrier: Carrier, frame: Rgb | None = None, *, force: bool = False
) -> Sent:
    """Write a carrier; `frame` holds the code values of the picture beside the nodes.

    Raises:
        SfumatoError: the file's kind cannot hold it, is there already, or cannot be written.
    """
    spec = _spec(path)
    encoded = spec.write
    assert encoded is not None
    depth = depth_for(path, carrier.depth)
    saving = Saving(encoding(carrier.profile).name if carrier.profile else "", quality=100)
    values, plan = neutral(carrier, frame)
    data = encoded(in_codes(values, depth), saving)
    write_bytes(path, data, force=force)
    remarks = spec.unkept(saving)
    digest = hashlib.sha256(data).hexdigest()
    size = (values.shape[1], values.shape[0])
    return Sent(path, carrier, depth, size, len(data), digest, plan, tuple(remarks))
