"""Whether the lattice is sound: identity, folds, steepness, steps, clipping, depth."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.table import UNIT, Table3D
from sfumato.core.measure.checks.axes import SWAPPED, axis_order
from sfumato.core.measure.checks.findings import Finding, Level, Looked, percent

_AT_ONCE = 65**3  # nodes: a check takes up to 200 bytes for each, and tables have up to 256 points


def _slabs(n: int) -> Iterator[tuple[int, int]]:
    """Yield from where to where the layers of a lattice go that are looked at together."""
    layers = max(2, _AT_ONCE // n**2)
    for first in range(0, n, layers):
        yield first, min(first + layers, n)


def _steps(values: Array, seen: Callable[[Array], Array] = lambda v: v) -> Iterator[Array]:
    """Yield the differences (…, 3) of neighbours along each axis, of nodes as `seen` gives them."""
    for first, end in _slabs(len(values)):
        layers = seen(values[first : end + 1])
        yield np.diff(layers, axis=0)
        for axis in (1, 2):
            yield np.diff(layers[: end - first], axis=axis)


def _step_count(n: int) -> int:
    return 3 * n**2 * (n - 1)


def _high(pieces: Iterator[Array], count: int) -> float:
    """Return what 99.9 % of `count` numbers are below, of pieces of them: their 99.9th percentile."""
    place = (count - 1) * 0.999
    below = int(place)
    top: Array = np.zeros(0, np.float32)
    for piece in pieces:
        top = np.concatenate([top, piece.ravel()])
        most = count - below
        if len(top) > most:
            top = np.partition(top, len(top) - most)[-most:]
    first, second = np.sort(top)[[0, min(1, len(top) - 1)]]
    return float(first + (second - first) * (place - below))


def identity_finding(lut: Looked) -> Finding | None:
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


def clipping_finding(lut: Looked) -> Finding:
    values = lut.table.values
    least, most = values.min(axis=-1), values.max(axis=-1)
    out = (least < -1e-6) | (most > 1 + 1e-6)
    at_end: Array = np.asarray((least <= 1e-6) | (most >= 1 - 1e-6))
    n = lut.table.size
    inner = at_end[1:-1, 1:-1, 1:-1].mean() if n > 2 else 0.0
    share, beyond = float(inner), float(out.mean())
    sentence = f"{percent(share)} of the nodes inside the cube reach 0 or 1 in a channel"
    if beyond:
        low, high = float(least.min()), float(most.max())
        sentence += f"; {percent(beyond)} go beyond ({low:.3f} to {high:.3f})"
    level = Level.WARN if share > 0.9 else Level.NOTE if share > 0.02 or beyond else Level.GOOD
    title = {
        Level.GOOD: "Hardly clips",
        Level.NOTE: "Goes beyond 0..1" if beyond else "Clips some colours",
        Level.WARN: "Clips much",
    }[level]
    repair = "limit" if beyond else ""
    return Finding("clipping", level, title, sentence + ".", share, repair)


def _least_fold(lut: Looked) -> float:
    """Return the volume (1: as large as it was) that is no rounding: near-monochrome looks reach 0.001."""
    peak = _peak_of(lut)
    if not peak:
        return 0.005
    n = lut.table.size
    whole = sum(np.abs(s).max(axis=-1).sum(dtype=np.float64) for s in _steps(lut.table.values))
    gain = whole / _step_count(n) * (n - 1)
    return float(0.005 + 2 * gain**2 * (n - 1) / peak)


def folds_finding(lut: Looked) -> Finding:
    """Tetrahedra that keep their orientation: healthy looks stay under 1 %, bad ones pass 6 %."""
    n = lut.table.size
    order, margin = axis_order(lut.table)
    least, count = -_least_fold(lut) / (n - 1) ** 3, 0
    for start, end in _slabs(n):
        v = lut.table.values[start : end + 1].astype(np.float64)
        if margin > SWAPPED:
            v = v[..., list(np.argsort(order))]
        if lut.tones[0] > lut.tones[-1]:
            v = 1 - v
        count += _turned_over(v, least)
    folded = count / (6 * (n - 1) ** 3)
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
        f"{percent(folded)} of the cube turns over (healthy: under 1 %).",
        folded,
    )


def _turned_over(v: Array, least: float) -> int:
    """Return how many of the six tetrahedra of all cells between some nodes have less volume than `least`."""
    corner = v[:-1, :-1, :-1]
    far = v[1:, 1:, 1:]
    cell = (slice(None, -1), slice(1, None))
    count = 0
    for turn in itertools.permutations(range(3)):
        at = [0, 0, 0]
        at[turn[0]] = 1
        first = v[tuple(cell[i] for i in at)]
        at[turn[1]] = 1
        second = v[tuple(cell[i] for i in at)]
        sign = 1 if turn in ((0, 1, 2), (1, 2, 0), (2, 0, 1)) else -1
        volume = _volume(first - corner, second - first, far - second)
        count += int((sign * volume < least).sum())
    return count


def _volume(a: Array, b: Array, c: Array) -> Array:
    """Return the determinants of vectors (…, 3)."""
    (a0, a1, a2), (b0, b1, b2), (c0, c1, c2) = (np.moveaxis(v, -1, 0) for v in (a, b, c))
    return np.asarray(
        a0 * (b1 * c2 - b2 * c1) - a1 * (b0 * c2 - b2 * c0) + a2 * (b0 * c1 - b1 * c0)
    )


def _bends(values: Array, first: int, end: int) -> Array:
    """Return how far nodes of some layers lie from the mean of their six neighbours, greatest channel.

    Beyond the ends the lattice goes on straight, so that a slope at an end is no bend.

    Returns:
        (end - first, n, n).
    """
    beyond = (int(first == 0), int(end == len(values)))
    layers = values[max(first - 1, 0) : end + 1].astype(np.float64)
    v = np.pad(layers, [beyond, (1, 1), (1, 1), (0, 0)], "reflect", reflect_type="odd")
    inner = slice(1, -1)
    mean = sum(np.roll(v, step, axis)[inner, inner, inner] for axis in range(3) for step in (1, -1))
    return np.asarray(np.abs(v[inner, inner, inner] - mean / 6).max(axis=-1))


_NODE, _AROUND = 0.02, 3.0


def wrong_nodes(table: Table3D) -> Array:
    """Return whether a node stands alone against all its neighbours, (n, n, n).

    One wrong node bends six times as much as its neighbours do from it; kinks and steps of a grade
    run on, so that a neighbour bends as much. Nodes at corners of the cube are not judged.
    """
    from scipy.ndimage import maximum_filter  # loading it takes as long as opening the window

    ring = np.ones((3, 3, 3), bool)
    ring[1, 1, 1] = False
    n = table.size
    wrong = np.zeros((n, n, n), bool)
    for first, end in _slabs(n):
        low, high = max(first - 1, 0), min(end + 1, n)
        bends = _bends(table.values, low, high)
        around = maximum_filter(bends, footprint=ring, mode="constant")
        found = (bends > _NODE) & (bends > _AROUND * around)
        wrong[first:end] = found[first - low : end - low]
    return wrong


def nodes_finding(lut: Looked) -> Finding | None:
    if not lut.own or lut.table.size < 5:
        return None
    wrong = wrong_nodes(lut.table)
    count = int(wrong.sum())
    if not count or count > max(8, wrong.size // 500):
        return None  # speckle everywhere is another fault
    red, green, blue = (int(i) for i in np.argwhere(wrong)[0])
    return Finding(
        "nodes",
        Level.FAULT,
        "One wrong node" if count == 1 else f"{count} wrong nodes",
        f"Against all its neighbours; the first at red {red}, green {green}, blue {blue}.",
        count,
        "nodes",
    )


def gain_finding(lut: Looked) -> Finding:
    n = lut.table.size
    gains = (np.abs(s).max(axis=-1) * (n - 1) for s in _steps(lut.table.values))
    low, high = np.array(lut.table.domain)
    figure = float(_high(gains, _step_count(n)) / (high - low).max())
    if figure > 20:
        return Finding(
            "gain",
            Level.WARN,
            "Very steep",
            f"0.1 % of the steps multiply differences by more than {figure:.0f}.",
            figure,
        )
    return Finding("gain", Level.GOOD, "No steep places", f"Steepest gain × {figure:.1f}.", figure)


def banding_finding(lut: Looked) -> Finding:
    """Colour steps of the result for one 8 bit step of the input, in CIE76."""
    n = lut.table.size
    labs = _steps(lut.table.values, lambda nodes: lab_of(nodes, lut.display))
    steps = (np.sqrt((s**2).sum(axis=-1)) for s in labs)
    figure = _high(steps, _step_count(n)) * (n - 1) / 255
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


def _some(table: Table3D) -> Array:
    """Return so many nodes, from all over a table, as figures of the whole need: (…, 3)."""
    return table.values.reshape(-1, 3)[:: 1 + table.size**3 // (_AT_ONCE + 1)]


def _peak_of(lut: Looked) -> int:
    """Return the greatest code of the depth on whose steps every node lies, 0 where there is none."""
    if not lut.own or lut.table.size < 4:
        return 0
    values = _some(lut.table).astype(np.float64)
    inside = values[(values > 1e-6) & (values < 1 - 1e-6)]
    if len(inside) < 24:
        return 0
    for bits in (8, 10, 12):
        peak = 2**bits - 1
        off = np.abs(inside * peak - np.round(inside * peak))
        if (off < 0.02).mean() > 0.9 and len(np.unique(np.round(inside * peak))) > 3:
            return peak
    return 0


def quantised_finding(lut: Looked) -> Finding | None:
    peak = _peak_of(lut)
    if not peak:
        return None
    bits = peak.bit_length()
    return Finding(
        "quantised",
        Level.WARN if bits == 8 else Level.NOTE,
        f"{bits} bit",
        f"Every node lies on a step of 1/{peak}: up to {_step_cost(lut, peak):.2f} ΔE off.",
        bits,
        "smooth" if bits == 8 else "",
    )


def _step_cost(lut: Looked, peak: int) -> float:
    """Return what half a step costs, in CIEDE2000 at 99 % of the nodes."""
    values = np.clip(_some(lut.table)[::7], 0, 1)
    off = values + np.float32(0.5 / peak) * np.array([1, -1, 1], np.float32)
    apart = ciede2000(lab_of(values, lut.display), lab_of(off, lut.display))
    return float(np.percentile(apart, 99))
