"""Accord: how far the picture that each target makes lies from the exact Look, and from the others'.

Each target's file is read as the target reads it, by an engine that is really there where one is. What
comes between it and the Look is measured step by step, so that the reasons add up to about the whole.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

import attrs
import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.delta_e import ciede2000, delta_itp, lab_of
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.naming import colour_name
from sfumato.core.errors import SfumatoError
from sfumato.core.lut.device import FLOAT, FULL, rounded
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D
from sfumato.core.measure.chart import placed
from sfumato.core.study.outlet import CORRECTIONS, LUT, SHADER, Outlet
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.frames import Frames
from sfumato.work.luts.deliver import VERSION
from sfumato.work.luts.proof import Yardstick, look_table
from sfumato.work.outlets.engines import Engine, engine_for
from sfumato.work.outlets.order import Order, suited
from sfumato.work.outlets.sent import known_forms

_PIXELS = 60_000  # colours of all shots on which two targets are compared with one another
_BRIGHTER = 1.02  # times white: what a table adds between its nodes is less
_TOLD = 0.005  # ΔE: reasons below it are left out
_CHUNK = 1 << 15


@frozen
class Apart:
    """How far two pictures lie apart: ΔE 2000, or ΔE ITP where the displays are of different range."""

    mean: float = 0.0
    p99: float = 0.0
    worst: float = 0.0
    in_itp: bool = False


@frozen
class Spot:
    """The worst colour of two pictures: where it is and what it is called."""

    shot: str = ""
    x: float = 0.0  # shares of the picture's width and height
    y: float = 0.0
    name: str = ""
    colours: tuple[tuple[float, float, float], ...] = ()  # display codes: first and second


@frozen
class Reason:
    """A step between the Look and a target's picture, and the mean ΔE that it makes."""

    words: str
    mean: float


@frozen(eq=False)
class Target:
    """A target's picture.

    Attributes:
        seen: display codes of the colours, (k, 3); empty where it could not be made.
        from_look: how far it lies from the exact Look on the target's own display.
        fault: why there is no picture.
    """

    outlet: Outlet
    engine: str = ""
    is_real: bool = False
    display: str = ""
    seen: Rgb = field(factory=lambda: np.zeros((0, 3), np.float32), repr=False)
    from_look: Apart = Apart()
    worst: Spot = Spot()
    reasons: tuple[Reason, ...] = ()
    beyond: float = 0.0  # the share of colours brighter than the white of a standard display
    fault: str = ""

    @property
    def key(self) -> str:
        return self.outlet.key


@frozen(eq=False)
class Accord:
    """The pictures of all targets of one look, and how far they lie apart.

    Attributes:
        targets: those whose picture could be made, in the order of the outlets.
        failed: the others.
        between: by places in `targets`; the diagonal is nothing.
        at: places on the map (n, 2), the Look at 0; a distance is the root of a mean ΔE.
    """

    look: str
    targets: tuple[Target, ...]
    failed: tuple[Target, ...]
    between: dict[tuple[int, int], Apart]
    at: Array
    exact: Rgb = field(repr=False)
    shots: tuple[str, ...] = ()
    sizes: tuple[tuple[int, int], ...] = ()
    ends: Array = field(factory=lambda: np.zeros(0, int), repr=False)

    def pictures(self, seen: Rgb) -> list[Rgb]:
        """Return a target's colours as pictures of the shots, (h, w, 3) each."""
        starts = [0, *self.ends[:-1]]
        return [
            seen[a:b].reshape(*size, 3)
            for a, b, size in zip(starts, self.ends, self.sizes, strict=True)
        ]

    def pair(self, one: int, two: int) -> Apart:
        return self.between[min(one, two), max(one, two)]

    def spot(self, one: int, two: int) -> Spot:
        """Return where the pictures of two targets lie farthest apart."""
        a, b = self.targets[one], self.targets[two]
        return self.spot_of(a.seen, b.seen, (a.display, b.display))

    def spot_of(self, one: Rgb, two: Rgb, displays: tuple[str, str]) -> Spot:
        """Return where two pictures lie farthest apart."""
        both = encoding(displays[0]), encoding(displays[1])
        away, _itp = _away(one, two, both)
        return _spot(self, int(away.argmax()), (one, two), both)

    def reasons(self, one: int, two: int) -> tuple[Reason, ...]:
        """Return what two targets do differently, the greatest first."""
        first, second = ({r.words: r.mean for r in self.targets[i].reasons} for i in (one, two))
        words = {w for w in (*first, *second) if first.get(w) != second.get(w)}
        found = [Reason(w, abs(first.get(w, 0.0) - second.get(w, 0.0))) for w in words]
        told = [r for r in found if r.mean >= _TOLD]
        return tuple(sorted(told, key=lambda r: (-r.mean, r.words)))


