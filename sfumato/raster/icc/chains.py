"""Tables of a profile as compiled loops run them, one step after the other."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError
from sfumato.raster.icc.tags import Curves, Lattice, Powers, Step

_AT_ONCE = 8192  # colours that stay in the cache


@frozen(eq=False)
class Chain:
    """Steps of a profile as loops run them."""

    steps: tuple[tuple[str, Any], ...]
    into: int
    out: int

    def __call__(self, x: Array) -> Array:
        """Return what comes out, float32 (k, out), of float32 (k, into)."""
        from sfumato.core.kernels import inks

        done = np.empty((len(x), self.out), np.float32)
        for start in range(0, len(x), _AT_ONCE):
            here = np.array(x[start : start + _AT_ONCE], np.float32, order="C")
            for kind, what in self.steps:
                if kind == "scale":
                    inks.scale(here, *what)
                elif kind == "powers":
                    here[:, : len(what)] = np.maximum(here[:, : len(what)], 0) ** what
                else:
                    after = np.empty((len(here), 4), np.float32)
                    if kind == "curves":
                        inks.through_curves(here, what, after)
                    elif kind == "four":
                        inks.through_four(here, *what, after)
                    else:
                        inks.through_three(here, *what, after)
                    here = after
            done[start : start + _AT_ONCE] = here[:, : self.out]
        return done

    def then(self, step: tuple[str, Any]) -> Chain:
        return Chain((*self.steps, step), self.into, self.out)

    def after(self, step: tuple[str, Any]) -> Chain:
        return Chain((step, *self.steps), self.into, self.out)


def scaling(by: Array, plus: Array, codes: float = 0.0) -> tuple[str, Any]:
    """Return the step by * x + plus; where `codes` is not 0, then held in 0..1 and rounded to so many steps."""
    return "scale", (by.astype(np.float32), plus.astype(np.float32), np.float32(codes))


def chain_of(
    steps: list[Step], channels: tuple[int, int], form: str, *, from_lab: bool = False
) -> Chain:
    """Return steps as loops run them; `form` is the type of the table that they are of.

    Args:
        from_lab: they begin with Lab: the engine then goes straight along each axis of a lattice.
    Raises:
        FormatError: one is of a kind that they do not know.
    """
    from sfumato.core.kernels.inks import nodes_of

    found: list[tuple[str, Any]] = []
    is_old = form in ("mft1", "mft2")
    for step in steps:
        if is_old and isinstance(step, Lattice):
            # The engine rounds before and after curves of 16 bit.
            many = step.nodes.ndim - 1
            rounding = scaling(np.ones(many), np.zeros(many), 65535)
            found = [rounding, *found, rounding] if found else [rounding]
        if isinstance(step, Curves):
            found.append(("curves", np.ascontiguousarray(step.values, np.float32)))
        elif isinstance(step, Lattice):
            flat, n = nodes_of(step.nodes), len(step.nodes)
            is_four = step.nodes.ndim == 5
            found.append(("four", (flat, n)) if is_four else ("three", (flat, n, from_lab)))
        elif isinstance(step, Powers):
            found.append(("powers", np.asarray(step.exponents, np.float32)))
        else:
            raise FormatError("the profile has a matrix between its tables")
    return Chain(tuple(found), *channels)
