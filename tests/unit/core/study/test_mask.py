"""Masks: what a stroke, a gradient and an inversion put down, at any size."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.errors import ValueRefused
from sfumato.core.study import mask as masks
from sfumato.core.study.mask import Brush, Gradient, Inverted, Mask, Stroke, rendered

DAB = Stroke(Brush(size=20.0, softness=0.0, flow=100.0), ((0.5, 0.5, 1.0),))


def test_a_dab_is_as_large_as_its_brush_says_at_any_size() -> None:
    for width, height in ((200, 100), (400, 200)):
        pixels = rendered(Mask(False, (DAB,)), width, height)
        covered = np.flatnonzero(pixels[height // 2] > 0.5)
        assert (covered[-1] - covered[0] + 1) / width == pytest.approx(0.2, abs=0.015)
        assert pixels[height // 2, width // 2] == pytest.approx(1.0)
        assert pixels[0, 0] == 0
    whole, part = rendered(Mask(False, (DAB,)), 200, 100), (0.25, 0.25, 0.75, 0.75)
    zoomed = rendered(Mask(False, (DAB,)), 200, 100, part)
    np.testing.assert_allclose(zoomed[1::2, 1::2].mean(), whole[25:75, 50:150].mean(), atol=0.01)


def test_softness_flow_erasing_and_inverting() -> None:
    soft = Stroke(Brush(size=40.0, softness=100.0, flow=100.0), ((0.5, 0.5, 1.0),))
    line = rendered(Mask(False, (soft,)), 201, 201)[100]
    assert line[100] == pytest.approx(1, abs=1e-3)
    assert line[100 + 20] == pytest.approx(0.5, abs=0.03)  # half of the radius: half of the ink
    assert line[100 + 41] == 0
    assert (np.diff(line[100:142]) <= 1e-6).all()
    light = Stroke(Brush(size=40.0, softness=0.0, flow=50.0), ((0.5, 0.5, 0.5),))
    assert 0 < rendered(Mask(False, (light,)), 50, 50)[25, 25] < 0.5
    eraser = Stroke(Brush(size=20.0, softness=0.0, flow=100.0, erase=True), ((0.5, 0.5, 1.0),))
    assert rendered(Mask(True, (eraser,)), 100, 100)[50, 50] == 0
    turned = rendered(Mask(False, (DAB, Inverted())), 100, 100)
    assert (turned[50, 50], turned[0, 0]) == (0, 1)


def test_a_gradient_runs_from_full_to_none_between_its_ends() -> None:
    ramp = rendered(Mask(False, (Gradient((0.25, 0.5), (0.75, 0.5)),)), 100, 20)[10]
    assert ramp[10] == 1
    assert ramp[90] == 0
    assert ramp[49:51].mean() == pytest.approx(0.5, abs=1e-5)
    assert (np.diff(ramp) <= 0).all()
    gone = rendered(Mask(True, (Gradient((0.25, 0.5), (0.75, 0.5), True),)), 100, 20)[10]
    np.testing.assert_allclose(gone, 1 - ramp, atol=1e-6)


def test_plain_data_keep_a_mask_and_damaged_ones_are_refused() -> None:
    mask = Mask(False, (DAB, Gradient((0.1, 0.2), (0.3, 0.4), True), Inverted()))
    assert masks.load(masks.dump(mask)) == mask
    for bad in ({"stroke": [0.1, 0.2]}, {"gradient": [float("nan")] * 4}, {"stroke": [1e9] * 3}):
        with pytest.raises(ValueRefused):
            masks.load({"marks": [bad]})