def _away(one: Rgb, two: Rgb, displays: tuple[Encoding, Encoding]) -> tuple[Array, bool]:
    """Return how far colours lie apart, and whether that is in ITP."""
    a, b = displays
    itp = a.is_wide or b.is_wide
    if not itp and a is not b:
        itp = a.reference != b.reference
    parts = []
    for i in range(0, len(one), _CHUNK):
        first, second = one[i : i + _CHUNK], two[i : i + _CHUNK]
        if itp:
            parts.append(delta_itp(np.clip(first, 0, 1), np.clip(second, 0, 1), displays))
        else:
            parts.append(ciede2000(lab_of(first, a), lab_of(second, b)))
    return np.concatenate(parts or [np.zeros(0)]), itp


def _apart(one: Rgb, two: Rgb, displays: tuple[Encoding, Encoding]) -> tuple[Apart, int]:
    """Return how far two pictures lie apart, and the place of the worst colour."""
    away, itp = _away(one, two, displays)
    if not len(away):
        return Apart(in_itp=itp), 0
    worst = int(away.argmax())
    p99 = float(np.percentile(away, 99))
    return Apart(float(away.mean()), p99, float(away[worst]), itp), worst


def _spot(
    where: Accord | _Shared,
    place: int,
    pictures: tuple[Rgb, Rgb],
    displays: tuple[Encoding, Encoding],
) -> Spot:
    colours = tuple(tuple(float(v) for v in np.clip(p[place], 0, 1)) for p in pictures)
    name = colour_name(pictures[0][place], displays[0])
    if not where.shots:
        return Spot(name=name, colours=colours)  # type: ignore[arg-type]
    index = int(np.searchsorted(where.ends, place, side="right"))
    height, width = where.sizes[index]
    y, x = divmod(place - (int(where.ends[index - 1]) if index else 0), width)
    return Spot(where.shots[index], (x + 0.5) / width, (y + 0.5) / height, name, colours)  # type: ignore[arg-type]


@frozen(eq=False)
class _Shared:
    """What the targets of one look share: the colours of its shots as each Span gives them."""

    study: Study
    frames: Frames
    shot: Shot | None
    cancel: Cancel
    folder: Path
    yardsticks: dict[object, Yardstick] = field(factory=dict)
    tables: dict[object, Table3D] = field(factory=dict)
    shots: tuple[str, ...] = ()
    sizes: tuple[tuple[int, int], ...] = ()
    ends: Array = field(factory=lambda: np.zeros(0, int))

    def yardstick(self, study: Study) -> Yardstick:
        key = (study.view, study.span)
        if key not in self.yardsticks:
            shot = self.shot if study.span.with_ground else None
            self.yardsticks[key] = Yardstick(study, self.frames, shot, self.cancel)
        return self.yardsticks[key]

    def table(self, study: Study, grid: int) -> Table3D:
        key = (study.view, study.span, study.fit, grid)
        if key not in self.tables:
            shot = self.shot if study.span.with_ground else None
            made = look_table(study, self.frames, shot, self.cancel, grid)
            self.tables[key] = made.table
        return self.tables[key]


