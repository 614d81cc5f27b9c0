"""Profiles: those of presses through our own loops, a stranger's among them, and those that are written of looks."""

from __future__ import annotations

import io
import re
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
import imagecodecs
import numpy as np
import pytest
import tifffile
from conftest import ROOT
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageCms
from test_cli import run
from test_print import LOOK, POSTER, SRGB, as_tiff, numbers, own, to_inks, to_lab

import sfumato
from sfumato.core.colour.delta_e import ciede2000
from sfumato.core.colour.lab50 import code_of_lab, lab_of_code
from sfumato.core.compiled import load_kernels
from sfumato.core.errors import FormatError, MediaError
from sfumato.core.lut.difference import cube_colours
from sfumato.core.measure import scopes
from sfumato.core.path.path import mixed, through_coats
from sfumato.core.print.abstract import colours, fitted_nodes, places
from sfumato.core.study.printing import ANEW, HELD, Printing
from sfumato.core.study.shot import Shot
from sfumato.core.study.view import View
from sfumato.formats.parts.registry import formats
from sfumato.media import tiff
from sfumato.media.parts.inked import returned
from sfumato.media.parts.printed import seen
from sfumato.raster.icc import engine
from sfumato.raster.icc.build import lut16, straight
from sfumato.raster.icc.engine import INTENTS, by_littlecms, lab_profile, press_of
from sfumato.raster.icc.held import held_inks
from sfumato.raster.icc.looks import abstract_profile, link_profile
from sfumato.raster.icc.shipped import shipped
from sfumato.raster.icc.tags import steps_of, tags_of
from sfumato.raster.plates import CMYK, Plates
from sfumato.work.luts.print_profiles import by_engine
from sfumato.work.results.apply import ApplyWish, Job, apply_shot, is_done
from sfumato.work.stores.presets import read_preset, shipped_folder
from sfumato.work.stores.study_store import open_study

STRANGERS = Path("/usr/share/color/icc/ghostscript")
NO_OPTIMIZE = 0x100
CODE = 1 / 4096


@pytest.fixture(autouse=True, scope="module")
def _compiled() -> None:
    load_kernels()


def some_inks(count: int = 2000, most: float = 2.8) -> np.ndarray:
    inks = np.random.default_rng(6).random((count, 4), np.float32)
    inks[:50, :3] = 0
    return inks[inks.sum(1) < most]


# --- presses ---------------------------------------------------------------------------------------
@pytest.mark.parametrize("name", ["ours", "ours, version 2", "a stranger's", "by XYZ"])
def test_our_loops_are_the_engine_that_everybody_uses(name: str) -> None:
    data = {
        "ours": shipped(4),
        "ours, version 2": shipped(2),
        "a stranger's": (STRANGERS / "default_cmyk.icc").read_bytes(),
        "by XYZ": (STRANGERS / "ps_cmyk.icc").read_bytes(),
    }[name]
    press = press_of(data)
    assert press.is_quick == (
        name != "by XYZ"
    )  # what the loops do not know goes through the engine
    inks = some_inks()
    black = imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION
    lab = press.seen.lab(inks)
    assert np.abs(lab - to_lab(inks, data, flags=black)).max() < 0.02
    measured = press.measured.lab(inks)
    assert np.abs(measured - to_lab(inks, data, 3)).max() < 0.02
    for number, intent in enumerate(INTENTS):
        wanted = measured if intent == "absolute" else lab
        flags = 0 if intent == "absolute" else black
        theirs = to_inks(wanted, data, number, flags).clip(0, 1)
        assert np.abs(press.back(intent).inks(wanted) - theirs).max() < 1.5 * CODE
    # Straight to light and from it is the same as by Lab.
    to_xyz = np.array([[0.4, 0.3, 0.2], [0.2, 0.7, 0.1], [0.0, 0.1, 0.9]])
    light = press.seen.light(inks, np.linalg.inv(to_xyz))
    assert press.back().of_light(light, to_xyz) == pytest.approx(press.back().inks(lab), abs=1e-3)


