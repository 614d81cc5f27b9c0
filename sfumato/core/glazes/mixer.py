"""Channel mixer: each channel as a mix of the three, or a monochrome of chosen weights."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.bends import ease
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Toggle, Triple, control
from sfumato.core.glaze import Category, Former, GlazeSpec, Promise

_SMALL = 0.2  # sum of the weights of a monochrome under which they are no longer divided by it


def _row(title: str, usual: tuple[float, float, float]) -> Any:
    return control(
        usual,
        Triple(
            title=title,
            least=-3.0,
            most=3.0,
            signed=True,
            help=f"How much red, green and blue go into {title.casefold()}.",
        ),
    )


@frozen
class Mixer:
    red: tuple[float, float, float] = _row("Red", (1.0, 0.0, 0.0))
    green: tuple[float, float, float] = _row("Green", (0.0, 1.0, 0.0))
    blue: tuple[float, float, float] = _row("Blue", (0.0, 0.0, 1.0))
    keep_greys: bool = control(
        True,
        Toggle(title="Keep greys", help="Lets each channel's own share make up for the others."),
    )
    monochrome: bool = control(
        False,
        Toggle(title="Monochrome", help="Takes all colour away, weighing the channels below."),
    )
    weights: tuple[float, float, float] = control(
        (0.25, 0.65, 0.1),
        Triple(
            title="Weights",
            least=-2.0,
            most=3.0,
            signed=True,
            help="How light each channel's colours become in a monochrome.",
        ),
    )
    in_light: bool = control(
        False,
        Toggle(
            title="Mix light",
            help="Mixes linear light, as filters and sensors do, instead of code values.",
        ),
    )


def matrix(p: Mixer) -> np.ndarray:
    """Return the 3x3 matrix, rows = results; with greys kept, every row sums to 1.

    The weights of a monochrome are divided by their sum; the nearer that is to nought, the more they
    are made up by an equal share of each channel instead, so that no step of a weight jumps.

    >>> matrix(Mixer(red=(1.0, 0.2, 0.0)))[0].round(3).tolist()
    [0.8, 0.2, 0.0]
    """
    return _matrix(p, _monochrome)


def _monochrome(weights: Array) -> Array:
    total = float(weights.sum())
    shared = float(ease(abs(total) / _SMALL))
    made_up = weights + (1 - total) / 3
    return made_up if shared == 0 else shared * (weights / total) + (1 - shared) * made_up


def _by_a_rule(weights: Array) -> Array:
    """Version 1 went from one rule to the other at a sum of 0.05."""
    total = float(weights.sum())
    return weights / total if abs(total) > 0.05 else weights + (1 - total) / 3


def _matrix(p: Mixer, monochrome: Callable[[Array], Array]) -> np.ndarray:
    if p.monochrome:
        return np.tile(monochrome(np.array(p.weights)), (3, 1))
    rows = np.array([p.red, p.green, p.blue])
    if p.keep_greys:
        rows = rows + np.diag(1 - rows.sum(axis=1))
    return rows


def run(p: Mixer, code: Rgb, working: Encoding) -> Rgb:
    """y = M x, on code values or on the light that they stand for."""
    return _mixed(p, code, working, matrix(p))


def _mixed(p: Mixer, code: Rgb, working: Encoding, by: np.ndarray) -> Rgb:
    if p.in_light:
        return working.encode(transformed(working.decode(code), by))
    return transformed(code, by)


def _former(p: Mixer, code: Rgb, working: Encoding) -> Rgb:
    return _mixed(p, code, working, _matrix(p, _by_a_rule))


SPEC = GlazeSpec(
    "mixer",
    "Channel mixer",
    Category.COLOUR,
    Mixer,
    run,
    help="Makes each channel from the three, or a monochrome with weights of your own.",
    more=(
        "Feeds each channel from all three. Keep greys holds the neutrals while colours "
        "move; monochrome weighs the channels as coloured filters do before black and white "
        "film."
    ),
    version=2,
    upgrades={1: dict},
    former={1: Former(_former)},
    promise=Promise(gain=5.0, cast=0.02),
    mild={"red": (1.1, 0.2, 0.0), "blue": (0.0, 0.3, 0.9)},
)