def accord(
    study: Study,
    outlets: Sequence[Outlet],
    frames: Frames,
    shot: Shot | None = None,
    *,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Accord:
    """Compare what targets make of a study's Look, on its shots.

    Raises:
        Cancelled: it was.
    """
    cancel = cancel or Cancel()
    with tempfile.TemporaryDirectory(prefix="sfumato-accord-") as folder:
        first = Yardstick(study, frames, shot if study.span.with_ground else None, cancel)
        shared = _Shared(
            study,
            frames,
            shot,
            cancel,
            Path(folder),
            {(study.view, study.span): first},
            shots=first.shots,
            sizes=first.sizes,
            ends=first.ends,
        )
        found = []
        for i, outlet in enumerate(o for o in outlets if o.form != CORRECTIONS):
            cancel.check()
            progress(i / max(len(outlets), 1), outlet.title)
            found.append(_target(shared, outlet))
    good = tuple(t for t in found if not t.fault)
    between: dict[tuple[int, int], Apart] = {}
    every = max(1, len(first.inputs) // _PIXELS)
    away = np.zeros((len(good), len(good)))
    for i, one in enumerate(good):
        for j in range(i + 1, len(good)):
            cancel.check()
            two = good[j]
            displays = encoding(one.display), encoding(two.display)
            between[i, j] = _apart(one.seen[::every], two.seen[::every], displays)[0]
            away[i, j] = away[j, i] = between[i, j].mean
    middle = np.sqrt(np.array([t.from_look.mean for t in good]))
    progress(1.0, "done")
    return Accord(
        study.look.name,
        good,
        tuple(t for t in found if t.fault),
        between,
        placed(middle, np.sqrt(away)),
        first.exact,
        shared.shots,
        shared.sizes,
        shared.ends,
    )


def _target(shared: _Shared, outlet: Outlet) -> Target:
    """Return a target's picture, or why there is none."""
    try:
        study = suited(shared.study, outlet, shared.shot)
        yardstick = shared.yardstick(study)
        exact = yardstick.exact
        outlet = attrs.evolve(outlet, base="")  # the same picture, without the rest of the config
        form = known_forms()[outlet.form]
        file = shared.folder / f"{outlet.key}{form.ending(outlet)}"
        shot = shared.shot if study.span.with_ground else None
        order = Order(
            study,
            outlet,
            shared.frames,
            file,
            "",
            shot,
            study.look.name,
            VERSION,
            cancel=shared.cancel,
        )
        engine = engine_for(outlet, form.write(order).files, study)
        seen = yardstick.seen(engine.apply)
    except SfumatoError as error:
        return Target(outlet, fault=error.sentence())
    display = encoding(study.view.encoding)
    from_look, worst = _apart(exact, seen, (display, display))
    return Target(
        outlet,
        engine.says,
        engine.is_real,
        display.name,
        seen,
        from_look,
        _spot(shared, worst, (exact, seen), (display, display)),
        _reasons(shared, study, outlet, yardstick, engine, seen),
        _beyond(seen, display),
    )


def _beyond(seen: Rgb, display: Encoding) -> float:
    """Return the share of colours that are brighter than a standard display's white."""
    if not display.is_wide or not len(seen):
        return 0.0
    light = display.decode(np.clip(seen, 0, 1)) / display.reference
    return float((light.max(-1) > _BRIGHTER).mean())


def _reasons(
    shared: _Shared, study: Study, outlet: Outlet, yardstick: Yardstick, engine: Engine, seen: Rgb
) -> tuple[Reason, ...]:
    """Return what comes between the Look and a target's picture: each step's mean ΔE."""
    if outlet.form not in (LUT, SHADER):
        return ()
    every = max(1, len(seen) // _PIXELS)
    inputs, seen = yardstick.inputs[::every], seen[::every]
    grid = outlet.grid
    table = shared.table(study, grid)
    depth = _depth_of(outlet)
    held = Table3D(rounded(table.values, depth), table.domain) if depth != FLOAT else table
    given = rounded(inputs, outlet.codes, outlet.reach)

    def after(which: Table3D, interp: str, rgb: Rgb) -> Rgb:
        return yardstick.seen(lambda v: apply_table(which, v, interp), rgb)

    def rounded_after() -> Rgb:
        return yardstick.seen(
            lambda v: rounded(apply_table(held, v, outlet.interp), outlet.codes, outlet.reach),
            given,
        )

    steps = [(f"{grid} points", after(table, "tetrahedral", inputs))]
    if outlet.interp != "tetrahedral":
        steps.append((f"{outlet.interp} between nodes", after(table, outlet.interp, inputs)))
    if depth != FLOAT:
        steps.append((f"nodes of {depth}", after(held, outlet.interp, inputs)))
    if outlet.codes != FLOAT:
        legal = ", legal range" if outlet.reach != FULL else ""
        steps.append((f"picture of {outlet.codes}{legal}", rounded_after()))
    steps.append((f"how {engine.name} reads it", seen))
    display = encoding(study.view.encoding)
    found, before = [], yardstick.exact[::every]
    for words, now in steps:
        away = _apart(before, now, (display, display))[0].mean
        if away >= _TOLD:
            found.append(Reason(words, away))
        before = now
    return tuple(sorted(found, key=lambda r: -r.mean))


def _depth_of(outlet: Outlet) -> str:
    """Return the depth of the nodes as the target holds them: its own, or that of its file."""
    if outlet.nodes != FLOAT:
        return outlet.nodes
    stored = outlet.depth
    return f"{stored} bit" if stored in ("8", "10", "12", "16") else FLOAT


def answer(found: Accord) -> dict[str, object]:
    """Return it as plain data for JSON."""

    def plain(each: Apart) -> dict[str, object]:
        return attrs.asdict(each)

    keys = [t.key for t in found.targets]
    return {
        "look": found.look,
        "targets": keys,
        "from_look": {t.key: plain(t.from_look) for t in found.targets},
        "between": {
            one: {two: plain(found.pair(i, j)) for j, two in enumerate(keys) if j != i}
            for i, one in enumerate(keys)
        },
        "engine": {t.key: t.engine for t in found.targets},
        "worst": {t.key: attrs.asdict(t.worst) for t in found.targets},
        "reasons": {t.key: [attrs.asdict(r) for r in t.reasons] for t in found.targets},
        "beyond_white": {t.key: t.beyond for t in found.targets if t.beyond},
        "failed": {t.key: t.fault for t in found.failed},
    }
