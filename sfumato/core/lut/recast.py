"""What can be done to a LUT as a whole: other grids, shapers, ranges, parts, and two made into one."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.colour.ranges import LEGAL_10
from sfumato.core.errors import ValueRefused
from sfumato.core.luma import WEIGHTS
from sfumato.core.lut.stages import HalfCurve, Knots1D, Log, Matrix, Range
from sfumato.core.lut.table import (
    UNIT,
    Domain,
    Table1D,
    Table3D,
    lattice_colours,
    node_values,
    table_of,
)
from sfumato.core.lut.transform import Function, Stage, Transform

# Legal (narrow) range of ITU-R BT.709 and BT.2020 as 10 bit codes over full scale.
_ENTRIES = 4096
FLOATS = (-3e38, 3e38)  # what float32 holds


def domain_of(transform: Transform) -> Domain:
    """Return the inputs that a chain tells apart: its first table's domain, 0..1 when it has none."""
    first = transform.stages[0] if transform.stages else None
    if isinstance(first, Table1D | Table3D):
        return first.domain
    if isinstance(first, Knots1D):
        low, high = zip(*((float(x[0]), float(x[-1])) for x in first.inputs), strict=True)
        return low, high  # type: ignore[return-value]
    return UNIT


def over_domain(colours: Rgb, domain: Domain) -> Rgb:
    """Carry colours of 0..1 into a domain."""
    low, high = np.array(domain, np.float32)
    return np.asarray(low + (high - low) * colours, np.float32)


def sampled(
    transform: Transform,
    grid: int,
    domain: Domain = UNIT,
    interp: str = "tetrahedral",
    node_range: tuple[float, float] = FLOATS,
) -> Transform:
    """Sample a transform at the nodes of a grid over a domain; by itself nothing is clipped.

    Raises:
        ValueRefused: the grid is not 2 to 256.
    """
    if not 2 <= grid <= 256:
        raise ValueRefused(f"a grid of {grid} points cannot be made", hint="choose 2 to 256 points")

    def nodes(part: slice) -> Rgb:
        return node_values(transform.apply(lattice_colours(grid, domain, part), interp), node_range)

    table = table_of(grid, nodes, domain)
    return Transform((table,), transform.title, transform.comments)


def _greys(domain: Domain, entries: int = _ENTRIES) -> Rgb:
    t = np.linspace(0, 1, entries, dtype=np.float64)[:, None]
    low, high = np.array(domain)
    return np.asarray(low + (high - low) * t, np.float32)


def curves_of(transform: Transform, entries: int = _ENTRIES) -> Transform:
    """Return the 1D LUT of what a transform does to greys, channel by channel (3D to 1D)."""
    domain = domain_of(transform)
    table = Table1D(np.nan_to_num(transform.apply(_greys(domain, entries))), domain)
    return Transform((table,), transform.title, transform.comments)


@frozen
class Shaper:
    """A 1D table that spreads inputs so that the grid behind it spends its points well."""

    table: Table1D
    name: str


def _candidates(low: float, high: float) -> dict[str, Any]:
    """Return shaper curves over an interval as functions onto 0..1, each with its name."""
    found: dict[str, Any] = {"straight": lambda x: (x - low) / (high - low)}
    for k in (-12, -10, -8, -7, -6, -5, -4, -3):
        ends = np.log2(np.array([0.0, high - low]) + 2.0**k)

        def log(x: Array, k: int = k, ends: Array = ends) -> Array:
            return np.asarray((np.log2(x - low + 2.0**k) - ends[0]) / (ends[1] - ends[0]))

        found[f"log2(x + 2^{k})"] = log
    for power in (0.15, 0.2, 0.25, 0.3, 0.5):
        found[f"x^{power}"] = lambda x, power=power: ((x - low) / (high - low)) ** power
    return found


