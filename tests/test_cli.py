"""The command line as scripts use it: results, exit codes, error lines."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import DEMO, ROOT

import sfumato
from sfumato.cli.main import cli
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import cube_colours
from sfumato.media.clip import Clip
from sfumato.work.frames import Frames, open_still
from sfumato.work.luts import reading
from sfumato.work.luts.proof import entry_colours
from sfumato.work.stores.study_store import open_study


def run(*words: object, status: int = 0):
    result = CliRunner().invoke(cli, [str(w) for w in words])
    assert result.exit_code == status, (result.output, result.exception)
    assert result.exception is None or isinstance(result.exception, SystemExit)
    return result


@pytest.fixture
def baked(tmp_path: Path) -> Path:
    file = tmp_path / "low_tide.cube"
    run("bake", DEMO, file)
    return file


def test_a_baked_cube_is_the_table_in_memory(baked: Path) -> None:
    stored = sfumato.read(baked)
    memory = open_study(DEMO).bake(33)
    assert stored.table.size == 33
    np.testing.assert_array_equal(stored.table.values, memory.table.values)
    assert stored.title == "Low tide, Tarn Log to BT.1886"
    assert "expects Tarn Log" in stored.comments[0]
    found = sfumato.proof(stored, memory)
    assert (found.worst, found.code_value_worst) == (0.0, 0.0)


def test_ffmpeg_shows_the_six_shots_alike(baked: Path) -> None:
    """Within its 16-bit rounding (it truncates), on the whole demo material."""
    table = sfumato.read(baked)
    for shot, colours in entry_colours(open_study(DEMO), Frames(), width=480):
        apart = np.abs(reading.ffmpeg(baked, colours) - table.apply(colours)).max()
        assert apart < 1 / 65535, shot.name


def test_proof_says_numbers(baked: Path, tmp_path: Path) -> None:
    said = json.loads(run("proof", DEMO, baked, "--on", ROOT / "demo/fog.tif", "--json").output)
    assert set(said) >= {"mean", "p99", "worst", "worst_at", "code_value_worst", "count", "display"}
    assert 0 < said["mean"] < said["p99"] <= said["worst"] < 3
    same = json.loads(run("proof", baked, baked, "--json").output)
    assert same["worst"] == 0
    assert "ΔE" in run("proof", DEMO, baked).output


def test_span_and_grid(tmp_path: Path) -> None:
    out = tmp_path / "w.cube"
    run("bake", DEMO, out, "--grid", 17, "--span", "Tarn Log:Tarn Log", "--title", "Working")
    lut = sfumato.read(out)
    assert (lut.table.size, lut.title) == (17, "Working")
    run("bake", DEMO, out, status=1)
    run("bake", DEMO, out, "--force")
    run("bake", DEMO, tmp_path / "x.cube", "--span", "sRGB:Nowhere", status=1)
    run("bake", DEMO, out, "--span", "sRGB:sRGB", "--force")
    assert sfumato.read(out).title == "Low tide, sRGB to sRGB"
    run("bake", DEMO, tmp_path / "x.cube", "--span", "sRGB", status=2)
    run("bake", DEMO, tmp_path / "x.cube", "--grid", 200, status=2)


def test_convert_regrids_retitles_and_backs_off(baked: Path, tmp_path: Path) -> None:
    out = tmp_path / "half.cube"
    run("convert", baked, out, "--strength", 50, "--grid", 21, "--title", "Half tide")
    lut, whole = sfumato.read(out), sfumato.read(baked)
    assert (lut.table.size, lut.title) == (21, "Half tide")
    nodes = cube_colours(2000)
    np.testing.assert_allclose(lut.apply(nodes), (nodes + whole.apply(nodes)) / 2, atol=0.05)
    said = run("convert", baked, tmp_path / "dark.3dl", "--grid", 17).output
    assert "rounded to 12 bit" in said
    assert "clipped" in said
    copy = tmp_path / "copy.cube"
    run("convert", baked, copy)
    assert sfumato.read(copy).stages == whole.stages


@pytest.mark.parametrize("suffix", [".png", ".tif"])
def test_apply_keeps_the_depth_and_rounds(
    tiff16: Path, tmp_path: Path, baked: Path, suffix: str
) -> None:
    out = tmp_path / f"out{suffix}"
    run("apply", baked, tiff16, out)
    pixels = open_still(out).pixels
    assert pixels.dtype == np.uint16
    exact = np.clip(sfumato.read(baked).apply(open_still(tiff16).as_float()), 0, 1) * 65535
    assert np.abs(pixels - exact).max() < 0.52


def test_apply_orders_strengths_and_encodings(jpeg: Path, tmp_path: Path, baked: Path) -> None:
    out = tmp_path / "a.tif"
    run("apply", baked, jpeg, out, "--from", "sRGB", "--to", "sRGB", "--bits", 32, "--strength", 0)
    run("apply", baked, jpeg, out, "--from", "sRGB", "--bits", 32, "--force")
    source = open_still(jpeg).as_float()
    expected = sfumato.read(baked).apply(sfumato.to_encoding(source, "sRGB", "Tarn Log"))
    np.testing.assert_allclose(open_still(out).pixels, expected, atol=1e-6)
    run("apply", baked, baked, jpeg, tmp_path / "two.jpg", "--interp", "trilinear")
    assert open_still(tmp_path / "two.jpg").facts.encoding == "BT.1886"


REFUSALS = {
    "no picture": ["apply", "LUT", "missing.png", "o.png"],
    "cut picture": ["apply", "LUT", "CUT", "o.png"],
    "no such suffix": ["apply", "LUT", "JPEG", "o.gif"],
    "unknown encoding": ["apply", "LUT", "JPEG", "o.png", "--from", "Mystery"],
    "text as cube": ["convert", "TEXT", "o.cube"],
    "no such folder": ["convert", "LUT", "nowhere/o.cube"],
    "study that is none": ["bake", "TEXT", "o.cube"],
    "format unknown": ["convert", "LUT", "o.cube", "--format", "doc"],
}


@pytest.mark.parametrize("name", REFUSALS)
def test_refusals_are_one_line_and_leave_nothing(
    name: str, baked: Path, jpeg: Path, tmp_path: Path, monkeypatch
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "cut.png").write_bytes((ROOT / "demo/sill_photo.png").read_bytes()[:5000])
    (tmp_path / "text.cube").write_text("buy milk\n")
    names = {"LUT": baked, "CUT": "cut.png", "JPEG": jpeg, "TEXT": "text.cube"}
    before = set(os.listdir())
    words = [str(names.get(w, w)) for w in REFUSALS[name]]
    done = subprocess.run(
        [sys.executable, "-m", "sfumato", *words],
        capture_output=True,
        text=True,
        check=False,
        cwd=tmp_path,
    )
    assert done.returncode == 1
    assert done.stdout == ""
    (line,) = done.stderr.strip().splitlines()
    assert line.startswith("sfumato: ")
    assert "Traceback" not in line
    assert set(os.listdir()) == before


def test_wrong_commands_have_status_2() -> None:
    for words in (
        ["bogus"],
        ["convert"],
        ["apply", "a.cube", "b.png"],
        ["convert", "a", "b", "--grid", "x"],
    ):
        assert CliRunner().invoke(cli, words).exit_code == 2, words


def test_formats_lists_everything() -> None:
    said = json.loads(run("formats", "--json").output)
    assert {f["key"] for f in said["luts"]} >= {"cube"}
    assert {p["key"] for p in said["pictures"]} == {
        "png",
        "jpeg",
        "tiff",
        "exr",
        "raw",
        "clip",
        "avif",
    }
    assert "cube" in run("formats").output


def test_python_verbs(tmp_path: Path) -> None:
    study = sfumato.open_study(DEMO)
    exact = study.transform(span=("Tarn Log", "BT.1886"))
    lut = sfumato.write(exact, tmp_path / "x.cube", grid=9)
    assert lut.table.size == 9
    rgb = cube_colours(100)
    assert exact.apply(rgb).dtype == np.float32
    assert sfumato.encodings()["Tarn Log"] is encoding("tarn log")
    spec = sfumato.glazes()["exposure"]
    np.testing.assert_array_equal(spec.apply(spec.defaults(), rgb), rgb)
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 2\n0 0\n")
    with pytest.raises(sfumato.FormatError) as caught:
        sfumato.read(tmp_path / "bad.cube")
    assert caught.value.line == 2
    with pytest.raises(sfumato.SfumatoError):
        sfumato.read(tmp_path / "missing.cube")


LUTS = ROOT / "demo" / "luts"


def test_assay_says_what_files_are_and_mends_them(tmp_path: Path) -> None:
    said = run("assay", LUTS / "pack_017.cube", LUTS / "broken.cube", status=1).output
    assert "fault    Axes swapped" in said
    assert "--repair 'axes'" in said
    assert "broken.cube:812: the row has 2 numbers" in said
    found = json.loads(run("assay", LUTS / "returned_hald8.png", "--json").stdout)["files"][0]
    assert (found["format"], found["depth"], found["reading"]) == ("hald", "8", "HALD")
    assert found["verdict"] == "fault"
    grain = next(f for f in found["findings"] if f["key"] == "grain")
    assert grain["figure"] == pytest.approx(1.6, abs=0.1)
    assert grain["repair"] == "reconstruct"
    assert "square" in found["readings"]
    mended = tmp_path / "mended.cube"
    run("convert", LUTS / "pack_017.cube", mended, "--repair", "axes", "--repair", "limit")
    again = json.loads(run("assay", mended, "--json").stdout)["files"][0]
    assert again["verdict"] in ("note", "good")
    run("assay", LUTS / "broken.cube", status=1)
    assert (
        "no repair"
        in run("convert", mended, tmp_path / "x.cube", "--repair", "hope", status=1).stderr
    )


def test_convert_takes_readings_depths_layouts_shapers_fits_and_domains(
    baked: Path, tmp_path: Path
) -> None:
    second = tmp_path / "second.cc"
    run("convert", LUTS / "furnace.ccc", second, "--as", "SG_020")
    assert 'id="SG_020"' in second.read_text()
    assert "scene 2" in second.read_text()
    deep = tmp_path / "deep.3dl"
    said = run("convert", baked, deep, "--bits", "16", "--layout", "with header").stderr
    assert "rounded to 16 bit" in said
    assert deep.read_text().splitlines()[3].startswith("Mesh 5 16")
    strip = tmp_path / "tiles.tif"
    said = run(
        "convert",
        baked,
        strip,
        "--format",
        "strip",
        "--grid",
        "16",
        "--bits",
        "32",
        "--layout",
        "square",
    )
    assert "resampled from 33 to 16 points" in said.stderr
    assert open_still(strip).size == (64, 64)
    spread = tmp_path / "shaper.cube"
    run("convert", baked, spread, "--shaper", "256", "--grid", "17")
    assert [type(s).__name__ for s in sfumato.read(spread).stages] == ["Table1D", "Table3D"]
    fit = run("convert", baked, tmp_path / "fit.cube", "--grid", "17", "--fitted").stderr
    assert "sampled 0." in fit
    assert "fitted 0." in fit
    wide = tmp_path / "wide.cube"
    run("convert", LUTS / "kiln_balance.clf", wide, "--domain", "-0.5:1.5", "--grid", "9")
    assert sfumato.read(wide).table.domain == ((-0.5,) * 3, (1.5,) * 3)
    tone = tmp_path / "tone.spi1d"
    run("convert", LUTS / "salt_day.ktx2", tone, "--part", "tone")
    assert sfumato.read(tone).stages[0].size == 4096
    legal = tmp_path / "legal.cube"
    run("convert", LUTS / "camera_legal.cube", legal, "--range", "full out")
    facts = json.loads(run("assay", legal, "--json").stdout)["files"][0]
    assert "range out" not in {f["key"] for f in facts["findings"]}
    for words, reason in (
        (("--bits", "8"), "no depth of 8 bit"),
        (("--domain", "1:0"), "domain cannot run"),
    ):
        refused = run("convert", baked, tmp_path / "no.cube", *words, status=1).stderr
        assert reason in refused
    assert (
        "holds no grid" in run("convert", baked, tmp_path / "n.png", "--grid", 33, status=1).stderr
    )


def test_a_folder_goes_into_several_formats(tmp_path: Path) -> None:
    out = tmp_path / "out"
    words = ("convert", LUTS, out, "--format", "3dl", "--format", "clf", "--names", "{name}_{grid}")
    said = run(*words, status=1)  # one file of them is broken
    assert "broken.cube:812" in said.stderr
    (line,) = [n for n in said.stdout.splitlines() if "low_tide_33.cube" in n and ".clf" in n]
    assert "0.000 mean" in line
    lost = next(n for n in said.stdout.splitlines() if "kiln_balance" in n and ".3dl" in n)
    assert "baked to" in lost
    assert (out / "low_tide_33_33.3dl").exists()
    assert (out / "kiln_balance_1D.clf").exists()
    assert len(list(out.iterdir())) == 2 * (len(list(LUTS.iterdir())) - 1)
    assert "is there already" in run(*words, status=1).stderr
    run("convert", LUTS, out, status=2)
    assert "not known" in run(*words[:-1], "{nme}", "--force", status=1).stderr


def test_a_folder_into_itself_harms_no_source_and_takes_no_result(tmp_path: Path) -> None:
    """Two looks of one name in two formats, and one alone: nothing that is read is replaced."""
    folder = tmp_path / "in"
    folder.mkdir()
    run("convert", LUTS / "salt_day.ktx2", folder / "look.cube")
    run("invert", LUTS / "low_tide_33.cube", folder / "look.3dl", "--grid", 9)
    run("convert", LUTS / "low_tide_33.cube", folder / "other.cube")
    before = {p.name: p.read_bytes() for p in folder.iterdir()}
    words = ("convert", folder, folder, "--format", "3dl", "--format", "cube", "--force")
    said = run(*words, status=1)
    for name in ("look.cube", "look.3dl"):
        assert f"in/{name}: the result would replace a file that is read" in said.stderr
    assert {n: (folder / n).read_bytes() for n in before} == before
    assert {p.name for p in folder.iterdir()} == {*before, "other.3dl"}
    # Once more: other.3dl is what the run made of other.cube, so it is made again, not converted.
    stamp = (folder / "other.3dl").read_bytes()
    again = run(*words, status=1)
    assert "1 file was left out, made of others here by an earlier run: other.3dl" in again.stderr
    assert (folder / "other.3dl").read_bytes() == stamp
    assert "other.3dl ->" not in again.stdout
    assert "other.cube -> " in again.stdout
    # What was changed by hand since, or stands in a folder by itself, is a source like any other.
    alone = tmp_path / "alone"
    alone.mkdir()
    (alone / "other.3dl").write_bytes(stamp)
    assert "other.3dl ->" in run("convert", alone, tmp_path / "o", "--format", "cube").stdout
    with (folder / "other.3dl").open("ab") as file:
        file.write(b"# by hand\n")
    assert "left out" not in run(*words, status=1).stderr


def test_no_command_writes_over_what_it_reads(tmp_path: Path) -> None:
    a, b, picture = tmp_path / "a.cube", tmp_path / "b.cube", tmp_path / "p.png"
    for file in (a, b):
        run("convert", LUTS / "salt_day.ktx2", file)
    picture.write_bytes((ROOT / "demo" / "sill_photo.png").read_bytes())
    link = tmp_path / "link.cube"
    link.symlink_to(a)
    hard = tmp_path / "hard.cube"
    hard.hardlink_to(b)
    for words in (
        ("convert", a, a, "--title", "x"),
        ("convert", a, link),
        ("invert", a, a),
        ("chain", a, b, hard),
        ("blend", a, b, b),
        ("split", a, tmp_path / "t.cube", a),
        ("apply", a, picture, picture),
    ):
        before = [file.read_bytes() for file in (a, b, picture)]
        assert "would replace a file" in run(*words, "--force", status=1).stderr, words
        assert [file.read_bytes() for file in (a, b, picture)] == before
    run("split", a, tmp_path / "t.cube", tmp_path / "t.cube", status=2)


def test_odd_names_stay_one_line(tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    data = (LUTS / "kiln_balance.clf").read_bytes()
    (folder / "two\nlines.clf").write_bytes(data)
    Path(os.fsdecode(os.fsencode(folder) + b"/\xff.clf")).write_bytes(data)
    (folder / "bad\nname.cube").write_text("no")
    said = run("convert", folder, tmp_path / "out", "--format", "clf", status=1)
    assert "two\\nlines.clf ->" in said.stdout
    assert "\\xff.clf ->" in said.stdout
    assert len(said.stdout.splitlines()) == 2
    assert "bad\\nname.cube" in said.stderr
    assert len(said.stderr.splitlines()) == 1
    assert len(list((tmp_path / "out").iterdir())) == 2


def test_invert_chain_blend_and_split(tmp_path: Path) -> None:
    day = tmp_path / "day.cube"
    run("convert", LUTS / "salt_day.ktx2", day)
    undo = tmp_path / "undo.cube"
    facts = json.loads(run("invert", day, undo, "--grid", 33, "--json").stdout)
    assert facts["back"]["mean"] < 0.1
    assert facts["exact"] is False
    both = tmp_path / "both.clf"
    run("chain", day, undo, both)
    inside = 0.1 + 0.8 * cube_colours(2000)
    there = sfumato.read(both).apply(inside)
    assert np.abs(there - inside).mean() < 2e-3
    assert (
        "every stage was inverted exactly"
        in run("invert", LUTS / "kiln_balance.clf", tmp_path / "k.clf").output
    )
    half = tmp_path / "half.cube"
    run("blend", day, day, half, "--share", "50")
    assert sfumato.proof(sfumato.read(half), sfumato.read(day)).mean < 0.2
    parts = tmp_path / "tone.cube", tmp_path / "colour.cube"
    assert "together" in run("split", day, *parts).output
    run("chain", *parts, tmp_path / "joined.cube")
    joined = sfumato.proof(sfumato.read(tmp_path / "joined.cube"), sfumato.read(day))
    assert joined.mean < 0.2
    run("chain", day, both, status=2)


def test_apply_takes_clips(baked: Path, tmp_path: Path) -> None:
    source, out = DEMO.parent / "jetty.mov", tmp_path / "graded.mkv"
    said = run("apply", baked, source, out).output
    assert "48 frames, yuv" in said
    lut, one, two = sfumato.read(baked), Clip(str(source)), Clip(str(out))
    assert two.count == one.count
    meant = np.clip(lut.apply(one.frame(20).pixels), 0, 1)
    apart = two.frame(20).pixels - meant
    assert abs(float(apart.mean())) < 2e-4
    assert np.abs(apart).mean() < 0.006  # chroma of half the size
    assert "exists already" in run("apply", baked, source, out, status=1).output
    assert (
        "does not hold"
        in run("apply", baked, source, tmp_path / "x.mp4", "--codec", "ffv1", status=1).output
    )
    assert (
        "no codec"
        in run("apply", baked, source, tmp_path / "x.mov", "--codec", "vhs", status=1).output
    )
    for each in (one, two):
        each.close()


SMALL = """
import sys
from sfumato.cli.main import cli
look, other, picture = sys.argv[1:]
for line in (
    ["assay", look],
    ["chain", look, other, "c.cube"],
    ["blend", look, other, "b.cube"],
    ["split", look, "tone.cube", "rest.cube"],
    ["apply", look, picture, "p.png"],
    ["convert", look, "look.3dl"],
):
    cli(line, standalone_mode=False)
    assert "numba" not in sys.modules, line
cli(["chain", look, other, "large.cube", "--grid", "129"], standalone_mode=False)
assert "numba" in sys.modules
"""


def test_small_work_does_not_wait_for_kernels(tmp_path: Path) -> None:
    """They take a second to be loaded, which a table of 129 points is worth."""
    luts = DEMO.parent / "luts"
    given = [
        luts / "low_tide_33.cube",
        luts / "pack_017.cube",
        DEMO.parent / "previews" / "fog.png",
    ]
    done = subprocess.run(
        [sys.executable, "-c", SMALL, *map(str, given)],
        cwd=tmp_path,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    assert len(list(tmp_path.glob("*.*"))) == 7
