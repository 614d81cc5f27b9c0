"""Looks sent to outlets: real files, read by parties that are not ours, and places that fail."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import attrs
import numpy as np
import PyOpenColorIO as ocio
import pytest
from conftest import DEMO
from PIL import Image
from test_cli import run

from sfumato.core.colour.encodings import encoding, light_matrix
from sfumato.core.colour.showing import shown, unshown
from sfumato.core.errors import ExportError
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.table import Table3D
from sfumato.core.path import path
from sfumato.core.study.outlet import CAPITALS, VERSION, Outlet
from sfumato.core.study.study import LOOK, Study
from sfumato.core.study.view import View
from sfumato.formats.parts.registry import formats
from sfumato.work.frames import Frames
from sfumato.work.luts.deliver import REPLACE
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.luts.target import Target
from sfumato.work.outlets import gl_reader
from sfumato.work.outlets.accord import accord
from sfumato.work.outlets.forms.lut_file import SHAPER, outlet_of, target_of
from sfumato.work.outlets.forms.shader import texture_of
from sfumato.work.outlets.looks import of_file, of_study
from sfumato.work.outlets.sending import KEPT, REFUSED, WRITTEN, send, with_sent
from sfumato.work.outlets.shader_text import LANGUAGES, shader_text
from sfumato.work.outlets.templates import TEMPLATES
from sfumato.work.outlets.try_sheet import CHART, NOTES, TRIALS, write_try_sheet
from sfumato.work.stores.study_store import open_study, save_study

WHEN = "2026-03-09T14:05"
# Who confirms what each template writes, beside our own reader.
READERS = {
    "editing33": "FFmpeg",
    "editing65": "FFmpeg",
    "photo_hald": "FFmpeg",
    "photo_link": "LittleCMS",
    "monitor33": "FFmpeg",
    "monitor17": "OpenColorIO",
    "pipeline_clf": "OpenColorIO",
    "print_abstract": "LittleCMS",
    "shader_glsl": "GL driver",
    "ocio_config": "OpenColorIO",
    "aces": "OpenColorIO",
    "corrections": "OpenColorIO",
}


@pytest.fixture
def study() -> Study:
    """The demo study with the shots that are smallest, and nodes that are not fitted."""
    whole = open_study(DEMO)
    return attrs.evolve(whole, shots=whole.shots[:2], fit=False, grid=17)


def sent(study: Study, *outlets: Outlet, **more):
    """Send the study's Look; return the rows by outlet, and the study that knows of them."""
    looks = more.pop("looks", None) or [of_study(study, next(iter(study.shots), None))]
    pairs = list(send(looks, outlets, Frames(), WHEN, **more))
    return {row.outlet.key: row for row, _look in pairs}, with_sent(study, pairs, WHEN)


def put(folder: Path, *keys: str, **values) -> list[Outlet]:
    return [attrs.evolve(TEMPLATES[k], folder=str(folder), **values) for k in keys]


def all_files(folder: Path) -> dict[str, bytes]:
    return {str(f.relative_to(folder)): f.read_bytes() for f in folder.rglob("*") if f.is_file()}


def test_one_look_goes_to_every_template(study: Study, tmp_path: Path) -> None:
    """Each is written, confirmed by others where there are any, known, kept, and the same again later."""
    folder = tmp_path / "out"
    folder.mkdir()
    outlets = put(folder, *TEMPLATES, places=0)
    rows, after = sent(study, *outlets)
    assert {k: (r.state, r.words) for k, r in rows.items()} == dict.fromkeys(
        TEMPLATES, (WRITTEN, "")
    )
    assert {k: ", ".join(r.readers) for k, r in rows.items() if r.readers} == READERS
    files = [f for row in rows.values() for f in row.files]
    assert len(set(files)) == len(files)
    assert {str(f) for f in files} == {str(folder / f) for f in all_files(folder)}
    assert all(r.mean is not None and r.mean < 1.2 for r in rows.values())

    save_study(after, tmp_path / "s.sfumato")
    again = open_study(tmp_path / "s.sfumato")
    assert again.versions == after.versions
    rows, _ = sent(again, *outlets)
    assert {r.state for r in rows.values()} == {KEPT}

    first = all_files(folder)
    shutil.rmtree(folder)
    folder.mkdir()
    rows, _ = sent(again, *outlets)
    assert {r.state for r in rows.values()} == {WRITTEN}
    assert all_files(folder) == first

    edited = again.added(LOOK, attrs.evolve(again.look.coats[0], id="another"))
    rows, later = sent(edited, *outlets[:1])
    assert rows["editing33"].state == WRITTEN  # its own file is replaced without a question
    assert [v.number for v in later.versions] == [1, 2]
    assert later.versions[0].files == again.versions[0].files


