"""A still with masks: the Look where its mask lets it, then each layer where its own does."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import attrs
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.path import path
from sfumato.core.study.coat import Coat
from sfumato.core.study.mask import Mask
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.core.study.view import View

Step = Callable[[Rgb], Rgb]


def steps_of(study: Study, shot: Shot, strength: float = 1.0) -> list[tuple[Step, Mask]]:
    """Return what is done to working values one after the other, and where: the Look, then layers.

    Args:
        strength: backs the Look off (or pushes it) over the Strength that it has itself.
    """
    working = encoding(study.working)
    look = attrs.evolve(study.look, strength=study.look.strength * strength)
    graded = attrs.evolve(study, look=look)
    found: list[tuple[Step, Mask]] = [(lambda x: path.through_look(graded, x), shot.mask)]
    for layer in shot.layers:
        coat = layer.coat
        if coat.acts:
            step = partial(_through, coat, working, study.view)
            found.append((step, layer.mask))
    return found


def _through(coat: Coat, working: Encoding, view: View, code: Rgb) -> Rgb:
    return path.through_coat(coat, code, working, view)


def laid(before: Rgb, after: Rgb, matte: Array | None) -> Rgb:
    """Return before + m (after - before); `matte` (...) is None for 1 everywhere."""
    if matte is None:
        return after
    out = after - before
    out *= matte[..., None]
    out += before
    return out


def leaving(study: Study, name: str = "") -> Step:
    """Return working values -> what is written: a display encoding through the View, others before it.

    Args:
        name: of the encoding, "" for the View's.
    Raises:
        ValueRefused: scene-referred colours are asked of a display-referred study.
    """
    wanted = encoding(name) if name else None
    working = encoding(study.working)
    if wanted is None or not wanted.is_scene:
        return lambda x: path.through_view(study, x, wanted)
    if not working.is_scene:
        raise ValueRefused(
            f"{wanted.name} cannot come out of a study in {working.name}",
            hint="choose a display encoding",
        )
    return lambda x: convert(x, working, wanted)


def entering(study: Study, shot: Shot) -> Step:
    """Return source codes -> working values behind the Ground."""
    return lambda code: path.through_ground(shot, study, path.to_working(shot, study, code))


def everywhere(steps: list[tuple[Step, Mask]]) -> bool:
    return all(mask.is_plain for _step, mask in steps)


def run(steps: list[tuple[Step, Mask]], code: Rgb, mattes: list[Array | None]) -> Rgb:
    """Run steps over working values (..., 3), each where its matte (...) lets it."""
    for (step, _mask), matte in zip(steps, mattes, strict=True):
        code = np.asarray(laid(code, step(code), matte), np.float32)
    return code
