"""A codec's noise leaves colours true; a shift of every colour does not, however small the noise."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import scene

from sfumato.media.parts.contract import FrameFacts, Still
from sfumato.media.parts.registry import by_suffix
from sfumato.work.results.applied_proof import AREAS, _areas, still_proof

PNG = by_suffix("a.png")
assert PNG is not None


def found(code: np.ndarray) -> Still:
    return Still(np.clip(np.round(code * 255), 0, 255).astype(np.uint8), FrameFacts("8"))


@pytest.mark.parametrize(("width", "height"), [(4 * AREAS, 40), (4 * AREAS, 3), (50, 20)])
def test_areas_are_squares_as_wide_as_the_picture_allows(width: int, height: int) -> None:
    picture = np.random.default_rng(1).random((height, width, 3)).astype(np.float32)
    side = {4 * AREAS: 4 if height > 4 else 3, 50: 1}[width]
    areas = _areas(picture)
    assert areas.shape == ((height // side) * (width // side), 3)
    np.testing.assert_allclose(areas[1], picture[:side, side : 2 * side].mean((0, 1)), atol=1e-6)
    np.testing.assert_allclose(areas[0], picture[:side, :side].mean((0, 1)), atol=1e-6)


def test_noise_is_told_from_a_shift() -> None:
    meant = scene(576, 360).astype(np.float32)
    meant[:40, :40] = 1.0  # white is a colour like any other
    noise = np.random.default_rng(2).normal(0, 0.02, meant.shape)
    noisy = still_proof(meant, found(meant + noise), PNG, 8, "sRGB")
    assert noisy.is_true
    assert not noisy.exact
    assert noisy.pixels_mean > 5 * noisy.colour_mean
    shifted = still_proof(meant, found(0.9 * meant + 0.05), PNG, 8, "sRGB")
    assert not shifted.is_true
    assert shifted.colour_most == pytest.approx(shifted.pixels_p99, rel=0.5)
    other = still_proof(meant, found(meant[:-1]), PNG, 8, "sRGB")
    assert not other.is_true


def test_one_colour_that_is_off_is_seen_among_many_that_are_not() -> None:
    """White areas that became grey: a few of thousands, each its own colour."""
    meant = np.full((96, 96, 3), 0.3, np.float32)
    meant[:8, :8] = 1.0
    wrong = meant.copy()
    wrong[:8, :8] = 0.85
    told = still_proof(meant, found(wrong), PNG, 8, "sRGB")
    assert told.colour_most > 5
    assert told.colour_mean < 0.3
