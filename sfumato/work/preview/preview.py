"""What the Easel and the Instruments show: sides A and B of a shot, and the counts of B.

While a control is dragged, the whole path from working values to the display is baked into one
table (33 points, fewer for a path that is too slow for the hand) and looked up; at rest everything
is computed exactly, or through the very table that will be written.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from functools import partial
from typing import Any

import attrs
import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.screen import is_plain, on_screen
from sfumato.core.lut.device import through_device
from sfumato.core.lut.difference import Difference, delta_e, difference_of
from sfumato.core.lut.sample import Packed, packed
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.measure import scopes
from sfumato.core.measure.guess import Guess, guess
from sfumato.core.path import path
from sfumato.core.path.laying import matte
from sfumato.core.study.coat import Coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import LOOK, Study
from sfumato.media.contract import FrameFacts, as_float
from sfumato.work.cancel import Cancel
from sfumato.work.colours import Entry
from sfumato.work.frames import WHOLE, Frames, Kept, Region
from sfumato.work.luts.proof import LookTable, look_table
from sfumato.work.tiles import apply_tiled, run_tiled

_MOUNT = 64  # around a pinned shot of another shape
DRAG_GRIDS = (33, 25, 17)
DRAG_SECONDS = 0.016
SCOPE_WIDTH = 480
LOSS_WIDTH = 320
GUESS_WIDTH = 160
CLOUD_GRID = 17  # points a side of the cloud
LOSS_GRID = 16
_OUTSIDE = 0.004  # of code
_COUNTLESS = {"neutral", "cloud", "loss"}  # instruments of the LUT, not of the picture
CLOUD = 1800  # colours on the nudge map
SOURCE, GROUND, EXACT, LUT, FILE = "source", "ground", "exact", "lut", "file"
MATTE = "matte"
PINNED = "pinned"
DEVICE = "device"
SIDES = {
    SOURCE: "Source",
    GROUND: "Ground",
    EXACT: "Look, exact",
    LUT: "LUT",
    DEVICE: "As a target sees it",
    FILE: "Written file",
    MATTE: "Matte of the glaze",
    PINNED: "Pinned shot",
}
_UNBAKED = {SOURCE, FILE, MATTE, PINNED, DEVICE}  # sides that have no drag table


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
    instruments: tuple[str, ...] = ()
    dragging: bool = False
    playing: bool = False
    pinned: Shot | None = None
    written: Transform | None = None
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
    entry: Entry | None = None
    seconds: dict[str, float] = field(factory=dict)
    size: tuple[int, int] = (0, 0)
    facts: FrameFacts | None = None
    painted: dict[str, Array] = field(factory=dict)  # by side, where the screen needs other codes
    reference: dict[str, Array] = field(factory=dict)  # instruments of the pinned shot
    outside: Array | None = None  # bool (h, w): beyond the display's gamut on side B
    space: Encoding | None = None  # the encoding of side B's levels

    @property
    def on_screen(self) -> tuple[Array | None, Array]:
        """Return sides A and B in the codes of the screen."""
        b = self.painted.get(self.ask.b, self.b)
        return (None if self.a is None else self.painted.get(self.ask.a, self.a)), b


@frozen(eq=False)
class _DragTable:
    """A table to drag through, and its packed form."""

    table: Table3D
    packed: Packed

    @classmethod
    def of(cls, table: Table3D) -> _DragTable:
        return cls(table, packed(table))


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


def _swatches() -> Rgb:
    """Return twelve hues (Oklch L 0.66, C 0.13) and five greys, linear BT.709, float32 (17, 3)."""
    space = encoding("Linear BT.709")
    angle = np.radians(np.arange(12) * 30 + 20)
    hues = np.stack([np.full(12, 0.66), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], axis=-1)
    greys = np.repeat(np.array([[0.02], [0.08], [0.18], [0.4], [0.85]]), 3, axis=1)
    return np.concatenate([oklab.to_light(hues.astype(np.float32), space), greys]).astype(
        np.float32
    )


def smears(
    study: Study, shot: Shot, painted: Callable[[Rgb], Array] | None = None
) -> dict[str, Array]:
    """Return, by coat, uint8 (2, 17, 3): the swatches as they enter and as they leave it, viewed.

    `painted` takes display codes to those of the screen.
    """
    working = encoding(study.working)
    code = convert(_swatches(), "Linear BT.709", working)
    ids: list[str] = []
    steps: list[Rgb] = []

    def walk(coats: tuple[Coat, ...], code: Rgb) -> None:
        for coat in coats:
            walk(coat.members, code)
            after = path.through_coat(coat, code, working)
            ids.append(coat.id)
            steps.extend((code, after))
            code = after

    walk((*shot.ground, *study.look.coats), code)
    if not ids:
        return {}
    viewed = (painted or to_bytes)(path.through_view(study, np.stack(steps)))
    return {name: viewed[2 * i : 2 * i + 2] for i, name in enumerate(ids)}


def to_bytes(code: Rgb) -> Array:
    """Round display code values to uint8."""
    return np.asarray(np.clip(code, 0, 1) * np.float32(255) + np.float32(0.5), np.uint8)


class Previewer:
    """Renders asks; keeps proxies in working values and the tables of sides that did not change."""

    def __init__(self, frames: Frames, screen: Encoding | None = None) -> None:
        self.frames = frames
        self.screen = screen  # what the pictures are looked at on; None = their codes as they are
        self.forget()

    def forget(self) -> None:
        """Keep nothing: at the beginning, and when encodings mean something else."""
        self._working = Kept(24)
        self._playing = Kept(6)
        self._tables = Kept(12)
        self._pictures = Kept(4)
        self._guesses = Kept(64)
        self._kept_reference: tuple[str, dict[str, Array]] = ("", {})
        self._steps_ground = _Steps()
        self._steps_look = _Steps()

    # --- pieces ----------------------------------------------------------------------------------
    def source(self, ask: Ask, width: int, height: int, region: Region) -> Rgb:
        """Return source code values at a size; while a clip plays, those that are quick to have."""
        if not ask.playing or region != WHOLE:
            return self.frames.proxy(ask.shot, width, height, region)
        quick = self.frames.quick(ask.shot, width, height)

        def make() -> tuple[Any, Rgb]:
            return quick, as_float(quick.pixels)

        kept: tuple[Any, Rgb] = self._playing.get(id(quick), make)
        return kept[1]

    def working(self, ask: Ask, width: int, height: int, region: Region) -> Rgb:
        """Return the shot in working values before its Ground, kept between asks."""
        source = self.source(ask, width, height, region)
        key = (id(source), ask.shot.encoding, ask.study.working)

        def make() -> tuple[Rgb, Rgb]:
            def one(rgb: Rgb) -> Rgb:
                return path.to_working(ask.shot, ask.study, rgb)

            return source, run_tiled(one, source)

        kept: tuple[Rgb, Rgb] = self._working.get(key, make)
        return kept[1]

    def look_table(self, ask: Ask, cancel: Cancel | None = None) -> LookTable:
        """Return the table that the Seal would write, kept while nothing in it changes."""
        made: LookTable = self._tables.get(
            _written_key(ask), lambda: look_table(ask.study, self.frames, ask.shot, cancel)
        )
        return made

    def written_table(self, ask: Ask, cancel: Cancel | None = None) -> Table3D:
        """Return the table to look through: the one that will be written, or sampled until it is fitted."""
        kept: LookTable | None = self._tables.peek(_written_key(ask))
        if kept is not None or not ask.study.fit:
            return (kept or self.look_table(ask, cancel)).table
        plain = attrs.evolve(ask, study=attrs.evolve(ask.study, fit=False))
        return self.look_table(plain, cancel).table

    def side(self, ask: Ask, which: str, cancel: Cancel | None = None) -> Callable[[Rgb], Rgb]:
        """Return the function from working values (before the Ground) to display values of a side."""
        study, shot = ask.study, ask.shot

        def ground(code: Rgb) -> Rgb:
            return path.through_view(study, path.through_ground(shot, study, code))

        def exact(code: Rgb) -> Rgb:
            graded = path.through_look(study, path.through_ground(shot, study, code))
            return path.through_view(study, graded)

        if which == GROUND:
            return ground
        if which == EXACT:
            return exact
        if which == MATTE:
            return self._matte(ask)
        lut: Callable[[Rgb], Rgb]
        if which == FILE and ask.written is not None:
            lut = ask.written.apply
        elif which == DEVICE:
            lut = self._device(ask, cancel)
        else:
            lut = Transform((self.written_table(ask, cancel),)).apply

        def through(code: Rgb) -> Rgb:
            if not study.span.with_ground:
                code = path.through_ground(shot, study, code)
            return path.from_leave(study, lut(path.into_entry(study, shot, code)))

        return through

    def _device(self, ask: Ask, cancel: Cancel | None) -> Callable[[Rgb], Rgb]:
        """Return the LUT of the study's target's grid as that target applies it."""
        target = ask.study.device
        sized = attrs.evolve(ask, study=attrs.evolve(ask.study, grid=int(target.grid)))
        return partial(through_device, target, self.written_table(sized, cancel))

    def device_loss(self, ask: Ask, cancel: Cancel) -> Difference:
        """Measure side B as the target sees it against the exact grade, on the shot."""
        w, h = self.frames.still(ask.shot).size
        size = (LOSS_WIDTH, max(1, round(LOSS_WIDTH * h / w)), WHOLE)
        code = self.working(ask, *size)
        both = (run_tiled(self.side(ask, s, cancel), code, cancel) for s in (EXACT, DEVICE))
        exact, seen = (rgb.reshape(-1, 3) for rgb in both)
        display = encoding(ask.study.view.encoding)
        return difference_of((exact, seen), code.reshape(-1, 3), display)

    def _drag_table(self, ask: Ask, which: str, cancel: Cancel) -> _DragTable:
        """Return the drag table from working values to the display; A's is kept while B moves."""
        key = ("drag", which, _ground_key(ask), _look_key(ask.study) if which != GROUND else None)

        def make() -> _DragTable:
            steps = self._steps_ground if which == GROUND else self._steps_look
            return _DragTable.of(Table3D(steps.run(_stages(ask, which != GROUND), cancel)))

        table: _DragTable = self._tables.get(key, make)
        return table

    def to_screen(self, study: Study) -> Callable[[Rgb], Rgb] | None:
        """Return the way from display codes to the codes of the screen, None when they are the same."""
        display, screen = encoding(study.view.encoding), self.screen
        if screen is None or is_plain(display, screen):
            return None
        return lambda code: on_screen(code, display, screen)

    def _screen_table(self, ask: Ask, table: _DragTable) -> _DragTable:
        """Return a drag table that goes on to the screen."""
        go_on = self.to_screen(ask.study)
        if go_on is None:
            return table

        def make() -> tuple[_DragTable, _DragTable]:
            return table, _DragTable.of(Table3D(_in_chunks(go_on, table.table.values)))

        key = ("screen", id(table), id(self.screen), ask.study.view.encoding)
        kept: tuple[_DragTable, _DragTable] = self._tables.get(key, make)
        return kept[1]

    def screened(self, study: Study, picture: Rgb, cancel: Cancel | None = None) -> Array:
        """Return display values as they are painted: uint8 codes of the screen."""
        go_on = self.to_screen(study)
        return to_bytes(picture if go_on is None else run_tiled(go_on, picture, cancel))

    def prepare(self, ask: Ask, cancel: Cancel) -> None:
        """Fill the drag tables of both sides at rest, so that the first step of a drag is quick."""
        for which in {ask.a, ask.b} - _UNBAKED:
            self._screen_table(ask, self._drag_table(ask, which, cancel))

    def _looked_up(self, table: _DragTable, code: Rgb, cancel: Cancel) -> Array:
        """Return a picture through a drag table; the side that does not move is kept."""
        key = (id(table), id(code))

        def make() -> tuple[_DragTable, Rgb, Array]:
            return table, code, apply_tiled(table.packed, code, np.uint8, cancel=cancel)

        kept: tuple[_DragTable, Rgb, Array] = self._pictures.get(key, make)
        return kept[2]

    # --- the whole ---------------------------------------------------------------------------------
    def show(self, ask: Ask, cancel: Cancel) -> Shown:
        """Render an ask.

        Raises:
            Cancelled: a newer ask came.
            MediaError: the shot cannot be read.
        """
        clock = _Clock()
        shape = (ask.width, ask.height, ask.region)
        source = self.source(ask, *shape)
        code = self.working(ask, *shape)
        clock.mark("proxy")
        pictures: dict[str, Array] = {}
        painted: dict[str, Array] = {}
        floats: dict[str, Rgb] = {}
        for which in {ask.b, *([ask.a] if ask.need_a or ask.difference else [])}:
            cancel.check()
            if which == SOURCE:
                pictures[which], floats[which] = to_bytes(source), source
            elif which == PINNED and ask.pinned is not None:
                pictures[which] = self._pinned(ask, ask.pinned)
                painted[which] = self.screened(ask.study, as_float(pictures[which]), cancel)
                clock.mark("pinned")
            elif ask.dragging and which not in _UNBAKED:
                table = self._drag_table(ask, which, cancel)
                clock.mark("bake")
                pictures[which] = self._looked_up(table, code, cancel)
                clock.mark("apply")
                screen = self._screen_table(ask, table)
                if screen is not table:
                    painted[which] = self._looked_up(screen, code, cancel)
                    clock.mark("screen")
            else:
                floats[which] = run_tiled(self.side(ask, which, cancel), code, cancel)
                pictures[which] = to_bytes(floats[which])
                if which != MATTE:
                    painted[which] = self.screened(ask.study, floats[which], cancel)
                clock.mark("exact")
        delta = None
        if ask.difference:
            a, b = (floats.get(s, as_float(pictures[s])) for s in (ask.a, ask.b))
            delta = self._delta(a, b, ask, cancel)
            clock.mark("difference")
        counts = self._counts(ask, pictures[ask.b], cancel)
        clock.mark("scopes")
        smeared = smears(ask.study, ask.shot, lambda c: self.screened(ask.study, c))
        entry = None if ask.dragging or not ask.coat else self.entry(ask)
        clock.mark("smears")
        a_side = pictures.get(ask.a)
        answer = (ask, a_side, pictures[ask.b], delta, counts, smeared, entry, clock.parts)
        outside = None
        if ask.gamut and ask.b in floats:
            # A lattice gives a little less than 0 or more than 1 inside the gamut too.
            outside = np.asarray((floats[ask.b] < -_OUTSIDE).any(axis=-1))
        space = encoding(ask.study.view.encoding)
        if ask.b == SOURCE:
            space = encoding(ask.shot.encoding or ask.study.working)
        reference = self._reference(ask, cancel)
        return Shown(*answer, *self._about(ask), painted, reference, outside, space)

    def _reference(self, ask: Ask, cancel: Cancel) -> dict[str, Array]:
        """Return the instruments of the pinned shot, kept while neither it nor the Look moves."""
        shot = ask.pinned
        if shot is None or not ask.instruments:
            return {}
        kept_shot, kept = self._kept_reference
        if ask.dragging:
            return kept if kept_shot == shot.id else {}
        key = ("reference", _Id(shot), _look_key(ask.study), self._kinds(ask))

        def make() -> dict[str, Array]:
            picture = to_bytes(self.whole_picture(ask.study, shot, SCOPE_WIDTH, SCOPE_WIDTH))
            return self._pictured(self._kinds(ask), picture, ask.study, cancel, reference=True)

        found: dict[str, Array] = self._tables.get(key, make)
        self._kept_reference = (shot.id, found)
        return found

    def _pinned(self, ask: Ask, shot: Shot) -> Array:
        """Return another shot through its Ground and the Look, whole, in the middle of the picture."""
        whole = to_bytes(self.whole_picture(ask.study, shot, ask.width, ask.height))
        out = np.full((ask.height, ask.width, 3), _MOUNT, np.uint8)
        top, left = ((ask.height - whole.shape[0]) // 2, (ask.width - whole.shape[1]) // 2)
        out[top : top + whole.shape[0], left : left + whole.shape[1]] = whole
        return out

    def _pinned_pixel(self, ask: Ask, shot: Shot, x: float, y: float) -> Rgb:
        """Return the pinned shot at a place given as shares of the picture, as displayed, (1, 3)."""
        still = self.frames.still(shot)
        w, h = still.size
        pixel = still.pixels[min(int(y * h), h - 1), min(int(x * w), w - 1)][None]
        code = path.to_working(shot, ask.study, as_float(pixel))
        return self.side(attrs.evolve(ask, shot=shot), EXACT)(code)

    def _about(self, ask: Ask) -> tuple[tuple[int, int], FrameFacts]:
        """Return the size of the shot's picture and what is known of it."""
        if ask.playing and ask.region == WHOLE:
            quick = self.frames.quick(ask.shot, ask.width, ask.height)
            return self.frames.clip_size(ask.shot), quick.facts
        still = self.frames.still(ask.shot)
        return still.size, still.facts

    def _delta(self, a: Rgb, b: Rgb, ask: Ask, cancel: Cancel) -> Array:
        display = encoding(ask.study.view.encoding)
        out = np.empty(a.shape[:2], np.float32)
        for top in range(0, len(a), 32):
            cancel.check()
            out[top : top + 32] = delta_e(a[top : top + 32], b[top : top + 32], display)
        return out

    @staticmethod
    def _kinds(ask: Ask) -> tuple[str, ...]:
        """Return the wanted instruments that count pixels."""
        return tuple(k for k in ask.instruments if k not in _COUNTLESS)

    def _pictured(
        self,
        kinds: tuple[str, ...],
        picture: Array,
        study: Study,
        cancel: Cancel,
        reference: bool = False,
    ) -> dict[str, Any]:
        """Return instruments of a picture, several at a time."""

        def one(kind: str) -> Array:
            cancel.check()
            found = scopes.counted(kind, picture, study.view.encoding)
            if kind not in scopes.DRAWN:
                return found
            return scopes.drawn(kind, found, reference)

        return dict(zip(kinds, map(one, kinds), strict=True))

    def _counts(self, ask: Ask, picture: Array, cancel: Cancel) -> dict[str, Any]:
        wanted = self._kinds(ask)
        if wanted and ask.region != WHOLE:
            picture = self._whole(ask, cancel)
        counts = self._pictured(wanted, picture, ask.study, cancel)
        if "neutral" in ask.instruments:
            counts["neutral"] = self.neutral(ask)
        if "cloud" in ask.instruments:
            counts["cloud"] = self._cloud(ask, cancel)
        if "loss" in ask.instruments and not ask.dragging:
            counts["loss"] = self._loss(ask, cancel)
        return counts

    def _cloud(self, ask: Ask, cancel: Cancel) -> scopes.CubePoints:
        """Return where a lattice's nodes go: places by what the LUT gives, colours as seen."""
        nodes = lattice_colours(CLOUD_GRID).reshape(-1, 3)
        study = ask.study
        if ask.dragging or ask.b != LUT:
            given = study.transform(shot=ask.shot.id).apply(nodes)
        else:
            given = Transform((self.written_table(ask, cancel),)).apply(nodes)
        seen = self.screened(study, path.from_leave(study, given))
        radius: Array = np.full(len(nodes), 1.5, np.float32)
        return scopes.CubePoints(np.clip(given, -0.3, 1.3), seen, radius, f"{CLOUD_GRID}³ nodes")

    def _loss(self, ask: Ask, cancel: Cancel) -> scopes.CubePoints:
        """Return where in the cube the LUT departs from the exact grade, by dE of what is seen."""
        study = ask.study
        table = self.written_table(ask, cancel)
        # Cell-centred, so that no point is a node.
        at = (np.indices((LOSS_GRID,) * 3).reshape(3, -1).T + 0.5) / LOSS_GRID
        inputs = (at * (table.size - 1)).round() + 0.5
        inner = as_rgb(np.minimum(inputs, table.size - 1.5) / (table.size - 1))
        exact = path.from_leave(study, study.transform(shot=ask.shot.id).apply(inner))
        given = path.from_leave(study, Transform((table,)).apply(inner))
        apart = delta_e(exact, given, encoding(study.view.encoding))
        worst = int(apart.argmax())
        place = " ".join(f"{v:.2f}" for v in inner[worst])
        words = f"{apart[worst]:.2f} ΔE at worst\nat {place}\n{apart.mean():.3f} mean"
        return scopes.CubePoints(inner, scopes.heated(apart), scopes.loss_radius(apart), words)

    def _whole(self, ask: Ask, cancel: Cancel) -> Array:
        """Return side B of the whole picture, small, for instruments while the Easel is zoomed in."""
        w, h = self.frames.still(ask.shot).size
        size = (SCOPE_WIDTH, max(1, round(SCOPE_WIDTH * h / w)), WHOLE)
        if ask.b == SOURCE:
            return to_bytes(self.frames.proxy(ask.shot, *size))
        code = self.working(ask, *size)
        table = self._drag_table(ask, EXACT if ask.b in _UNBAKED else ask.b, cancel)
        return apply_tiled(table.packed, code, np.uint8, cancel=cancel)

    def _matte(self, ask: Ask) -> Callable[[Rgb], Rgb]:
        """Return the Reach of the chosen coat as greys: white where it fully acts."""
        working = encoding(ask.study.working)
        coat = ask.study.coat(ask.coat) if ask.coat else None

        def shown(code: Rgb) -> Rgb:
            if coat is None:
                return np.ones_like(code)
            share = matte(coat.laying, self.entering(ask, code), working)
            return np.repeat(share, 3, axis=-1)

        return shown

    def entering(self, ask: Ask, code: Rgb) -> Rgb:
        """Return working values as they enter the chosen coat."""
        study, shot = ask.study, ask.shot
        working = encoding(study.working)
        root, home = study.root(ask.coat), study.home(ask.coat)
        if root == LOOK:
            code = path.through_ground(shot, study, code)
        steps = [(home, ask.coat)] if home == root else [(root, home), (home, ask.coat)]
        for where, until in steps:
            coats = study.coats(where)
            index = [c.id for c in coats].index(until)
            code = path.through_coats(coats[:index], code, working)
        return code

    def entry(self, ask: Ask, bins: int = 128) -> Entry:
        """Return what enters the chosen coat: counts of working values 0..1, and sampled colours."""
        w, h = self.frames.still(ask.shot).size
        code = self.working(ask, 240, max(1, round(240 * h / w)), WHOLE)
        values = self.entering(ask, code.reshape(-1, 3))
        counts = np.stack([np.histogram(values[:, c], bins, (0.0, 1.0))[0] for c in range(3)])
        some = values[:: max(1, len(values) // CLOUD)]
        working = encoding(ask.study.working)
        lab = oklab.from_light(working.decode(some), working)
        shown = to_bytes(path.through_view(ask.study, some))
        share = matte(ask.study.coat(ask.coat).laying, values, working)
        return Entry(counts, lab, shown, float(share.mean()))

    def probe(self, ask: Ask, x: int, y: int, reach: int = 0) -> Probe:
        """Measure one pixel of the full picture (the mean of 2 reach + 1 pixels square)."""
        still = self.frames.still(ask.shot)
        w, h = still.size
        x, y = min(x, w - 1), min(y, h - 1)
        rows = slice(max(0, y - reach), min(h, y + reach + 1))
        columns = slice(max(0, x - reach), min(w, x + reach + 1))
        part = as_float(still.pixels[rows, columns])
        source = part.reshape(-1, 3).mean(axis=0, keepdims=True, dtype=np.float32)
        code = path.to_working(ask.shot, ask.study, source)
        sides = []
        for which in (ask.a, ask.b):
            if which == PINNED and ask.pinned is not None:
                value = self._pinned_pixel(ask, ask.pinned, x / w, y / h)
            else:
                value = source if which == SOURCE else self.side(ask, which)(code)
            sides.append(np.asarray(value, np.float32))
        display = encoding(ask.study.view.encoding)
        apart = float(delta_e(sides[0], sides[1], display)[0])
        entering = self.entering(ask, code)[0] if ask.coat else code[0]
        grounded = path.through_ground(ask.shot, ask.study, code)[0]
        return Probe(x, y, source[0], sides[0][0], sides[1][0], apart, entering, grounded)

    def screened_whole(self, study: Study, picture: Rgb) -> Array:
        """Return display values as they are painted, in one piece: for workers of the tile pool."""
        go_on = self.to_screen(study)
        return to_bytes(picture if go_on is None else go_on(picture))

    def cut(self, study: Study, shot: Shot, width: int, height: int) -> Rgb:
        """Return the shot in working values before its Ground, filling a box (middle cut out)."""
        w, h = self.frames.still(shot).size
        share = min(1.0, (width / height) / (w / h)), min(1.0, (w / h) / (width / height))
        left, top = (1 - share[0]) / 2, (1 - share[1]) / 2
        region = (left, top, left + share[0], top + share[1])
        return self.working(Ask(study, shot), width, height, region)

    def fitted(self, study: Study, shot: Shot, width: int, height: int) -> Rgb:
        """Return the whole shot in working values before its Ground, as large as fits a box."""
        w, h = self.frames.still(shot).size
        scale = min(width / w, height / h)
        size = max(1, round(w * scale)), max(1, round(h * scale))
        return self.working(Ask(study, shot), *size, WHOLE)

    def thumbnail(self, study: Study, shot: Shot, width: int, height: int) -> Array:
        """Return the shot as it is seen, uint8, filling the box (middle cut out)."""
        ask = Ask(study, shot, b=EXACT)
        shown = self.side(ask, EXACT)(self.cut(study, shot, width, height))
        return self.screened(study, shown)

    def guess(self, study: Study, shot: Shot) -> Guess:
        """Return what a shot's numbers look like; the other shots' encodings count."""
        source = self.frames.sample(shot, GUESS_WIDTH)
        others = tuple(s.encoding for s in study.shots if s.id != shot.id and s.encoding)

        def make() -> tuple[Rgb, Guess]:
            is_float = self.frames.still(shot).pixels.dtype.kind == "f"
            return source, guess(source, is_float, others)

        kept: tuple[Rgb, Guess] = self._guesses.get((id(source), others), make)
        return kept[1]

    def entering_ground(self, study: Study, shot: Shot, width: int = 240) -> Rgb:
        """Return a small picture of a shot in working values, before its Ground."""
        w, h = self.frames.still(shot).size
        return self.working(Ask(study, shot), width, max(1, round(width * h / w)), WHOLE)

    def whole_picture(self, study: Study, shot: Shot, width: int, height: int) -> Rgb:
        """Return the whole shot through Ground, Look and View, as large as fits the box."""
        ask = Ask(study, shot, b=EXACT)
        return self.side(ask, EXACT)(self.fitted(study, shot, width, height))

    def neutral(self, ask: Ask) -> Rgb:
        """Return what the Look does to greys: working values in, working values out."""
        return scopes.neutral_line(lambda code: path.through_look(ask.study, code))


def _written_key(ask: Ask) -> Any:
    study = ask.study
    ground = _ground_key(ask) if study.span.with_ground else None
    shots = _Id(study.shots) if study.fit else None  # whose colours the fit leans on
    return LUT, study.grid, study.fit, _look_key(study), ground, shots


def _look_key(study: Study) -> Any:
    return (_Id(study.look), study.working, study.view, study.span)


def _ground_key(ask: Ask) -> Any:
    return (ask.shot.encoding, _Id(ask.shot.ground), ask.study.working, ask.study.view)


Stage = tuple[Any, Callable[[Rgb], Rgb]]


def _stages(ask: Ask, with_look: bool) -> list[Stage]:
    """Return the path from working values to the display, a stage for each thing that can change."""
    study = ask.study
    working = encoding(study.working)
    stages: list[Stage] = [(study.working, lambda code: code)]
    for coat in ask.shot.ground:
        stages.append((coat, partial(path.through_coat, coat, working=working)))
    if with_look and study.look.strength == 1.0:
        for coat in study.look.coats:
            stages.append((coat, partial(path.through_coat, coat, working=working)))
    elif with_look:
        stages.append((study.look, partial(path.through_look, study)))
    stages.append((study.view, partial(path.through_view, study)))
    return stages


@frozen(eq=False)
class _Step:
    key: Any
    values: Rgb
    per_node: float  # seconds


class _Steps:
    """The drag lattice after each stage: a drag computes only from the stage that moves onwards.

    The grid is the finest of DRAG_GRIDS that the whole path fills within DRAG_SECONDS here.
    """

    def __init__(self) -> None:
        self._kept: list[_Step] = []
        self._grid = DRAG_GRIDS[0]
        self._lock = threading.Lock()

    def run(self, stages: list[Stage], cancel: Cancel) -> Rgb:
        with self._lock:
            kept, grid = list(self._kept), self._grid
        same = 0
        for (key, _), known in zip(stages, kept, strict=False):
            if key is not known.key and key != known.key:
                break
            same += 1
        kept = kept[:same]
        value = kept[-1].values if kept else lattice_colours(grid)
        for key, run in stages[same:]:
            cancel.check()
            start = time.perf_counter()
            value = _in_chunks(run, value)
            spent = (time.perf_counter() - start) / grid**3
            kept.append(_Step(key, value, spent))
        better = _grid_for(sum(s.per_node for s in kept), grid)
        with self._lock:
            self._kept, self._grid = (kept if better == grid else []), better
        return np.clip(np.nan_to_num(value), *NODE_RANGE)


def _grid_for(per_node: float, now: int) -> int:
    """Return the drag grid that suits a path's cost; a little slow, so that it does not flicker."""
    if 0.7 * DRAG_SECONDS < per_node * now**3 < 1.3 * DRAG_SECONDS:
        return now
    return next((g for g in DRAG_GRIDS if per_node * g**3 <= DRAG_SECONDS), DRAG_GRIDS[-1])


def _in_chunks(run: Callable[[Rgb], Rgb], values: Rgb) -> Rgb:
    flat = values.reshape(-1, 3)
    parts = [run(flat[at : at + path.CHUNK]) for at in range(0, len(flat), path.CHUNK)]
    return np.concatenate(parts).reshape(values.shape)


class _Id:
    """Compares values by equality but hashes by type alone: records with lists inside cannot hash."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value

    def __hash__(self) -> int:
        return 1

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Id) and (self.value is other.value or self.value == other.value)


class _Clock:
    def __init__(self) -> None:
        self.parts: dict[str, float] = {}
        self._last = time.perf_counter()

    def mark(self, part: str) -> None:
        now = time.perf_counter()
        self.parts[part] = self.parts.get(part, 0.0) + now - self._last
        self._last = now
