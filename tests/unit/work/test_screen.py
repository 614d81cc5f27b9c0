"""A screen's profile as an encoding: known ones by name, others as LittleCMS reads them, both ways."""

from __future__ import annotations

import imagecodecs
import numpy as np
import pytest
from PIL import ImageCms

from sfumato.core.colour.encodings import encoding
from sfumato.core.compiled import load_kernels
from sfumato.core.errors import MediaError
from sfumato.media.parts.contract import as_float
from sfumato.work.preview import glass
from sfumato.work.screen import screen_of


def test_a_screen_of_its_own_has_its_gamma_and_primaries() -> None:
    wide = imagecodecs.cms_profile(
        "rgb",
        whitepoint=[0.3127, 0.329, 1.0],
        primaries=[0.68, 0.32, 1.0, 0.265, 0.69, 1.0, 0.15, 0.06, 1.0],
        gamma=1.8,
    )
    screen, p3 = screen_of(wide), encoding("P3-D65")
    code = np.random.default_rng(2).uniform(0.25, 0.95, (200, 3)).astype(np.float32)
    light = screen.decode(code)
    meant = (code**1.8) @ (np.linalg.inv(screen.to_xyz_d65) @ p3.to_xyz_d65).T
    np.testing.assert_allclose(light, meant, atol=3e-3)
    np.testing.assert_allclose(screen.encode(light), code, atol=4e-3)


def test_known_profiles_go_by_name_and_others_are_refused_in_words() -> None:
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert screen_of(profile).name == "sRGB"
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    with pytest.raises(MediaError, match="cannot be used for a screen"):
        screen_of(lab)


@pytest.mark.parametrize("display", ["BT.1886", "Gamma 2.6", "sRGB"])
@pytest.mark.parametrize("screen", ["sRGB", "BT.1886"])
def test_a_frame_of_bytes_is_painted_as_the_same_in_numbers(display: str, screen: str) -> None:
    load_kernels()
    frame = np.random.default_rng(4).integers(0, 256, (40, 60, 3), dtype=np.uint8)
    ends = encoding(display), encoding(screen)
    painted = [glass.shown(f, *ends, quick=True) for f in (frame, as_float(frame))]
    exact = glass.shown(frame, *ends, quick=False)
    np.testing.assert_array_equal(*painted)
    assert np.abs(painted[0].astype(int) - exact).max() <= 1
