"""What a glaze makes of a colour that is pointed at."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.encodings import encoding
from sfumato.core.glaze import glazes
from sfumato.core.glazes import contrast
from sfumato.core.glazes.hue_table import with_hue

WORKING = encoding("Tarn Log")
PICKED = np.float32([0.32, 0.41, 0.53])


@pytest.mark.parametrize("colour", [[0.2, 0.3, 0.5], [[0.2, 0.3, 0.5]]])
def test_contrast_turns_about_the_picked_tone(colour) -> None:
    before = contrast.Contrast(1.7, 0.4, True)
    after = contrast.pick(before, np.float32(colour), WORKING)
    assert after == contrast.Contrast(1.7, 0.3333, True)
    grey = np.full((1, 3), after.pivot, np.float32)
    np.testing.assert_allclose(contrast.run(after, grey, WORKING), grey, atol=1e-6)
    for code, pivot in ((-0.5, 0.05), (1.5, 0.95)):
        assert contrast.pick(before, np.full(3, code, np.float32), WORKING).pivot == pivot


def test_white_balance_makes_the_picked_colour_grey() -> None:
    spec = glazes()["white_balance"]
    cool = np.float32([0.38, 0.41, 0.43])
    out = spec.apply(spec.pick(spec.defaults(), cool, WORKING), cool[None], WORKING)[0]
    assert np.ptp(out) < 1e-3


@pytest.mark.parametrize("key", [k for k, s in glazes().items() if s.pick])
def test_picks_change_a_value_and_stay_within_range(key: str) -> None:
    """Wherever one points, the values are such as a control can show."""
    spec = glazes()[key]
    start = spec.defaults()
    assert spec.pick(start, PICKED, WORKING) != start
    for colour in ([0.0, 0.0, 0.0], [1.0, 0.0, 0.5], [9.0, -3.0, 0.2]):
        found = spec.pick(start, np.float32(colour), WORKING)
        code = spec.apply(found, PICKED[None], WORKING)
        assert np.isfinite(code).all()


@pytest.mark.parametrize("there", [0.5, 120.0, 359.0])
def test_a_hue_that_is_near_a_point_gets_none_of_its_own(there: float) -> None:
    """Near is under four degrees on either side, across 0 too."""
    points = ((there, 0.2),)
    for off in (-3.5, 3.5):
        assert with_hue(points, (there + off) % 360) == points
    for off in (-4.5, 4.5):
        found = with_hue(points, (there + off) % 360)
        assert len(found) == 2
        assert list(found) == sorted(found)
