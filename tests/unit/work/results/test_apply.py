"""Shots through Ground and Look into new files, and the record of what was done."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import pytest
from click.testing import CliRunner
from conftest import DEMO, ROOT

from sfumato.cli.main import cli
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import ExportError, StudyError, ValueRefused
from sfumato.core.path import path
from sfumato.core.study import study_json
from sfumato.core.study.coat import new_coat
from sfumato.core.study.mask import Brush, Gradient, Mask, Stroke, rendered
from sfumato.core.study.shot import Layer, Shot
from sfumato.media.clip import Clip
from sfumato.media.parts.contract import Saving
from sfumato.media.parts.registry import media, read
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.frames import WHOLE, open_still, scaled
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.results.applied_proof import still_proof
from sfumato.work.results.apply import (
    SIDECAR,
    ApplyWish,
    Job,
    again,
    apply_shot,
    by_lattice,
    is_done,
    jobs_of,
    treatment,
)
from sfumato.work.results.stills import rounded
from sfumato.work.stores.study_store import lut_file, open_study


def test_a_still_is_what_the_path_says_and_can_be_done_again(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("jetty")
    out = tmp_path / "jetty.tif"
    done = apply_shot(study, shot, out)
    assert done.remarks == ()
    assert done.proof.exact
    code = open_still(shot.path).as_float()
    working = path.through_ground(shot, study, path.to_working(shot, study, code))
    meant = np.clip(path.through_view(study, path.through_look(study, working)), 0, 1)
    stored = open_still(out).as_float()
    assert np.abs(stored - meant).max() <= 0.51 / 65535 + 2e-6
    # The sidecar holds all that is needed.
    plain = json.loads((tmp_path / f"jetty.tif{SIDECAR}").read_text())
    before = study_json.load(plain["study"])
    assert plain["source"] == str(Path(shot.path).resolve())
    apply_shot(before, before.shot(plain["shot"]), tmp_path / "again.tif")
    assert (tmp_path / "again.tif").read_bytes() == out.read_bytes()
    run = CliRunner().invoke(
        cli, ["again", str(tmp_path / f"jetty.tif{SIDECAR}"), str(tmp_path / "third.tif")]
    )
    assert run.exit_code == 0, run.output
    assert "every pixel as meant" in run.stderr
    assert (tmp_path / "third.tif").read_bytes() == out.read_bytes()
    with pytest.raises(ExportError, match="exists already"):
        apply_shot(study, shot, out)
    with pytest.raises(ExportError, match="never written over"):
        apply_shot(study, shot, shot.path, force=True)


def test_strength_output_and_a_plain_lut(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("sill")
    code = np.random.default_rng(3).uniform(0.1, 0.8, (500, 3)).astype(np.float32)
    none = treatment(study, shot, ApplyWish(strength=0.0))(code)
    plain = attrs.evolve(study, look=attrs.evolve(study.look, coats=()))
    np.testing.assert_allclose(none, treatment(plain, shot, ApplyWish())(code), atol=1e-6)
    srgb = treatment(plain, shot, ApplyWish(encoding="sRGB"))(code)
    bt1886 = treatment(plain, shot, ApplyWish())(code)
    apart = np.abs(np.clip(srgb, 0, 1) - convert(np.clip(bt1886, 0, 1), "BT.1886", "sRGB"))
    assert np.percentile(apart, 99) < 1e-4
    lut = read_lut(DEMO.parent / "luts" / "low_tide_33.cube").transform
    by_lut = treatment(study, shot, ApplyWish(lut=lut))(code)
    np.testing.assert_allclose(by_lut, lut.apply(code), atol=1e-6)
    half = treatment(study, shot, ApplyWish(lut=lut, strength=0.5))(code)
    np.testing.assert_allclose(half, (code + lut.apply(code)) / 2, atol=1e-5)


def test_a_clip_keeps_its_ends(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = Shot(str(ROOT / "demo/furnace.mov"), "f", "Tarn Log", first=5, last=9)
    done = apply_shot(study, shot, tmp_path / "f.mkv", ApplyWish(codec="ffv1"))
    assert done.proof.is_true
    assert done.proof.frames == 5
    source, result = Clip(shot.path), Clip(str(tmp_path / "f.mkv"))
    assert result.count == 5
    meant = np.clip(treatment(study, shot, ApplyWish())(source.frame(7).pixels), 0, 1)
    apart = result.frame(2).pixels - meant
    assert abs(float(apart.mean())) < 3e-4
    for each in (source, result):
        each.close()


def test_masks_and_layers_act_where_they_are_painted(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("jetty")
    height, width = open_still(shot.path).pixels.shape[:2]
    lut = lut_file(DEMO.parent / "luts" / "low_tide_33.cube")
    coat = attrs.evolve(new_coat("lut", file=lut), strength=0.7)
    stroke = Stroke(Brush(20.0, 50.0), ((0.3, 0.5, 1.0), (0.6, 0.5, 1.0)))
    where = Mask(full=False).marked(stroke)
    halved = Mask(full=False).marked(Gradient((0.25, 0.0), (0.75, 0.0)))
    painted = attrs.evolve(shot, mask=halved, layers=(Layer(coat, where),))
    study = study.with_shot(shot.id, mask=halved, layers=painted.layers)
    done = apply_shot(study, painted, tmp_path / "p.tif")
    assert done.proof.exact
    found = open_still(tmp_path / "p.tif").as_float()
    # The definition, spelled out on the whole picture.
    working = path.through_ground(
        shot, study, path.to_working(shot, study, open_still(shot.path).as_float())
    )
    m = rendered(halved, width, height)[..., None]
    x = working + m * (path.through_look(study, working) - working)
    m = rendered(where, width, height)[..., None]
    x = x + m * (path.through_coat(coat, x, encoding(study.working)) - x)
    meant = np.clip(path.through_view(study, x), 0, 1)
    assert np.abs(found - meant).max() <= 0.51 / 65535 + 4e-6
    # It comes back with the study, and no LUT holds it.
    kept = study_json.load(json.loads(json.dumps(study_json.dump(study))))
    assert kept.shot(shot.id).mask == halved
    back = kept.shot(shot.id).layers[0]
    assert back.mask.marks[0].brush == stroke.brush
    unpainted = study.with_shot(shot.id, mask=Mask(), layers=())
    probe = np.random.default_rng(1).random((50, 3), np.float32)
    np.testing.assert_array_equal(
        study.transform().apply(probe), unpainted.transform().apply(probe)
    )


def _rgb(kr: float, kb: float) -> np.ndarray:
    """Return the matrix from Y, Cb, Cr to R, G, B."""
    to = np.array([[kr, 1 - kr - kb, kb], [0, 0, 1], [1, 0, 0]], np.float32)
    to[1] = (to[1] - to[0]) / (2 * (1 - kb))
    to[2] = (to[2] - to[0]) / (2 * (1 - kr))
    return np.linalg.inv(to)


def test_clips_go_through_a_lattice_when_speed_counts_more(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = Shot(str(ROOT / "demo/furnace.mov"), "f", "Tarn Log", last=3)
    exact = treatment(study, shot, ApplyWish())
    code = np.random.default_rng(5).uniform(-0.05, 1.08, (4000, 3)).astype(np.float32)
    near = by_lattice(exact, 129)
    assert near.only is not None
    apart = np.abs(np.clip(near(code), 0, 1) - np.clip(exact(code), 0, 1))
    assert apart.mean() < 2e-3
    done = apply_shot(study, shot, tmp_path / "f.mkv", ApplyWish(points=129))
    assert done.proof.is_true
    assert 0 < done.proof.colour_mean < 0.1


FAULTS = {
    "range": lambda x: np.clip(x * 219 / 255 + 16 / 255, 0, 1),
    "matrix": lambda x: np.clip(
        x @ (_rgb(0.2126, 0.0722) @ np.linalg.inv(_rgb(0.299, 0.114))).T, 0, 1
    ),
    "encoding": lambda x: np.clip(x, 0, 1) ** np.float32(2.2 / 2.4),
}


@pytest.mark.parametrize("fault", FAULTS)
@pytest.mark.parametrize("quality", [40, 90])
def test_the_proof_tells_codec_loss_from_a_colour_fault(fault: str, quality: int) -> None:
    study = open_study(DEMO)
    shot = study.shot("jetty")
    code = scaled(open_still(shot.path).pixels, WHOLE, 960, 540)
    meant = treatment(study, shot, ApplyWish())(code)
    kind = media()["jpeg"]

    def proof(pixels: np.ndarray):
        saving = Saving("BT.1886", quality=quality, sampling="4:2:0")
        again = read(kind.write(rounded(pixels, 8), saving), "x.jpg")
        return still_proof(meant, again, kind, 8, "BT.1886")

    good = proof(meant)
    assert good.is_true
    assert "codec loss" in good.words()
    assert good.pixels_mean > 2 * good.colour_mean
    bad = proof(FAULTS[fault](meant))
    assert not bad.is_true
    assert "colours are off" in bad.words()


def test_results_say_what_they_are(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("sill")
    for name, suffix, wish in (
        ("Display P3", ".jpg", ApplyWish("Display P3", jpeg_quality=70, sampling="4:2:0")),
        ("BT.2100 PQ", ".png", ApplyWish("BT.2100 PQ", bits=16)),
        ("Linear BT.709", ".exr", ApplyWish("sRGB", bits=32)),
        ("ACEScg", ".exr", ApplyWish("ACEScg", bits=16)),
    ):
        done = apply_shot(study, shot, tmp_path / f"{name}{suffix}", wish)
        assert done.proof.is_true, (name, done.proof)
        assert open_still(tmp_path / f"{name}{suffix}").facts.encoding == name
    # Scene-referred results leave the View out.
    light = open_still(tmp_path / "ACEScg.exr").pixels
    code = open_still(shot.path).as_float()
    working = path.through_ground(shot, study, path.to_working(shot, study, code))
    meant = convert(path.through_look(study, working), study.working, "ACEScg")
    np.testing.assert_allclose(light, meant, rtol=1e-3, atol=1e-4)
    plain = ApplyWish(lut=read_lut(DEMO.parent / "luts" / "low_tide_33.cube").transform)
    lut = DEMO.parent / "luts" / "low_tide_33.cube"
    copy = tmp_path / "mine.cube"
    copy.write_bytes(lut.read_bytes())
    plain = ApplyWish(lut=attrs.evolve(read_lut(copy).transform, source=str(copy)))
    assert apply_shot(study, shot, tmp_path / "lut.png", plain).proof.exact
    side = tmp_path / f"lut.png{SIDECAR}"
    assert again(side, tmp_path / "more.png").proof.exact
    assert (tmp_path / "more.png").read_bytes() == (tmp_path / "lut.png").read_bytes()
    copy.write_bytes(lut.read_bytes() + b"\n")
    with pytest.raises(ExportError, match="has changed"):
        again(side, tmp_path / "other.png")
    side.write_text('{"study": {}, "wish": 3}')
    with pytest.raises(StudyError):
        again(side, tmp_path / "other.png")


@pytest.mark.parametrize("name", ["s.tif", "f.mkv"])
def test_a_result_that_was_not_proved_is_proved_by_the_next_run(name: str, tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("sill")
    if name == "f.mkv":
        shot = Shot(str(ROOT / "demo/furnace.mov"), "f", "Tarn Log", last=4)
    file, side = tmp_path / name, tmp_path / f"{name}{SIDECAR}"
    apply_shot(study, shot, file)
    made, plain = file.read_bytes(), json.loads(side.read_text())
    assert is_done(study, Job(shot, file), ApplyWish())
    # Killed between the result and its proof: nothing is written over, the proof is made up for.
    proof = plain.pop("proof")
    side.write_text(json.dumps(plain))
    stamp = file.stat().st_mtime_ns
    assert not is_done(study, Job(shot, file), ApplyWish())
    assert attrs.asdict(apply_shot(study, shot, file).proof) == proof
    assert (file.stat().st_mtime_ns, file.read_bytes()) == (stamp, made)
    assert is_done(study, Job(shot, file), ApplyWish())
    # One that is to be replaced and is not, keeps its record.
    record = side.read_bytes()
    stop = Cancel()
    stop.set()
    with pytest.raises(Cancelled):
        apply_shot(study, shot, file, ApplyWish(strength=0.5), force=True, cancel=stop)
    assert (file.read_bytes(), side.read_bytes()) == (made, record)
    # A file of somebody else's, and one that was made by other settings, are left alone.
    for wish, record in ((ApplyWish(), None), (ApplyWish(strength=0.5), json.dumps(plain))):
        side.write_text(record) if record else side.unlink()
        with pytest.raises(ExportError, match="exists already"):
            apply_shot(study, shot, file, wish)
    assert file.read_bytes() == made


def test_names_by_pattern(tmp_path: Path) -> None:
    study = open_study(DEMO)
    jobs = jobs_of(study, ("jetty", "sill"), tmp_path, ".png", ".mov", "{number} {shot} {look}")
    assert [j.file.name for j in jobs] == [
        f"002 sill {study.look.name}.png",
        f"005 jetty {study.look.name}.png",
    ]
    same = jobs_of(study, ("jetty", "sill"), tmp_path, ".png", ".mov", "../{study}/x")
    assert [j.file.parent for j in same] == [tmp_path, tmp_path]
    assert same[0].file.name != same[1].file.name
    with pytest.raises(ValueRefused, match="field"):
        jobs_of(study, ("jetty",), tmp_path, ".png", ".mov", "{moon}")
