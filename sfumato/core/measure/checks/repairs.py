"""Repairs of what an assay finds, in the order in which they are carried out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

import numpy as np
from attrs import frozen

from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.lut.nodes import smoothed
from sfumato.core.lut.recast import full_in, full_out, limited, permuted, sampled
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.checks.axes import axis_order
from sfumato.core.measure.checks.findings import Finding, Level, table_of
from sfumato.core.measure.checks.lattice import wrong_nodes


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


_JPEG_SMOOTH, _GRAIN_SMOOTH = 5e-8, 5e-8


@frozen
class Repair:
    """A named repair: the word on its button, and what it does."""

    title: str
    help: str
    run: Callable[[Transform, Assay, StillWanted], Transform]


def _with(transform: Transform, table: Table3D) -> Transform:
    return Transform((table,), transform.title, transform.comments)


def _smooth(transform: Transform, _assay: Assay, check: StillWanted) -> Transform:
    return _with(transform, smoothed(table_of(transform), 3e-9, check))


def _reconstruct(transform: Transform, assay: Assay, check: StillWanted) -> Transform:
    figures = {f.key: f.figure for f in assay.findings if f.level is Level.FAULT}
    strength = max(_JPEG_SMOOTH, _GRAIN_SMOOTH * figures.get("grain", 0.0))
    return _with(transform, smoothed(table_of(transform), strength, check))


def _axes(transform: Transform, _assay: Assay, _check: StillWanted) -> Transform:
    order, _ = axis_order(table_of(transform))
    return _resampled(permuted(transform, order), transform)


def _resampled(changed: Transform, before: Transform) -> Transform:
    """Bring a repaired chain back to one table of the same grid and domain, when it was one."""
    table = before.table
    if table is None:
        return changed
    return sampled(changed, table.size, table.domain)


def _rising(transform: Transform, _assay: Assay, check: StillWanted) -> Transform:
    """Lift greys that fall to the level before, the same for all channels."""
    table = table_of(transform)
    values = np.array(table.values)
    n = table.size
    line = np.arange(n)
    greys = values[line, line, line]
    values[line, line, line] = np.maximum.accumulate(greys, axis=0)
    check()
    return _with(transform, Table3D(values, table.domain, table.interp))


def _nodes(transform: Transform, _assay: Assay, check: StillWanted) -> Transform:
    """Put each node that stands alone to the mean of its neighbours on both sides."""
    table = table_of(transform)
    values = np.array(table.values)
    for place in np.argwhere(wrong_nodes(table)):
        check()
        around = [
            table.values[tuple(place + step * np.eye(3, dtype=int)[axis])]
            for axis in range(3)
            if 0 < place[axis] < table.size - 1
            for step in (1, -1)
        ]
        values[tuple(place)] = np.mean(around, axis=0)
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
        "nodes": Repair(
            "Mend nodes", "Puts nodes that stand alone to the mean of their neighbours.", _nodes
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


def repaired(
    transform: Transform, found: Assay, keys: tuple[str, ...], check: StillWanted = always_wanted
) -> Transform:
    """Carry out repairs in the order of `REPAIRS`."""
    for key, repair in REPAIRS.items():
        if key in keys:
            transform = repair.run(transform, found, check)
    return transform