def test_a_press_that_several_ask_for_at_once_is_made_once(monkeypatch) -> None:
    forth, asked = engine._forth, []

    def slow(*given):
        asked.append(threading.get_ident())
        time.sleep(0.05)
        return forth(*given)

    monkeypatch.setattr(engine, "_forth", slow)
    engine._made.cache_clear()
    with ThreadPoolExecutor(3) as pool:
        first, *others = pool.map(press_of, [shipped()] * 3)
    assert all(press is first for press in others)
    assert len(asked) == 2  # inks as they are seen, and as they are measured


def test_black_can_be_held_where_the_other_inks_reach() -> None:
    press = press_of(shipped())
    inks = some_inks() * np.float32([0.8, 0.8, 0.8, 0.7])
    wanted = press.seen.lab(inks)
    made = held_inks(press, wanted, inks[:, 3])
    assert np.array_equal(made[:, 3], inks[:, 3])
    off = np.sqrt(((press.seen.lab(made) - wanted) ** 2).sum(-1))
    assert off.mean() < 0.05
    assert np.quantile(off, 0.99) < 0.5
    too_light = held_inks(press, np.float32([[90, 0, 0]]), np.float32([0.9]))
    assert too_light[0, :3].max() < 0.02  # nothing but the black stands in the way


def test_the_command_holds_all_black_and_the_limit_holds_for_what_a_look_leaves(
    tmp_path: Path,
) -> None:
    before, out = own(POSTER).values, tmp_path / "held.tif"
    said = run("apply", LOOK, POSTER, out, "--hold-black").stderr
    after = own(out).values
    assert np.array_equal(after[..., 3], before[..., 3])
    assert not np.array_equal(after[..., :3], before[..., :3])
    alone = (before[..., :3] == 0).all(-1)
    assert np.array_equal(after[alone], before[alone])
    assert float(re.search(r"ΔE ([\d.]+) in the mean", said)[1]) < 4
    values = numbers(np.uint16, 4)
    plates = Plates(CMYK, values, profile=shipped())
    code = seen(plates)
    limited = returned(plates, code, code, how=Printing(ink_limit=230.0))
    sums = values.sum(-1, dtype=int)
    over = sums > 2.3 * 65535
    assert limited.sum(-1, dtype=int).max() <= 2.3 * 65535
    assert 0 < over.mean() < 1
    assert np.array_equal(limited[~over], values[~over])
    assert np.array_equal(returned(plates, code, code), values)


def test_inks_without_a_profile_can_be_given_one(tmp_path: Path) -> None:
    bare, one, two = (tmp_path / n for n in ("bare.tif", "one.tif", "two.tif"))
    bare.write_bytes(as_tiff(numbers(np.uint8, 4), "separated"))
    stranger = STRANGERS / "default_cmyk.icc"
    assert "taken as of “Saltglass press”" in run("apply", LOOK, bare, one).stderr
    said = run("apply", LOOK, bare, two, "--press", stranger).stderr
    assert "as chosen" in said
    assert not np.array_equal(own(one).values, own(two).values)
    assert "34675" not in own(two).header  # none was there: none is claimed
    refused = run("apply", LOOK, bare, one, "--force", "--press", STRANGERS / "srgb.icc", status=1)
    assert "not one of CMYK" in refused.stderr


# --- damaged profiles ------------------------------------------------------------------------------
SMALL = link_profile(np.stack(np.meshgrid(*[[0.0, 1.0]] * 4, indexing="ij"), -1), "small", 2)


@given(st.integers(0, len(SMALL) - 1), st.integers(1, 255), st.booleans())
def test_a_damaged_link_is_refused_in_words_or_read(at: int, turn: int, cut: bool) -> None:
    data = bytearray(SMALL)
    data[at] ^= turn
    try:
        found = formats()["icc"].read(bytes(data[:at] if cut else data))
    except FormatError:
        return
    assert np.isfinite(found.transform.apply(np.full((3, 3), 0.4, np.float32))).all()


