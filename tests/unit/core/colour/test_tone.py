"""The tone scale of the View: its fixed points, its slopes, its way back."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core import compiled
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.hue import (
    hue_restored,
    hue_seen,
    tone_and_hue_seen_undone,
    tone_and_hue_undone,
)
from sfumato.core.colour.tone import GREY, eased, tone_scale, uneased
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


@pytest.fixture(params=["numpy", "compiled"])
def form(request, monkeypatch) -> str:
    """Both forms of the arithmetic."""
    compiled.load_kernels()
    if request.param == "numpy":
        monkeypatch.setattr(compiled.KERNELS, "colour", None)
    return request.param


DISPLAY = encoding("BT.1886")


def hue_of(light: np.ndarray) -> np.ndarray:
    lab = oklab.from_light(np.float32(light), DISPLAY)
    return np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))


def test_hue_as_seen_is_nearer_to_the_scene_and_leaves_the_ends_alone(form: str) -> None:
    rng = np.random.default_rng(5)
    light = rng.uniform(0.003, 0.4, (4000, 3)).astype(np.float32)
    light[:50] = light[:50, :1]
    bent = tone_scale(light, View())
    kept = hue_seen(light, bent, 0.8, DISPLAY, 1.0)
    np.testing.assert_allclose(kept[:50], bent[:50], atol=1e-6)  # greys
    for end in (np.min, np.max):
        np.testing.assert_allclose(end(kept, axis=1), end(bent, axis=1), atol=1e-6)
    away = [np.abs((hue_of(v) - hue_of(light) + 180) % 360 - 180)[50:] for v in (bent, kept)]
    assert away[1].mean() < 0.6 * away[0].mean()
    assert (hue_seen(light, bent, 0.0, DISPLAY, 1.0) == bent).all()


def test_fire_burns_out_through_yellow_and_blue_stays_blue(form: str) -> None:
    """By its ratios fire turns pink and blue violet; the pair of View defaults decides."""
    fire, blue = np.float32([[20.8, 3.02, 0.3]] * 40), np.float32([[0.12, 0.09, 1.5]] * 40)
    view = View()
    shown = {
        name: hue_seen(light, tone_scale(light, view), view.hue, DISPLAY, 1.0)[0]
        for name, light in (("fire", fire), ("blue", blue))
    }
    assert shown["fire"][1] > 2 * shown["fire"][2]
    assert 70 < hue_of(shown["fire"]) < 105  # yellow; pink is near 20
    assert hue_of(shown["blue"]) < hue_of(tone_scale(blue, view)[0])
    assert abs(hue_of(shown["blue"]) - hue_of(blue[0])) < 6


def test_hue_as_seen_is_undone_and_every_colour_is_reached(form: str) -> None:
    """Display colours over the whole cube come back from scene colours that are shown as them."""
    rng = np.random.default_rng(6)
    display = rng.uniform(0.001, 0.99, (3000, 3)).astype(np.float32)
    view = View()
    scene = tone_and_hue_seen_undone(display, view, 0.8, DISPLAY, 1.0)
    again = hue_seen(scene, tone_scale(scene, view), 0.8, DISPLAY, 1.0)
    apart = np.abs(again - display).max(axis=1)
    assert np.percentile(apart, 99) < 1e-5
    assert apart.max() < 0.015


def test_the_ways_back_lead_back() -> None:
    rng = np.random.default_rng(2)
    light = rng.uniform(0.002, 3, (2000, 3)).astype(np.float32)
    view = View()
    shown = hue_restored(light, tone_scale(light, view), view.hue)
    np.testing.assert_allclose(tone_and_hue_undone(shown, view, view.hue, 1.0), light, rtol=2e-3)
    wide = light.copy()
    wide[:, 2] = wide[:, 0] * rng.uniform(-0.2, 1, 2000)
    inside = eased(wide, 0.9)
    assert inside.min() >= 0
    np.testing.assert_allclose(uneased(inside, 0.9), wide, atol=3e-3)
    near = np.float32([[1.0, 0.5, 0.25]])
    np.testing.assert_allclose(eased(near, 0.8), near, atol=1e-6)  # nothing at a distance below .8
