"""The press of our own as LittleCMS reads it, by two bindings; pictures that are kept in Lab and CMYK."""

from __future__ import annotations

import io

import attrs
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import code_of_lab, lab_of_code
from sfumato.core.errors import MediaError
from sfumato.core.print.press import (
    SALTGLASS,
    black_for,
    lab_of,
    paper_of,
    separated,
    xyz_of,
)
from sfumato.media import tiff
from sfumato.media.parts.presses import VERSIONS, shipped
from sfumato.raster.plates import CMYK, ICC_LAB, LAB, Plates, values_of
from sfumato.raster.plates import lab_of as lab_of_plates

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


# --- pictures ------------------------------------------------------------------------------------
SRGB = encoding("sRGB")


def as_tiff(values: np.ndarray, photometric: object, **more: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, values, photometric=photometric, metadata=None, **more)
    return out.getvalue()


def numbers(kind: type, channels: int, high: int = 24, wide: int = 20) -> np.ndarray:
    most = np.iinfo(kind).max
    return np.random.default_rng(8).integers(0, most, (high, wide, channels), kind, endpoint=True)


@pytest.mark.parametrize("kind", [LAB, ICC_LAB])
@pytest.mark.parametrize("depth", [8, 16])
def test_lab_there_and_back_changes_no_byte(kind: str, depth: int) -> None:
    dtype = np.uint8 if depth == 8 else np.uint16
    values = numbers(dtype, 3, 200, 200)
    data = as_tiff(values, "cielab" if kind == LAB else "icclab")
    still = tiff.read(data, 0)
    assert still.plates is not None
    assert still.plates.kind == kind
    assert np.array_equal(still.plates.values, values)
    assert still.facts.encoding == "sRGB"
    assert still.facts.bits == f"{depth} bit {kind}"
    lab = lab_of_plates(still.plates)
    assert np.array_equal(values_of(lab, kind, depth), values)
    # Through the codes that are looked at, which are floats and go beyond 0..1, it is the same again.
    back = lab_of_code(still.pixels, SRGB)
    inside = lab[..., 0] <= 100
    assert np.array_equal(values_of(back, kind, depth)[inside], values[inside])


def test_lab_is_what_the_standard_says() -> None:
    for kind, depth, stored, wanted in (
        (LAB, 8, (255, 0, 0), (100, 0, 0)),
        (LAB, 8, (128, 128, 127), (128 / 2.55, -128, 127)),
        (LAB, 16, (65535, 0x8000, 0x7F80), (100, -128, 127.5)),
        (ICC_LAB, 8, (255, 128, 0), (100, 0, -128)),
        (ICC_LAB, 16, (65280, 0x8000, 0xFF00), (100, 0, 127)),
    ):
        dtype = np.uint8 if depth == 8 else np.uint16
        plates = Plates(kind, np.array([[stored]], dtype))
        assert lab_of_plates(plates)[0, 0] == pytest.approx(wanted)
    grey = code_of_lab(np.array([50.0, 0.0, 0.0]), SRGB)
    assert grey == pytest.approx(0.4663, abs=1e-4)  # L 50 is Y 0.184187
    theirs = imagecodecs.cms_transform(
        np.array([[[60.0, 20.0, -30.0]]]), imagecodecs.cms_profile("lab4"), imagecodecs.cms_profile("srgb"),
        colorspace="lab", outcolorspace="rgb", outdtype="f8", intent=RELATIVE,
    )  # fmt: skip
    assert code_of_lab(np.array([60.0, 20.0, -30.0]), SRGB) == pytest.approx(theirs[0, 0], abs=2e-3)


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_cmyk_is_seen_by_its_profile_and_kept_as_it_is(dtype: type) -> None:
    values = numbers(dtype, 5) // 2
    data = as_tiff(values, "separated", iccprofile=shipped(2), extrasamples=["unspecified"])
    still = tiff.read(data, 0)
    plates = still.plates
    assert plates is not None
    assert plates.kind == CMYK
    assert np.array_equal(plates.values, values[..., :4])
    assert np.array_equal(plates.extra, values[..., 4:])
    assert plates.profile == shipped(2)
    assert "Saltglass press" in still.facts.evidence
    assert still.facts.profile == b""  # of RGB results it would be wrong
    inks = values[..., :4].reshape(-1, 4) / np.iinfo(dtype).max
    by_model = code_of_lab(lab_of(inks), SRGB).reshape(still.pixels.shape)
    assert np.abs(by_model - still.pixels).max() < 0.03  # the profile's grid, and black compensated
    bare = tiff.read(as_tiff(values[..., :4], "separated"), 0)
    assert "without a profile" in bare.facts.remarks[0]
    assert bare.plates.profile == shipped()


@pytest.mark.filterwarnings("ignore::UserWarning")  # of the library that looks for metadata
def test_odd_pictures_are_refused_in_words() -> None:
    good = as_tiff(numbers(np.uint8, 4), "separated", iccprofile=shipped())
    of_rgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    for data, words in (
        (as_tiff(numbers(np.uint8, 4), "separated", extratags=[(332, 3, 1, 2, True)]), "other inks"),
        (as_tiff(np.zeros((9, 9, 4), np.float32), "separated"), "cannot be read"),
        (as_tiff(numbers(np.uint8, 4), "separated", iccprofile=shipped()[:4000]), "profile"),
        (as_tiff(numbers(np.uint8, 4), "separated", iccprofile=of_rgb), "profile"),
    ):  # fmt: skip
        with pytest.raises(MediaError, match=words):
            tiff.read(data, 0)
    for cut in range(8, len(good) - 1, len(good) // 60):
        try:
            still = tiff.read(good[:cut], 0)
        except MediaError:
            continue
        assert np.array_equal(still.plates.values, tiff.read(good, 0).plates.values)
    dice = np.random.default_rng(4)
    for _ in range(150):  # a flipped byte gives a picture or a refusal
        broken = bytearray(good)
        broken[int(dice.integers(0, 400))] ^= int(dice.integers(1, 256))
        try:
            tiff.read(bytes(broken), 0)
        except MediaError:
            continue
