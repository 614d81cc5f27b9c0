"""Shots through Ground and Look into new files, and the record of what was done."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import DEMO, ROOT

from sfumato.core import path, study_json
from sfumato.core.encodings import convert
from sfumato.core.errors import ExportError
from sfumato.core.study import Shot
from sfumato.media.clip import Clip
from sfumato.work.apply import SIDECAR, ApplyWish, apply_shot, treatment
from sfumato.work.frames import open_still
from sfumato.work.luts import read_lut
from sfumato.work.study_store import open_study


def test_a_still_is_what_the_path_says_and_can_be_done_again(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = study.shot("jetty")
    out = tmp_path / "jetty.tif"
    assert apply_shot(study, shot, out) == ()
    code = open_still(shot.path).as_float()
    working = path.through_ground(shot, study, path.to_working(shot, study, code))
    meant = np.clip(path.through_view(study, path.through_look(study, working)), 0, 1)
    stored = open_still(out).as_float()
    assert np.abs(stored - meant).max() <= 0.51 / 65535 + 2e-6
    # The sidecar holds all that is needed.
    plain = json.loads((tmp_path / f"jetty.tif{SIDECAR}").read_text())
    again = study_json.load(plain["study"])
    assert plain["source"] == str(Path(shot.path).resolve())
    apply_shot(again, again.shot(plain["shot"]), tmp_path / "again.tif")
    assert (tmp_path / "again.tif").read_bytes() == out.read_bytes()
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


def test_a_clip_keeps_its_ends(tmp_path: Path) -> None:
    study = open_study(DEMO)
    shot = Shot(str(ROOT / "demo/furnace.mov"), "f", "Tarn Log", first=5, last=9)
    apply_shot(study, shot, tmp_path / "f.mkv")
    source, result = Clip(shot.path), Clip(str(tmp_path / "f.mkv"))
    assert result.count == 5
    meant = np.clip(treatment(study, shot, ApplyWish())(source.frame(7).pixels), 0, 1)
    apart = result.frame(2).pixels - meant
    assert abs(float(apart.mean())) < 3e-4
    for each in (source, result):
        each.close()