def test_the_figures_of_a_row_are_those_of_proof(study: Study, tmp_path: Path) -> None:
    """Without shots a row tells the difference over the cube, as `proof` of study and file does."""
    bare = attrs.evolve(study, shots=())
    save_study(bare, tmp_path / "bare.sfumato")
    (outlet,) = put(tmp_path, "editing33", grid=17)
    rows, _ = sent(open_study(tmp_path / "bare.sfumato"), outlet)
    row = rows["editing33"]
    told = json.loads(run("proof", tmp_path / "bare.sfumato", row.files[0], "--json").stdout)
    assert told["mean"] == pytest.approx(row.mean, rel=1e-4)
    assert told["worst"] == pytest.approx(row.worst, rel=1e-4)


def test_what_cannot_be_written_leaves_the_rest_unharmed(study: Study, tmp_path: Path) -> None:
    good, full, ours = (tmp_path / n for n in ("good", "full", "ours"))
    for each in (good, full, ours):
        each.mkdir()
    for i in range(8):
        (full / f"P{i}.cube").write_text("a place")
    (ours / "Low tide_9.cube").write_text("somebody else's")
    small = {"grid": 9}
    cases = {
        "nowhere": attrs.evolve(TEMPLATES["editing33"], **small),
        "gone": put(tmp_path / "card" / "luts", "editing33", **small)[0],
        "file": put(ours / "Low tide_9.cube", "editing33", **small)[0],
        "used": put(full, "monitor33", **small)[0],
        "there": put(ours, "editing33", **small)[0],
        "field": put(good, "editing33", names="{mood}", **small)[0],
        "title": put(good, "editing33", heading="{mood}", **small)[0],
        "format": put(good, "editing33", format="lut9", **small)[0],
        "grid": put(good, "photo_hald", depth="7", **small)[0],
        "good": put(good, "editing33", **small)[0],
        "same": put(good, "editing33", **small)[0],
        "long": put(good, "editing33", names="{look}" + "ä" * 150, **small)[0],
        "big": put(good, "editing33", names="big", most_kb=3.0, **small)[0],
    }
    rows, _ = sent(study, *(attrs.evolve(o, key=k) for k, o in cases.items()))
    words = {k: r.words for k, r in rows.items() if r.state == REFUSED}
    expected = {
        "nowhere": "no folder is set; choose a folder",
        "gone": "the folder is not there; put the card in",
        "file": "the folder is not there",
        "used": "all 8 places are used; take one back",
        "there": "the file exists already",
        "field": "names have no field {mood}",
        "title": "the title: names have no field {mood}",
        "format": "there is no format 'lut9' to write",
        "grid": "no depth of 7",
        "big": "and the target takes 3 kB",
    }
    assert set(words) == set(expected)
    for key, part in expected.items():
        assert part in words[key]
    assert rows["same"].files[0].name == "Low tide_9_2.cube"
    assert len(os.fsencode(rows["long"].files[0].name)) < 200
    assert sorted(f.name for f in good.iterdir()) == sorted(
        r.files[0].name for r in rows.values() if r.state == WRITTEN
    )
    assert (ours / "Low tide_9.cube").read_text() == "somebody else's"

    kept, _ = sent(study, cases["there"], existing=lambda _o, _f: REPLACE)
    assert kept["editing33"].state == WRITTEN
    numbered = attrs.evolve(cases["good"], there=VERSION)
    rows, _ = sent(study, numbered)
    assert rows["editing33"].files[0].name == "Low tide_9_3.cube"


