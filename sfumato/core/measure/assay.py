"""What a LUT is and what is wrong with it: findings, each a sentence with its figure and its repair.

Thresholds were set on made-up grades and faults; the numbers at each check say where clean LUTs lie.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from enum import Enum
from types import MappingProxyType

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.ranges import LEGAL, LEGAL_10
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.fit import Check, smoothed, unchecked
from sfumato.core.lut.recast import domain_of, full_in, full_out, limited, permuted, sampled, spread
from sfumato.core.lut.table import UNIT, Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform


class Level(Enum):
    """How a finding should be taken."""

    GOOD = "good"
    NOTE = "note"
    WARN = "warning"
    FAULT = "fault"


@frozen
class Finding:
    """One thing that was looked at: `repair` is a key of `REPAIRS`, "" when there is none."""

    key: str
    level: Level
    title: str
    sentence: str
    figure: float = 0.0
    repair: str = ""


@frozen
class Stored:
    """What the file said beside its numbers: depth, whether a picture codec altered them, its reading."""

    depth: str = ""
    lossy: bool = False
    is_hald: bool = False


@frozen
class Assay:
    """The findings on a LUT, and the lattice on which they were made."""

    kind: str
    grid: int  # points a side of the file's own 3D table, 0 when it has none
    findings: tuple[Finding, ...]

    def worst(self) -> Level:
        """Return the gravest level among the findings."""
        order = list(Level)
        return max((f.level for f in self.findings), key=order.index, default=Level.GOOD)

    def faults(self) -> tuple[Finding, ...]:
        return tuple(f for f in self.findings if f.level in (Level.FAULT, Level.WARN))

    def repairs(self) -> tuple[str, ...]:
        """Return the repairs that the findings call for, each once, in the order of `REPAIRS`."""
        wanted = {f.repair for f in self.findings if f.level is not Level.GOOD and f.repair}
        if "reconstruct" in wanted:
            wanted -= {"smooth", "rise"}  # it takes steps and speckle out by itself
        if {f.key for f in self.findings} & {"filtered", "shifted"}:
            wanted.clear()  # what came back is not the LUT that was meant
        return tuple(k for k in REPAIRS if k in wanted and k != "limit")


# Repairs

_JPEG_SMOOTH, _GRAIN_SMOOTH = 5e-8, 5e-8


@frozen
class Repair:
    """A named repair: the word on its button, and what it does."""

    title: str
    help: str
    run: Callable[[Transform, Assay, Check], Transform]


def _table(transform: Transform) -> Table3D:
    """Return the chain's own lattice, or one sampled from it."""
    if transform.table is not None:
        return transform.table
    found = sampled(transform, 33, domain_of(transform)).table
    assert found is not None
    return found


def _with(transform: Transform, table: Table3D) -> Transform:
    return Transform((table,), transform.title, transform.comments)


def _smooth(transform: Transform, _assay: Assay, check: Check) -> Transform:
    return _with(transform, smoothed(_table(transform), 3e-9, check))


def _reconstruct(transform: Transform, assay: Assay, check: Check) -> Transform:
    figures = {f.key: f.figure for f in assay.findings if f.level is Level.FAULT}
    strength = max(_JPEG_SMOOTH, _GRAIN_SMOOTH * figures.get("grain", 0.0))
    return _with(transform, smoothed(_table(transform), strength, check))


def _axes(transform: Transform, _assay: Assay, _check: Check) -> Transform:
    order, _ = axis_order(_table(transform))
    return _resampled(permuted(transform, order), transform)


def _resampled(changed: Transform, before: Transform) -> Transform:
    """Bring a repaired chain back to one table of the same grid and domain, when it was one."""
    table = before.table
    if table is None:
        return changed
    return sampled(changed, table.size, table.domain)


def _rising(transform: Transform, _assay: Assay, check: Check) -> Transform:
    """Lift greys that fall to the level before, the same for all channels."""
    table = _table(transform)
    values = np.array(table.values)
    n = table.size
    line = np.arange(n)
    greys = values[line, line, line]
    values[line, line, line] = np.maximum.accumulate(greys, axis=0)
    check()
    return _with(transform, Table3D(values, table.domain, table.interp))


