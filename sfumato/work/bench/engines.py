"""A look in a simulated engine or phone filter: the file that it takes in, what it draws, and how far that is off."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import frozen
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.bench.engine import (
    LINEAR,
    TILES,
    Import,
    Texture,
    Zone,
    blended,
    imported,
    laid_out,
    sampled,
)
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.errors import FormatError, StudyError
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.recast import sampled as as_table
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.parts.contract import as_float
from sfumato.media.parts.registry import by_suffix
from sfumato.work.bench.gl_engine import GlEngine
from sfumato.work.files import is_file, read_json
from sfumato.work.frames import Frames
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.outlets.order import suited
from sfumato.work.outlets.templates import TEMPLATES
from sfumato.work.tiles import run_tiled

SIMULATED = "simulated, no GL driver"
WALK = "walk.json"
_MOST = 1 << 20
_WIDE, _HIGH = 1280, 720
_ROWS = 64  # of a picture that are turned into bytes at once
PNG, JPEG = "PNG", "JPEG"


# --- looks ---------------------------------------------------------------------------------------
@frozen
class Look:
    """What an engine is given: the study's Look, or a LUT file of any format; None for nothing."""

    file: Path | None = None
    is_own: bool = False

    @property
    def is_empty(self) -> bool:
        return self.file is None and not self.is_own


OWN, EMPTY = Look(is_own=True), Look()


@frozen(eq=False)
class Taken:
    """A look as an engine takes it: what it is exactly, and the texture."""

    name: str
    exact: Transform
    texture: Texture


def exact_of(look: Look, study: Study) -> tuple[str, Transform]:
    """Return the name of a look, and what it does to display codes.

    Raises:
        FormatError: the file cannot be read.
    """
    if look.is_own:
        return study.look.name, suited(study, TEMPLATES["engine32"]).transform()
    assert look.file is not None
    return look.file.stem, read_lut(look.file).transform


def table_of(exact: Transform, points: int) -> Table3D:
    """Return a look as a table of so many points over 0..1."""
    table = exact.table
    is_alone = table is not None and table.size == points and len(exact.stages) == 1
    if table is not None and is_alone and np.array_equal(table.domain, ((0.0,) * 3, (1.0,) * 3)):
        return table
    found = as_table(exact, points).table
    assert found is not None
    return found


def taken(look: Look, study: Study, settings: Import) -> Taken:
    """Return a look as an engine takes it.

    Raises:
        FormatError: its file cannot be read.
    """
    name, exact = exact_of(look, study)
    return Taken(name, exact, imported(table_of(exact, settings.points), settings))


def as_filter(look: Look, study: Study, kind: str, quality: int) -> tuple[Taken, int]:
    """Return a look as a phone filter takes it: tiles of 512, 8 bit, through a PNG or JPEG; and its bytes.

    Raises:
        FormatError: its file cannot be read.
    """
    settings = Import(layout=TILES, points=64, filter=LINEAR)
    name, exact = exact_of(look, study)
    tiles = laid_out(table_of(exact, settings.points), TILES)
    whole = np.asarray(np.rint(np.clip(tiles, 0, 1) * 255), np.uint8)
    box = io.BytesIO()
    picture = Image.fromarray(whole)
    if kind == JPEG:
        picture.save(box, "JPEG", quality=quality)
    else:
        picture.save(box, "PNG")
    data = box.getvalue()
    back = np.asarray(Image.open(io.BytesIO(data)).convert("RGB"), np.float32) / 255
    return Taken(name, exact, Texture(back, (back,), settings)), len(data)


# --- what it draws --------------------------------------------------------------------------------
@frozen(eq=False)
class Drawn:
    """A frame as an engine draws it.

    Attributes:
        codes: display codes, of the type of the frame: uint8 or float32 (h, w, 3).
        driver: who drew it; SIMULATED when no GL driver runs.
        ms: the time of the shader, 0 where it was simulated.
    """

    codes: Array
    driver: str
    ms: float


def draw(
    gl: GlEngine,
    frame: Array,
    looks: Sequence[Taken],
    parts: Sequence[float],
    *,
    sent: bool = False,
) -> Drawn:
    """Draw a frame through looks, each as much as its part: on the GL driver, or simulated without one."""
    driver = gl.name()
    if driver:
        try:
            codes, ms = gl.draw([t.texture for t in looks], frame, parts, sent=sent)
            return Drawn(codes, driver, ms)
        except FormatError:  # it died of it: the simulation serves
            pass
    code = as_float(frame)
    made = [sampled(t.texture, code) if p else code for t, p in zip(looks, parts, strict=True)]
    out = blended(code, made, tuple(parts))
    if frame.dtype == np.uint8:
        return Drawn(np.asarray(np.rint(np.clip(out, 0, 1) * 255), np.uint8), SIMULATED, 0.0)
    return Drawn(out, SIMULATED, 0.0)


