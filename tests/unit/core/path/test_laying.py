"""Blends by the published formulas, and the matte by values that can be checked by hand."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.path.laying import BLENDS, SOFT, TONE_ONLY, Laying, blended, matte, picked

SRGB = encoding("sRGB")


def one(blend: str, under: float, over: float) -> float:
    colours = (np.full((1, 3), v, np.float32) for v in (under, over))
    return float(blended(blend, *colours, SRGB)[0, 0])


@pytest.mark.parametrize(
    ("blend", "under", "over", "made"),
    [
        ("multiply", 0.25, 0.5, 0.125),
        ("screen", 0.25, 0.5, 0.625),
        ("overlay", 0.25, 0.6, 0.3),
        ("overlay", 0.75, 0.6, 0.8),
        # W3C Compositing and Blending Level 1: D(0.16) = ((16 x - 12) x + 4) x, D(0.36) = sqrt(x).
        (SOFT, 0.16, 0.25, 0.16 - 0.5 * 0.16 * 0.84),
        (SOFT, 0.16, 0.75, 0.16 + 0.5 * (((16 * 0.16 - 12) * 0.16 + 4) * 0.16 - 0.16)),
        (SOFT, 0.36, 0.75, 0.36 + 0.5 * (0.6 - 0.36)),
        (SOFT, 0.64, 1.0, 0.8),
    ],
)
def test_blends_are_those_of_the_standard(blend, under, over, made) -> None:
    assert one(blend, under, over) == pytest.approx(made, abs=1e-6)


def test_soft_light_has_no_step_where_its_two_curves_meet() -> None:
    assert one(SOFT, 0.25 - 1e-4, 0.9) == pytest.approx(one(SOFT, 0.25 + 1e-4, 0.9), abs=3e-4)
    steps = [one(SOFT, 0.25 + d, 0.9) for d in (-0.02, -0.01, 0, 0.01, 0.02)]
    assert np.abs(np.diff(steps, 2)).max() < 2e-3  # nor a corner


def test_what_lies_beyond_white_is_added_back() -> None:
    assert one("multiply", 1.5, 0.5) == pytest.approx(0.5 + 0.5)
    assert one("screen", -0.2, 0.5) == pytest.approx(0.5 - 0.2)


def test_tone_only_keeps_colour_and_colour_only_keeps_tone() -> None:
    under, over = np.float32([[0.6, 0.3, 0.2]]), np.float32([[0.2, 0.4, 0.7]])
    low, high = (oklab.from_light(SRGB.decode(v), SRGB)[0] for v in (under, over))
    for blend in BLENDS[-2:]:
        made = oklab.from_light(SRGB.decode(blended(blend, under, over, SRGB)), SRGB)[0]
        tone, colour = (high, low) if blend == TONE_ONLY else (low, high)
        np.testing.assert_allclose(made, [tone[0], *colour[1:]], atol=2e-4)


def test_a_matte_by_tone_is_a_trapezoid_with_smooth_edges() -> None:
    laying = Laying(tone_from=0.4, tone_to=0.6, tone_soft=0.2)
    tones = np.float32([0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.65, 0.7, 0.8, 0.9])
    greys = np.repeat(tones[:, None], 3, axis=1)
    shares = matte(laying, greys, SRGB)[:, 0]
    quarter = 0.75**2 * (3 - 2 * 0.75)  # three quarters of the way up
    expected = [0, 0, 0.5, 1, 1, 1, quarter, 0.5, 0, 0]
    np.testing.assert_allclose(shares, expected, atol=1e-5)
    turned = matte(Laying(tone_from=0.4, tone_to=0.6, tone_soft=0.2, inverted=True), greys, SRGB)
    np.testing.assert_allclose(turned[:, 0], 1 - np.float32(expected), atol=1e-5)


def test_a_matte_by_hue_wraps_and_spares_greys() -> None:
    def of(hue: float, chroma: float) -> np.ndarray:
        angle = np.radians(hue)
        lab = np.float32([[0.6, chroma * np.cos(angle), chroma * np.sin(angle)]])
        return SRGB.encode(oklab.to_light(lab, SRGB))

    laying = Laying(hue=350.0, hue_width=40.0, hue_soft=20.0)
    shares = [float(matte(laying, of(h, 0.1), SRGB)[0, 0]) for h in (350, 9, 331, 20, 30, 40, 180)]
    np.testing.assert_allclose(shares, [1, 1, 1, 0.5, 0, 0, 0], atol=0.01)
    assert matte(laying, np.full((1, 3), 0.5, np.float32), SRGB)[0, 0] < 1e-3
    # Chroma counts for its lightness, 0.6 here.
    weak = Laying(chroma_from=0.1, chroma_soft=0.05)
    shares = [float(matte(weak, of(120, c), SRGB, 0.0)[0, 0]) for c in (0.024, 0.045, 0.066)]
    np.testing.assert_allclose(shares, [0, 0.5, 1], atol=0.01)


def test_a_pick_sets_hue_or_tone() -> None:
    red = SRGB.encode(oklab.to_light(np.float32([[0.6, 0.1, 0.0]]), SRGB))
    assert picked(Laying(), red, SRGB).hue == pytest.approx(0, abs=1)
    assert picked(Laying(hue_width=70.0), red, SRGB).hue_width == 70.0
    grey = picked(Laying(), np.float32([0.5, 0.5, 0.5]), SRGB)
    assert (grey.tone_from, grey.tone_to, grey.by_hue) == (0.4, 0.6, False)