REPAIRS: Mapping[str, Repair] = MappingProxyType(
    {
        "axes": Repair("Swap axes", "Gives each output back to the input that it follows.", _axes),
        "full out": Repair(
            "Give full range",
            "Stretches legal-range results to 0..1.",
            lambda t, _a, _c: _resampled(full_out(t), t),
        ),
        "full in": Repair(
            "Take full range",
            "Makes a LUT that expects legal-range codes take 0..1.",
            lambda t, _a, _c: _resampled(full_in(t), t),
        ),
        "reconstruct": Repair(
            "Reconstruct", "Finds the smooth lattice behind the altered picture.", _reconstruct
        ),
        "smooth": Repair(
            "Smooth", "Takes the steps of a low bit depth out of the lattice.", _smooth
        ),
        "rise": Repair("Lift greys", "Holds greys that fall at the level before.", _rising),
        "limit": Repair(
            "Limit to 0..1",
            "Clips results below 0 and above 1.",
            lambda t, _a, _c: _resampled(limited(t), t),
        ),
    }
)


# Checks

_SWAPPED = 0.15  # clean LUTs: 0


def axis_order(table: Table3D) -> tuple[tuple[int, int, int], float]:
    """Return which input each output follows, by correlation of opponent signals, and the margin.

    Opponent signals (a channel less the mean of the three) tell channels apart whatever the tone
    is. The margin is how much better the best order is than the straight one; faults are above 0.15.
    """
    n = table.size
    inputs = lattice_colours(n).reshape(-1, 3).astype(np.float64)
    outputs = table.values.reshape(-1, 3).astype(np.float64)
    x = inputs - inputs.mean(axis=1, keepdims=True)
    y = outputs - outputs.mean(axis=1, keepdims=True)
    size = np.sqrt((x**2).sum(axis=0)), np.sqrt((y**2).sum(axis=0))
    cross = (y.T @ x) / np.maximum(size[1][:, None] * size[0], 1e-9)
    score = {  # of either sign: a negative follows its inputs too
        p: abs(float(np.mean([cross[c, p[c]] for c in range(3)])))
        for p in itertools.permutations(range(3))
    }
    best = max(score, key=lambda p: score[p])
    inverse = (best.index(0), best.index(1), best.index(2))
    return inverse, score[best] - score[0, 1, 2]


def _percent(share: float) -> str:
    return f"{100 * share:.2g} %" if share < 0.1 else f"{100 * share:.0f} %"


def _check_identity(lut: _Lut) -> Finding | None:
    colours = cube_colours(5000)
    apart = ciede2000(
        lab_of(lut.transform.apply(colours), lut.display), lab_of(colours, lut.display)
    )
    worst = float(apart.max())
    if worst < 0.5 and lut.domain == UNIT:
        return Finding(
            "identity",
            Level.NOTE,
            "Changes nothing",
            f"No colour moves by more than {worst:.2f} ΔE.",
            worst,
        )
    return None


@frozen(eq=False)
class _Lut:
    """What all checks look at."""

    transform: Transform
    table: Table3D  # the file's own lattice, or one sampled from its chain
    own: bool
    greys: Rgb  # results of 1024 greys over the domain
    stored: Stored
    display: Encoding

    @property
    def domain(self) -> object:
        return self.table.domain


def _luma(greys: Rgb) -> Array:
    return np.asarray(greys.astype(np.float64) @ np.array([0.2126, 0.7152, 0.0722]))