def test_a_card_that_is_pulled_out(study: Study, tmp_path: Path) -> None:
    """While a file is written to it: its row says so, the next one stands, and a retry works."""
    card, disk = tmp_path / "card", tmp_path / "disk"
    card.mkdir()
    disk.mkdir()
    outlets = [
        *put(card, "shader_glsl", "ocio_config", "editing33", grid=9),
        *put(disk, "pipeline_clf", grid=9),
    ]

    def pull(_share: float, words: str) -> None:
        if words.startswith("writing") and card.exists():
            shutil.rmtree(card)

    rows, after = sent(study, *outlets, progress=pull)
    assert [r.state for r in rows.values()] == [REFUSED, REFUSED, REFUSED, WRITTEN]
    assert all(str(card) in r.words for r in rows.values() if r.state == REFUSED)
    assert not card.exists()
    card.mkdir()
    rows, _ = sent(after, *outlets)
    assert [r.state for r in rows.values()] == [WRITTEN, WRITTEN, WRITTEN, KEPT]
    assert not list(card.rglob(".*"))


def test_a_source_is_never_replaced(study: Study, tmp_path: Path) -> None:
    run("bake", DEMO, tmp_path / "mine_9.cube", "--grid", 9)
    shutil.move(tmp_path / "mine_9.cube", tmp_path / "mine.cube")
    look = of_file(study, tmp_path / "mine.cube")
    before = (tmp_path / "mine.cube").read_bytes()
    (outlet,) = put(tmp_path, "editing33", names="{look}", there="replace", grid=9)
    rows, _ = sent(study, outlet, looks=[look])
    assert rows["editing33"].state == REFUSED
    assert "source" in rows["editing33"].words
    named = attrs.evolve(outlet, names="mine")  # by another look of the same run
    pairs = list(send([of_study(study), look], [named], Frames(), WHEN))
    assert all(row.state == REFUSED and "source" in row.words for row, _look in pairs)
    assert (tmp_path / "mine.cube").read_bytes() == before


def test_names_are_as_the_target_takes_them(study: Study, tmp_path: Path) -> None:
    named = study.with_look(name="Grün & Gold, ‘night’ / 2")
    outlets = [
        attrs.evolve(o, key=k)
        for k, o in (
            ("any", put(tmp_path, "editing33", grid=9)[0]),
            ("plain", put(tmp_path, "engine16", grid=9)[0]),
            ("short", put(tmp_path, "monitor33", grid=9)[0]),
            ("fields", put(tmp_path, "editing33", names="{date} {number} v{version}", grid=9)[0]),
            ("none", put(tmp_path, "editing33", names="/..", letters=CAPITALS, grid=9)[0]),
        )
    ]
    rows, _ = sent(named, *outlets)
    assert {k: r.files[0].name for k, r in rows.items()} == {
        "any": "Grün _ Gold_ _night_ _ 2_9.cube",
        "plain": "gruen_gold_night_2_9.png",
        "short": "GRUEN_GO.cube",
        "fields": "2026-03-09 01 v1.cube",
        "none": "look.cube",
    }
    assert rows["short"].warnings[0] == "the name is shortened to 8 letters"


@pytest.mark.parametrize("points", [2, 17, 33])
def test_the_shader_is_our_interpolation(points: int) -> None:
    """On a GL driver: float nodes to 2e-6, nodes of 8 bit to half a code; names are never the language's."""
    dice = np.random.default_rng(points)
    table = Table3D(dice.random((points,) * 3 + (3,)).astype(np.float32))
    text = shader_text(LANGUAGES[".glsl"], "look_mix", points, "x.ktx2", "a\\\nb", "says")
    rgb = dice.random((30_000, 3)).astype(np.float32) * 1.4 - 0.2
    ends = np.float32([[0, 0, 0], [1, 1, 1], [0.5, 0.5, 0.5], [1, 0, 0.5], [0.25, 1, 0.25]])
    rgb = np.concatenate([rgb, ends])
    assert gl_reader.driver()
    for call, interp in (("look_mix", "tetrahedral"), ("look_mix_trilinear", "trilinear")):
        seen = gl_reader.run(text, call, texture_of(table, "32f"), rgb)
        np.testing.assert_allclose(seen, apply_table(table, rgb, interp), rtol=0, atol=2e-6)
        eight = gl_reader.run(text, call, texture_of(table, "8"), rgb)
        assert np.abs(eight - apply_table(table, rgb, interp)).max() <= 0.5 / 255 + 2e-6


