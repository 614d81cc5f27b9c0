"""The lattice behind nodes that came back: without steps and noise, and evenly placed."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from sfumato.core.arrays import Array, frozen_array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier import traces
from sfumato.core.lut.nodes import smoothed_nodes
from sfumato.core.lut.table import NODE_RANGE

_STEPS, _LOSSY, _GRAIN = 1e-8, 1e-7, 5e-8  # strengths of smoothing: 8 bit, JPEG, a code of grain
_FINER = 33  # points up to which a LUT is made twice as fine
_MANY = 80  # points from which on neighbours are simply averaged
_PATTERN = 0.02  # the share of what stands out that a pattern of rounding has to explain


def rebuilt(
    nodes: Array,
    known: Array,
    amounts: Mapping[str, float],
    *,
    lossy: bool,
    check: StillWanted = always_wanted,
) -> Array:
    """Return the smooth lattice behind what came back; the nodes themselves where nothing marred them.

    Args:
        nodes: [r, g, b, 3]; known: [r, g, b], false where a node is cut off.
        amounts: of the faults that were found, by key.
    """
    strength = 0.0
    if lossy:
        strength = _LOSSY
    elif "8_bit" in amounts:
        strength = _STEPS
    if "grain" in amounts:
        strength = max(strength, _GRAIN * amounts["grain"])
    if strength == 0 and known.all():
        return nodes
    if len(nodes) > _MANY and known.all():  # so many nodes even out by themselves
        return traces.smooth_of(nodes, 5)
    return smoothed_nodes(nodes, known.astype(np.float64), strength or 1e-9, check)


def places(nodes: Array) -> Array:
    """Return where the nodes of a carrier lay on each axis: even, or on codes of 8 bit.

    A carrier of 8 bit holds its nodes rounded, or cut off as FFmpeg's `haldclutsrc` does. Rounding
    follows the axis in a pattern of its own, which the results follow by their slope: the places are
    those whose pattern explains what stands out from the smooth lattice.
    """
    n = len(nodes)
    even = np.linspace(0, 1, n)
    smooth = traces.smooth_of(nodes)
    off = nodes - smooth
    free = (nodes > traces.LOW) & (nodes < traces.HIGH)
    off = np.where(free, off, 0)
    power = float(np.vdot(off, off))
    # A pattern follows one axis: what it explains is summed up over the planes of each beforehand.
    with_off, squares = np.zeros(n), np.zeros(n)
    for axis in range(3):
        slope = np.where(free, np.gradient(smooth, axis=axis) * (n - 1), 0)
        rest = tuple(i for i in range(4) if i != axis)
        with_off += (slope * off).sum(axis=rest)
        squares += (slope * slope).sum(axis=rest)
    best, place = _PATTERN, even
    for codes in (np.round(even * 255), np.floor(even * 255)):
        shift = codes / 255 - even
        flat = np.broadcast_to(shift[:, None, None, None], (n, n, n, 1))
        pattern = (flat - traces.smooth_of(flat))[:, 0, 0, 0]
        cross, own = float(pattern @ with_off), float(pattern**2 @ squares)
        if own > 0 and cross > 0 and cross * cross / (own * max(power, 1e-12)) > best:
            best, place = cross * cross / (own * power), codes / 255
    return place


def evened(values: Array, at: Array, known: Array, *, finer: bool = True) -> Array:
    """Return a lattice whose nodes lie evenly; a finer one has up to 33 points twice as many.

    Between nodes a cubic spline is laid, where it foretells nodes that are left out better than
    straight lines do (posterised looks: straight lines).
    """
    n = len(values)
    rounded = not np.array_equal(at, np.linspace(0, 1, n)) and len(np.unique(at)) == n
    many = 2 * n - 1 if finer and n <= _FINER and known.all() else n
    if many == n and not rounded:
        return frozen_array(values.astype(np.float32))
    if not rounded:
        at = np.linspace(0, 1, n)

    def missed(degree: int) -> float:
        foretold = traces.along(_spline(at[::2], at[1 : n - 1 : 2], degree), values[::2], 0)
        return float(np.abs(foretold - values[1 : n - 1 : 2]).mean())

    degree = 3 if n > 8 and missed(3) <= missed(1) else 1
    spline = _spline(at, np.linspace(0, 1, many), degree)
    out = values
    for axis in range(3):
        out = traces.along(spline, out, axis)
    return frozen_array(np.clip(out, *NODE_RANGE).astype(np.float32))


def _spline(at: Array, to: Array, degree: int) -> Array:
    """Return the matrix (len(to), len(at)) that takes values at `at` to those between them, float64.

    Of degree 1 straight lines, of degree 3 the cubic spline without knots at the outermost but one
    (de Boor, A Practical Guide to Splines, chapter IV): at 0, 1, 2, 3 it gives x**3 everywhere.
    A matrix is applied with the interpreter free; SciPy's splines hold it, so that a window would
    stand still for a tenth of a second at a lattice of 64 points.
    """
    n, values = len(at), np.eye(len(at))
    cell = np.clip(np.searchsorted(at, to, side="right") - 1, 0, n - 2)
    width = np.diff(at)
    share = ((to - at[cell]) / width[cell])[:, None]
    lines = (1 - share) * values[cell] + share * values[cell + 1]
    if degree == 1:
        return lines
    slopes = np.diff(values, axis=0) / width[:, None]
    bends, given = np.zeros((n, n)), np.zeros((n, n))
    inner = np.arange(1, n - 1)
    bends[inner, inner - 1], bends[inner, inner + 1] = width[:-1], width[1:]
    bends[inner, inner] = 2 * (width[:-1] + width[1:])
    given[inner] = 6 * np.diff(slopes, axis=0)
    for row, (a, b) in ((0, width[:2]), (n - 1, width[:-3:-1])):
        step = 1 if row == 0 else -1
        bends[row, [row, row + step, row + 2 * step]] = b, -(a + b), a
    second = np.linalg.solve(bends, given)
    square = (width[cell] ** 2)[:, None] / 6
    low, high = (1 - share) ** 3 - (1 - share), share**3 - share
    return np.asarray(lines + square * (low * second[cell] + high * second[cell + 1]))
