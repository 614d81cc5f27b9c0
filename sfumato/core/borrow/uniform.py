"""Bringing a shot to one that is right: plain glazes for its Ground, from pixels or from a card."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow import pair
from sfumato.core.borrow.explain import (
    SPREAD,
    Explained,
    Numbers,
    Seen,
    Several,
    Step,
    explained,
)
from sfumato.core.borrow.matched import matched
from sfumato.core.borrow.parts import PARTS, PLAIN
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.delta_e import ciede2000
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.showing import Showing
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import glazes
from sfumato.core.glazes.exposure import Exposure
from sfumato.core.glazes.mixer import Mixer
from sfumato.core.glazes.white_balance import WhiteBalance

_SAME = 0.5  # of the places agree where two show one scene
_PIXELS = 2_000  # of each shot that are compared
_QUANTILES = np.linspace(0.01, 0.99, 40)
_WAYS = np.array(  # in which colours are compared: lightness, both axes, and between them
    [[1, 0, 0], [0, 2, 0], [0, 0, 2], [0, 1.4, 1.4], [0, 1.4, -1.4], [0.7, 1.4, 0], [0.7, 0, 1.4]]
).T
_TRIES = 12
_LEAST_GAIN = 0.01  # of what parts the shots, that a glaze has to take away
_LEAST_PATCHES = 4


def _spread(code: Rgb) -> Rgb:
    flat = np.ascontiguousarray(code.reshape(-1, 3), np.float32)
    return flat[:: max(1, len(flat) // _PIXELS)]


def from_places(
    shot: Rgb,
    right: Rgb,
    working: Encoding,
    view: Showing,
    display: Encoding,
    check: StillWanted = always_wanted,
) -> Explained | None:
    """Return plain glazes that bring a shot to one of the same scene, place by place.

    None where the two do not show the same. Arguments are as those of `from_pixels`, as (h, w, 3).
    """
    codes = [np.ascontiguousarray(np.clip(v, 0, 1), np.float32) for v in (shot, right)]
    try:
        found = matched(codes[0], codes[1], check, near=True)
    except ValueRefused:
        return None
    if found.laid.agreement < _SAME:
        return None
    counted, _ = pair.weighed([found], check)
    pairs = pair.gathered(counted).balanced
    return explained(pairs, working, view, display, keys=PLAIN, check=check)


def like(
    shot: Rgb,
    right: Rgb,
    working: Encoding,
    view: Showing,
    display: Encoding,
    check: StillWanted = always_wanted,
) -> Explained:
    """Return plain glazes that bring a shot to one that is right: by places where they show one scene,
    else by how their colours are spread. Arguments and errors are those of `from_pixels`, (h, w, 3)."""
    found = from_places(shot, right, working, view, display, check)
    return found or from_pixels(shot, right, working, view, display, check)


def from_pixels(
    shot: Rgb,
    right: Rgb,
    working: Encoding,
    view: Showing,
    display: Encoding,
    check: StillWanted = always_wanted,
) -> Explained:
    """Return plain glazes under which the colours of a shot are spread as those of one that is right.

    Compared are quantiles of lightness, of Oklab's axes and between them, as they are seen. The two should
    show much the same; places need not agree. `off` and `left` are means over the quantiles.

    Args:
        shot, right: working code values (..., 3), without Ground and Look.

    Raises:
        ValueRefused: one of them is black.
    """
    seen = Seen(working, view, display)
    code, other = _spread(shot), _spread(right)

    def spread_of(colours: Rgb) -> Array:
        return np.asarray(np.quantile(seen.oklab(colours) @ _WAYS, _QUANTILES, axis=0))

    wanted = spread_of(other)
    for colours, which in ((code, "shot"), (other, "shot that is right")):
        if float(seen.oklab(colours)[:, 0].max()) < 0.05:
            raise ValueRefused(f"the {which} is black", hint="choose one with something to see")

    def off(colours: Rgb) -> Array:
        check()
        return np.asarray((spread_of(colours) - wanted).ravel() * 100)

    def apart(colours: Rgb) -> float:
        return float(np.abs(off(colours)).mean())

    several = Several(working, view, off)
    parts: Numbers = []
    whole = left = apart(code)
    for key in PLAIN:
        part = PARTS[key](code, working)
        more = several.fitted(code, [*parts, (part, np.array(part.start, float))], _TRIES)
        now = apart(several.run(code, more))
        if left - now >= _LEAST_GAIN * whole:
            parts, left = more, now
    return Explained(several.steps(code, parts, apart), whole, SPREAD)


@frozen
class FromCard:
    """Glazes out of a card, and by how much each patch is off after them, CIEDE2000."""

    steps: tuple[Step, ...]
    off: float  # mean before
    patches: tuple[tuple[str, float], ...]

    @property
    def left(self) -> float:
        return sum(e for _, e in self.patches) / len(self.patches)


def from_card(
    measured: Rgb,
    wanted: Rgb,
    names: Sequence[str],
    working: Encoding,
    view: Showing,
    display: Encoding,
    *,
    with_matrix: bool = True,
) -> FromCard:
    """Return exposure, balance and a 3 x 3 matrix on light that bring a card's patches where they belong.

    Exposure and balance come from the greys among them, the matrix (rows sum to 1, so that greys stay)
    from all, by least squares on light in relation to how light a patch is.

    Args:
        measured: working code values (k, 3) of the patches in the shot.
        wanted: working code values of what they should be.

    Raises:
        ValueRefused: fewer than four patches, or nearly all of them black.
    """
    if len(measured) < _LEAST_PATCHES:
        raise ValueRefused("a card needs four patches at least", hint="choose a layout with more")
    light, aim = (np.maximum(working.decode(v).astype(np.float64), 0) for v in (measured, wanted))
    weights = working.to_xyz[1]
    there = (light @ weights > 1e-4) & (aim @ weights > 1e-4)
    if there.sum() < _LEAST_PATCHES:
        raise ValueRefused("the patches are black", hint="set the four corners on the card")
    chroma = np.ptp(aim, axis=1) / np.maximum(aim.max(axis=1), 1e-6)
    greys = there & (chroma <= max(0.12, float(np.sort(chroma[there])[2])))
    seen = Seen(working, view, display)
    lab = seen.lab(np.asarray(wanted, np.float32))

    def apart(code: Rgb) -> Array:
        return np.asarray(ciede2000(seen.lab(code), lab))

    code = np.ascontiguousarray(measured, np.float32)
    off = float(apart(code).mean())
    steps: list[Step] = []

    def laid(key: str, parameters: Any) -> None:
        nonlocal code
        code = glazes()[key].apply(parameters, code, working, view)
        steps.append(Step(key, parameters, float(apart(code).mean())))

    # What the greys look like in relation to what they are: the light's colour, for the balance to undo.
    ratio = np.exp(np.log(light[greys] / np.maximum(aim[greys], 1e-6)).mean(axis=0))
    cast = working.encode(np.asarray(0.18 * ratio[None] / (ratio @ weights), np.float32))[0]
    spec = glazes()["white_balance"]
    assert spec.pick is not None
    laid("white_balance", spec.pick(WhiteBalance(), cast, working))
    now = np.maximum(working.decode(code).astype(np.float64) @ weights, 1e-6)
    stops = float(np.median(np.log2((aim @ weights)[greys] / now[greys])))
    laid("exposure", Exposure(round(float(np.clip(stops, -10, 10)), 3)))
    if with_matrix:
        light = working.decode(code).astype(np.float64)[there]
        level = 1 / np.maximum((aim[there] @ weights)[:, None], 0.02)
        rows = []
        for c in range(3):
            others = [i for i in range(3) if i != c]
            columns = (light[:, others] - light[:, [c]]) * level
            square = columns.T @ columns + 1e-3 * np.eye(2)
            found = np.linalg.solve(
                square, columns.T @ ((aim[there][:, c] - light[:, c]) * level[:, 0])
            )
            row = np.zeros(3)
            row[others] = np.clip(found, -1, 1)
            row[c] = 1 - row.sum()
            rows.append(tuple(round(float(v), 4) for v in row))
        mixed = transformed(light, np.array(rows))
        if (
            np.abs((mixed - aim[there]) * level).mean()
            < np.abs((light - aim[there]) * level).mean()
        ):
            red, green, blue = rows
            laid("mixer", Mixer(red, green, blue, in_light=True))  # type: ignore[arg-type]
    errors = apart(code)
    return FromCard(
        tuple(steps), off, tuple((n, float(e)) for n, e in zip(names, errors, strict=True))
    )


def from_patches(
    measured: Rgb,
    wanted: Rgb,
    names: Sequence[str],
    working: Encoding,
    view: Showing,
    display: Encoding,
    *,
    with_matrix: bool = True,
    check: StillWanted = always_wanted,
) -> FromCard:
    """Return plain glazes that bring a card's patches to those of the same card in another shot.

    A shot may have another contrast, black and white than the other: what comes nearer is taken, exposure,
    balance and a matrix, or the glazes of a Ground that `from_pixels` uses. Arguments and errors are
    those of `from_card`.
    """
    card = from_card(measured, wanted, names, working, view, display, with_matrix=with_matrix)
    one, two = (np.asarray(v, np.float64) for v in (measured, wanted))
    pairs = Pairs(one, two, np.ones(len(one)))
    told = explained(pairs, working, view, display, keys=PLAIN, check=check)
    if told.left >= card.left:
        return card
    seen = Seen(working, view, display)
    made = told.run(np.ascontiguousarray(measured, np.float32), working, view)
    off = ciede2000(seen.lab(made), seen.lab(np.asarray(wanted, np.float32)))
    patches = tuple((n, float(e)) for n, e in zip(names, off, strict=True))
    return FromCard(told.steps, card.off, patches)
