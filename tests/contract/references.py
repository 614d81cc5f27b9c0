"""Every glaze once more, in float64 and written from its published definition: plain and slow.

`REFERENCES[key](parameters, code, working)` takes and gives float64 (..., 3). Nothing here uses the
code under test except the numbers of encodings (matrices and transfer curves, tested elsewhere
against the standards), evaluated in float64.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from scipy.interpolate import PchipInterpolator

from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding, encoding, light_matrix
from sfumato.core.glazes.white_balance import source_white


def decode(space: Encoding, code: Any) -> Any:
    return space.transfer.decode(np.asarray(code, np.float64))


def encode(space: Encoding, light: Any) -> Any:
    return space.transfer.encode(np.asarray(light, np.float64))


def to_lab(space: Encoding, light: Any) -> Any:
    forward, _ = oklab._lms_matrices(space)
    return np.cbrt(light @ forward.T) @ oklab._M2.T


def from_lab(space: Encoding, lab: Any) -> Any:
    _, back = oklab._lms_matrices(space)
    return (lab @ np.linalg.inv(oklab._M2).T) ** 3 @ back.T


def luma(space: Encoding, code: Any) -> Any:
    y = space.to_xyz[1]
    return code @ (y / y.sum())


def curve(points: Any, x: Any) -> Any:
    """SciPy's PCHIP, straight beyond the ends."""
    xs, ys = np.array(points).T
    if len(xs) == 2:
        return ys[0] + (x - xs[0]) * (ys[1] - ys[0]) / (xs[1] - xs[0])
    inner = PchipInterpolator(xs, ys)
    slope = inner.derivative()
    out = inner(np.clip(x, xs[0], xs[-1]))
    return out + np.minimum(x - xs[0], 0) * slope(xs[0]) + np.maximum(x - xs[-1], 0) * slope(xs[-1])


def smooth(t: Any) -> Any:
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


NOISE = 0.18 * 2**-8.8  # the usual noise floor


def noise_chroma(light: Any) -> Any:
    u = 4 * NOISE / np.maximum(light**3, 1e-12)
    return np.where(u < 1, NOISE / light**2 * (1 - 0.4 * u) / np.maximum(1 - u, 1e-9), 1000)


def coloured(lab: Any, grey: float, colour: float) -> Any:
    """How far colours are neither grey nor noise."""
    q = noise_chroma(lab[..., 0])
    return smooth((np.hypot(lab[..., 1], lab[..., 2]) - grey - q) / (colour - grey + 2 * q))


def power(x: Any, p: Any) -> Any:
    return np.sign(x) * np.abs(x) ** p


def exposure(p: Any, x: Any, space: Encoding) -> Any:
    return encode(space, decode(space, x) * 2**p.stops)


def white_balance(p: Any, x: Any, space: Encoding) -> Any:
    def xyz(xy: Any) -> Any:
        return np.array([xy[0] / xy[1], 1, (1 - xy[0] - xy[1]) / xy[1]])

    cat = np.array(
        [
            [0.401288, 0.650173, -0.051461],
            [-0.250268, 1.204414, 0.045854],
            [-0.002079, 0.048952, 0.953127],
        ]
    )
    white = xyz(source_white(p.temperature, p.tint))
    gain = np.diag((cat @ xyz((0.3127, 0.3290))) / (cat @ white))
    whole = np.linalg.inv(space.to_xyz_d65) @ np.linalg.inv(cat) @ gain @ cat @ space.to_xyz_d65
    return encode(space, decode(space, x) @ whole.T)


def cdl(p: Any, x: Any, _space: Encoding) -> Any:
    v = np.clip(x * np.array(p.slope) + np.array(p.offset), 0, 1) ** np.array(p.power)
    y = (v @ np.array([0.2126, 0.7152, 0.0722]))[..., None]
    return np.clip(y + p.saturation * (v - y), 0, 1)


