"""A look as an ICC profile, for pictures in Lab, RGB or inks, proved by LittleCMS before it is written.

A link or an abstract profile is a grid: it misses what lies between its nodes. How far it misses is measured on
colours of pictures and on colours all over the gamut, as that engine applies the profile.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.colour.lab50 import code_of_lab, from_white, lab_of_code, to_white
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.table import lattice_colours
from sfumato.core.path import path
from sfumato.core.print.abstract import fitted_nodes
from sfumato.core.study.printing import Printing
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.parts.inked import returned, separated
from sfumato.media.parts.printed import SEEN, seen_rows
from sfumato.raster.icc.engine import by_littlecms, lab_profile, press_of
from sfumato.raster.icc.looks import abstract_profile, link_profile
from sfumato.raster.plates import CMYK, Plates, areas_of
from sfumato.work.files import Sources, write_bytes
from sfumato.work.frames import Frames
from sfumato.work.memory import heavy
from sfumato.work.results.apply import ApplyWish, change_run
from sfumato.work.tiles import run_tiled

ABSTRACT, LINK, INKS, PRESS = "abstract", "link", "inks", "press"
KINDS = {
    ABSTRACT: "Lab to Lab: an abstract profile",
    LINK: "RGB to RGB: a device link",
    INKS: "RGB to the press's inks: a device link",
    PRESS: "Inks to inks of the press: a device link",
}
VERSIONS = (4, 2)
GRIDS = {ABSTRACT: 33, LINK: 49, INKS: 49, PRESS: 17}
MOST_GRID = {ABSTRACT: 33, LINK: 65, INKS: 65, PRESS: 21}
_GAMUT, _HELD_OUT = 36_000, 9_000  # colours that a fit leans on, and others on which it is measured
_WIDTH = 240  # of a shot's small picture
_AT_ONCE = 1 << 16  # colours
_USUAL_INK = 3.0  # of all inks, up to which a link is measured: more is not printed

Run = Callable[[Rgb], Rgb]


@frozen
class ProfileWish:
    """What is to be written; `grid` 0 = as is usual for the kind."""

    kind: str = ABSTRACT
    version: int = 4
    grid: int = 0
    title: str = ""

    @property
    def points(self) -> int:
        return min(self.grid or GRIDS[self.kind], MOST_GRID[self.kind])


@frozen
class MadeProfile:
    """A profile and what LittleCMS makes of colours with it, against what is meant.

    `pictures` is None where there are none to measure on.
    """

    data: bytes
    pictures: Difference | None
    gamut: Difference

    def words(self) -> list[str]:
        found = [f"by {self.gamut.words()} all over the gamut"]
        if self.pictures is not None:
            found.insert(0, f"by {self.pictures.words()} on the pictures")
        return found


@lru_cache(maxsize=2)
def _identity(channels: int) -> bytes:
    """Return a link that changes nothing: what stands behind another one in the engine."""
    axis = np.linspace(0, 1, 2)
    nodes = np.stack(np.meshgrid(*[axis] * channels, indexing="ij"), -1)
    return link_profile(nodes, "nothing", 2)


def by_engine(values: Array, profile: bytes, spaces: tuple[str, str]) -> Array:
    """Return colours (k, channels) through an abstract profile or a link by LittleCMS, float64.

    Args:
        spaces: of lab, rgb and cmyk; Lab in its own units, the others 0..1.
    """
    behind = {"lab": lab_profile(), "rgb": _identity(3), "cmyk": _identity(4)}[spaces[1]]
    pair = (behind, profile) if spaces[0] == "lab" else (profile, behind)
    return by_littlecms(values, *pair, spaces, "perceptual", False)


@frozen(eq=False)
class Wanted:
    """A look and what a profile of it leans on.

    Attributes:
        run: what is meant, codes of `display`, of pictures as they are seen, sRGB codes (k, 3).
        natural: such codes of pictures, (k, 3); may be none.
        profile: of the press, where inks come in, and `how` colours go to it.
    """

    run: Run
    display: str
    natural: Rgb
    profile: bytes
    how: Printing = Printing()
    check: StillWanted = always_wanted

    def inks_of(self, codes: Rgb, display: str) -> Array:
        """Return the inks (k, 4) for codes of a display."""
        space = encoding(display)
        light = np.ascontiguousarray(space.decode(np.clip(codes, 0, 1)), np.float32)
        return np.asarray(separated(press_of(self.profile), light, to_white(space), self.how))

    def shown(self, inks: Array) -> Rgb:
        """Return what inks (k, 4) show, as codes of the display."""
        space = encoding(self.display)
        light = press_of(self.profile).seen.light(np.asarray(inks, np.float32), from_white(space))
        return np.asarray(space.encode(light), np.float32)


# The codes that are meant of colours, and those that the engine makes of them.
Through = Callable[[Array], tuple[Rgb, Rgb]]


def made_profile(wanted: Wanted, wish: ProfileWish) -> MadeProfile:
    """Make a profile and measure it.

    Raises:
        MediaError: the profile of the press cannot be used.
    """
    make = {ABSTRACT: _abstract, LINK: _link, INKS: _inks, PRESS: _press}[wish.kind]
    with heavy(wanted.check):
        data, through, pictures, gamut = make(wanted, wish)
        wanted.check()

        def measured(colours: Array) -> Difference:
            meant, found = through(colours)
            return difference_of((found, meant), colours[:, :3], encoding(wanted.display))

        return MadeProfile(data, measured(pictures) if len(pictures) else None, measured(gamut))


# A profile, what it does to colours, those of pictures, and those all over the gamut.
_Made = tuple[bytes, Through, Array, Array]


def _abstract(wanted: Wanted, wish: ProfileWish) -> _Made:
    seen, shown = encoding(SEEN), encoding(wanted.display)

    def lab_of(code: Rgb) -> Array:
        return np.asarray(lab_of_code(code, seen), np.float64)

    def change(lab: Array) -> Array:
        code = np.asarray(code_of_lab(np.asarray(lab, np.float32), seen), np.float32)
        inside = np.clip(code, 0, 1)
        changed = np.asarray(lab_of_code(wanted.run(inside), shown), np.float64)
        return np.asarray(changed + (lab - lab_of_code(inside, seen)))

    gamut, natural = cube_colours(_GAMUT + _HELD_OUT), wanted.natural
    leans_on = lab_of(natural[::2]), lab_of(gamut[:_GAMUT])
    nodes = fitted_nodes(change, *leans_on, wish.points, wanted.check)
    data = abstract_profile(nodes, wish.title, wish.version)

    def through(code: Array) -> tuple[Rgb, Rgb]:
        lab = by_engine(lab_of(code), data, ("lab", "lab"))
        return wanted.run(code), np.asarray(code_of_lab(lab, shown), np.float32)

    return data, through, natural[1::2], gamut[_GAMUT:]


def _link(wanted: Wanted, wish: ProfileWish) -> _Made:
    nodes = run_tiled(wanted.run, lattice_colours(wish.points))
    data = link_profile(np.clip(nodes, 0, 1), wish.title, wish.version)

    def through(code: Array) -> tuple[Rgb, Rgb]:
        return wanted.run(code), np.asarray(by_engine(code, data, ("rgb", "rgb")), np.float32)

    return data, through, wanted.natural, cube_colours(_HELD_OUT)


def _inks(wanted: Wanted, wish: ProfileWish) -> _Made:
    def inks_of(code: Rgb) -> Array:
        return wanted.inks_of(wanted.run(code), wanted.display)

    n = wish.points
    nodes = inks_of(lattice_colours(n).reshape(-1, 3)).reshape(n, n, n, 4)
    data = link_profile(nodes, wish.title, wish.version)

    def through(code: Array) -> tuple[Rgb, Rgb]:
        made = by_engine(code, data, ("rgb", "cmyk"))
        return wanted.shown(inks_of(code)), wanted.shown(made)

    return data, through, wanted.natural, cube_colours(_HELD_OUT)


def _press(wanted: Wanted, wish: ProfileWish) -> _Made:
    def changed(values: Array) -> Array:
        """Return ink codes (k, 4), uint16, through the look."""
        plates = Plates(CMYK, np.ascontiguousarray(values[None]), profile=wanted.profile)
        before = seen_rows(plates)
        meant = wanted.run(before[0])[None]
        return np.asarray(returned(plates, before, meant, wanted.display, wanted.how)[0])

    n = wish.points
    axis = np.linspace(0, 65535, n).round().astype(np.uint16)
    grid = np.stack(np.meshgrid(*[axis] * 4, indexing="ij"), -1).reshape(-1, 4)
    parts = []
    for start in range(0, len(grid), _AT_ONCE):
        wanted.check()
        parts.append(changed(grid[start : start + _AT_ONCE]))
    nodes = areas_of(np.concatenate(parts)).reshape(n, n, n, n, 4)
    data = link_profile(nodes, wish.title, wish.version)

    def through(areas: Array) -> tuple[Rgb, Rgb]:
        values = np.rint(areas * 65535).astype(np.uint16)
        made = by_engine(values / 65535, data, ("cmyk", "cmyk"))
        return wanted.shown(areas_of(changed(values))), wanted.shown(made)

    everywhere = np.random.default_rng(2).random((_HELD_OUT, 4), np.float32)
    everywhere = everywhere[everywhere.sum(-1) <= min(wanted.how.most_ink, _USUAL_INK)]
    return data, through, wanted.inks_of(wanted.natural, SEEN), everywhere


def profile_of_study(
    study: Study,
    wish: ProfileWish,
    natural: Rgb,
    profile: bytes,
    check: StillWanted = always_wanted,
) -> MadeProfile:
    """Make a profile of a study's Look, without any shot's Ground, and measure it.

    Raises:
        MediaError: the profile of the press cannot be used.
    """
    run, display = change_run(study, Shot("", "", encoding=SEEN), ApplyWish())
    wanted = Wanted(lambda code: run(code, 0), display, natural, profile, study.printing, check)
    return made_profile(wanted, wish)


def natural_codes(study: Study, frames: Frames, check: StillWanted = always_wanted) -> Rgb:
    """Return colours of the study's shots as they are seen without the Look, sRGB codes (k, 3)."""
    found = []
    for shot in study.shots:
        check()
        working = path.to_working(shot, study, frames.sample(shot, _WIDTH).reshape(-1, 3))
        code = path.through_view(study, path.through_ground(shot, study, working))
        found.append(np.clip(convert(code, study.view.encoding, SEEN), 0, 1)[::3])
    return np.concatenate(found) if found else np.zeros((0, 3), np.float32)


def write_profile(made: MadeProfile, target: Path, press: str = "", *, force: bool = False) -> None:
    """Write a profile that was made.

    Args:
        press: the file of the profile that it was made by, which is never written over.
    Raises:
        ExportError: the file exists and `force` is false, it is the press, or cannot be written.
    """
    Sources.of([Path(press)] if press else []).check(target)
    if target.suffix.lower() not in (".icc", ".icm"):
        raise ValueRefused("the file is not named as a profile", hint="end its name in .icc")
    write_bytes(target, made.data, force=force)
