"""Gamut fit: draws colours that leave the gamut back in, by their distance from grey."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, planes
from sfumato.core.colour.bends import signed_power
from sfumato.core.colour.encodings import Encoding
from sfumato.core.compiled import kernels
from sfumato.core.controls import Number, Triple, control
from sfumato.core.glaze import Category, Domain, GlazeSpec

_POWER = 1.2  # of the bend: how long it stays straight before it turns


@frozen
class GamutFit:
    amount: float = control(
        0.0,
        Number(
            title="Amount",
            least=0.0,
            most=100.0,
            digits=0,
            step=1,
            unit="%",
            help="How far colours beyond the gamut are drawn back in.",
        ),
    )
    threshold: float = control(
        0.9,
        Number(
            title="Threshold",
            least=0.0,
            most=0.98,
            digits=3,
            step=0.005,
            help="Distance from grey up to which nothing changes: 1 is the gamut's edge.",
        ),
    )
    limit: tuple[float, float, float] = control(
        (1.2, 1.2, 1.2),
        Triple(
            title="Limit",
            least=1.01,
            most=4.0,
            help="The distance beyond the edge that lands on it, towards cyan, magenta and yellow.",
        ),
    )


def run(p: GamutFit, light: Rgb, _working: Encoding) -> Rgb:
    """d = (max - c) / |max| for each channel; d beyond the threshold t becomes
    t + (d - t) / (1 + ((d - t) / s)**p)**(1/p), with s such that the limit lands on 1.

    Source: the parametric gamut compression of the ACES 1.3 reference, with its power 1.2.
    """
    t = np.float32(p.threshold)
    limits = np.array(p.limit)
    inverse = ((1 - p.threshold) / (limits - p.threshold)) ** -_POWER - 1
    scales = np.asarray(inverse ** (1 / _POWER) / (limits - p.threshold), np.float32)
    fast = kernels(light)
    if fast is not None:
        fitted: Rgb = fast.fit_gamut(light, p.threshold, p.amount / 100, scales, _POWER)
        return fitted
    channels = planes(light)
    top = np.maximum(np.maximum(channels[0], channels[1]), channels[2])
    size = np.maximum(np.abs(top), np.float32(1e-9))
    share = np.float32(p.amount / 100) * (top > 0)
    out = np.empty_like(light)
    for c, (channel, scale) in enumerate(zip(channels, scales, strict=True)):
        distance = (top - channel) / size
        over = np.clip(distance - t, 0, np.float32(1e6))
        turned = 1 + signed_power(over * scale, np.float32(_POWER))
        bent = over * signed_power(turned, np.float32(-1 / _POWER))
        inside = top - (np.minimum(distance, t) + bent) * size
        out[..., c] = channel + share * (inside - channel)
    return out


SPEC = GlazeSpec(
    "gamut_fit",
    "Gamut fit",
    Category.COLOUR,
    GamutFit,
    run,
    Domain.LIGHT,
    help="Draws colours back that are too pure for the gamut, without clipping their shades.",
    more=(
        "Draws colours in by their distance from grey, starting at the threshold; what lay "
        "at the limit lands on the edge. For lamps and saturated lights that turn into flat "
        "patches."
    ),
    mild={"amount": 100.0, "threshold": 0.7},
)