def balance(p: Any, x: Any, _space: Encoding) -> Any:
    lift, gain, offset = np.array(p.lift), np.array(p.gain), np.array(p.offset)
    return power(gain * (x + lift * (1 - x)) + offset, 1 / np.array(p.gamma))


def contrast(p: Any, x: Any, space: Encoding) -> Any:
    """With kept ends: t -> s t / (1 + (s - 1) t) on either side of the pivot, straight beyond them."""
    s, black = p.slope, float(encode(space, 0.0))

    def side(v: Any, room: float) -> Any:
        t = (v - p.pivot) / room
        return p.pivot + room * np.where(t <= 1, s * t / (1 + (s - 1) * t), 1 + (t - 1) / s)

    return np.where(x > p.pivot, side(x, 1 - p.pivot), side(x, black - p.pivot))


def curves(p: Any, x: Any, space: Encoding) -> Any:
    out = np.stack([curve(q, x[..., c]) for c, q in enumerate((p.red, p.green, p.blue))], -1)
    out = curve(p.master, out)
    y = luma(space, out)
    there, wanted = (decode(space, v)[..., None] for v in (y, curve(p.luma, y)))
    faint = 0.004 + np.maximum(wanted - 4 * np.maximum(there, 0), 0) / 4
    gain = (np.maximum(wanted, 0) + faint) / (np.maximum(there, 0) + faint)
    return encode(space, decode(space, out) * gain + wanted - there * gain)


def levels(p: Any, x: Any, _space: Encoding) -> Any:
    def one(v: Any, five: Any) -> Any:
        black, gamma, white, low, high = five
        return low + (high - low) * power((v - black) / (white - black), 1 / gamma)

    out = np.stack([one(x[..., c], q) for c, q in enumerate((p.red, p.green, p.blue))], -1)
    return one(out, p.every)


def colourfulness(p: Any, x: Any, space: Encoding) -> Any:
    lab = to_lab(space, decode(space, x))
    a, b = lab[..., 1], lab[..., 2]
    chroma = np.hypot(a, b)
    ratio = np.minimum(chroma, 4) / 0.18
    keep = 1 - p.protect / 100 * (1 - 1 / (1 + ratio**2))
    away = np.cos(np.arctan2(b, a) - math.radians(55))
    edge = math.cos(math.radians(40))
    keep = keep * (1 - p.skin / 100 * smooth((away - edge) / (1 - edge)))
    keep = keep / (1 + (30 * noise_chroma(lab[..., 0])) ** 2)
    lab[..., 1:] *= (1 + p.amount / 100 * keep)[..., None]
    return encode(space, from_lab(space, lab))


def tints(p: Any, x: Any, space: Encoding) -> Any:
    """Level stretches of each stop's width, joined by PCHIP; here the stops do not overlap."""
    knots = [t + s * w / 2 for t, _h, _c, w in p.stops for s in (-1, 1)]
    lab = to_lab(space, decode(space, x))
    size = np.maximum(lab[..., 0], 1) * smooth(lab[..., 0] / 0.3)
    for axis, wave in ((1, math.cos), (2, math.sin)):
        heights = [c * wave(math.radians(h)) for _t, h, c, _w in p.stops for _ in (0, 1)]
        lab[..., axis] += size * curve(list(zip(knots, heights, strict=True)), luma(space, x))
    return encode(space, from_lab(space, lab))


def hue_table(p: Any, x: Any, space: Encoding) -> Any:
    lab = to_lab(space, decode(space, x))
    chroma, hue = (
        np.hypot(lab[..., 1], lab[..., 2]),
        np.degrees(np.arctan2(lab[..., 2], lab[..., 1])),
    )
    fade = coloured(lab, 0.002, 0.05)

    def along(points: Any) -> Any:
        ring = [(h + turn, v) for turn in (-360, 0, 360) for h, v in points]
        return curve(ring, hue % 360) * fade

    turned = np.radians(hue + 60 * along(p.hue))
    chroma = chroma * (1 + along(p.chroma))
    light = lab[..., 0] * (1 + 0.3 * along(p.lightness))
    moved = np.stack([light, chroma * np.cos(turned), chroma * np.sin(turned)], -1)
    return encode(space, from_lab(space, moved))