_COMPILE = """
import sys, wgpu
device = wgpu.gpu.request_adapter_sync().request_device_sync()
device.create_shader_module(code=sys.stdin.read())
"""


def test_other_compilers_take_the_shaders(tmp_path: Path) -> None:
    """HLSL by the reference compiler, where it is installed; WGSL by a WebGPU device."""
    both = "look_a({0}) + look_a_trilinear({0})".format
    text = shader_text(LANGUAGES[".hlsl"], "look_a", 17, "x.ktx2", "t", "s")
    text += "\nfloat4 main(float4 p : SV_Position) : SV_Target {"
    text += f" return float4({both('p.rgb')}, 1); }}\n"
    (tmp_path / "a.hlsl").write_text(text)
    compiler = shutil.which("glslangValidator")
    if compiler is not None:
        command = [compiler, "-D", "-S", "frag", "-e", "main", "-V", "a.hlsl"]
        done = subprocess.run(command, cwd=tmp_path, capture_output=True, check=False)
        assert done.returncode == 0, done.stdout.decode()
    text = shader_text(LANGUAGES[".wgsl"], "look_a", 17, "x.ktx2", "t", "s")
    text += "\n@fragment fn main(@builtin(position) p: vec4<f32>) -> @location(0) vec4<f32> {"
    text += f" return vec4<f32>({both('p.xyz')}, 1.0); }}\n"
    command = [sys.executable, "-c", _COMPILE]
    done = subprocess.run(command, input=text.encode(), capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[-500:]


def test_metadata_refers_to_its_look_by_hash(study: Study, tmp_path: Path) -> None:
    rows, _ = sent(study, *put(tmp_path, "aces", grid=17))
    clf, amf = rows["aces"].files
    root = ElementTree.parse(amf).getroot()
    space = "{urn:ampas:aces:amf:v1.0}"
    assert root.tag == f"{space}acesMetadataFile"
    assert [e.tag.removeprefix(space) for e in root] == ["amfInfo", "pipeline"]
    info, pipeline = root
    assert [e.tag.removeprefix(space) for e in info] == ["description", "dateTime", "uuid"]
    assert [e.tag.removeprefix(space) for e in pipeline] == ["pipelineInfo", "lookTransform"]
    _about, look = pipeline
    found = {e.tag.removeprefix(space): e.text for e in look}
    assert found["file"] == clf.name
    assert found["hash"] == hashlib.sha256(clf.read_bytes()).hexdigest()


def test_corrections_give_each_ground(study: Study, tmp_path: Path) -> None:
    """The numbers of the edit list, put into the formula, make each shot's Ground as nearly as said."""
    rows, _ = sent(study, *put(tmp_path, "corrections"))
    row = rows["corrections"]
    events = row.files[1].read_text().split("\r\n\r\n")
    for shot, event in zip(study.shots, events[1:], strict=False):
        assert f"* FROM CLIP NAME: {Path(shot.path).name}" in event
        sop = event.partition("ASC_SOP ")[2].partition("\r\n")[0]
        three = [tuple(map(float, part.split())) for part in sop.strip("()").split(")(")]
        saturation = float(event.partition("ASC_SAT ")[2].split()[0])
        before = path.to_working(shot, study, Frames().sample(shot, 120)).reshape(-1, 3)
        made = CdlStage(*three, saturation).apply(before)
        exact = path.through_ground(shot, study, before)
        said = next(w for w in row.warnings if w.startswith(f"{shot.name}: mean"))
        least = float(said.split()[2].rstrip(","))
        assert np.abs(made - exact).mean() < 0.002 + 0.01 * least


def test_accord_tells_what_targets_make_of_the_look(study: Study, tmp_path: Path) -> None:
    """By the command: a target of 17 points, 12 bit and trilinear lies farther off than one of 33 points."""
    save_study(study, tmp_path / "s.sfumato")
    keys = ("editing33", "monitor17", "engine32", "shader_glsl", "corrections")
    chosen = [word for key in keys for word in ("--outlet", key)]
    told = json.loads(run("accord", tmp_path / "s.sfumato", *chosen, "--json").stdout)
    assert told["targets"] == [*keys[:-1]]
    assert told["engine"] == {
        "editing33": "FFmpeg",
        "monitor17": "OpenColorIO · picture of 10 bit simulated · legal range simulated",
        "engine32": "GL driver · picture of 8 bit simulated",
        "shader_glsl": "GL driver",
    }
    off = {k: v["mean"] for k, v in told["from_look"].items()}
    assert off["shader_glsl"] < off["editing33"] < off["engine32"] < off["monitor17"]
    between = told["between"]
    assert between["engine32"]["monitor17"] == between["monitor17"]["engine32"]
    assert abs(off["monitor17"] - off["engine32"]) < between["engine32"]["monitor17"]["mean"]
    reasons = {r["words"]: r["mean"] for r in told["reasons"]["monitor17"]}
    assert max(reasons, key=reasons.get) in ("17 points", "trilinear between nodes")
    worst = told["worst"]["monitor17"]
    assert worst["shot"] in {s.name for s in study.shots}
    assert worst["name"]
    assert 0 <= worst["x"] <= 1

    # Measured again, by other means: the file that is sent, through our kernels as the monitor has them.
    rows, _ = sent(study, *put(tmp_path, "editing33"))
    assert rows["editing33"].mean == pytest.approx(off["editing33"], rel=0.05)
    said = run("accord", tmp_path / "s.sfumato", *chosen[:4]).stdout
    assert (
        "farthest from one another: monitor17 and editing33" in said
        or "editing33 and monitor17" in said
    )


def test_targets_of_other_range_are_compared_in_itp(study: Study, tmp_path: Path) -> None:
    outlets = (
        TEMPLATES["editing33"],
        attrs.evolve(TEMPLATES["editing33"], key="wide", display="BT.2100 PQ"),
        attrs.evolve(TEMPLATES["editing33"], key="film", display="Gamma 2.6"),
        attrs.evolve(TEMPLATES["editing33"], key="bright", display="BT.2100 PQ", peak=1000.0),
    )
    found = accord(study, outlets, Frames(), study.shots[0])
    *_three, bright = found.targets
    assert bright.beyond > 0.05  # what no standard display shows
    assert (
        found.targets[1].beyond < 0.02
    )  # beyond the View's white the tone scale still rises a little
    assert found.pair(0, 3).worst > found.pair(0, 1).worst
    found = attrs.evolve(found, targets=found.targets[:3])
    assert [t.display for t in found.targets] == ["BT.1886", "BT.2100 PQ", "Gamma 2.6"]
    assert [t.from_look.in_itp for t in found.targets] == [False, True, False]
    assert found.pair(0, 1).in_itp
    assert not found.pair(0, 2).in_itp
    assert found.pair(0, 1).mean < 8  # the View shows both the same light, but for the gamut's edge


def test_a_try_sheet_tells_dialects_axes_and_range(tmp_path: Path) -> None:
    """Each file tints greys in its own colour; a target of legal range shows the lines at its marks."""
    files = write_try_sheet(tmp_path)
    with Image.open(tmp_path / CHART) as picture:
        chart = np.asarray(picture.convert("RGB")).astype(np.float32) / 255
    ramp = chart[200, 80:1200]
    hues = set()
    for file, trial in zip(files, TRIALS, strict=False):
        seen = read_lut(file).transform.apply(ramp)
        step = 1 / (trial.target.grid - 1)
        for line in (0.25, 0.75):
            nearest = round(line / step) * step
            near = np.abs(ramp[:, 0] - nearest) < step / 4
            assert seen[near].max() < 0.25
        red = read_lut(file).transform.apply(np.float32([[0.9, 0.08, 0.08]]))[0]
        assert red.argmax() == 0
        assert red.max() > 0.8
        hues.add(tuple(np.round(seen[-1], 1)))
    assert len(hues) == len(TRIALS)
    black, white = 16 / 255, 235 / 255
    legal = np.clip((ramp - black) / (white - black), 0, 1)
    seen = read_lut(files[0]).transform.apply(legal).max(-1)
    darkest = 560 + int(seen[560:1000].argmin())
    assert abs(darkest / 1119 - (black + 0.75 * (white - black))) < 0.01
    with pytest.raises(ExportError, match="already"):
        write_try_sheet(tmp_path)
    assert "swapped the axes" in (tmp_path / NOTES).read_text()


def test_a_peak_is_reached_and_undone() -> None:
    """Light two and a quarter stops above the white of the View comes to 1000 cd/m², and back."""
    pq, linear = encoding("BT.2100 PQ"), encoding("Linear BT.2020")
    for peak, above in ((203.0, 0.0), (1000.0, np.log2(1000 / 203))):
        view = View(encoding="BT.2100 PQ", peak=peak, ease=False)
        light = np.float32([[0.18], [0.18 * 2 ** (view.white + above)], [0.05]]) * np.ones(3)
        seen = shown(linear.encode(light.astype(np.float32)), linear, view)
        nits = pq.decode(seen)[:, 0] * pq.peak_nits
        assert nits[1] == pytest.approx(peak, rel=2e-3)
        assert nits[0] == pytest.approx(0.18 * 203, rel=2e-3)
        back = unshown(seen, linear, view)
        np.testing.assert_allclose(linear.decode(back)[[0, 2]], light[[0, 2]], rtol=5e-3)


def test_the_command_sends_and_lists(study: Study, tmp_path: Path) -> None:
    mine = attrs.evolve(study, outlets=(attrs.evolve(TEMPLATES["engine16"], key="my_engine"),))
    save_study(mine, tmp_path / "s.sfumato")
    listed = json.loads(run("outlets", tmp_path / "s.sfumato", "--json").stdout)["outlets"]
    assert [o["key"] for o in listed] == ["my_engine", *TEMPLATES]
    words = ("send", tmp_path / "s.sfumato", "--json")
    assert "no folder is set" in run(*words, status=1).stdout
    out = ("--folder", tmp_path / "game", "--remember")
    (row,) = json.loads(run(*words, *out).stdout)["rows"]
    assert (row["state"], row["outlet"], row["words"]) == ("written", "my_engine", "")
    assert Path(row["file"]).read_bytes()[:4] == b"\x89PNG"
    (row,) = json.loads(run(*words, *out).stdout)["rows"]
    assert row["state"] == "kept"
    assert "no outlet 'x'" in run(*words, "--outlet", "x", status=1).stderr
    assert "no look 'y'" in run(*words, "--look", "y", status=1).stderr
    named = run(*words, "--look", row["file"], "--folder", tmp_path / "game", status=0).stdout
    assert json.loads(named)["rows"][0]["state"] == "written"


def a_config(kind: str) -> ocio.Config:
    """Return a config as others make them: of the library, or an older one by hand."""
    if kind != "by hand":
        return ocio.Config.CreateFromFile(f"ocio://{kind}")
    config = ocio.Config()
    config.setVersion(1, 0)
    to_709 = np.linalg.inv(light_matrix(encoding("Linear BT.709"), encoding("ACES2065-1")))
    rows = np.eye(4)
    rows[:3, :3] = np.linalg.inv(to_709)
    light = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "light")
    aces = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "aces")
    aces.setTransform(ocio.MatrixTransform(rows.ravel()), ocio.COLORSPACE_DIR_FROM_REFERENCE)
    seen = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "seen")
    power = ocio.ExponentTransform([2.2, 2.2, 2.2, 1])
    seen.setTransform(power, ocio.COLORSPACE_DIR_TO_REFERENCE)
    for space in (light, aces, seen):
        config.addColorSpace(space)
    for role, name in (("default", "light"), ("aces_interchange", "aces")):
        config.setRole(role, name)
    config.addDisplayView("screen", "plain", "seen", "")
    config.setActiveDisplays("screen")
    config.setActiveViews("plain")
    config.setSearchPath("luts")
    return config


