"""Transform: an ordered chain of stages that any table file reads into and any writer takes from."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.breath import breathe
from sfumato.core.lut.sample import INTERPOLATIONS, apply_table
from sfumato.core.lut.stages import CdlStage, Exponent, HalfCurve, Knots1D, Log, Matrix, Range
from sfumato.core.lut.table import Table1D, Table3D


@frozen(eq=False)
class Function:
    """A stage given by a pure function float32 (..., 3) -> float32 (..., 3): an exact grade."""

    name: str
    run: Callable[[Rgb], Rgb]

    def apply(self, rgb: Any) -> Rgb:
        return self.run(as_rgb(rgb))


@frozen
class Strength:
    """A chain backed off or pushed: x + amount (chain(x) - x)."""

    inner: Transform
    amount: float

    def apply(self, rgb: Any, interp: str = "tetrahedral") -> Rgb:
        x = as_rgb(rgb)
        return x + np.float32(self.amount) * (self.inner.apply(x, interp=interp) - x)


Stage = (
    Table1D
    | Table3D
    | Knots1D
    | HalfCurve
    | Matrix
    | Range
    | Log
    | Exponent
    | CdlStage
    | Function
    | Strength
)


@frozen
class Transform:
    """What a LUT does to a colour: stages in order, with the words its file carries."""

    stages: tuple[Stage, ...] = ()
    title: str = ""
    comments: tuple[str, ...] = ()
    source: str = attrs.field(default="", eq=False)

    def apply(self, rgb: Any, interp: str = "tetrahedral") -> Rgb:
        """Apply all stages.

        Args:
            rgb: (..., 3) numbers, turned to float32.
            interp: "tetrahedral" or "trilinear", for the 3D tables in the chain.
        Returns:
            New float32 (..., 3), unclipped. NaN becomes the domain minimum at the first table.
        """
        if interp not in INTERPOLATIONS:
            from sfumato.core.errors import ValueRefused

            raise ValueRefused(
                f"there is no interpolation {interp!r}", hint=f"use {' or '.join(INTERPOLATIONS)}"
            )
        out = as_rgb(rgb)
        for stage in self.stages:
            breathe()
            if isinstance(stage, Table3D):
                out = apply_table(stage, out, stage.interp or interp)
            elif isinstance(stage, Strength):
                out = stage.apply(out, interp)
            else:
                out = stage.apply(out)
        return out.copy() if not self.stages else out

    @property
    def table(self) -> Table3D | None:
        """The 3D table when the chain is just that."""
        only = self.stages[0] if len(self.stages) == 1 else None
        return only if isinstance(only, Table3D) else None

    def at_strength(self, amount: float) -> Transform:
        """Return the chain at a strength from 0 (nothing) over 1 (as it is) to 2."""
        if amount == 1.0:
            return self
        return Transform((Strength(self, amount),), self.title, self.comments, self.source)
