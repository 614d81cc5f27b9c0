"""What a glaze does to a picture over the whole travel of its controls: gain, noise, folds, greys, black.

Shared by the battery in `tests/contract/test_picture.py` and by `./dev bench picture`.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from typing import Any

import attrs
import numpy as np
from attrs import frozen
from conftest import DEMO

from sfumato.core import controls
from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.controls import Choice, Curve, HueCurve, Number, Pad, Ramp, Toggle, Triple
from sfumato.core.glaze import GlazeSpec
from sfumato.core.lut.difference import cube_colours
from sfumato.core.study.view import View
from sfumato.work.frames import open_still, scaled

ENCODINGS = ("Tarn Log", "ACEScct", "sRGB", "Linear BT.709")
SHOTS = ("causeway", "fog", "furnace", "jetty", "portrait", "sill")
READ, SHOT = (
    0.0006,
    6e-5,
)  # of sensor-like noise: sigma in the dark, variance for each unit of light
PATCHES = {
    "black": 0.0,
    "dark": 0.18 * 2**-5,
    "mid": 0.18,
    "bright": 0.8,
}  # light of neutral patches
VIEW = View()
_STEP = 1 / 512  # of code: what a local gain is measured with
_HUES = (30.0, 150.0, 265.0)


@frozen
class Measured:
    """What a setting does, in code values of the working encoding.

    Attributes:
        gain: the 99.9th percentile of how much a small step grows as it is seen (scene light through
            the usual View), on the demo shots with noise.
        noise: by patch, the standard deviation of the worst channel against what it was.
        cast: how far the channels part at black, in the mean of its noise.
        folds: the share of the cube that turns over.
        falling: the share of greys, from black to white, whose luma falls.
        finite: whether colours of up to 1e30 stay numbers.
    """

    gain: float
    noise: dict[str, float]
    cast: float
    folds: float
    falling: float
    finite: bool


def settings(spec: GlazeSpec) -> dict[str, Any]:
    """Return parameters by name: the mild ones, and each control at the ends of its usual travel."""
    mild = attrs.evolve(spec.defaults(), **spec.mild)
    found = {"mild": mild}
    for name, kind in spec.controls().items():
        for label, value in _ends(kind, getattr(mild, name)):
            found[f"{name} {label}"] = attrs.evolve(mild, **{name: value})
        if isinstance(kind, Number):  # it may act alone as well
            for label, value in _ends(kind, getattr(mild, name)):
                found[f"{name} {label} alone"] = attrs.evolve(spec.defaults(), **{name: value})
    return found


def _ends(kind: controls.Kind, now: Any) -> Iterator[tuple[str, Any]]:
    match kind:
        case Number():
            for v in kind.soft or (kind.least, kind.most):
                yield f"{v:g}", v
        case HueCurve():
            for hue in _HUES:
                for v in (-1.0, 1.0):
                    yield f"{v:+g} at {hue:g}", ((hue, v),)
        case Curve():
            yield "S", ((0.0, 0.0), (0.25, 0.15), (0.75, 0.85), (1.0, 1.0))
            yield "faded", ((0.0, 0.1), (0.5, 0.5), (1.0, 0.9))
        case Ramp():
            for tone, hue in ((0.05, 265.0), (0.2, 150.0), (0.9, 60.0)):
                yield f"at {tone:g}", ((tone, hue, 0.06, 0.3),)
        case Pad():
            for s in (-0.5, 0.5):
                yield (
                    f"{s:+g}",
                    tuple(v + s * kind.span * t for v, t in zip(now, (1, 0, -1), strict=True)),
                )
        case Triple():
            yield "up", tuple(min(v * 1.3 + 0.02, kind.most) for v in now)
            yield "down", tuple(max(v / 1.3 - 0.02, kind.least) for v in now)
        case Toggle():
            yield str(not now), not now
        case Choice():
            yield from ((str(o), o) for o in kind.options[:4])


def noisy(light: Any, rng: np.random.Generator) -> Any:
    """Add what a sensor adds to linear light (18 % grey is 0.18): read noise and shot noise."""
    sigma = np.sqrt(READ**2 + SHOT * np.maximum(light, 0))
    return light + sigma * rng.standard_normal(np.shape(light))


def as_code(light: Any, space: Encoding, bits: int = 10) -> Rgb:
    """Encode light and round it as footage of so many bits holds it; linear light stays as it is."""
    code = space.encode(np.asarray(light, np.float32))
    if space.name.startswith("Linear"):
        return code
    peak = 2**bits - 1
    return np.asarray(np.round(np.clip(code, 0, 1) * peak) / peak, np.float32)


@cache
def shots(working: str) -> Rgb:
    """Return pixels of the demo shots in an encoding, with noise, (k, 3)."""
    space, rng = encoding(working), np.random.default_rng(3)
    found = []
    for name in SHOTS:
        small = scaled(open_still(DEMO.parent / f"{name}.tif").pixels, (0, 0, 1, 1), 96, 54)
        source = "Tarn Log"
        code = convert(small.reshape(-1, 3), source, working)
        light = space.decode(code) if space.is_scene else np.clip(space.decode(code) * 0.25, 0, 1)
        found.append(as_code(noisy(light, rng), space))
    return np.concatenate(found)


@cache
def patch(name: str, working: str) -> Rgb:
    """Return 20,000 noisy neutral pixels of a patch."""
    rng = np.random.default_rng(5)
    return as_code(noisy(np.full((20000, 3), PATCHES[name]), rng), encoding(working))


def measured(spec: GlazeSpec, parameters: Any, working: str) -> Measured:
    """Measure one setting of a glaze in one encoding."""
    space = encoding(working)

    def run(code: Any) -> Any:
        return spec.apply(parameters, np.asarray(code, np.float32), space).astype(np.float64)

    pixels, rng = shots(working), np.random.default_rng(9)
    step = rng.standard_normal(pixels.shape).astype(np.float32)
    step *= _STEP / np.linalg.norm(step, axis=-1, keepdims=True)

    def seen(code: Any) -> Any:
        code = np.asarray(code, np.float32)
        return (shown(code, space, VIEW) if space.is_scene else code).astype(np.float64)

    with np.errstate(all="ignore"):
        moved = np.linalg.norm(seen(run(pixels + step)) - seen(run(pixels)), axis=-1)
        moved /= np.maximum(np.linalg.norm(seen(pixels + step) - seen(pixels), axis=-1), _STEP / 8)
        noise, cast = {}, 0.0
        for name in PATCHES:
            flat = patch(name, working)
            out = run(flat)
            noise[name] = float(out.std(0).max() / max(flat.std(0).max(), 1e-6))
            if name == "black":
                cast = float(np.abs(out.mean(0) - out.mean()).max())
        cube = cube_colours(4000)
        sides = [run(cube + _STEP * np.eye(3, dtype=np.float32)[i]) - run(cube) for i in range(3)]
        volume = np.linalg.det(np.stack(sides, -2) / _STEP)
        ends = space.encode(np.float32([[0] * 3, [8 if space.is_scene else 1] * 3]))
        greys = np.linspace(*ends, 1024, dtype=np.float32)
        luma = run(greys) @ space.to_xyz[1]
        far = np.float32([[s * v] * 3 for v in (1e3, 1e10, 1e30) for s in (1, -1)])
        finite = bool(np.isfinite(run(far)).all())
    return Measured(
        gain=float(np.percentile(moved, 99.9)),
        noise=noise,
        cast=cast,
        folds=float((volume < -1e-3).mean()),
        falling=float((np.diff(luma) < -1e-5).mean()),
        finite=finite,
    )
