"""The tone scale of the View: its fixed points, its slopes, its way back."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.tone import (
    GREY,
    eased,
    hue_restored,
    tone_and_hue_undone,
    tone_scale,
    uneased,
)
from sfumato.core.study.view import View


def at(stops: float, view: View) -> float:
    """Return display stops from grey for scene stops from grey."""
    light = np.float64([[GREY * 2.0**stops] * 3])
    return float(np.log2(tone_scale(light, view)[0, 0] / GREY))


@pytest.mark.parametrize("view", [View(), View(contrast=1.6, white=4.5, shoulder=2.5, black=4.0)])
def test_grey_stays_white_is_met_and_slopes_are_as_said(view: View) -> None:
    assert at(0, view) == pytest.approx(0, abs=1e-5)
    assert GREY * 2 ** at(view.white, view) == pytest.approx(1.0, abs=1e-5)
    assert (at(0.01, view) - at(-0.01, view)) / 0.02 == pytest.approx(view.contrast, abs=0.04)
    deep = at(-20, view) - at(-21, view)
    assert deep == pytest.approx(2.4, abs=1e-3)  # the toe: straight in log codes down to black
    middle = at(-view.black, view) - at(-view.black - 1, view)
    assert view.contrast < middle < 2.4
    halfway = view.contrast * -view.black - (2.4 - view.contrast) * (
        1 - np.log2(1 + 2**-view.black)
    )
    assert at(-view.black, view) == pytest.approx(halfway, abs=1e-4)


def test_negative_light_mirrors_and_black_stays_black() -> None:
    light = np.float64([[0.0, -0.18, 0.18]])
    np.testing.assert_allclose(tone_scale(light, View()), [[0, -0.18, 0.18]], atol=1e-6)


def test_hue_is_kept_by_where_the_middle_channel_lies() -> None:
    before = np.float32([[0.1, 0.4, 0.9]])
    after = np.float32([[0.2, 0.8, 0.9]])
    whole = hue_restored(before, after, 1.0)
    assert whole[0, 1] == pytest.approx(0.2 + 0.7 * 0.3 / 0.8, abs=1e-6)
    np.testing.assert_allclose(whole[0, [0, 2]], [0.2, 0.9], atol=1e-6)
    half = hue_restored(before, after, 0.5)
    np.testing.assert_allclose(half, (whole + after) / 2, atol=1e-6)


def test_the_ways_back_lead_back() -> None:
    rng = np.random.default_rng(2)
    light = rng.uniform(0.002, 3, (2000, 3)).astype(np.float32)
    view = View()
    shown = hue_restored(light, tone_scale(light, view), view.hue)
    np.testing.assert_allclose(tone_and_hue_undone(shown, view), light, rtol=2e-3)
    wide = light.copy()
    wide[:, 2] = wide[:, 0] * rng.uniform(-0.2, 1, 2000)
    inside = eased(wide)
    assert inside.min() >= 0
    np.testing.assert_allclose(uneased(inside), wide, atol=3e-3)
    near = np.float32([[1.0, 0.5, 0.25]])
    np.testing.assert_allclose(eased(near), near, atol=1e-6)  # nothing at a distance below .8
