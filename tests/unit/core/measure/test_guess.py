"""Guesses of encodings: log curves are told apart, and others' encodings count."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.encodings import Family, encoding
from sfumato.core.measure.guess import guess


def scene(seed: int = 4) -> np.ndarray:
    """Return made-up scene light, linear BT.709: deep shadows to highlights, muted colours."""
    rng = np.random.default_rng(seed)
    stops = np.clip(rng.normal(-0.4, 2.2, (20000, 1)), -6.5, 4)
    light = 0.18 * 2.0**stops * (1 + rng.normal(0, 0.08, (20000, 3)))
    light[:200] = 0.0
    return np.maximum(light, 0).astype(np.float32)


def seen(name: str) -> np.ndarray:
    return encoding(name).encode(scene())


@pytest.mark.parametrize("name", ["ACEScct", "Tarn Log"])
def test_a_log_curve_is_told_by_where_it_puts_black(name: str) -> None:
    found = guess(seen(name))
    assert (found.family, found.name) == (Family.LOG, name)
    assert "as log footage" in found.evidence
    assert found.doubts(encoding("sRGB"))
    assert not found.doubts(encoding("ACEScc"))
    assert not found.doubts(encoding("ACEScg"))


def test_acescc_is_not_taken_for_acescct() -> None:
    """ACEScct raises black to .073; ACEScc goes below 0 there."""
    assert guess(seen("ACEScct")).name == "ACEScct"
    deep = seen("ACEScc")
    assert float(np.percentile(deep, 0.5)) < 0
    assert guess(deep).name != "ACEScct"


def test_pictures_for_displays_and_floats_beyond_white() -> None:
    shown = encoding("sRGB").encode(np.clip(scene() * 2, 0, 1))
    assert guess(shown).family is Family.DISPLAY
    linear = guess(scene(), is_float=True)
    assert (linear.family, linear.name) == (Family.LINEAR, "Linear BT.709")
    assert guess(scene(), is_float=True, others=("ACEScg", "sRGB")).name == "ACEScg"
    assert guess(seen("ACEScct"), others=("Tarn Log", "Tarn Log", "ACEScct")).name == "Tarn Log"
    assert guess(shown, others=("BT.1886",)).name == "BT.1886"


def test_full_colours_with_raised_blacks_are_a_picture_for_a_display() -> None:
    """Tones close together alone do not make log: its colours look muted too."""
    rng = np.random.default_rng(7)
    tones = rng.uniform(0.12, 0.6, (20000, 1))
    for spread, family in ((0.30, Family.DISPLAY), (0.02, Family.LOG)):
        code = np.clip(tones + spread * rng.uniform(-0.5, 0.5, (20000, 3)), 0.06, 0.7)
        found = guess(code.astype(np.float32))
        assert found.family is family, spread
        assert ("full" in found.evidence) == (family is Family.DISPLAY)
