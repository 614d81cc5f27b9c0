"""Carriers as files: what is sent to another program, and the card that says what to do there."""

from __future__ import annotations

import math
import zlib
from pathlib import Path

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange
from sfumato.core.carrier.frame import MOST_SIDE, Plan, composed
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError, ValueRefused
from sfumato.core.lut.table import lattice_colours
from sfumato.formats.parts.contract import DEPTH_WORDS
from sfumato.media.parts.contract import MediaSpec, Saving, Still
from sfumato.media.parts.registry import by_suffix
from sfumato.work.files import write_bytes

NO_PROFILE = "none"  # beside a frame, whose own would be used otherwise
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
        profile: an encoding that the file says it is in; "" for the frame's own, NO_PROFILE for none.
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
    size: tuple[int, int]  # pixels
    bytes: int
    plan: Plan | None = None
    remarks: tuple[str, ...] = field(default=())


def neutral(carrier: Carrier, frame: Rgb | None = None) -> tuple[Rgb, Plan | None]:
    """Return a carrier's code values (h, w, 3), and where its parts lie when it goes beside a frame.

    Raises:
        ValueRefused: the frame is too large, or the block would be.
    """
    if frame is None:
        return arrange.arranged(lattice_colours(carrier.points), carrier.layout), None
    height, width = frame.shape[:2]
    low, high = _FRAME_POINTS
    if not low <= carrier.points <= high:
        raise ValueRefused(
            f"{carrier.points} points beside a frame", hint=f"{low} to {high} can be read back"
        )
    number = zlib.crc32(np.ascontiguousarray(frame[:: max(1, height // 64)]).tobytes()) & 0xFFFF
    plan = Plan(width, height, carrier.points, carrier.cell, carrier.layout, number)
    if max(plan.size) > MOST_SIDE:
        raise ValueRefused(
            f"the carrier would be {plan.size[0]} × {plan.size[1]} pixels",
            hint="choose fewer points, another layout or a smaller frame",
        )
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


def _pixels(values: Rgb, depth: str) -> Array:
    if depth in ("16f", "32f"):
        return values.astype(np.float16 if depth == "16f" else np.float32)
    peak, kind = (255, np.uint8) if depth == "8" else (65535, np.uint16)
    return np.asarray((np.clip(values, 0, 1) * np.float64(peak) + 0.5).astype(kind))


def write_carrier(
    path: Path, carrier: Carrier, frame: Still | None = None, *, force: bool = False
) -> Sent:
    """Write a carrier.

    Raises:
        SfumatoError: the file's kind cannot hold it, is there already, or cannot be written.
    """
    spec = _spec(path)
    encoded = spec.write
    assert encoded is not None
    depth = depth_for(path, carrier.depth)
    profile = carrier.profile
    if profile == NO_PROFILE:
        profile = ""
    elif profile:
        profile = encoding(profile).name
    elif frame is not None:
        profile = frame.facts.encoding or ""
    values, plan = neutral(carrier, None if frame is None else frame.as_float())
    saving = Saving(profile, quality=100)
    data = encoded(_pixels(values, depth), saving)
    write_bytes(path, data, force=force)
    remarks = spec.unkept(saving)
    return Sent(path, carrier, (values.shape[1], values.shape[0]), len(data), plan, tuple(remarks))
