"""Stages of a transform by hand: ranges with one end, what is refused, what NaN becomes."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.errors import ValueRefused
from sfumato.core.lut.stages import Range

CODES = np.float32([[-0.5, 0.1, 0.5], [0.9, 1.0, 2.0]])


@pytest.mark.parametrize(
    ("stage", "expected"),
    [
        (Range((0.1, 0.0), (0.9, 1.2)), [[0, 0, 0.6], [1.2, 1.2, 1.2]]),
        (Range((0.1, 0.0), (0.9, 1.2), False), [[-0.9, 0, 0.6], [1.2, 1.35, 2.85]]),
        (Range((0.1, 0.3)), [[0.3, 0.3, 0.7], [1.1, 1.2, 2.2]]),
        (Range(None, (0.9, 0.6)), [[-0.8, -0.2, 0.2], [0.6, 0.6, 0.6]]),
    ],
)
def test_ranges_scale_between_two_ends_and_shift_by_one(stage: Range, expected) -> None:
    """CLF: with one pair of ends the numbers are shifted so that it is met, and held there."""
    np.testing.assert_allclose(stage.apply(CODES), expected, atol=1e-6)


def test_nan_becomes_the_low_end() -> None:
    bad = np.float32([[np.nan, np.inf, -np.inf]])
    np.testing.assert_allclose(Range((0.0, 0.25), (1.0, 0.75)).apply(bad), [[0.25, 0.75, 0.25]])


@pytest.mark.parametrize(
    "ends",
    [
        {},
        {"low": (0.0, 0.0), "clamp": False},
        {"low": (0.5, 0.0), "high": (0.5, 1.0)},
        {"low": (0.0, 0.6), "high": (1.0, 0.5)},
        {"low": (0.0, float("nan"))},
    ],
)
def test_ranges_that_mean_nothing_are_refused(ends) -> None:
    with pytest.raises(ValueRefused):
        Range(**ends)
    assert Range((0.0, 0.5), (1.0, 0.5)).apply([[0.2, 0.4, 0.9]]).tolist() == [[0.5, 0.5, 0.5]]
