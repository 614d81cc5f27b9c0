"""What a glaze makes of a colour that is pointed at."""

from __future__ import annotations

import warnings

import attrs
import numpy as np
import pytest

from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import Pair
from sfumato.core.glaze import glazes
from sfumato.core.glazes import contrast, white_balance
from sfumato.core.glazes.hue_table import with_hue

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from colour.temperature import CCT_to_uv_Krystek1985

np.set_printoptions(legacy=False)  # which that import changes for everybody

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


@pytest.mark.parametrize("kelvin", [1500, 2856, 4000, 6504, 9300, 14000])
def test_the_planckian_locus_is_that_of_a_library(kelvin: float) -> None:
    theirs = CCT_to_uv_Krystek1985(kelvin)
    np.testing.assert_allclose(white_balance.locus(1e6 / kelvin), theirs, atol=1e-9)


@pytest.mark.parametrize("depth", [0.03, 0.08, 0.3])
def test_nudges_that_overlap_meet_each_of_their_goals(depth: float) -> None:
    """Sources of one hue at three tones: each reaches into the others by its own depth."""
    pairs = tuple(
        Pair(
            (tone, 0.05, 0.06),
            (tone + 0.02, 0.05 + 0.02 * i, 0.06 - 0.01 * i),
            0.1,
            depth * (1 + i),
            keep=False,
        )
        for i, tone in enumerate((0.45, 0.52, 0.6))
    )
    spec = glazes()["nudges"]
    wanted = [oklab.to_light(np.float32([q.target]), WORKING) for q in pairs]
    given = [oklab.to_light(np.float32([q.source]), WORKING) for q in pairs]
    code = WORKING.encode(np.concatenate(given))
    found = spec.apply(attrs.evolve(spec.defaults(), pairs=pairs), code, WORKING)
    np.testing.assert_allclose(found, WORKING.encode(np.concatenate(wanted)), atol=2e-4)