def exactly(frame: Array, looks: Sequence[Taken], parts: Sequence[float]) -> Rgb:
    """Return a frame through the exact looks, each as much as its part."""
    code = as_float(frame)
    made = [
        np.clip(run_tiled(t.exact.apply, code), 0, 1) if p else code
        for t, p in zip(looks, parts, strict=True)
    ]
    return blended(code, made, tuple(parts))


def off_by(drawn: Array, wanted: Rgb, frame: Array, display: Encoding) -> Difference:
    """Return how far a drawn frame is off."""
    codes = np.clip(as_float(drawn), 0, 1)
    return difference_of((codes, np.clip(wanted, 0, 1)), as_float(frame), display)


def frame_time(gl: GlEngine, looks: Sequence[Taken], parts: Sequence[float]) -> float | None:
    """Return the milliseconds of the shader at 1920 x 1080, the median of three; None without a driver."""
    if not gl.name():
        return None
    picture = np.random.default_rng(1).integers(0, 256, (1080, 1920, 3), dtype=np.uint8)
    textures = [t.texture for t in looks]
    return float(np.median([gl.draw(textures, picture, parts)[1] for _ in range(3)]))


# --- the scene ------------------------------------------------------------------------------------
@frozen
class Walk:
    """A walk through a place: its clip, where the eye stands in each frame, and zones on the floor; metres."""

    shot: Shot
    rate: float
    eyes: tuple[tuple[float, float], ...]
    zones: tuple[Zone, ...]


def walk_of(folder: Path) -> Walk | None:
    """Return the walk that lies in a folder, None where there is none, or its clip is not there.

    Raises:
        StudyError: its record is damaged.
    """
    record = folder / WALK
    if not is_file(record):
        return None
    plain = read_json(record, "a walk", "install the demo again", _MOST)
    try:
        zones = tuple(
            Zone(str(z["name"]), _pair(z["centre"]), float(z["radius"]), float(z["soft"]))
            for z in plain["zones"]
        )
        eyes = tuple(_pair(e) for e in plain["eyes"])
        rate, clip = float(plain["rate"]), str(plain["clip"])
    except (KeyError, TypeError, ValueError) as error:
        raise StudyError(
            "the walk is damaged", hint="install the demo again", where=str(record)
        ) from error
    if not eyes or not 1 <= rate <= 240 or Path(clip).name != clip:
        raise StudyError("the walk is damaged", hint="install the demo again", where=str(record))
    if not is_file(folder / clip):
        return None
    return Walk(Shot(str(folder / clip), "walk", "sRGB", id="walk"), rate, eyes, zones[:2])


def _pair(plain: Any) -> tuple[float, float]:
    x, z = plain
    return float(x), float(z)


def frame_of(
    shot: Shot, number: int, frames: Frames, *, wide: int = _WIDE, high: int = _HIGH
) -> Array:
    """Return a frame of a shot for an engine, uint8 (h, w, 3): as large as fits.

    Args:
        number: of a clip, counted on and round again after its end.
    Raises:
        MediaError: it cannot be read.
    """
    whole = frames.size(shot)
    share = min(1.0, wide / whole[0], high / whole[1])
    size = max(2, round(whole[0] * share)), max(2, round(whole[1] * share))
    kind = by_suffix(shot.path)
    if kind is not None and kind.key == "clip":
        count = frames.count(shot)
        return frames.rgb8(attrs.evolve(shot, frame=number % count), *size)
    return as_frame(frames.still(shot).pixels if size == whole else frames.proxy(shot, *size))


def as_frame(pixels: Array) -> Array:
    """Return a picture as an engine has it, uint8 (h, w, 3)."""
    if pixels.dtype == np.uint8:
        return pixels
    out = np.empty(pixels.shape, np.uint8)
    for rows in (slice(top, top + _ROWS) for top in range(0, len(pixels), _ROWS)):
        if pixels.dtype == np.uint16:
            out[rows] = (pixels[rows].astype(np.uint32) + 128) // 257
        else:
            out[rows] = np.rint(np.clip(as_float(pixels[rows]), 0, 1) * np.float32(255))
    return out


def display_of_walk() -> Encoding:
    """Return the display that the frames of the walk are made for."""
    return encoding("sRGB")
