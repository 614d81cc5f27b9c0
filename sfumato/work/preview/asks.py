"""What can be asked of a preview, and what is answered; everything in an ask is immutable."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import breathe
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import CHUNK
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.parts.contract import FrameFacts
from sfumato.work.colours import Incoming
from sfumato.work.frames import WHOLE, Region
from sfumato.work.luts.ends import Ends, ends_in
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.preview.scene import Measuring

SOURCE, GROUND, EXACT, LUT, FILE = "source", "ground", "exact", "lut", "file"
MATTE = "matte"
PINNED = "pinned"
DEVICE = "device"
PRINTED = "printed"
OTHERS = ("file.1", "file.2")  # LUT files of anybody, as many as there are sides
SIDES = {
    SOURCE: "Source",
    GROUND: "Ground",
    EXACT: "Look, exact",
    LUT: "LUT",
    DEVICE: "As a target sees it",
    PRINTED: "As printed",
    FILE: "Written file",
    MATTE: "Matte of the glaze",
    PINNED: "Pinned shot",
}
UNBAKED = {SOURCE, FILE, MATTE, PINNED, DEVICE, *OTHERS}  # sides that have no drag table


@frozen(eq=False)
class SeenFile:
    """A LUT file that a side looks through, in the Look's place: what it expects and gives is said or guessed."""

    name: str
    path: str
    transform: Transform
    ends: Ends


def seen_file(path: Path, study: Study) -> SeenFile:
    """Read a LUT file for a side of a study.

    Raises:
        FormatError: it cannot be read as a LUT.
    """
    transform = read_lut(path).transform
    ends = ends_in(transform, study.working, study.view.encoding)
    return SeenFile(path.name, str(path), transform, ends)


@frozen(eq=False)
class Ask:
    """What is to be shown; everything in it is immutable."""

    study: Study
    shot: Shot
    a: str = GROUND
    b: str = LUT
    need_a: bool = True
    difference: bool = False
    width: int = 640
    height: int = 360
    region: Region = WHOLE
    instruments: tuple[Measuring, ...] = ()
    dragging: bool = False
    playing: bool = False
    pinned: Shot | None = None
    exported: Transform | None = None
    others: Mapping[str, SeenFile] = field(factory=dict)  # by side
    coat: str = ""
    gamut: bool = False  # whether colours outside the display's gamut are to be marked


@frozen(eq=False)
class Shown:
    """The answer: uint8 pictures, dE per pixel, what each instrument shows, seconds by part."""

    ask: Ask
    a: Array | None
    b: Array
    delta: Array | None
    instruments: dict[str, Any] = field(factory=dict)
    smears: dict[str, Array] = field(factory=dict)
    entry: Incoming | None = None
    seconds: dict[str, float] = field(factory=dict)
    size: tuple[int, int] = (0, 0)
    facts: FrameFacts | None = None
    painted: dict[str, Array] = field(factory=dict)  # by side, where the screen needs other codes
    reference: dict[str, Array] = field(factory=dict)  # instruments of the pinned shot
    outside: Array | None = (
        None  # bool (h, w): beyond the display's gamut, or the press's, on side B
    )
    over: Array | None = None  # bool (h, w): more ink than the limit, where side B is printed
    space: Encoding | None = None  # the encoding of side B's levels

    @property
    def on_screen(self) -> tuple[Array | None, Array]:
        """Return sides A and B in the codes of the screen."""
        b = self.painted.get(self.ask.b, self.b)
        return (None if self.a is None else self.painted.get(self.ask.a, self.a)), b


@frozen(eq=False)
class Probe:
    """What one place of the picture is: source, A and B, dE between them, what enters coat and Look."""

    x: int
    y: int
    source: Rgb
    a: Rgb
    b: Rgb
    delta: float
    entering: Rgb
    entering_look: Rgb  # working values after the Ground


def to_bytes(code: Rgb) -> Array:
    """Round display code values (..., 3) to uint8, those beyond 0..1 to its ends.

    >>> to_bytes(np.float32([[0.0, 0.5, 2.0]])).tolist()
    [[0, 128, 255]]
    """
    out = np.empty(code.shape, np.uint8)
    flat, into = code.reshape(-1, 3), out.reshape(-1, 3)
    for start in range(0, len(flat), CHUNK):  # whole, the steps take thrice what the picture does
        breathe()
        part = np.clip(flat[start : start + CHUNK], 0, 1)
        part *= np.float32(255)
        part += np.float32(0.5)
        into[start : start + CHUNK] = part
    return out


def written_key(ask: Ask) -> Any:
    study = ask.study
    ground = ground_key(ask) if study.span.with_ground else None
    shots = Id(study.shots) if study.fit else None  # whose colours the fit leans on
    return LUT, study.grid, study.fit, look_key(study), ground, shots


def look_key(study: Study) -> Any:
    return (Id(study.look), study.working, study.view, study.span)


def ground_key(ask: Ask) -> Any:
    return (ask.shot.encoding, Id(ask.shot.ground), ask.study.working, ask.study.view)


class Id:
    """Compares values by equality but hashes by type alone: records with lists inside cannot hash."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value

    def __hash__(self) -> int:
        return 1

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Id) and (self.value is other.value or self.value == other.value)