def test_damaged_profiles_of_presses_are_refused_in_words() -> None:
    good = (STRANGERS / "default_cmyk.icc").read_bytes()
    dice = np.random.default_rng(3)
    refused = 0
    for _ in range(60):
        data = bytearray(good)
        data[int(dice.integers(0, 700))] ^= int(dice.integers(1, 256))
        try:
            press = press_of(bytes(data))
        except MediaError:
            refused += 1
            continue
        # What is taken is what the engine makes of it.
        inks = some_inks(60)
        theirs = by_littlecms(inks, bytes(data), lab_profile(), ("cmyk", "lab"), "relative", True)
        assert np.abs(press.seen.lab(inks) - theirs).max() < 0.1
    assert refused > 5
    for cut in range(0, len(good), len(good) // 40):
        with pytest.raises(MediaError, match="profile"):
            press_of(good[:cut])
    huge = bytearray(lut16(straight(4), np.zeros((2, 2, 2, 2, 3)), straight(3)))
    huge[10] = 255  # 255 points along each of four axes
    data = link_profile(np.zeros((2, 2, 2, 2, 3)), "huge", 2)
    at = data.index(b"mft2")
    with pytest.raises(FormatError, match="impossibly large"):
        steps_of(tags_of(data[:at] + bytes(huge) + data[at + len(huge) :])[b"A2B0"], (4, 3))


def test_grey_pictures_are_seen_by_their_profiles_of_greys() -> None:
    greys = np.arange(256, dtype=np.uint8)[None].repeat(4, 0)
    profile = (STRANGERS / "default_gray.icc").read_bytes()
    still = tiff.read(as_tiff(greys, "minisblack", iccprofile=profile), 0)
    theirs = ImageCms.profileToProfile(
        Image.fromarray(greys),
        ImageCms.ImageCmsProfile(io.BytesIO(profile)),
        ImageCms.createProfile("sRGB"),
        1,
        "RGB",
    )
    assert np.abs(still.pixels.astype(int) - np.asarray(theirs)).max() <= 1
    assert still.facts.encoding == "sRGB"
    wrong = as_tiff(numbers(np.uint8, 3), "rgb", iccprofile=profile)
    with pytest.raises(MediaError, match="one of greys"):
        tiff.read(wrong, 0)


# --- profiles of looks -----------------------------------------------------------------------------
SMOOTH = ROOT / "demo" / "luts" / "salt_day_link.icc"
GENTLE, STRONG = "morning_print.look", "cross_bath.look"


def natural() -> np.ndarray:
    """Return colours of the demo's pictures as a display shows them, sRGB codes."""
    files = sorted((ROOT / "demo" / "previews").glob("*.png"))
    found = [np.asarray(Image.open(f).convert("RGB")).reshape(-1, 3)[::61] for f in files]
    return np.asarray(np.concatenate(found) / 255, np.float32)


@pytest.mark.parametrize("name", [GENTLE, STRONG])
def test_abstract_profiles_do_what_the_look_does(name: str) -> None:
    look = read_preset(shipped_folder() / name)
    assert look.working == "sRGB"

    def graded(code: np.ndarray) -> np.ndarray:
        return mixed(code, through_coats(look.coats, code, SRGB, View()), look.strength)

    def change(lab: np.ndarray) -> np.ndarray:
        code = np.asarray(code_of_lab(np.asarray(lab, np.float32), SRGB), np.float32)
        inside = np.clip(code, 0, 1)
        return lab_of_code(graded(inside) + (code - inside), SRGB)

    shots = np.asarray(lab_of_code(natural(), SRGB), np.float64)
    gamut = np.asarray(lab_of_code(cube_colours(20000), SRGB), np.float64)
    nodes = fitted_nodes(change, shots[::2], gamut, 33)
    at = np.stack(np.meshgrid(*[np.linspace(0, 1, 33)] * 3, indexing="ij"), -1)
    assert places(colours(at)) == pytest.approx(at, abs=1e-9)
    held_out = shots[1::2]
    errors = []
    for nodes_, version in ((nodes, 4), (nodes, 2), (change(colours(at)), 4)):
        data = abstract_profile(nodes_, "a look", version)
        found = by_engine(held_out, data, ("lab", "lab"))
        off = ciede2000(np.asarray(found, np.float32), np.asarray(change(held_out), np.float32))
        errors.append((float(off.mean()), float(np.quantile(off, 0.99))))
    (mean, p99), older, unfitted = errors
    assert mean < 0.25
    assert p99 < 1
    assert older == pytest.approx((mean, p99), abs=1e-3)
    assert mean < unfitted[0]


def test_the_figure_that_is_said_is_the_figure_that_is_measured(tmp_path: Path) -> None:
    out, picture = tmp_path / "look.icc", ROOT / "demo" / "sill_photo.png"
    said = run("convert", LOOK, out, "--kind", "abstract", "--on", picture).stderr
    figures = [float(v) for v in re.search(r"by ([\d.]+) ΔE mean, ([\d.]+) at 99", said).groups()]
    code = np.asarray(Image.open(picture).convert("RGB")).reshape(-1, 3)[::7][1::2] / 255
    code = np.asarray(code, np.float32)
    theirs = by_engine(np.asarray(lab_of_code(code, SRGB), float), out.read_bytes(), ("lab", "lab"))
    shown = np.clip(code_of_lab(np.asarray(theirs, np.float32), SRGB), 0, 1)
    meant = np.clip(sfumato.read(LOOK).apply(code), 0, 1)
    from sfumato.core.lut.difference import delta_e

    off = delta_e(meant, shown, SRGB)
    assert figures == pytest.approx([off.mean(), np.percentile(off, 99)], abs=6e-3)
    back = sfumato.read(out).apply(code)  # our own reader takes it as the engine does
    assert np.abs(np.clip(back, 0, 1) - shown).max() < 2e-3
    assert "exists already" in run("convert", LOOK, out, "--kind", "abstract", status=1).stderr
    wrong = run("convert", LOOK, tmp_path / "look.cube", "--kind", "link", status=1)
    assert "is a file .icc" in wrong.stderr


def test_links_keep_black_and_the_limit_in_the_engine(tmp_path: Path) -> None:
    link, held = tmp_path / "link.icc", tmp_path / "held.icc"
    run("convert", SMOOTH, link, "--kind", "press", "--ink-limit", 250, "--icc", 2)
    run("convert", SMOOTH, held, "--kind", "press", "--hold-black")
    inks = some_inks(4000, 4.0).astype(float)
    inks[:200, :3] = 0
    made = by_engine(inks, link.read_bytes(), ("cmyk", "cmyk"))
    assert made[:200, :3].max() == 0  # black alone stays so
    assert made[:200, 3].std() > 0.1
    assert made.sum(-1).max() <= 2.5 + 4 / 65535
    black = by_engine(inks, held.read_bytes(), ("cmyk", "cmyk"))[:, 3]
    assert black == pytest.approx(inks[:, 3], abs=1e-4)
    # Applied by us, a picture in inks goes through it as it does in the engine.
    out = tmp_path / "out.tif"
    said = run("apply", link, POSTER, out).stderr
    assert "those that the link gives" in said
    values = own(POSTER).values
    theirs = by_engine(values.reshape(-1, 4) / 255, link.read_bytes(), ("cmyk", "cmyk"))
    assert np.abs(own(out).values.reshape(-1, 4) / 255 - theirs).max() < 0.51 / 255
    # And what it gives is what the look itself gives, as near as its grid is.
    exact = tmp_path / "exact.tif"
    run("apply", SMOOTH, POSTER, exact, "--ink-limit", 250)
    press = press_of(shipped())
    labs = [press.seen.lab(own(f).values.reshape(-1, 4) / np.float32(255)) for f in (out, exact)]
    assert ciede2000(*labs).mean() < 0.4


def test_links_from_rgb_give_inks(tmp_path: Path) -> None:
    link, plain = tmp_path / "inks.icc", tmp_path / "rgb.icc"
    stranger = STRANGERS / "default_cmyk.icc"
    said = run(
        "convert", LOOK, link, "--format", "icc", "--kind", "link", "--profile", stranger
    ).stderr
    assert "all over the gamut" in said
    run("convert", LOOK, plain, "--kind", "link")
    code = cube_colours(3000)
    meant = np.clip(sfumato.read(LOOK).apply(code), 0, 1)
    rgb = by_engine(code, plain.read_bytes(), ("rgb", "rgb"))
    assert np.abs(rgb - meant).mean() < 4e-3  # the look has steps of 8 bit
    inks = by_engine(code, link.read_bytes(), ("rgb", "cmyk"))
    black = imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION
    exact = to_inks(lab_of_code(meant, SRGB), stranger.read_bytes(), flags=black).clip(0, 1)
    assert np.abs(inks - exact).mean() < 0.01
    source, out = ROOT / "demo" / "sill_photo.png", tmp_path / "inks.tif"
    assert "CMYK" in run("apply", link, source, out).stderr
    with tifffile.TiffFile(out) as file:
        assert file.pages[0].photometric == 5
    as_seen = tmp_path / "seen.png"
    run("apply", link, source, as_seen)  # a file that holds no inks shows them
    assert "Saltglass press" in run("assay", link).stdout


def test_a_study_becomes_a_profile(tmp_path: Path) -> None:
    out = tmp_path / "study.icc"
    said = run("convert", ROOT / "demo" / "saltglass.sfumato", out, "--kind", "abstract").stderr
    mean, p99 = (float(v) for v in re.search(r"by ([\d.]+) ΔE mean, ([\d.]+) at 99", said).groups())
    assert mean < 0.25
    assert p99 < 1
    assert "on the pictures" in said


def test_how_colours_are_printed_is_kept_of_what_is_printed_alone(tmp_path: Path) -> None:
    study = open_study(ROOT / "demo" / "saltglass.sfumato")
    plain = study.shots[0]
    page = Shot(str(POSTER), "poster", encoding="sRGB")
    study = attrs.evolve(study, shots=(plain, page))
    jobs = [Job(s, tmp_path / f"{s.name}.tif") for s in study.shots]
    for job in jobs:
        assert apply_shot(study, job.shot, job.file).proof.exact
    wish = ApplyWish()
    assert [is_done(study, j, wish) for j in jobs] == [True, True]
    looked = attrs.evolve(study, printing=Printing(paper=True, press="/presses/own.icc"))
    assert [is_done(looked, j, wish) for j in jobs] == [True, True]  # what is looked at alone
    other = attrs.evolve(study, printing=Printing(black=HELD))
    assert [is_done(other, j, wish) for j in jobs] == [
        True,
        False,
    ]  # a still without inks is the same
    press = tmp_path / "press.icc"
    press.write_bytes(shipped())
    said = run("convert", SMOOTH, press, "--kind", "press", "--profile", press, "--force", status=1)
    assert press.read_bytes() == shipped(), said.stderr


# --- instruments -----------------------------------------------------------------------------------
def test_lab_and_ink_instruments_count_what_is_there() -> None:
    picture = numbers(np.uint8, 3, 60, 60)
    lab = lab_of_code(picture / np.float32(255), SRGB)
    levels = scopes.lab_levels(picture, "sRGB").astype(float)
    off = levels - np.stack(
        [lab[..., 0] * 2.55, *((lab[..., i] / 256 + 0.5) * 255 for i in (1, 2))], -1
    )
    assert np.abs(off).max() < 1.5
    inks = numbers(np.uint8, 4, 50, 40)
    counts = scopes.ink_counts(inks)
    assert counts.shape == (5, 256)
    assert (counts.sum(1) == 2000).all()
    assert counts[2, 17] == (inks[..., 2] == 17).sum()
    assert counts[4, 100] == (inks.sum(-1, dtype=int) // 4 == 100).sum()


def test_printing_is_kept_in_studies_and_refused_outside_its_controls() -> None:
    from sfumato.core.errors import ValueRefused
    from sfumato.core.study import printing

    own_one = Printing("absolute", HELD, 260.0, True, "/presses/own.icc")
    assert printing.load(printing.dump(own_one)) == own_one
    assert printing.load({}) == Printing()
    for plain in ([], {"press": 3}, {"ink_limit": 20}, {"black": "all"}, {"inks": 1}):
        with pytest.raises(ValueRefused):
            printing.load(plain)
    assert attrs.evolve(own_one, black=ANEW).most_ink == 2.6
