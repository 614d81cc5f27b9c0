"""What a picture for one display looks like on another."""

from __future__ import annotations

import attrs
import numpy as np
import pytest

from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.colour.screen import is_plain, on_screen, screen_words

SCREEN = encoding("sRGB")
CODES = np.random.default_rng(5).random((500, 3)).astype(np.float32)


def test_codes_of_the_same_display_stay_and_others_are_carried() -> None:
    assert on_screen(CODES, SCREEN, SCREEN) is CODES
    twin = attrs.evolve(SCREEN, name="twin", title="twin")
    assert is_plain(twin, SCREEN)
    for other in ("BT.1886", "Display P3", "P3-DCI"):
        assert not is_plain(encoding(other), SCREEN), other
        white = on_screen(np.ones((1, 3), np.float32), encoding(other), SCREEN)
        np.testing.assert_allclose(white, 1, atol=2e-3)
        assert screen_words(encoding(other), SCREEN)[0] == "on sRGB"
    found = on_screen(CODES, encoding("BT.1886"), SCREEN)
    np.testing.assert_allclose(found, convert(CODES, "BT.1886", "sRGB"), atol=1e-5)
    assert screen_words(SCREEN, SCREEN) == ("", "")


@pytest.mark.parametrize("name", ["BT.2100 PQ", "BT.2100 HLG"])
def test_light_beyond_diffuse_white_is_bent_into_white(name: str) -> None:
    wide = encoding(name)
    light = np.float32([0.0, 0.05, 0.3, 0.65, 1.0, 2.0, 4.0])[:, None] * np.ones(3, np.float32)
    code = wide.encode(light * np.float32(wide.reference))
    seen = on_screen(code, wide, SCREEN)[:, 0]
    assert (np.diff(seen) > 0).all()
    assert seen[0] == pytest.approx(0, abs=1e-3)
    np.testing.assert_allclose(seen[1:4], SCREEN.encode(light[1:4])[:, 0], atol=4e-3)
    assert 0.8 < seen[4] < 1
    assert seen[-1] <= 1
    negative = on_screen(convert(np.float32([[0.0, 1.0, 0.0]]), wide, wide), wide, SCREEN)
    assert (negative >= 0).all()
    assert screen_words(wide, SCREEN)[0] == "mapped to sRGB"