def _check_expects(lut: _Lut) -> Finding | None:
    """Log inputs show by where greys come from, a steep middle and a lift in chroma."""
    y = np.maximum.accumulate(_luma(lut.greys))
    at = np.linspace(0, 1, len(y))
    if _check_range_in(lut) is not None:
        at = (at - LEGAL_10[0]) / (LEGAL_10[1] - LEGAL_10[0])
    if y[-1] - y[0] < 0.05 or lut.domain != UNIT:
        return None
    share = (y - y[0]) / (y[-1] - y[0])
    low, middle, high = (float(np.interp(v, share, at)) for v in (0.05, 0.5, 0.9))
    slope = float(np.interp(middle + 0.05, at, y) - np.interp(middle - 0.05, at, y)) / 0.1
    base = np.repeat(cube_colours(3000).mean(axis=1, keepdims=True), 3, axis=1) * 0.4 + 0.25
    tinted = base + 0.1 * (cube_colours(3000) - 0.5)
    out = lut.transform.apply(np.asarray(tinted, np.float32))
    chroma = float((np.ptp(out, axis=1) / np.maximum(np.ptp(tinted, axis=1), 1e-6)).mean())
    signs = [low > 0.13, high < 0.76, slope > 1.5, chroma > 1.35, float(share[51]) < 0.004]
    figures = (
        f"greys 5, 50 and 90 % of the way up come from {low:.2f}, {middle:.2f} and {high:.2f}; "
        f"slope {slope:.1f}; chroma × {chroma:.1f}"
    )
    count = sum(signs)
    if count >= 3:
        return Finding(
            "expects", Level.NOTE, "Seems to expect log", f"{count} of 5 signs: {figures}.", count
        )
    if count == 2:
        return Finding(
            "expects", Level.NOTE, "Log or display: not clear", f"2 of 5 log signs: {figures}.", 2
        )
    return Finding(
        "expects",
        Level.NOTE,
        "Seems to expect display colours",
        f"{count} of 5 log signs: {figures}.",
        count,
    )


