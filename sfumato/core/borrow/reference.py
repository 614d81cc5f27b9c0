"""A look out of a picture of other content: its tones and its colours by band, told in glazes.

A starting point and no more: what the contents differ by cannot be told from what was done to them. So
only part of it is taken by default, with gentle slopes, and as glazes that one goes on with.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow import scatter
from sfumato.core.borrow.explain import Explained, explained
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import ease
from sfumato.core.colour.encodings import Encoding, convert
from sfumato.core.colour.showing import Showing, can_be_undone, shown, unshown
from sfumato.core.errors import ValueRefused
from sfumato.core.study.loan import Amounts

STARTING_POINT = (
    "A reference of other content is a starting point: how much of it comes from the grade and how "
    "much from what it shows cannot be told. Take as much of it as looks right, and go on from there."
)
_ENDS = (0.01, 0.99)  # quantiles of lightness that stand for black and white
_END_MOST, _MIDDLE_MOST = 0.1, 0.05  # how far these and the median are moved, Oklab L
_BANDS = (0.1, 0.3, 0.5, 0.7, 0.9)
_BAND_WIDTH = 0.16
_FEW = 0.04  # share of a picture in a band at which half of what the band says is believed
_PALE = 0.05  # Oklab chroma of what may be a grey with a tint
_SHIFT_MOST, _GAIN_MOST = 0.025, 0.25  # of the tints, and of the logarithm of chroma
_BELIEVED = 0.5  # of all this, at a strength of 1: the rest is taken for what the pictures show
_DARK = 0.08  # Oklab L below which nothing is shifted
_SKIN, _SKIN_WIDTH = np.radians(55.0), np.radians(35.0)
_GREY = (0.01, 0.05)  # Oklab chroma between which greys pass into colours


@frozen(eq=False)
class Link:
    """Colours of a shot, working codes (k, 3), and those of a reference, display codes (m, 3), that belong
    together: whole pictures, or a sky and a sky."""

    shot: Rgb
    reference: Rgb


def _lab(codes: Rgb, display: Encoding) -> Array:
    light = display.decode(np.clip(codes, 0, 1)) / np.float32(display.reference)
    return oklab.from_light(light, display).astype(np.float64)


def _codes(lab: Array, display: Encoding) -> Rgb:
    light = oklab.to_light(np.asarray(lab, np.float32), display) * np.float32(display.reference)
    return np.clip(display.encode(light), 0, 1)


def _held(value: Array | float, most: float) -> Array:
    """Return a value that passes smoothly into a limit."""
    return np.asarray(most * np.tanh(np.asarray(value) / most))


def tone_map(shot: Array, reference: Array) -> tuple[Array, Array]:
    """Return places and heights of a map from lightness to lightness that rises everywhere.

    Black and white are moved towards the reference's, and the middle a little: how light a picture is
    in between says more of what it shows than of how it was graded.

    Args:
        shot, reference: Oklab L.
    """
    (low, high), (to_low, to_high) = (np.quantile(v, _ENDS) for v in (shot, reference))
    middle, to_middle = float(np.median(shot)), float(np.median(reference))
    middle = min(max(middle, low + 0.1), high - 0.1) if high - low > 0.25 else (low + high) / 2
    moves = (
        float(_held(to_low - low, _END_MOST)),
        float(_held(to_middle - middle, _MIDDLE_MOST)),
        float(_held(to_high - high, _END_MOST)),
    )
    grid = np.linspace(0, 1, 33)
    rise = grid + np.interp(grid, (low, middle, high), moves)
    even = np.convolve(np.pad(rise - grid, 4, mode="edge"), np.ones(9) / 9, mode="valid")
    return grid, np.maximum.accumulate(np.clip(grid + even, 0, 1) + 1e-4 * grid)


def _band(light: Array) -> Array:
    """Return how much lightness belongs to each band, (k, bands), summing to 1."""
    share = np.exp(-(((light[:, None] - np.array(_BANDS)) / _BAND_WIDTH) ** 2) / 2)
    return np.asarray(share / share.sum(1, keepdims=True))


@frozen
class _Colours:
    """Of one band: the tint of what is pale, how colourful the rest, and how much there is of each."""

    tint: Array
    chroma: float
    pale: float
    share: float


def _of_band(lab: Array, share: Array) -> _Colours:
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    pale = share * np.exp(-((chroma / _PALE) ** 2))
    tint = (lab[:, 1:] * pale[:, None]).sum(0) / max(float(pale.sum()), 1e-9)
    total = max(float(share.sum()), 1e-9)
    spread = float((np.hypot(*(lab[:, 1:] - tint).T) * share).sum() / total)
    return _Colours(tint, spread, float(pale.sum()) / len(lab), total / len(lab))


def _moved(shot: Array, reference: Array, amounts: Amounts) -> Array:
    """Return the Oklab that a reference asks of colours (k, 3)."""
    grid, heights = tone_map(shot[:, 0], reference[:, 0])
    full = np.interp(
        shot[:, 0], grid, heights
    )  # bands are compared as if all of the tone was taken
    believed = _BELIEVED * amounts.strength / 100
    light = shot[:, 0] + believed * amounts.tone / 100 * (full - shot[:, 0])
    ours, theirs = _band(full), _band(reference[:, 0])
    shifts, gains = np.zeros((len(_BANDS), 2)), np.zeros(len(_BANDS))
    for i in range(len(_BANDS)):
        a, b = _of_band(shot, ours[:, i]), _of_band(reference, theirs[:, i])
        both = min(a.pale, b.pale)
        wanted = b.tint - a.tint
        far = max(float(np.hypot(*wanted)), 1e-9)
        shifts[i] = both / (both + _FEW) * wanted / far * _held(far, _SHIFT_MOST)
        both = min(a.share, b.share)
        gains[i] = (
            both
            / (both + _FEW)
            * float(_held(np.log((b.chroma + 0.02) / (a.chroma + 0.02)), _GAIN_MOST))
        )
    colour = believed * amounts.colour / 100
    dark = np.asarray(ease(shot[:, :1] / _DARK))
    move = shot[:, 1:] * (np.exp(colour * (ours @ gains)) - 1)[:, None] + colour * (ours @ shifts)
    if amounts.keep_greys:
        chroma = np.hypot(shot[:, 1], shot[:, 2])[:, None]
        move = move * ease((chroma - _GREY[0]) / (_GREY[1] - _GREY[0]))
    out = np.concatenate([light[:, None], shot[:, 1:] + dark * move], axis=1)
    if amounts.spare_skin:
        out += _skin(shot)[:, None] * (shot - out) * np.array([0, 1, 1])
    return np.asarray(out)


def _skin(lab: Array) -> Array:
    away = np.abs((np.arctan2(lab[:, 2], lab[:, 1]) - _SKIN + np.pi) % (2 * np.pi) - np.pi)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    return np.asarray(ease(1.5 - away / _SKIN_WIDTH) * ease(chroma / 0.04))


def borrowed(
    links: Sequence[Link],
    working: Encoding,
    view: Showing,
    display: Encoding,
    amounts: Amounts,
    check: StillWanted = always_wanted,
) -> Explained:
    """Return glazes that bring a shot towards references.

    Args:
        links: what of the shot goes with what of the references.
        display: of the references' codes.

    Raises:
        ValueRefused: there are too few colours, or the View cannot be undone.
    """
    if working.is_scene and not can_be_undone(working, view, display):
        raise ValueRefused(
            f"{view.encoding} cannot be undone, so colours of a display cannot be taken into the Look",
            hint="choose a View of Sfumato's own while borrowing",
        )
    before, after, weight = [], [], []
    for link in links:
        check()
        codes = np.clip(shown(link.shot, working, view, display), 0, 1)
        shot, reference = _lab(codes, display), _lab(link.reference, display)
        for lab, which in ((shot, "shot"), (reference, "reference")):
            if len(lab) < 64 or float(lab[:, 0].max()) < 0.05:
                raise ValueRefused(
                    f"the {which} is black or too small to borrow from",
                    hint="choose a picture, or a part, with something to see",
                )
        target = _moved(shot, reference, amounts)
        here = _codes(target, display)
        before.append(np.asarray(link.shot, np.float64))
        after.append(_worked(here, working, view, display).astype(np.float64))
        weight.append(np.full(len(here), 1 / len(here)))
    inside = np.clip(np.concatenate(before), 0, 1)
    pairs = scatter.gathered(inside, np.concatenate(after), np.concatenate(weight)).balanced
    keys = ("curves", "colourfulness", "hue_table" if amounts.keep_greys else "tints")
    return explained(pairs, working, view, display, keys=keys, check=check)


def _worked(codes: Rgb, working: Encoding, view: Showing, display: Encoding) -> Rgb:
    if working.is_scene:
        return unshown(codes, working, view, display)
    return convert(codes, display, working)
