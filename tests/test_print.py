"""The press of our own: its model, and its profiles as LittleCMS reads them, by two bindings."""

from __future__ import annotations

import io

import attrs
import imagecodecs
import numpy as np
import pytest
from PIL import Image, ImageCms

from sfumato.core.print.press import (
    SALTGLASS,
    black_for,
    lab_of,
    paper_of,
    separated,
    xyz_of,
)
from sfumato.press import VERSIONS, shipped

RELATIVE, ABSOLUTE = 1, 3


def apart(one: np.ndarray, two: np.ndarray) -> np.ndarray:
    return np.sqrt(((one - two) ** 2).sum(-1))


def some_inks(count: int = 400, most: float = 2.8) -> np.ndarray:
    inks = np.random.default_rng(5).random((count, 4))
    return inks[inks.sum(1) < most]


def to_lab(inks: np.ndarray, profile: bytes, intent: int = RELATIVE) -> np.ndarray:
    return imagecodecs.cms_transform(
        np.ascontiguousarray(inks[None] * 100),
        profile,
        imagecodecs.cms_profile("lab4"),
        colorspace="cmyk",
        outcolorspace="lab",
        outdtype="f8",
        intent=intent,
    )[0]


def to_inks(lab: np.ndarray, profile: bytes, intent: int = RELATIVE) -> np.ndarray:
    return (
        imagecodecs.cms_transform(
            np.ascontiguousarray(lab[None].astype(np.float64)),
            imagecodecs.cms_profile("lab4"),
            profile,
            colorspace="lab",
            outcolorspace="cmyk",
            outdtype="f8",
            intent=intent,
        )[0]
        / 100
    )


def test_the_model_is_a_press() -> None:
    assert lab_of(np.zeros(4)) == pytest.approx([100, 0, 0], abs=1e-9)
    steps = np.linspace(0, 1, 33)
    for ink in range(4):  # more ink is darker, and the gain darkens the middle
        wedge = np.zeros((33, 4))
        wedge[:, ink] = steps
        light = xyz_of(wedge)[:, 1]
        assert (np.diff(light) < 0).all()
        without = attrs.evolve(SALTGLASS, gain=(0.0,) * 4)
        assert light[16] < xyz_of(wedge, without)[16, 1]
    cyan, magenta, yellow, black = lab_of(np.eye(4))
    assert cyan[2] < -30
    assert magenta[1] > 50
    assert yellow[2] > 70
    assert black[0] < 20
    assert lab_of(np.array([1, 1, 1, 1.0]))[0] < black[0]
    # By hand: an area of one half of an ink without gain and n = 1 is the mean of solid and paper.
    plain = attrs.evolve(SALTGLASS, n=1.0, gain=(0.0,) * 4)
    half, solid = xyz_of([0, 0, 0, 0.5], plain), xyz_of([0, 0, 0, 1], plain)
    assert half == pytest.approx((solid + paper_of(plain)) / 2)


def test_separations_meet_the_colour_hold_black_and_keep_the_limit() -> None:
    inks = some_inks()
    wanted = lab_of(inks)
    made = separated(wanted)
    assert np.quantile(apart(lab_of(made), wanted), 0.99) < 0.2
    assert made.sum(-1).max() <= SALTGLASS.ink_limit + 1e-9
    tight = attrs.evolve(SALTGLASS, ink_limit=2.2)
    assert separated(wanted, tight).sum(-1).max() <= 2.2 + 1e-9
    held = separated(wanted, black=inks[:, 3])
    assert np.array_equal(held[:, 3], inks[:, 3])
    assert np.quantile(apart(lab_of(held), wanted), 0.99) < 0.2
    greys = np.stack([np.linspace(5, 100, 20), np.zeros(20), np.zeros(20)], -1)
    made = separated(greys)
    assert apart(lab_of(made), greys).max() < 0.1
    assert made[-1] == pytest.approx(0, abs=1e-6)
    assert made[:, 3] == pytest.approx(black_for(greys[:, 0]), abs=0.05)
    far = separated(np.array([[50.0, 120.0, 0.0]]))  # no ink gives that: it comes near, within 0..1
    assert ((far >= 0) & (far <= 1)).all()


@pytest.mark.parametrize("version", VERSIONS)
def test_its_profiles_are_read_by_littlecms(version: int) -> None:
    data = shipped(version)
    held = ImageCms.ImageCmsProfile(io.BytesIO(data)).profile
    assert held.profile_description == "Saltglass press"
    assert (held.xcolor_space.strip(), held.connection_space.strip()) == ("CMYK", "Lab")
    assert int(held.version) == version
    assert held.device_class == "prtr"
    assert held.media_white_point[0] == pytest.approx(paper_of().tolist(), abs=1e-4)
    inks = some_inks()
    off = apart(to_lab(inks, data), lab_of(inks))
    assert off.mean() < 0.3
    assert off.max() < 1.0
    absolute = apart(to_lab(inks, data, ABSOLUTE), lab_of(inks, absolute=True))
    assert absolute.max() < 1.0
    back = to_inks(lab_of(inks), data)
    assert np.quantile(apart(lab_of(back), lab_of(inks)), 0.99) < 2.0
    assert back.sum(-1).max() <= SALTGLASS.ink_limit + 1e-3
    white = to_inks(np.array([[100.0, 0.0, 0.0]]), data)
    assert white.max() < 1e-3  # paper gets no ink
    # Another binding, 8 bit.
    page = Image.fromarray(np.rint(inks[None] * 255).astype(np.uint8), "CMYK")
    srgb = ImageCms.createProfile("sRGB")
    theirs = ImageCms.profileToProfile(
        page, ImageCms.ImageCmsProfile(io.BytesIO(data)), srgb, RELATIVE, "RGB"
    )
    ours = imagecodecs.cms_transform(
        np.asarray(page),
        data,
        imagecodecs.cms_profile("srgb"),
        colorspace="cmyk",
        outcolorspace="rgb",
        intent=1,
    )
    assert np.abs(np.asarray(theirs).astype(int) - ours).max() <= 2