def chosen_shaper(transform: Transform, entries: int = _ENTRIES) -> Shaper:
    """Return the shaper of the family under which the transform bends least between grid points.

    The measure is J = mean |f(u) - (f(u - h) + f(u + h)) / 2|**2, with h = 1/64 in shaped coordinates,
    along the axes and the greys (three times), over about a thousand colours.
    """
    from sfumato.core.lut.difference import cube_colours

    domain = domain_of(transform)
    low, high = (float(min(domain[0])), float(max(domain[1])))
    u = 0.02 + 0.96 * cube_colours(1000).astype(np.float64)
    even = np.linspace(0, 1, 8192)
    best, least = ("", None), np.inf
    for name, curve in _candidates(low, high).items():
        x = low + (high - low) * np.linspace(0, 1, 65536) ** 3
        shaped = curve(x)
        back = np.interp(even, shaped, x)  # shaped coordinate -> input

        def f(at: Array, back: Array = back) -> Array:
            inputs = np.interp(np.clip(at, 0, 1), even, back)
            return transform.apply(as_rgb(inputs)).astype(np.float64)

        total = 0.0
        greys = np.repeat(u[:, :1], 3, axis=1)
        for places, weight, steps in ((u, 1, np.eye(3)), (greys, 3, np.ones((1, 3)))):
            middle = f(places)
            for step in steps:
                bend = middle - (f(places + step / 64) + f(places - step / 64)) / 2
                total += weight * float((bend**2).mean())
        if total < least:
            least, best = total, (name, curve)
    name, curve = best
    assert curve is not None
    inputs = np.linspace(low, high, entries)
    values = np.repeat(np.asarray(curve(inputs), np.float32)[:, None], 3, axis=1)
    return Shaper(Table1D(values, ((low,) * 3, (high,) * 3)), name)


def _front(transform: Transform, entries: int) -> Table1D | None:
    """Return the curve at the front of a chain as an even table onto 0..1, when it begins with one."""
    first = transform.stages[0] if len(transform.stages) > 1 else None
    if not isinstance(first, Table1D | Knots1D | HalfCurve | Log):
        return None
    domain = domain_of(transform)
    if isinstance(first, Table1D):
        entries = max(entries, first.size)
    low, high = float(min(domain[0])), float(max(domain[1]))
    greys = _greys(((low,) * 3, (high,) * 3), entries)
    values = first.apply(greys)
    if not (np.diff(values, axis=0) > 0).all():
        return None
    share = (values - values[0]) / (values[-1] - values[0])
    if np.abs(share - np.linspace(0, 1, entries)[:, None]).max() < 1e-4:
        return None  # straight: it spreads nothing
    return Table1D(values, ((low,) * 3, (high,) * 3))


def shaped(transform: Transform, entries: int, grid: int) -> Transform:
    """Bring a transform into a 1D shaper of `entries` and a 3D table of `grid` points.

    A rising curve at the front of the chain is kept as the shaper; else one is chosen.
    """
    if not 2 <= entries <= 65536:
        raise ValueRefused(
            f"a shaper of {entries} entries cannot be made", hint="choose 2 to 65536"
        )
    table = _front(transform, entries) or chosen_shaper(transform, entries).table
    low, high = table.values.min(axis=0), table.values.max(axis=0)
    unit = Table1D((table.values - low) / (high - low), table.domain)
    inputs = _greys(table.domain, table.size)
    axis = np.linspace(0, 1, grid)
    back = np.stack([np.interp(axis, unit.values[:, c], inputs[:, c]) for c in range(3)], -1)

    def nodes(part: slice) -> Rgb:
        at = [back[part if c == 0 else slice(None), c] for c in range(3)]
        inputs = np.stack(np.meshgrid(*at, indexing="ij"), -1)
        return node_values(transform.apply(as_rgb(inputs)), FLOATS)

    return Transform((unit, table_of(grid, nodes)), transform.title, transform.comments)


def tone_of(transform: Transform, entries: int = _ENTRIES) -> Table1D:
    """Return what a transform does to the luma of greys, as one rising curve for all channels.

    Luma weights are BT.709's. Where the greys rest, the curve gets a slope of 1/10 000, so that it can be undone.

    Raises:
        ValueRefused: the greys fall somewhere: tone and colour cannot be told apart.
    """
    domain = domain_of(transform)
    low, high = float(min(domain[0])), float(max(domain[1]))
    even: Domain = ((low,) * 3, (high,) * 3)
    luma = transform.apply(_greys(even, entries)).astype(np.float64) @ np.array(WEIGHTS)
    fall = np.diff(luma)
    if fall.min() < -1e-4:
        at = low + (high - low) * int(fall.argmin()) / (entries - 1)
        raise ValueRefused(
            f"the greys fall near {at:.3f}: tone and colour cannot be told apart",
            hint="split a LUT whose greys rise",
        )
    rising = np.maximum.accumulate(luma)
    ramp = np.linspace(0, rising[-1] - rising[0] or 1.0, entries)
    rising = rising + 1e-4 * (rising[0] + ramp - rising)
    return Table1D(np.repeat(rising[:, None], 3, axis=1), even)


