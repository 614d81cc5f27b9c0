"""The press of our own as LittleCMS reads it, by two bindings; pictures that are kept in Lab and CMYK."""

from __future__ import annotations

import io
from pathlib import Path

import attrs
import imagecodecs
import numpy as np
import pytest
import tifffile
from conftest import ROOT
from PIL import Image, ImageCms
from test_cli import run

import sfumato
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.lab50 import code_of_lab, lab_of_code
from sfumato.core.errors import MediaError
from sfumato.core.lut.table import lattice_colours
from sfumato.core.print.press import (
    SALTGLASS,
    black_for,
    lab_of,
    paper_of,
    separated,
    xyz_of,
)
from sfumato.media import jpeg as jpeg_kind
from sfumato.media import tiff
from sfumato.media.parts.inked import total_ink
from sfumato.raster.icc.shipped import VERSIONS, shipped
from sfumato.raster.plates import CMYK, ICC_LAB, LAB, Plates, values_of
from sfumato.raster.plates import lab_of as lab_of_plates

RELATIVE, ABSOLUTE = 1, 3
BPC = imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION


def apart(one: np.ndarray, two: np.ndarray) -> np.ndarray:
    return np.sqrt(((one - two) ** 2).sum(-1))


def some_inks(count: int = 400, most: float = 2.8) -> np.ndarray:
    inks = np.random.default_rng(5).random((count, 4))
    return inks[inks.sum(1) < most]


def to_lab(inks: np.ndarray, profile: bytes, intent: int = RELATIVE, flags: int = 0) -> np.ndarray:
    return imagecodecs.cms_transform(
        np.ascontiguousarray(inks[None] * 100),
        profile,
        imagecodecs.cms_profile("lab4"),
        colorspace="cmyk",
        outcolorspace="lab",
        outdtype="f8",
        intent=intent,
        flags=flags,
    )[0]


def to_lab_with_black(inks: np.ndarray) -> np.ndarray:
    return to_lab(inks, shipped(), flags=BPC)