def nudges(p: Any, x: Any, space: Encoding) -> Any:
    """Gaussians whose weights are solved so that each pair is met, by a plain inverse."""
    lab = to_lab(space, decode(space, x))

    def shares(at: Any) -> Any:
        rows = []
        for q in p.pairs:
            d = at - np.array(q.source)
            away = (d[..., 1] ** 2 + d[..., 2] ** 2) / q.reach**2 + (d[..., 0] / q.depth) ** 2
            rows.append(0.5**away)
        return np.stack(rows, -1) * coloured(at, 0.004, 0.04)[..., None]

    source, goal = np.array([q.source for q in p.pairs]), np.array([q.goal for q in p.pairs])
    weights = np.linalg.inv(shares(source)) @ (goal - source)
    return encode(space, from_lab(space, lab + shares(lab) @ weights))


def mixer(p: Any, x: Any, _space: Encoding) -> Any:
    rows = np.array([p.red, p.green, p.blue])
    if p.keep_greys:
        rows += np.diag(1 - rows.sum(axis=1))
    return x @ rows.T


def highlight_rolloff(p: Any, x: Any, _space: Encoding) -> Any:
    def bent(v: Any) -> Any:
        room = p.ceiling - p.knee
        return np.where(v > p.knee, p.ceiling - room * np.exp(-(v - p.knee) / room), v)

    top = x.max(axis=-1, keepdims=True)
    together = x * np.where(top > p.knee, bent(top) / np.maximum(top, 1e-6), 1)
    mixed = bent(x) + p.keep_hue / 100 * (together - bent(x))
    return x + p.amount / 100 * (mixed - x)


def shadow_rolloff(p: Any, x: Any, _space: Encoding) -> Any:
    room = p.knee - p.floor
    bent = np.where(x < p.knee, p.floor + room * np.exp(-(p.knee - x) / room), x)
    return x + p.amount / 100 * (bent - x)


def gamut_fit(p: Any, x: Any, space: Encoding) -> Any:
    light = decode(space, x)
    top = light.max(axis=-1, keepdims=True)
    distance = (top - light) / np.abs(top)
    limit, t = np.array(p.limit), p.threshold
    scale = (limit - t) / (((1 - t) / (limit - t)) ** -1.2 - 1) ** (1 / 1.2)
    over = np.maximum(distance - t, 0)
    bent = np.minimum(distance, t) + over / (1 + (over / scale) ** 1.2) ** (1 / 1.2)
    fitted = np.where(top > 0, top - bent * np.abs(top), light)
    return encode(space, light + p.amount / 100 * (fitted - light))


def posterise(p: Any, x: Any, _space: Encoding) -> Any:
    count, width = round(p.levels) - 1, p.softness / 100
    base = np.floor(x * count)
    return (base + np.clip((x * count - base - 0.5) / width + 0.5, 0, 1)) / count


def lut(p: Any, x: Any, _space: Encoding) -> Any:
    """The battery's table is x**1.1 at 17 nodes a side: separable, so linear by channel."""
    nodes = np.linspace(0, 1, 17)
    return np.interp(np.clip(x, 0, 1), nodes, np.float32(nodes) ** np.float32(1.1))


def encoding_change(p: Any, x: Any, _space: Encoding) -> Any:
    source, target = encoding(p.source), encoding(p.target)
    return encode(target, decode(source, x) @ light_matrix(source, target).T)


REFERENCES = {
    f.__name__: f
    for f in (
        exposure,
        white_balance,
        cdl,
        balance,
        contrast,
        curves,
        levels,
        colourfulness,
        tints,
        hue_table,
        nudges,
        mixer,
        highlight_rolloff,
        shadow_rolloff,
        gamut_fit,
        posterise,
        lut,
        encoding_change,
    )
}
