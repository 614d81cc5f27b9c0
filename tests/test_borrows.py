"""The borrow command on real files: pairs, folders of pairs, references, refusals."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from test_cli import run

import sfumato
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.difference import difference_of
from sfumato.raster import exr as raster_exr
from sfumato.work.stores.presets import read_preset

BEFORE = ROOT / "demo" / "previews" / "sill.png"
DISPLAY = encoding("sRGB")


def look(x):
    """A warm, contrasty look with less green: no glaze's own form."""
    x = np.clip(np.asarray(x, np.float64), 0, 1)
    curved = x * x * (3 - 2 * x) * 0.6 + x * 0.4
    luma = curved @ np.array([0.2126, 0.7152, 0.0722])
    return np.clip(luma[..., None] + 1.2 * (curved - luma[..., None]), 0, 1) ** [0.92, 1.0, 1.12]


@pytest.fixture
def pictures(tmp_path: Path) -> tuple[Path, Path]:
    small = Image.open(BEFORE).convert("RGB").resize((640, 360))
    before, after = tmp_path / "sill.png", tmp_path / "sill graded.jpg"
    small.save(before)
    graded = (look(np.asarray(small) / 255) * 255 + 0.5).astype(np.uint8)
    Image.fromarray(graded).save(after, quality=95, subsampling=0)
    return before, after


def off(transform, picture: Path) -> float:
    x = (np.asarray(Image.open(picture).convert("RGB"), np.float32) / 255).reshape(-1, 3)[::7]
    return difference_of((np.clip(transform.apply(x), 0, 1), look(x)), x, DISPLAY).mean


def test_a_pair_becomes_a_lut_a_look_and_a_study(pictures, tmp_path: Path) -> None:
    before, after = pictures
    pair = ("--before", before, "--after", after, "--from", "sRGB", "--to", "sRGB")
    answer = json.loads(run("borrow", tmp_path / "a.cube", *pair, "--json").stdout)
    assert answer["mode"] == "pair"
    assert answer["explained"] > 0.85
    assert answer["agree"] > 0.95
    assert answer["left"]["mean"] < 1.0 < answer["doing_nothing"]["mean"]  # what JPEG does is in it
    lefts = [g["left_mean"] for g in answer["glazes"]]
    assert lefts[-1] < 0.3 * answer["doing_nothing"]["mean"]
    lut = sfumato.read(tmp_path / "a.cube")
    assert off(lut, before) < 0.4
    assert off(lut, ROOT / "demo" / "previews" / "causeway.png") < 1.5

    said = run("borrow", tmp_path / "a.look", *pair)
    assert "explain" in said.stdout
    preset = read_preset(tmp_path / "a.look")
    assert [c.key for c in preset.coats][:-1] == [g["key"] for g in answer["glazes"]]
    assert preset.coats[-1].key == "lut"
    assert (tmp_path / "a_rest.cube").is_file()

    run("borrow", tmp_path / "b.sfumato", *pair)
    study = sfumato.open_study(tmp_path / "b.sfumato")
    assert study.shots[0].path == str(before)
    assert off(study.transform(span=("sRGB", "sRGB")), before) < 0.4
    # Nothing is replaced unasked, and no source ever.
    again = run("borrow", tmp_path / "a.look", *pair, status=1)
    assert "exists already" in again.stderr
    kept = before.read_bytes()
    assert (
        "would replace"
        in run("borrow", before, *pair, "--force", "--format", "hald", status=1).stderr
    )
    assert before.read_bytes() == kept


def test_folders_are_paired_by_name(pictures, tmp_path: Path) -> None:
    before, after = pictures
    ones, others = tmp_path / "ones", tmp_path / "others"
    for folder, file in ((ones, before), (others, after)):
        folder.mkdir()
        (folder / file.name).write_bytes(file.read_bytes())
    Image.new("RGB", (64, 64), (90, 20, 30)).save(ones / "alone.png")
    answer = json.loads(
        run("borrow", tmp_path / "x.cube", "--before", ones, "--after", others, "--json").stdout
    )
    assert answer["left"]["mean"] < 1.0
    # What cannot be read or tells nothing is left out and said; light is taken by its logarithm.
    (ones / "torn.png").write_bytes(before.read_bytes()[:3000])
    (others / "torn.png").write_bytes(before.read_bytes())
    light = encoding("sRGB").decode(np.asarray(Image.open(before), np.float32) / 255)
    exr = ones / "sill.exr"
    exr.write_bytes(raster_exr.encode(light))
    (ones / "sill.png").unlink()
    told = run(
        "borrow",
        tmp_path / "z.cube",
        "--before",
        ones,
        "--after",
        others,
        "--from",
        "Linear BT.709",
    )
    assert "torn.png is left out" in told.stderr
    z = sfumato.read(tmp_path / "z.cube")
    codes = convert(light[::5, ::5], "Linear BT.709", "ACEScct")
    aim = look(np.asarray(Image.open(before), np.float32)[::5, ::5] / 255)
    assert difference_of((np.clip(z.apply(codes), 0, 1), aim), codes, DISPLAY).mean < 0.8
    exr.unlink()
    (ones / "sill.png").write_bytes(before.read_bytes())
    (others / "torn.png").unlink()
    (others / "sill graded.jpg").rename(others / "else.jpg")
    refused = run("borrow", tmp_path / "y.cube", "--before", ones, "--after", others, status=1)
    assert "belong together by name" in refused.stderr


def test_a_reference_is_a_starting_point_and_says_so(pictures, tmp_path: Path) -> None:
    reference = tmp_path / "film.png"
    warm = (
        np.asarray(Image.open(ROOT / "demo/previews/causeway.png").convert("RGB"), np.float32) / 255
    )
    Image.fromarray((look(warm) * [255, 240, 215] + 0.5).astype(np.uint8)).save(reference)
    on = ("--on", pictures[0], "--reference", reference)
    said = run("borrow", tmp_path / "r.look", *on)
    assert "starting point" in said.stderr
    assert all(
        c.key in ("curves", "colourfulness", "tints")
        for c in read_preset(tmp_path / "r.look").coats
    )
    usual = json.loads(run("borrow", tmp_path / "r.cube", *on, "--json").stdout)
    assert usual["mode"] == "reference"
    assert usual["explained"] is None
    run("borrow", tmp_path / "s.cube", *on, "--amount", "120")
    x = np.random.default_rng(1).random((500, 3)).astype(np.float32)
    moves = [np.abs(sfumato.read(tmp_path / f"{n}.cube").apply(x) - x).mean() for n in "rs"]
    assert 0 < moves[0] < moves[1]


@pytest.mark.parametrize(
    ("options", "status", "words"),
    [
        (("--before", "a.png"), 2, "--before goes with --after"),
        ((), 2, "--before and --after, or --on and --reference"),
        (("--before", BEFORE, "--after", ROOT / "demo/previews/jetty.png"), 1, "different things"),
        (("--before", BEFORE, "--after", "missing.png"), 1, "missing.png"),
        (("--before", BEFORE, "--after", BEFORE, "--from", "Nowhere"), 1, "Nowhere"),
    ],
)
def test_refusals_say_what_to_do(options, status: int, words: str, tmp_path: Path) -> None:
    refused = run("borrow", tmp_path / "x.cube", *options, status=status)
    assert words in refused.stderr
    assert "Traceback" not in refused.stderr
    assert not list(tmp_path.iterdir())