def split(transform: Transform, grid: int) -> tuple[Transform, Transform]:
    """Split into tone (1D) and colour (3D): the tone, then the colour, is the whole.

    Raises:
        ValueRefused: see `tone_of`.
    """
    tone = tone_of(transform)
    curve = tone.values[:, 0].astype(np.float64)
    inputs = _greys(tone.domain, tone.size)[:, 0].astype(np.float64)
    domain: Domain = ((float(curve[0]),) * 3, (float(curve[-1]),) * 3)

    def nodes(part: slice) -> Rgb:
        before = np.interp(lattice_colours(grid, domain, part), curve, inputs)
        return np.nan_to_num(transform.apply(as_rgb(before)))

    title = transform.title
    return (
        Transform((tone,), f"{title} tone".strip(), transform.comments),
        Transform((table_of(grid, nodes, domain),), f"{title} colour".strip(), transform.comments),
    )


def blended(a: Transform, b: Transform, share: float) -> Transform:
    """Mix the results of two transforms: share 0 is the first, 1 the second."""

    def run(rgb: Rgb) -> Rgb:
        first = a.apply(rgb)
        return np.asarray(first + np.float32(share) * (b.apply(rgb) - first), np.float32)

    title = " and ".join(t.title for t in (a, b) if t.title)
    return Transform((Function("blend", run),), title)


def chained(transforms: list[Transform]) -> Transform:
    """Put transforms one behind the other, first to last."""
    stages: list[Stage] = [s for t in transforms for s in t.stages]
    title = " then ".join(t.title for t in transforms if t.title)
    comments = tuple(dict.fromkeys(c for t in transforms for c in t.comments))
    return Transform(tuple(stages), title, comments)


def _scaled(low: float, high: float) -> Matrix:
    """Return the matrix that carries 0..1 to low..high."""
    d = high - low
    return Matrix(((d, 0.0, 0.0), (0.0, d, 0.0), (0.0, 0.0, d)), (low,) * 3)


def _to_legal() -> Matrix:
    return _scaled(*LEGAL_10)


def _to_full() -> Matrix:
    low, high = LEGAL_10
    return _scaled(-low / (high - low), (1 - low) / (high - low))


def legal_in(transform: Transform) -> Transform:
    """Make a LUT that takes full range take legal range."""
    return _around(transform, before=_to_full())


def full_in(transform: Transform) -> Transform:
    """Make a LUT that takes legal range take full range."""
    return _around(transform, before=_to_legal())


def legal_out(transform: Transform) -> Transform:
    """Make a LUT that gives full range give legal range."""
    return _around(transform, after=_to_legal())


def full_out(transform: Transform) -> Transform:
    """Make a LUT that gives legal range give full range."""
    return _around(transform, after=_to_full())


def _around(
    transform: Transform, before: Matrix | None = None, after: Matrix | None = None
) -> Transform:
    stages = (*([before] if before else []), *transform.stages, *([after] if after else []))
    return Transform(stages, transform.title, transform.comments)


def limited(transform: Transform) -> Transform:
    """Hold results within 0..1."""
    stages = (*transform.stages, Range((0.0, 0.0), (1.0, 1.0)))
    return Transform(stages, transform.title, transform.comments)


def permuted(transform: Transform, order: tuple[int, int, int]) -> Transform:
    """Feed the inputs of a transform in another order: its red axis gets channel order[0], and so on."""
    rows = tuple(tuple(1.0 if c == order[r] else 0.0 for c in range(3)) for r in range(3))
    return _around(transform, before=Matrix(rows))  # type: ignore[arg-type]