def to_inks(lab: np.ndarray, profile: bytes, intent: int = RELATIVE, flags: int = 0) -> np.ndarray:
    return (
        imagecodecs.cms_transform(
            np.ascontiguousarray(lab[None].astype(np.float64)),
            imagecodecs.cms_profile("lab4"),
            profile,
            colorspace="lab",
            outcolorspace="cmyk",
            outdtype="f8",
            intent=intent,
            flags=flags,
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


# --- looks on them ---------------------------------------------------------------------------------
POSTER = ROOT / "demo" / "poster.tif"
LOOK = ROOT / "demo" / "luts" / "returned_hald8.png"


def identity(tmp_path) -> Path:
    file = tmp_path / "neutral.cube"
    nodes = lattice_colours(17).transpose(2, 1, 0, 3).reshape(-1, 3)
    file.write_text(
        "LUT_3D_SIZE 17\n" + "\n".join(" ".join(f"{v:.9f}" for v in n) for n in nodes) + "\n"
    )
    return file


def own(file: Path) -> Plates:
    still = tiff.read(file.read_bytes(), 0)
    assert still.plates is not None
    return still.plates


def test_a_neutral_look_changes_no_byte(tmp_path: Path) -> None:
    neutral = identity(tmp_path)
    files = [POSTER]
    for i, (values, photometric) in enumerate(
        (
            (numbers(np.uint8, 3), "cielab"),
            (numbers(np.uint16, 3), "icclab"),
            (numbers(np.uint16, 4), "separated"),
            (numbers(np.uint8, 6), "separated"),
        )
    ):
        more = {"extrasamples": ["unspecified"] * 2} if values.shape[-1] == 6 else {}
        file = tmp_path / f"{i}.tif"
        file.write_bytes(as_tiff(values, photometric, resolution=(150, 150), **more))
        files.append(file)
    for file in files:
        out = tmp_path / f"out {file.name}"
        said = run("apply", neutral, file, out).stderr
        before, after = own(file), own(out)
        assert after.kind == before.kind, said
        assert np.array_equal(after.values, before.values)
        assert (after.extra is None) == (before.extra is None)
        assert after.extra is None or np.array_equal(after.extra, before.extra)
        assert after.header.get("34675") == before.header.get("34675")
        assert after.header["282"] == before.header["282"]


def test_a_look_is_what_littlecms_makes_of_it_step_by_step(tmp_path: Path) -> None:
    transform = sfumato.read(LOOK)
    values = numbers(np.uint16, 4, 30, 40) // 2
    values[:, :, 0] = np.maximum(values[:, :, 0], 300)  # no pixel of black alone
    file, out = tmp_path / "in.tif", tmp_path / "out.tif"
    file.write_bytes(as_tiff(values, "separated", iccprofile=shipped()))
    run("apply", LOOK, file, out)
    lab = to_lab_with_black(values.reshape(-1, 4) / 65535)
    code = code_of_lab(lab, SRGB)
    inside = np.clip(code, 0, 1).astype(np.float32)
    meant = transform.apply(inside) + (code - inside)
    wanted = to_inks(lab_of_code(meant, SRGB), shipped(), flags=BPC)
    off = np.abs(own(out).values.reshape(-1, 4) / 65535 - wanted.clip(0, 1))
    assert off.max() < 1 / 4096


def test_black_stays_black_and_no_pixel_has_more_ink(tmp_path: Path) -> None:
    before = own(POSTER)
    out = tmp_path / "out.tif"
    said = run("apply", LOOK, POSTER, out, "--ink-limit", 240).stderr
    assert "kept in CMYK" in said
    assert "ΔE" in said
    after = own(out)
    alone = (before.values[..., :3] == 0).all(-1)
    assert alone.mean() > 0.2
    assert not after.values[alone][:, :3].any()
    assert not np.array_equal(after.values[alone], before.values[alone])  # the look lifts black
    assert after.values.sum(-1, dtype=int).max() <= 2.4 * 255
    assert total_ink(after.values) <= 2.4
    free = tmp_path / "free.tif"
    run("apply", LOOK, POSTER, free, "--separate-black")
    assert own(free).values[alone][:, :3].any()
    for intent in ("perceptual", "saturation", "absolute"):
        other = tmp_path / f"{intent}.tif"
        run("apply", LOOK, POSTER, other, "--intent", intent)
        assert own(other).values.shape == before.values.shape
    assert "exists already" in run("apply", LOOK, POSTER, free, status=1).stderr
    seen = tmp_path / "seen.png"  # another kind of file cannot hold inks
    run("apply", LOOK, POSTER, seen)
    with Image.open(seen) as picture:
        assert picture.mode == "RGB"


def test_cmyk_jpegs_are_read_either_way_round_and_written(tmp_path: Path) -> None:
    inks = own(POSTER).values[:200, :200]
    box = io.BytesIO()
    Image.fromarray(inks, "CMYK").save(
        box, "JPEG", quality=98, subsampling=0, icc_profile=shipped()
    )
    marked = box.getvalue()
    at = marked.index(b"\xff\xee")  # the mark by which inks are the other way round
    length = int.from_bytes(marked[at + 2 : at + 4], "big")
    bare = marked[:at] + marked[at + 2 + length :]
    one, two = jpeg_kind.read(marked, 0), jpeg_kind.read(bare, 0)
    assert np.abs(one.plates.values.astype(int) - inks).mean() < 3
    assert np.array_equal(two.plates.values, 255 - one.plates.values)
    assert "Saltglass press" in one.facts.evidence
    file, out = tmp_path / "in.jpg", tmp_path / "out.jpg"
    file.write_bytes(marked)
    said = run("apply", LOOK, file, out, "--jpeg-quality", 100).stderr
    assert "kept in CMYK" in said
    made = jpeg_kind.read(out.read_bytes(), 0)
    as_tiff_ = tmp_path / "out.tif"
    run("apply", LOOK, file, as_tiff_)
    assert np.abs(made.plates.values.astype(int) - own(as_tiff_).values).mean() < 2
    assert made.plates.profile == own(as_tiff_).profile == shipped()
    for cut in range(200, len(marked), len(marked) // 25):
        try:
            jpeg_kind.read(marked[:cut], 0)
        except MediaError:
            continue
        assert cut == len(marked)
