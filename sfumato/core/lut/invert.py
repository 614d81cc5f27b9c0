"""Inverting a transform: exactly where every stage has an inverse, else as a fitted lattice, with a map
of where no inverse can be."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, as_rgb, frozen_array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.nodes import Bend, Between, Normal, solved
from sfumato.core.lut.stages import CdlStage, Exponent, Knots1D, Log, Matrix, Range
from sfumato.core.lut.table import NODE_RANGE, Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Stage, Transform

FLAT = 0.05  # the smallest singular value of the local map below which an inverse is noise
_REACH = 17  # points a side of the map of outputs that inputs give
_STILL = 1e-6  # an output that moves less than this share of its input stands still
_SMOOTH = 1e-8  # weight of second differences against the mean squared miss


@frozen
class InverseMap:
    """Where colours can and cannot come back: shares of the input cube, and the round trip.

    `clipped` inputs lie where the output stands still at an end; `folded` where the map turns over;
    `flat` where it hardly moves, so that its inverse is noise; `unreached` is the share of the output
    cube that no input gives (the inverse there is a smooth continuation). `back` is the difference
    between results within 0..1 and what they are after the inverse and the LUT once more.
    """

    clipped: float
    folded: float
    flat: float
    unreached: float
    back: Difference
    exact: bool
    reached: Any = attrs.field(
        default=None, eq=False, repr=False
    )  # bool (17, 17, 17): outputs that inputs give

    def words(self) -> tuple[str, ...]:
        """Return one sentence for each thing to know."""
        said = [
            "every stage was inverted exactly"
            if self.exact
            else f"back and through again: {self.back.mean:.2f} ΔE in the mean, "
            f"{self.back.p99:.2f} at 99 %, {self.back.worst:.2f} at worst"
        ]
        for share, words in (
            (self.clipped, "of the cube is clipped and cannot come back"),
            (self.folded, "of the cube is folded over: several inputs give one output"),
            (self.flat, "of the cube is nearly flat: its inverse is noise"),
            (self.unreached, "of the outputs no input gives: the inverse is continued there"),
        ):
            if share >= 0.0005:
                said.append(f"{100 * share:.1f} % {words}")
        return tuple(said)


def stage_inverse(stage: Stage) -> Stage | None:
    """Return the exact inverse of one stage, None when it has none or only a numeric one."""
    if isinstance(stage, Matrix):
        rows = np.array(stage.rows)
        if abs(np.linalg.det(rows)) < 1e-9:
            return None
        inverse = np.linalg.inv(rows)
        offset = -inverse @ np.array(stage.offset)
        return Matrix(tuple(map(tuple, inverse.tolist())), tuple(offset.tolist()))
    if isinstance(stage, Log | CdlStage):
        return attrs.evolve(stage, inverse=not stage.inverse)
    if isinstance(stage, Exponent):
        return attrs.evolve(stage, inverse=not stage.inverse)
    if isinstance(stage, Range):
        ends = [e and (e[1], e[0]) for e in (stage.low, stage.high)]
        if stage.low and stage.high and stage.low[1] == stage.high[1]:
            return None
        return Range(ends[0], ends[1], stage.clamp)
    if isinstance(stage, Knots1D):
        return _turned([(x, y) for x, y in zip(stage.inputs, stage.outputs, strict=True)])
    if isinstance(stage, Table1D):
        return _turned(
            [
                (np.linspace(low, high, stage.size), stage.values[:, c])
                for c, (low, high) in enumerate(zip(*stage.domain, strict=True))
            ]
        )
    return None


def _turned(curves: list[tuple[Any, Any]]) -> Knots1D | None:
    """Swap inputs and outputs; flat ends are cut to their inner point; None when a curve falls or rests."""
    inputs, outputs = [], []
    for x, y in curves:
        x, y = np.asarray(x, np.float32), np.asarray(y, np.float32)
        step = np.diff(y)
        if (step < 0).all():
            x, y, step = x[::-1], y[::-1], -step[::-1]
        moving = np.flatnonzero(step != 0)
        if len(moving) == 0:
            return None
        x, y = x[moving[0] : moving[-1] + 2], y[moving[0] : moving[-1] + 2]
        if not (np.diff(y) > 0).all():
            return None
        inputs.append(y)
        outputs.append(x)
    return Knots1D(tuple(inputs), tuple(outputs))


def _jacobians(transform: Transform, at: Array, step: float) -> Array:
    """Return the local maps (m, 3, 3) by central differences, rows = outputs."""
    columns = []
    for axis in range(3):
        shift = np.zeros(3)
        shift[axis] = step
        ahead, behind = (
            transform.apply(as_rgb(np.clip(at + s, 0, 1))).astype(np.float64)
            for s in (shift, -shift)
        )
        width = np.clip(at + shift, 0, 1)[:, axis] - np.clip(at - shift, 0, 1)[:, axis]
        columns.append((ahead - behind) / width[:, None])
    return np.stack(columns, -1)


def mapped(
    transform: Transform,
    inverse: Transform,
    display: Encoding,
    *,
    exact: bool,
    check: StillWanted = always_wanted,
) -> InverseMap:
    """Measure where an inverse works: see `InverseMap`."""
    at = cube_colours(20000)
    local = _jacobians(transform, at.astype(np.float64), 1 / 256)
    check()
    size = np.linalg.svd(local, compute_uv=False)
    moves = np.abs(local).sum(axis=2) > _STILL  # whether each output moves at all
    clipped = ~moves.all(axis=1)
    folded = ~clipped & (np.linalg.det(local) <= 0)
    flat = ~clipped & ~folded & (size[:, -1] < FLAT)
    there = transform.apply(at)
    kept: Array = np.asarray(((there >= 0) & (there <= 1)).all(axis=1))
    if not kept.any():
        kept = np.ones(len(at), bool)
    again = transform.apply(inverse.apply(there[kept]))
    found = difference_of((there[kept], again), at[kept], display)
    check()
    dense = transform.apply(lattice_colours(49)).reshape(-1, 3)
    hit = Between(dense, _REACH).spread(np.ones((len(dense), 1)))[:, 0] > 0
    inside = ((dense >= 0) & (dense <= 1)).all(axis=1)
    if not inside.any():
        hit[:] = False
    shares = [float(x.mean()) for x in (clipped, folded, flat, ~hit)]
    reached = hit.reshape((_REACH,) * 3)
    return InverseMap(shares[0], shares[1], shares[2], shares[3], found, exact, reached)


def inverted(
    transform: Transform,
    grid: int,
    display: Encoding,
    check: StillWanted = always_wanted,
    progress: Callable[[float], None] = lambda _share: None,
) -> tuple[Transform, InverseMap]:
    """Return the inverse of a transform and the map of where it works.

    A chain whose stages all have inverses is turned stage by stage, exactly. Else the outputs of a
    dense grid of inputs, those that are not clipped, are the places at which a lattice over 0..1
    must give the inputs back; it is fitted to them with a little smoothness, which also carries it
    on where no input leads.

    Args:
        grid: points a side of the fitted lattice, 2 to 129.
        display: in which the way there and back is measured.
    Raises:
        ValueRefused: the transform gives one colour only, or none within 0..1.
    """
    turned = [stage_inverse(s) for s in reversed(transform.stages)]
    if all(s is not None for s in turned):
        exact = Transform(tuple(s for s in turned if s is not None), _title(transform))
        return exact, mapped(transform, exact, display, exact=True, check=check)
    if not 2 <= grid <= 129:
        raise ValueRefused(f"a grid of {grid} points cannot be fitted", hint="choose 2 to 129")
    dense = min(97, max(33, 2 * grid + 1))
    inputs = lattice_colours(dense).reshape(-1, 3)
    outputs = transform.apply(inputs)
    check()
    lattice = outputs.reshape(dense, dense, dense, 3)
    moving = np.ones((dense,) * 3, bool)
    for axis in range(3):
        # An output that stands still along an axis, on both sides, is clipped there.
        steps = np.abs(np.diff(lattice, axis=axis)).max(axis=-1) > _STILL / dense
        pad = [(0, 0)] * 3
        pad[axis] = (1, 0)
        before = np.pad(steps, pad, constant_values=False)
        pad[axis] = (0, 1)
        moving &= before | np.pad(steps, pad, constant_values=False)
    kept = moving.reshape(-1) & ((outputs > -1e-4) & (outputs < 1 + 1e-4)).all(axis=1)
    if kept.sum() < 64 or np.ptp(outputs[kept], axis=0).max() < 1e-3:
        raise ValueRefused(
            "the LUT gives too few different colours within 0 to 1 to be inverted",
            hint="check what it expects and gives",
        )
    x, y = inputs[kept].astype(np.float64), outputs[kept]
    # Coarse to fine: a finer lattice starts from the coarser one and needs fewer steps.
    sizes = [n for n in (17, 33) if n < 0.7 * grid] + [grid]
    values = lattice_colours(sizes[0]).reshape(-1, 3).astype(np.float64)
    for part, size in enumerate(sizes):
        if part:
            coarse = Table3D(frozen_array(values.reshape((sizes[part - 1],) * 3 + (3,))))
            nodes = lattice_colours(size)
            values = (
                Transform((coarse,)).apply(nodes, "trilinear").reshape(-1, 3).astype(np.float64)
            )
        between = Between(y, size)
        smooth = _SMOOTH * len(y) * (size - 1) ** 4 / size**3
        normal = Normal(between.gram(np.ones(len(y))), Bend(size), smooth)
        check()
        values = solved(normal, between.spread(x), values, 200 if part == 0 else 50, check)
        progress((part + 1) / len(sizes))
    table = Table3D(frozen_array(np.clip(values, *NODE_RANGE).reshape((grid,) * 3 + (3,))))
    result = Transform((table,), _title(transform))
    return result, mapped(transform, result, display, exact=False, check=check)


def _title(transform: Transform) -> str:
    return f"{transform.title} inverted" if transform.title else "inverted"