def _check_response(lut: _Lut) -> Finding:
    black, middle, white = (_luma(lut.greys[[i]])[0] for i in (0, len(lut.greys) // 2, -1))
    flat = white - black < 0.5
    words = "Low contrast" if flat else "Greys"
    return Finding(
        "response",
        Level.NOTE,
        f"{words}: black {black:.3f}, middle {middle:.3f}, white {white:.3f}",
        "Luma of the results for black, for the middle of the input and for white.",
        float(white - black),
    )


def _check_tint(lut: _Lut) -> Finding:
    lab = lab_of(lut.greys, lut.display)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    worst = int(chroma.argmax())
    a, b = lab[worst, 1:]
    names = ("red", "orange", "yellow", "green", "cyan", "blue", "violet", "magenta")
    hue = names[int(np.degrees(np.arctan2(b, a)) % 360 // 45)]
    if chroma[worst] < 1:
        return Finding(
            "tint", Level.GOOD, "Greys stay neutral", f"Chroma up to {chroma[worst]:.1f}."
        )
    return Finding(
        "tint",
        Level.NOTE,
        f"Greys are tinted {hue}",
        f"Chroma up to {chroma[worst]:.1f}, at input {worst / (len(lab) - 1):.2f}; a look may want that.",
        float(chroma[worst]),
    )


def _check_clipping(lut: _Lut) -> Finding:
    values = lut.table.values
    out = ((values < -1e-6) | (values > 1 + 1e-6)).any(axis=-1)
    at_end: Array = np.asarray(((values <= 1e-6) | (values >= 1 - 1e-6)).any(axis=-1))
    n = lut.table.size
    inner = at_end[1:-1, 1:-1, 1:-1].mean() if n > 2 else 0.0
    share, beyond = float(inner), float(out.mean())
    sentence = f"{_percent(share)} of the nodes inside the cube reach 0 or 1 in a channel"
    if beyond:
        low, high = float(values.min()), float(values.max())
        sentence += f"; {_percent(beyond)} go beyond ({low:.3f} to {high:.3f})"
    level = Level.WARN if share > 0.9 else Level.NOTE if share > 0.02 or beyond else Level.GOOD
    title = {
        Level.GOOD: "Hardly clips",
        Level.NOTE: "Goes beyond 0..1" if beyond else "Clips some colours",
        Level.WARN: "Clips much",
    }[level]
    repair = "limit" if beyond else ""
    return Finding("clipping", level, title, sentence + ".", share, repair)


def _check_greys(lut: _Lut) -> Finding:
    lightness = lab_of(lut.greys, lut.display)[:, 0]
    if lightness[0] - lightness[-1] > 20:
        return Finding(
            "greys",
            Level.NOTE,
            "A negative",
            f"Black becomes lighter than white: L* {lightness[0]:.0f} and {lightness[-1]:.0f}.",
            float(lightness[0] - lightness[-1]),
        )
    fall = np.maximum.accumulate(lightness) - lightness
    worst = float(fall.max())
    if worst > 0.01:
        at = int(fall.argmax()) / (len(fall) - 1)
        level = Level.FAULT if worst > 0.5 else Level.WARN
        return Finding(
            "greys", level, "Greys fall", f"By {worst:.2f} L* near {at:.2f}.", worst, "rise"
        )
    return Finding(
        "greys", Level.GOOD, "Greys rise everywhere", f"Steepest step × {_steepest_grey(lut):.1f}."
    )


def _steepest_grey(lut: _Lut) -> float:
    return float(np.diff(_luma(lut.greys)).max() * (len(lut.greys) - 1))


def _check_folds(lut: _Lut) -> Finding:
    """Tetrahedra that keep their orientation: healthy looks stay under 1 %, bad ones pass 6 %."""
    v = lut.table.values.astype(np.float64)
    n = lut.table.size
    order, margin = axis_order(lut.table)
    if margin > _SWAPPED:
        v = v[..., list(np.argsort(order))]
    if _luma(lut.greys)[0] > _luma(lut.greys)[-1]:
        v = 1 - v
    moved = []
    corner = v[:-1, :-1, :-1]
    far = v[1:, 1:, 1:]
    cell = (slice(None, -1), slice(1, None))
    for turn in itertools.permutations(range(3)):
        at = [0, 0, 0]
        at[turn[0]] = 1
        first = v[tuple(cell[i] for i in at)]
        at[turn[1]] = 1
        second = v[tuple(cell[i] for i in at)]
        sign = 1 if turn in ((0, 1, 2), (1, 2, 0), (2, 0, 1)) else -1
        edges = np.stack([first - corner, second - first, far - second], -1)
        moved.append(sign * np.linalg.det(edges) * (n - 1) ** 3)
    volume = np.stack(moved)
    clipped = np.abs(volume) < 1e-9
    folded = float(((volume < 0) & ~clipped).mean())
    if folded > 0.06:
        level, title = Level.FAULT, "Folds"
    elif folded > 0.01:
        level, title = Level.WARN, "Folds a little"
    else:
        level, title = Level.GOOD, "No folds"
    return Finding(
        "folds",
        level,
        title,
        f"{_percent(folded)} of the cube turns over (healthy: under 1 %).",
        folded,
    )


def _steps(lut: _Lut) -> list[Array]:
    return [np.diff(lut.table.values, axis=a) for a in range(3)]


def _check_gain(lut: _Lut) -> Finding:
    n = lut.table.size
    gain = np.concatenate([np.abs(s).max(axis=-1).ravel() for s in _steps(lut)]) * (n - 1)
    low, high = np.array(lut.table.domain)
    figure = float(np.percentile(gain, 99.9) / (high - low).max())
    if figure > 20:
        return Finding(
            "gain",
            Level.WARN,
            "Very steep",
            f"0.1 % of the steps multiply differences by more than {figure:.0f}.",
            figure,
        )
    return Finding("gain", Level.GOOD, "No steep places", f"Steepest gain × {figure:.1f}.", figure)


def _check_banding(lut: _Lut) -> Finding:
    """Colour steps of the result for one 8 bit step of the input, in CIE76."""
    n = lut.table.size
    lab = lab_of(lut.table.values, lut.display)
    steps = np.concatenate(
        [np.sqrt((np.diff(lab, axis=a) ** 2).sum(axis=-1)).ravel() for a in range(3)]
    )
    figure = float(np.percentile(steps, 99.9)) * (n - 1) / 255
    if figure > 5:
        return Finding(
            "banding",
            Level.WARN,
            "Will band in 8 bit",
            f"One step of 8 bit input makes up to {figure:.1f} ΔE: give it 10 bit or more.",
            figure,
        )
    return Finding(
        "banding", Level.GOOD, "No banding", f"Up to {figure:.1f} ΔE for an 8 bit step of input."
    )


def _check_axes(lut: _Lut) -> Finding | None:
    order, margin = axis_order(lut.table)
    names = ("red", "green", "blue")
    if margin > _SWAPPED:
        pairs = ", ".join(
            f"{names[order[c]]} answers to {names[c]}" for c in range(3) if order[c] != c
        )
        return Finding(
            "axes",
            Level.FAULT,
            "Axes swapped",
            f"{pairs[0].upper()}{pairs[1:]} (correlation better by {margin:.2f}).",
            margin,
            "axes",
        )
    return Finding(
        "axes", Level.GOOD, "Axes in order", "Red answers to red, green to green, blue to blue."
    )


def _check_range_out(lut: _Lut) -> Finding | None:
    low, high = float(lut.table.values.min()), float(lut.table.values.max())
    if abs(low - LEGAL[0]) < 0.003 and abs(high - LEGAL[1]) < 0.003:
        return Finding(
            "range out",
            Level.WARN,
            "Gives legal range",
            f"All results lie between {low * 255:.1f} and {high * 255:.1f} of 255.",
            high - low,
            "full out",
        )
    return None


def _check_range_in(lut: _Lut) -> Finding | None:
    """Dead slabs at both ends of the axes: inputs that legal-range material never has."""
    if lut.domain != UNIT:
        return None
    t = np.linspace(0, 1, 256, dtype=np.float32)
    moves = []
    for axis in range(3):
        for level in (0.3, 0.5, 0.7):
            line = np.full((256, 3), level, np.float32)
            line[:, axis] = t
            moves.append(np.abs(np.diff(lut.transform.apply(line), axis=0)).sum(axis=1))
    move = np.mean(moves, axis=0)
    whole = move[20:230].mean() + 1e-9
    low, high = float(move[2:13].mean() / whole), float(move[238:253].mean() / whole)
    y = _luma(lut.greys)
    sharp = _corner(y, LEGAL[0]) and _corner(y, LEGAL[1])
    if low < 0.05 and high < 0.10 and sharp:
        return Finding(
            "range in",
            Level.WARN,
            "Expects legal range",
            f"Below 16 and above 235 of 255 hardly anything moves ({_percent(low)}, {_percent(high)}).",
            max(low, high),
            "full in",
        )
    return None


def _corner(y: Array, place: float) -> bool:
    """Whether the greys start or stop moving near a place rather than easing over a long way."""
    at = int(place * (len(y) - 1))
    span = len(y) // 12
    inner = slice(at, at + span) if place < 0.5 else slice(at - span, at)
    outer = slice(max(at - span // 2, 0), at) if place < 0.5 else slice(at, at + span // 2)
    inside, outside = np.ptp(y[inner]), np.ptp(y[outer])
    return bool(inside > 8 * outside + 1e-4)


def _check_quantised(lut: _Lut) -> Finding | None:
    if not lut.own:
        return None
    values = lut.table.values.astype(np.float64)
    inside = values[(values > 1e-6) & (values < 1 - 1e-6)]
    if len(inside) < 24 or lut.table.size < 4:
        return None
    for bits in (8, 10, 12):
        peak = 2**bits - 1
        off = np.abs(inside * peak - np.round(inside * peak))
        if (off < 0.02).mean() > 0.9 and len(np.unique(np.round(inside * peak))) > 3:
            level = Level.WARN if bits == 8 else Level.NOTE
            return Finding(
                "quantised",
                level,
                f"{bits} bit",
                f"Every node lies on a step of 1/{peak}: up to {_step_cost(lut, peak):.2f} ΔE off.",
                bits,
                "smooth" if bits == 8 else "",
            )
    return None


def _step_cost(lut: _Lut, peak: int) -> float:
    """Return what half a step costs, in CIEDE2000 at 99 % of the nodes."""
    values = np.clip(lut.table.values.reshape(-1, 3)[::7], 0, 1)
    off = values + np.float32(0.5 / peak) * np.array([1, -1, 1], np.float32)
    apart = ciede2000(lab_of(values, lut.display), lab_of(off, lut.display))
    return float(np.percentile(apart, 99))


# What pictures do to a HALD


def _check_hald(lut: _Lut) -> list[Finding]:
    """Look for what happens to a HALD on its way through a picture program."""
    if not lut.stored.is_hald or not lut.own or lut.table.size < 16:
        return []
    v = lut.table.values.astype(np.float64) * 255
    found = []
    level = round(np.sqrt(lut.table.size))
    grain, seams, blocks, shift = _grain(v), _seams(v), _blocks(v), _shift(v)
    filtered, shifted = seams > 1.6, shift > 4
    jpeg = lut.stored.lossy or (blocks > 1.3 and level == 8)
    mend = "" if filtered or shifted else "reconstruct"
    if shifted and not filtered:
        found.append(
            Finding(
                "shifted",
                Level.FAULT,
                "Cropped or shifted",
                f"The end planes of the lattice bend {shift:.0f} times as much as the rest: pixels "
                "of another row stand there. Send the carrier out again and do not crop it.",
                shift,
            )
        )
    if filtered:
        what = "JPEG with reduced colour" if jpeg else "Sharpened, blurred, resized or cropped"
        found.append(
            Finding(
                "filtered",
                Level.FAULT,
                what,
                f"Where the rows of the picture end, green bends {seams:.1f} times as much as "
                "elsewhere (clean: under 1.5). Send the carrier out again and do not filter it.",
                seams,
            )
        )
    elif jpeg:
        found.append(
            Finding(
                "jpeg",
                Level.FAULT,
                "Went through JPEG",
                f"Blocks of eight pixels stand out {blocks:.1f} times (clean: under 1.3).",
                blocks,
                mend,
            )
        )
    elif grain > 0.45:
        found.append(
            Finding(
                "grain",
                Level.FAULT,
                f"Grain of {grain:.1f} codes of 255",
                "The picture came back with noise: the LUT would carry it as speckle.",
                grain,
                mend,
            )
        )
    if not found:
        found.append(
            Finding(
                "hald", Level.GOOD, "Came through unaltered", "No grain, filter, JPEG or shift."
            )
        )
    return found


def _grain(v: Array) -> float:
    """Return the least median of absolute fourth differences over the axes, scaled to one value."""
    scale = np.sqrt(70.0) * 0.6745
    axes = []
    for axis in range(3):
        bend = np.diff(v, 4, axis=axis)
        inside = np.take(v, range(2, v.shape[axis] - 2), axis=axis)
        free = (inside > 3) & (inside < 252)
        axes.append(float(np.median(np.abs(bend[free]))) / scale if free.sum() > 100 else 0.0)
    return min(axes)


def _phases(v: Array, axis: int, order: int, period: int, first: int) -> Array:
    """Return how much differences of an order stand out at each phase of a period along an axis.

    The mean over the nodes of a plane that do not clip; then the median over the planes of a phase,
    so that a kink of the grade in one plane does not count.
    """
    bend = np.moveaxis(np.abs(np.diff(v, order, axis=axis)), axis, 0)
    planes = len(bend)
    free = np.moveaxis((v > 3) & (v < 252), axis, 0)
    free = free[:planes] & free[len(free) - planes :]
    count = free.sum(axis=(1, 2, 3))
    means = np.where(free, bend, 0).sum(axis=(1, 2, 3)) / np.maximum(count, 1)
    phase = (np.arange(planes) + first) % period
    seen = count > 0.1 * free[0].size
    return np.array(
        [
            np.median(means[seen & (phase == p)])
            for p in range(period)
            if (seen & (phase == p)).any()
        ]
        or [0.0]
    )


def _seams(v: Array) -> float:
    """Return how much green's third differences stand out where a row of the picture ends."""
    level = round(np.sqrt(len(v)))
    if level < 4:
        return 0.0
    phases = _phases(v, 1, 3, level, 0)
    if len(phases) < level:
        return 0.0
    return float(phases[-3:].max() / max(np.median(phases[:-3]), 0.1))  # spans that cross a seam


def _blocks(v: Array) -> float:
    """Return how much red's second differences stand out at one phase of eight pixels."""
    if len(v) % 8:
        return 0.0
    phases = _phases(v, 0, 2, 8, 1)
    return float(phases.max() / max(np.median(phases), 0.1))


def _shift(v: Array) -> float:
    """Return how much more red bends in its end planes than inside."""
    bend = np.abs(np.diff(v, 2, axis=0)).mean(axis=(1, 2, 3))
    inside = max(float(np.median(bend[2:-2])), 0.05)
    return float(max(bend[0], bend[-1]) / inside)


_CHECKS: tuple[Callable[[_Lut], Finding | None], ...] = (
    _check_axes,
    _check_range_out,
    _check_range_in,
    _check_quantised,
    _check_greys,
    _check_folds,
    _check_gain,
    _check_banding,
    _check_clipping,
    _check_expects,
    _check_response,
    _check_tint,
    _check_identity,
)


_STEP_WORDS = {
    "Table1D": "1D table",
    "Table3D": "3D table",
    "Knots1D": "curve by knots",
    "HalfCurve": "curve over half floats",
    "Matrix": "matrix",
    "Range": "range",
    "Log": "log curve",
    "Exponent": "exponent",
    "CdlStage": "CDL",
}


def kind_of(transform: Transform) -> tuple[str, int]:
    """Return what a chain is in words, and the points a side of its largest 3D table (0: none)."""
    tables = [s for s in transform.stages if isinstance(s, Table3D)]
    curves = [s for s in transform.stages if isinstance(s, Table1D)]
    grid = max((t.size for t in tables), default=0)
    domain = domain_of(transform)
    over = ""
    if domain != UNIT:
        low, high = min(domain[0]), max(domain[1])
        over = f", inputs {low:g} to {high:g}".replace("-", "−")
    if transform.table is not None:
        return f"3D LUT of {grid} points{over}", grid
    if len(transform.stages) == 1 and curves:
        return f"1D LUT of {curves[0].size} entries{over}", 0
    if len(transform.stages) == 2 and curves and tables:
        return f"1D shaper of {curves[0].size} entries and 3D LUT of {grid} points{over}", grid
    names = [_STEP_WORDS.get(type(s).__name__, "step") for s in transform.stages]
    if len(names) == 1:
        return names[0], grid
    more = ", …" if len(names) > 6 else ""
    return f"{', then '.join(names[:6])}{more}", grid


def assay(
    transform: Transform,
    display: Encoding,
    stored: Stored | None = None,
    check: Check = unchecked,
) -> Assay:
    """Examine a LUT.

    Args:
        display: how its results are shown, for the figures in L*, chroma and ΔE.
        stored: what the file said beside the numbers.
    Returns:
        All findings: faults first, then warnings, notes and what is good.
    """
    stored = stored or Stored()
    domain = domain_of(transform)
    own = transform.table is not None
    table = _table(transform)
    check()
    t = np.repeat(np.linspace(0, 1, 1024, dtype=np.float32)[:, None], 3, axis=1)
    lut = _Lut(transform, table, own, transform.apply(spread(t, domain)), stored, display)
    findings: list[Finding] = [*_check_hald(lut)]
    for look in _CHECKS:
        check()
        found = look(lut)
        if found is not None:
            findings.append(found)
    order = [Level.FAULT, Level.WARN, Level.NOTE, Level.GOOD]
    findings.sort(key=lambda f: order.index(f.level))
    kind, grid = kind_of(transform)
    return Assay(kind, grid, tuple(findings))


def log_signs(transform: Transform, display: Encoding) -> int | None:
    """Return how many of five signs say that a LUT expects log (3 or more: it does); None if unclear."""
    t = np.repeat(np.linspace(0, 1, 1024, dtype=np.float32)[:, None], 3, axis=1)
    greys = transform.apply(spread(t, domain_of(transform)))
    own = transform.table is not None
    lut = _Lut(transform, _table(transform), own, greys, Stored(), display)
    found = _check_expects(lut)
    return None if found is None or found.figure == 2 else int(found.figure)


def repaired(
    transform: Transform, found: Assay, keys: tuple[str, ...], check: Check = unchecked
) -> Transform:
    """Carry out repairs in the order of `REPAIRS`."""
    for key, repair in REPAIRS.items():
        if key in keys:
            transform = repair.run(transform, found, check)
    return transform
