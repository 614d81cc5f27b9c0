"""What is marked as clipped and crushed, and how differences are summed up."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import clipped, cube_colours, difference, difference_of
from sfumato.core.lut.transform import Function, Transform


def test_a_channel_at_the_top_clips_and_all_at_the_bottom_are_crushed() -> None:
    image = np.uint8([[[255, 9, 9], [254, 254, 254], [0, 0, 0], [0, 0, 1], [255, 0, 0]]])
    high, low = clipped(image)
    assert high.tolist() == [[True, False, False, False, True]]
    assert low.tolist() == [[False, False, True, False, False]]
    high, low = clipped(image, 16 / 255, 235 / 255)
    assert high.tolist() == [[True, True, False, False, True]]
    assert low.tolist() == [[True, False, True, True, True]]


def test_figures_are_those_of_the_worst_colour() -> None:
    colours = np.float32([[0.5] * 3] * 98 + [[0.2, 0.4, 0.6], [0.1, 0.1, 0.1]])
    meant = Transform()

    def off(code: np.ndarray) -> np.ndarray:
        out = np.array(code)
        out[98] += np.float32([0.1, 0, -0.1])
        return out

    found = difference(meant, Transform((Function("off", off),)), colours, encoding("sRGB"))
    assert found.count == 100
    assert found.worst_at == pytest.approx((0.2, 0.4, 0.6))
    assert found.code_value_worst == pytest.approx(0.1, abs=1e-6)
    assert found.mean == pytest.approx(found.worst / 100, rel=1e-4)
    assert found.p99 < found.worst
    same = difference_of((colours, colours), colours, encoding("sRGB"))
    assert (same.mean, same.worst) == (0, 0)


def test_the_colours_of_the_cube_fill_it() -> None:
    found = cube_colours(4000)
    assert found.shape == (4000, 3)
    counts, _ = np.histogramdd(found, bins=(4, 4, 4), range=[(0, 1)] * 3)
    assert counts.min() > 0.6 * 4000 / 64
    np.testing.assert_array_equal(found, cube_colours(4000))
