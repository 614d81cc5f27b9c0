"""Nudges: picked colours moved to where they should be, with their neighbourhood."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, joined, planes
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import faded_in
from sfumato.core.colour.encodings import Encoding
from sfumato.core.compiled import kernels
from sfumato.core.controls import MOST_PAIRS, Pair, Pairs, Toggle, control
from sfumato.core.glaze import Category, Domain, Former, GlazeSpec

_HALF = float(np.log(2.0))
_GREY, _COLOUR = 0.004, 0.04  # Oklab chroma below which greys are left, and from which nothing is
_LEAST_FADE = 0.05  # a source that is greyer than this cannot be met while greys are left alone


@frozen
class Nudges:
    pairs: tuple[Pair, ...] = control(
        (),
        Pairs(title="Pairs", help="Each picked colour goes to its target; its reach goes along."),
    )
    leave_greys: bool = control(
        True,
        Toggle(title="Leave greys", help="Colours without chroma stay, however near a nudge is."),
    )


def _fade(chroma: Any, light: Any, noise: float) -> Any:
    return faded_in(chroma, light, _GREY, _COLOUR, noise)


@lru_cache(maxsize=64)
def _weights(p: Nudges, noise: float) -> Array:
    """Solve for the moves (n, 3) that meet every pair at once; where pairs contradict, least squares."""
    source = np.array([q.source for q in p.pairs], np.float64)
    move = np.array([q.goal for q in p.pairs], np.float64) - source
    reach = np.array([q.reach for q in p.pairs])
    depth = np.array([q.depth for q in p.pairs])
    d = source[:, None, :] - source[None, :, :]
    share = np.exp(
        -_HALF * ((d[..., 1] ** 2 + d[..., 2] ** 2) / reach**2 + (d[..., 0] / depth) ** 2)
    )
    if p.leave_greys:
        fade = _fade(np.hypot(source[:, 1], source[:, 2]), source[:, 0], noise)
        share = share * fade[:, None]
        move = np.where(fade[:, None] < _LEAST_FADE, 0, move)
        share = np.where(fade[:, None] < _LEAST_FADE, np.eye(len(source)), share)
    weights: Array = np.linalg.lstsq(share, move, rcond=1e-6)[0]
    return weights


@lru_cache(maxsize=64)
def _rows(p: Nudges, noise: float) -> Array:
    """Return the pairs as the compiled form takes them: L, a, b, 1 / reach**2, 1 / depth**2, weights."""
    rows = [
        (*q.source, q.reach**-2, q.depth**-2, *w)
        for q, w in zip(p.pairs, _weights(p, noise), strict=True)
    ]
    return np.array(rows, np.float32)


def run(p: Nudges, lab: Rgb, _working: Encoding, noise: float = 0.0) -> Rgb:
    """x + sum of w_j 2**-((da**2 + db**2) / reach_j**2 + dL**2 / depth_j**2); each pair is met exactly.

    Gaussian radial basis functions in Oklab; with "leave greys" the sum fades in over chroma
    0.004 + q to 0.04 + 3 q (see `faded_in`), and the weights are solved with that fade.
    """
    if not p.pairs:
        return lab.copy()
    fast = kernels(lab)
    if fast is not None:
        moved: Rgb = fast.gaussians(lab, _rows(p, noise), noise, fade=p.leave_greys)
        return moved
    light, a, b = planes(lab)
    total = [np.zeros_like(light) for _ in range(3)]
    for pair, weight in zip(p.pairs, _weights(p, noise), strict=True):
        at_light, at_a, at_b = (np.float32(v) for v in pair.source)
        da, db, dl = a - at_a, b - at_b, light - at_light
        narrow = np.float32(_HALF / pair.reach**2)
        deep = np.float32(_HALF / pair.depth**2)
        share = np.exp(-(np.minimum(narrow * (da * da + db * db) + deep * dl * dl, 80)))
        for channel, w in zip(total, weight, strict=True):
            channel += np.float32(w) * share
    if p.leave_greys:
        fade = _fade(np.sqrt(a * a + b * b), light, noise).astype(np.float32)
        for channel in total:
            channel *= fade
    return joined(light + total[0], a + total[1], b + total[2])


def lab_of(code: Any, working: Encoding) -> tuple[float, float, float]:
    """Return the Oklab of one colour given in working code values, to five digits."""
    lab = oklab.from_light(working.decode(np.float32(code).reshape(1, 3)), working)[0]
    light, a, b = (round(float(v), 5) for v in np.clip(np.nan_to_num(lab), -8, 8))
    return light, a, b


def pick(p: Nudges, code: Rgb, working: Encoding, part: str = "") -> Nudges:
    """Add a pair whose source is the picked colour, at rest until its target is moved.

    With `part` "target.1" the picked colour becomes the target of that pair, lightness and all.
    """
    lab = lab_of(code, working)
    kind, _, index = part.partition(".")
    if kind == "target" and index.isdecimal() and int(index) < len(p.pairs):
        pairs = list(p.pairs)
        pairs[int(index)] = attrs.evolve(pairs[int(index)], target=lab, keep=False)
        return attrs.evolve(p, pairs=tuple(pairs))
    if len(p.pairs) >= MOST_PAIRS:
        return p
    return attrs.evolve(p, pairs=(*p.pairs, Pair(lab, lab)))


SPEC = GlazeSpec(
    "nudges",
    "Nudges",
    Category.COLOUR,
    Nudges,
    run,
    domain=Domain.OKLAB,
    version=2,
    upgrades={1: dict},
    former={1: Former(run, Domain.OKLAB)},
    knows_noise=True,
    help="Moves a picked colour to the colour it should be, and what is like it along.",
    more=(
        "Several nudges are solved together, so each meets its target exactly; between them "
        "colours follow smoothly. Keep the reach small where skin lies near. Wide moves over "
        "a short reach fold colours."
    ),
    pick=pick,
    pick_title="Pick a colour",
    mild={
        "pairs": (
            Pair((0.6, -0.03, -0.12), (0.6, -0.09, -0.05)),
            Pair((0.7, 0.1, 0.06), (0.75, 0.08, 0.1), 0.06, 0.5, keep=False),
        )
    },
)
