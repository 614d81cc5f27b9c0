"""Batches: names, versions, what fails, what is cancelled, memory."""

from __future__ import annotations

import shutil
import threading
import tracemalloc
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import ROOT

from sfumato.core.errors import ExportError, ValueRefused
from sfumato.core.lut.recast import sampled
from sfumato.core.lut.table import lattice_colours
from sfumato.core.lut.transform import Function, Transform
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.luts.batch import (
    BLEND,
    CHAIN,
    EXISTING,
    Batch,
    Made,
    Recipe,
    lut_files,
    named,
    run,
)
from sfumato.work.luts.deliver import write_lut
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.luts.target import Target

LUTS = ROOT / "demo" / "luts"
CUBE = (Target("cube"),)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Two levels of folders with three LUTs, a broken one, and a text that is none."""
    place = tmp_path / "in"
    (place / "deep" / "er").mkdir(parents=True)
    shutil.copy(LUTS / "salt_day.ktx2", place)
    shutil.copy(LUTS / "kiln_balance.clf", place / "deep")
    shutil.copy(LUTS / "camera_legal.cube", place / "deep" / "er")
    shutil.copy(LUTS / "broken.cube", place)
    (place / "notes.txt").write_text("not a LUT")
    (place / ".hidden.cube").write_text("x")
    return place


def batch(folder: Path, out: Path, **changes: object) -> Batch:
    return attrs.evolve(Batch(lut_files([folder]).files, CUBE, out), **changes)


def test_folders_keep_their_shape_and_faults_stay_with_their_file(
    folder: Path, tmp_path: Path
) -> None:
    out = tmp_path / "out"
    targets = (*CUBE, Target("hald", suffix=".png"), Target("spimtx"))
    rows = run(batch(folder, out, targets=targets))
    assert {str(r.target_file.relative_to(out)) for r in rows if r.target_file} == {
        f"{name}{suffix}"
        for name in ("salt_day", "deep/kiln_balance", "deep/er/camera_legal")
        for suffix in (".cube", ".png")
    }
    refused = {r.source.name: r.error for r in rows if r.error and r.target is None}
    assert list(refused) == ["broken.cube"]
    assert ":812" in refused["broken.cube"]
    assert sum(1 for r in rows if r.error and r.target and r.target.key == "spimtx") == 3
    for row in rows:
        if row.target_file:
            assert row.loss.worst < 1.5
            read_lut(row.target_file)
    assert not list(out.rglob(".*"))  # no temporary file is left


def test_what_is_there_gets_a_version_is_left_or_replaced(folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    first = run(batch(folder, out))
    before = first[0].target_file or first[1].target_file
    stamp = before.read_bytes()
    again = run(batch(folder, out))
    assert {r.target_file.name for r in again if r.target_file} >= {"salt_day_2.cube"}
    kept = run(batch(folder, out, existing=EXISTING[1]))
    assert all(r.skipped or r.error for r in kept)
    before.write_text("old")
    run(batch(folder, out, existing=EXISTING[2]))
    assert before.read_bytes() == stamp
    flat = tuple((f, f.parent) for f, _ in lut_files([folder]).files if f.name != "broken.cube")
    same = batch(folder, out / "one", sources=flat, names="one")
    assert [r.target_file.name for r in run(same)] == ["one.cube", "one_2.cube", "one_3.cube"]
    own = run(batch(folder, folder, existing=EXISTING[2]))
    assert any("replace a file that is read in this run" in r.error for r in own)


def test_names_are_made_safe_and_patterns_checked() -> None:
    made = Made("a/b:c", Transform(title="T*t"), "tone")
    assert (
        named("{title}_{grid}_{format}_{number}", made, CUBE[0], 7, 33, "T*t")
        == "T-t_33_cube_007_tone"
    )
    assert named("{name}.{part}", made, CUBE[0], 1, 0) == "a-b-c.tone"
    for pattern in ("{nme}", "{", "..", ""):
        with pytest.raises(ValueRefused):
            named(pattern, Made("x", Transform()), CUBE[0], 1, 33)


def test_recipes_chain_blend_split_and_invert(folder: Path, tmp_path: Path) -> None:
    (folder / "broken.cube").unlink()
    day = read_lut(folder / "salt_day.ktx2").transform
    kiln = read_lut(folder / "deep" / "kiln_balance.clf").transform
    legal = read_lut(folder / "deep" / "er" / "camera_legal.cube").transform
    x = np.array([[0.2, 0.5, 0.7]], np.float32)

    def one(recipe: Recipe, **changes: object) -> list:
        rows = run(batch(folder, tmp_path / "out", recipe=recipe, **changes))
        assert not [r.error for r in rows if r.error]
        return [read_lut(r.target_file).transform for r in rows]

    files = lut_files([folder]).files
    order = [f.name for f, _ in files]
    by_name = {"salt_day.ktx2": day, "kiln_balance.clf": kiln, "camera_legal.cube": legal}
    rows = run(batch(folder, tmp_path / "n", recipe=Recipe(together=CHAIN), names="{number}"))
    assert [r.target_file.name for r in rows if r.target_file] == ["001.cube"]
    rows = run(batch(folder, tmp_path / "m", names="{number}"))
    assert [r.target_file.name for r in rows if r.target_file] == [
        "001.cube",
        "002.cube",
        "003.cube",
    ]
    (chain,) = one(Recipe(together=CHAIN), targets=(Target("clf"),))
    expected = x
    for name in order:
        expected = by_name[name].apply(expected)
    np.testing.assert_allclose(chain.apply(x), expected, atol=2e-3)
    pair = tuple(f for f in files if f[0].suffix != ".clf")
    (mix,) = one(Recipe(together=BLEND, share=0.25), sources=pair)
    first, second = (by_name[f.name].apply(x) for f, _ in pair)
    np.testing.assert_allclose(mix.apply(x), 0.75 * first + 0.25 * second, atol=2e-3)
    refused = run(batch(folder, tmp_path / "out", recipe=Recipe(together=BLEND)))
    assert "takes two LUTs" in refused[0].error
    single = tuple(f for f in files if f[0].suffix == ".ktx2")
    parts = one(Recipe(part="tone and colour"), sources=single)
    np.testing.assert_allclose(parts[1].apply(parts[0].apply(x)), day.apply(x), atol=3e-3)
    (back,) = one(Recipe(invert=True), sources=single)
    np.testing.assert_allclose(back.apply(day.apply(x)), x, atol=5e-3)
    (weak,) = one(Recipe(strength=0.5), sources=single)
    np.testing.assert_allclose(weak.apply(x), (x + day.apply(x)) / 2, atol=2e-3)


def test_cancel_leaves_whole_files_only(folder: Path, tmp_path: Path) -> None:
    cancel, rows = Cancel(), []

    def on_row(row) -> None:
        rows.append(row)
        if row.target_file:
            cancel.set()

    with pytest.raises(Cancelled):
        run(batch(folder, tmp_path / "out"), cancel, on_row=on_row)
    made = [r.target_file for r in rows if r.target_file]
    assert len(made) == 1
    assert [p for p in (tmp_path / "out").rglob("*") if p.is_file()] == made
    read_lut(made[0])


def test_a_folder_that_cannot_be_made_is_told(folder: Path, tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("x")
    with pytest.raises(ExportError, match=r"folder|exists|directory"):
        run(batch(folder, blocked / "out"))


def test_memory_is_flat_over_a_batch(tmp_path: Path) -> None:
    """Eighteen files of 33 points: the last six need no more than the six before."""
    source = tmp_path / "in"
    source.mkdir()
    random = np.random.default_rng(4)
    for i in range(18):
        power = random.uniform(0.8, 1.3, 3)
        lut = Transform((Function("g", lambda x, p=power: np.maximum(x, 0) ** p),))
        write_lut(sampled(lut, 33), source / f"{i:02}.cube")
    assert len(lattice_colours(33)) == 33
    peaks: list[int] = []
    tracemalloc.start()

    def on_row(_row) -> None:
        peaks.append(tracemalloc.get_traced_memory()[1])
        tracemalloc.reset_peak()

    run(batch(source, tmp_path / "out", targets=(Target("3dl"), Target("hald"))), on_row=on_row)
    tracemalloc.stop()
    assert max(peaks[24:]) < 1.1 * max(peaks[12:24])
    assert threading.active_count() < 20