@pytest.mark.parametrize("kind", ["cg-config-v2.1.0_aces-v1.3_ocio-v2.3", "by hand"])
def test_a_look_is_added_to_a_copy_of_a_config(study: Study, tmp_path: Path, kind: str) -> None:
    base = tmp_path / "theirs.ocio"
    base.write_text(a_config(kind).serialize())
    before = base.read_bytes()
    (outlet,) = put(tmp_path, "ocio_config", grid=17, base=base.name, letters="plain")
    study = study.with_look(name="Low tide, late")  # a comma parts the names in a config's lists
    (own,) = put(tmp_path, "ocio_config", grid=9, names="own")
    row = sent(study, own)[0]["ocio_config"]
    assert (row.state, row.words, row.readers) == ("written", "", ("OpenColorIO",))
    rows, known = sent(study, outlet)
    row = rows["ocio_config"]
    assert (row.state, row.words, row.readers) == ("written", "", ("OpenColorIO",))
    assert base.read_bytes() == before
    assert [f.suffix for f in row.files] == [".ocio", *[".clf"] * 3]
    ocio.ClearAllCaches()
    old, new = (ocio.Config.CreateFromFile(str(f)) for f in (base, row.files[0]))
    assert {*old.getColorSpaceNames()} < {*new.getColorSpaceNames()}
    assert "Low tide late" in list(new.getViews(old.getDefaultDisplay()))
    # Its own display, through the look, is the look and then its own view.
    screen = old.getDefaultDisplay()
    code = np.random.default_rng(4).random((500, 3)).astype(np.float32) * 0.6 + 0.2
    theirs, ours = code.copy(), read_lut(row.files[2]).transform.apply(code)
    working = f"{study.working} of Sfumato"
    for rgb, view in ((theirs, "Low tide late"), (ours, old.getDefaultView(screen))):
        way = ocio.DisplayViewTransform(src=working, display=screen, view=view)
        new.getProcessor(way).getDefaultCPUProcessor().applyRGB(rgb)
    assert np.abs(theirs - ours).max() < 1e-4 * np.abs(ours).max()
    # Sent again it is kept; a config that has the look already refuses it, and so does its own name.
    look = of_study(known, known.shots[0])
    assert sent(known, outlet, looks=[look])[0]["ocio_config"].state == "kept"
    there = attrs.evolve(outlet, base=row.files[0].name, names="another")
    assert "has a look named" in sent(study, there)[0]["ocio_config"].words
    own = attrs.evolve(outlet, names="theirs", there="replace")
    assert "would replace the config" in sent(study, own)[0]["ocio_config"].words
    assert base.read_bytes() == before
    base.write_text(a_config(kind).serialize().replace("aces_interchange", "other_role"))
    assert (
        "has no role aces_interchange"
        in sent(study, attrs.evolve(outlet, names="third"))[0]["ocio_config"].words
    )
    assert not [*tmp_path.glob("third*"), *tmp_path.glob("another*")]


def test_an_export_is_an_outlet_of_its_own() -> None:
    """Whatever the Seal can be asked for, an outlet writes: its record holds every choice."""
    for spec in formats().values():
        if spec.write is None:
            continue
        for depth in spec.depths or ("",):
            for layout in spec.layouts or ("",):
                for shaper in (None, SHAPER) if spec.shaper else (None,):
                    target = Target(spec.key, 33, depth, layout, shaper, suffix=spec.suffixes[0])
                    assert target_of(outlet_of(target, 17)) == target
    assert target_of(outlet_of(Target("cube"), 17)).grid == 17


def test_the_command_line_takes_folders_from_where_it_is(
    study: Study, tmp_path, monkeypatch
) -> None:
    """Half a path is none in a window; a shell has a place."""
    save_study(study, tmp_path / "s.sfumato")
    monkeypatch.chdir(tmp_path)
    run("send", "s.sfumato", "--outlet", "monitor17", "--folder", "out")
    assert [f.suffix for f in (tmp_path / "out").iterdir()] == [".3dl"]
    run("pack", "s.sfumato", "looks.zip", "--outlet", "monitor17")
    assert (tmp_path / "looks.zip").stat().st_size > 1000
