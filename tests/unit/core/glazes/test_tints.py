"""Tints: how wide each stop lies, and what a new one between others starts as."""

from __future__ import annotations

import math

import numpy as np
import pytest

from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.glazes.tints import Tints, run, shifts, with_stop

DISPLAY = encoding("sRGB")


def shift_at(stops, *tones: float) -> np.ndarray:
    """Return how far greys of these tones are moved in Oklab's a and b."""
    greys = np.repeat(np.float32(tones)[:, None], 3, axis=1)
    before, after = (
        oklab.from_light(DISPLAY.decode(c), DISPLAY)
        for c in (greys, run(Tints(stops), greys, DISPLAY))
    )
    np.testing.assert_allclose(after[:, 0], before[:, 0], atol=1e-4)
    return (after - before)[:, 1:]


def test_a_stop_is_as_wide_as_it_says() -> None:
    stops = ((0.2, 90.0, 0.04, 0.2), (0.8, 0.0, 0.03, 0.1))
    a, b = shifts(stops)
    assert [round(x, 6) for x, _ in b] == [0.1, 0.3, 0.75, 0.85]
    assert [round(y, 6) for _, y in b] == [0.04, 0.04, 0, 0]
    assert [round(y, 6) for _, y in a] == [0, 0, 0.03, 0.03]
    inside = shift_at(stops, 0.2, 0.25, 0.29)
    np.testing.assert_allclose(inside, [[0, 0.04]] * 3, atol=4e-4)
    assert (shift_at(stops, 0.05, 0.12)[:, 1] < 0.036).all()  # black takes no colour
    between = shift_at(stops, 0.4, 0.525, 0.65)
    assert (np.diff(between[:, 1]) < -0.003).all()
    assert (np.diff(between[:, 0]) > 0.003).all()
    np.testing.assert_allclose(shift_at(stops, 0.76, 0.84), [[0.03, 0]] * 2, atol=4e-4)


def test_wide_stops_share_the_tones_between_them() -> None:
    (_, b0, a1, _) = (x for x, _ in shifts(((0.4, 0.0, 0.02, 0.9), (0.6, 0.0, 0.02, 0.9)))[0])
    assert b0 < 0.5 < a1
    assert b0 + a1 == pytest.approx(1.0)


def test_a_new_stop_takes_the_tint_that_is_there() -> None:
    stops = ((0.2, 90.0, 0.04, 0.2), (0.8, 0.0, 0.03, 0.1))
    more = with_stop(stops, 0.25)
    tone, hue, chroma, _width = more[1]
    assert (tone, hue) == (0.25, 90.0)
    assert chroma == pytest.approx(0.04, abs=1e-4)
    a, b = shift_at(stops, 0.5)[0]
    mixed = with_stop(stops, 0.5)[1]
    assert mixed[1] == pytest.approx(math.degrees(math.atan2(b, a)), abs=2)
    assert with_stop(stops, 0.22) == stops  # too near
    assert len(with_stop((), 0.5)) == 1
