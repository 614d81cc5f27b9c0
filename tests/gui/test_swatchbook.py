"""The Swatchbook in the real window: look through folders, compare, mix, stack, file, and use looks."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLineEdit, QPushButton

import sfumato
from sfumato.app.controls.tick import Tick
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.recast import legal_out
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Transform
from sfumato.core.measure.swatch import character, unlikeness
from sfumato.core.path import path
from sfumato.work.luts import swatches as work
from sfumato.work.luts.swatches import Cache, Facts, Remark, Swatchbook, scan
from sfumato.work.stores.presets import shipped_folder


def _lut(file: Path, run, title: str = "", comments: tuple[str, ...] = ()) -> Path:
    nodes = np.clip(run(lattice_colours(17)), 0, 1).astype(np.float32)
    sfumato.write(Transform((Table3D(nodes),), title or file.stem, comments), file)
    return file


@pytest.fixture
def looks(tmp_path: Path) -> Path:
    """A folder of made-up looks: display looks, one for the camera, one that says so, one broken."""
    folder = tmp_path / "looks"
    (folder / "pack").mkdir(parents=True)
    _lut(folder / "amber.cube", lambda x: x * np.float32([1, 0.93, 0.75]))
    _lut(folder / "frost.cube", lambda x: x * np.float32([0.85, 0.95, 1]))
    _lut(folder / "hard.cube", lambda x: (x - 0.5) * 1.5 + 0.5)
    _lut(folder / "pack" / "grey.cube", lambda x: x.mean(axis=-1, keepdims=True).repeat(3, -1))
    study = sfumato.open_study(ROOT / "demo" / "saltglass.sfumato")
    shown = "expects Tarn Log (Tarn Log · Tarn Wide), gives BT.1886 (BT.709)"
    plain = attrs.evolve(study, look=attrs.evolve(study.look, coats=()))
    _lut(folder / "camera.cube", plain.transform().apply, comments=(shown,))
    _lut(folder / "night.cube", lambda x: x * 0.45)
    shutil.copy(ROOT / "sfumato" / "looks" / "lamp_oil.look", folder / "pack")
    (folder / "broken.cube").write_text("LUT_3D_SIZE 3\n0 0 0\n")
    (folder / "readme.txt").write_text("not a look")
    return folder


@pytest.fixture
def book(demo, looks: Path):
    """The window in the Swatchbook, on that folder, at rest."""
    hand = demo
    hand.window.view.set(shot="sill")
    hand.window.rooms["swatchbook"].edits.add_folders([looks])
    hand.act("room_swatchbook")
    hand.settle()
    return hand


def names(hand) -> list[str]:
    return [t.name for t in hand.window.rooms["swatchbook"].page.wall.tiles]


def choose(hand, name: str):
    model = hand.window.rooms["swatchbook"].model
    swatch = next(s for s in model.swatches if s.file.stem == name)
    model.choose(swatch)
    hand.settle()
    return swatch


def order(hand, key: str) -> None:
    box = hand.find(QComboBox, "swatch.order")
    box.setCurrentIndex(box.findData(key))
    box.activated.emit(box.currentIndex())
    hand.settle()


def test_the_wall_shows_sorts_searches_and_filters(book) -> None:
    hand, window = book, book.window
    model, wall = window.rooms["swatchbook"].model, window.rooms["swatchbook"].page.wall
    every = ["amber", "broken", "camera", "frost", "grey", "hard", "lamp oil", "night"]
    assert [n.casefold() for n in names(hand)] == every
    tiles = {t.name: t for t in wall.tiles}
    assert tiles["broken"].warning == "cannot be read"
    assert tiles["broken"].picture is None
    assert all(t.picture is not None for n, t in tiles.items() if n != "broken")
    # A tile is what its look makes of the shot.
    study, shot = hand.study, hand.study.shot("sill")
    code = window.desk.previewer.cut(study, shot, 200, 112)
    shown = path.through_view(study, path.through_ground(shot, study, code))
    amber = np.clip(shown, 0, 1) * np.float32([1, 0.93, 0.75])
    meant = window.desk.previewer.screened_whole(study, amber).astype(int)
    made = model.tiles[next(s.key for s in model.swatches if s.file.stem == "amber")]
    assert np.abs(made.astype(int) - meant).mean() < 2.5
    order(hand, "warmth")
    assert names(hand)[0] == "amber"
    order(hand, "darkness")
    assert names(hand)[0] == "night"
    order(hand, "colourfulness")
    assert names(hand)[-2] == "grey"  # before the broken one
    choose(hand, "frost")
    order(hand, "likeness")
    assert names(hand)[0] == "frost"
    field = hand.find(QLineEdit, "swatch.search")
    field.setText("ambe")
    hand.settle()
    assert names(hand) == ["amber"]
    field.setText("")
    hand.click(hand.find(Tick, "swatch.display"), QPointF(8, 8))
    hand.settle()
    assert {n.casefold() for n in names(hand)} <= {"camera", "lamp oil", "broken", "night", "hard"}
    hand.click(hand.find(Tick, "swatch.display"), QPointF(8, 8))
    model.show(folder=str(model.folders[0]), order="name")
    # Keys step; the room's Easel follows.
    seen = []
    model.seen.connect(lambda answer: seen.append(answer[1]))
    wall.setFocus()
    QTest.keyClick(wall, Qt.Key.Key_Home)
    hand.settle()
    QTest.keyClick(wall, Qt.Key.Key_End)
    hand.settle()
    assert model.chosen.file.stem == "night"
    assert seen[-1].mean() < seen[0].mean() - 20
    box = wall.box(3)
    hand.click(wall.viewport(), box.center())
    assert model.chosen.file.stem == "frost"
    # Shift and the wheel change the Strength of the look under the hand.
    before = model.tiles[model.chosen.key].copy()
    for _ in range(10):
        hand.turn(wall.viewport(), -120, wall.box(3).center(), Qt.KeyboardModifier.ShiftModifier)
    hand.settle()
    assert model.strength(model.chosen) == pytest.approx(0.5)
    assert np.abs(model.tiles[model.chosen.key].astype(int) - before).mean() > 1


def test_what_does_not_fit_is_marked_and_converted(book, tmp_path: Path) -> None:
    hand, window = book, book.window
    model, study = window.rooms["swatchbook"].model, book.study
    tiles = {t.name: t for t in window.rooms["swatchbook"].page.wall.tiles}
    assert tiles["amber"].mark == "converted"
    hand.click(hand.find(Tick, "swatch.convert"), QPointF(8, 8))
    hand.settle()
    tiles = {t.name: t for t in window.rooms["swatchbook"].page.wall.tiles}
    assert tiles["amber"].warning == "expects display"
    hand.click(hand.find(Tick, "swatch.convert"), QPointF(8, 8))
    hand.settle()
    # Put into the Look, the display look comes with what it is taken for, and shows the same.
    before = study.look.coats
    swatch = choose(hand, "amber")
    hand.click(hand.find(QPushButton, "swatch.put"))
    hand.settle()
    assert len(hand.study.look.coats) == len(before) + 1
    coat = hand.study.look.coats[-1]
    assert (coat.title, coat.parameters.expects) == ("amber", "BT.1886")
    only = attrs.evolve(hand.study, look=attrs.evolve(hand.study.look, coats=(coat,)))
    shot = study.shot("sill")
    code = window.desk.frames.sample(shot, 120).reshape(-1, 3)
    grounded = path.through_ground(shot, study, code)
    by_look = path.through_view(only, path.through_look(only, grounded))
    by_tile = model.book.seen(study, swatch, model.ends(swatch))(grounded)
    apart = delta_e(by_look, np.clip(by_tile, 0, 1), encoding("BT.1886"))
    assert np.median(apart) < 0.5
    assert np.percentile(apart, 90) < 2
    window.view.set(room="look")
    hand.act("undo")
    assert hand.study.look.coats == before
    # The person knows better: the file expects and gives what the person says.
    window.view.set(room="swatchbook")
    choose(hand, "frost")
    for which in ("expects", "gives"):
        box = hand.find(QComboBox, f"swatch.{which}")
        box.setCurrentText("Tarn Log")
        box.activated.emit(0)
        hand.settle()
    assert model.remark(model.chosen).ends == ("Tarn Log", "Tarn Log")
    assert model.misfit(model.chosen) == ""
    hand.act("undo")
    assert model.remark(model.chosen).ends is None
    # Converted beside its file, and shown at once.
    choose(hand, "camera")
    hand.act("swatch_convert")
    hand.settle()
    assert any("camera for Tarn Log" in n for n in names(hand))


def test_two_looks_are_compared_mixed_and_stacked(book, ports, tmp_path: Path) -> None:
    hand, window = book, book.window
    model, study = window.rooms["swatchbook"].model, book.study
    choose(hand, "amber")
    hand.click(hand.find(QPushButton, "swatch.hold"))
    choose(hand, "frost")
    sights: list = []
    model.seen.connect(sights.append)
    model.set_share(0.25)
    hand.settle()
    a, b = sights[-1]
    assert a[..., 2].mean() < b[..., 2].mean()  # the amber one on A
    assert "B a mix" in window.rooms["swatchbook"].page.card.side_b.text()
    code = np.random.default_rng(5).uniform(0.2, 0.8, (50, 3)).astype(np.float32)
    run = model.build().run(model.book, hand.study)
    parts = [model.book.layer(study, s, model.ends(s))(code) for s in (model.chosen, model.held)]
    np.testing.assert_allclose(run(code), 0.75 * parts[0] + 0.25 * parts[1], atol=1e-5)
    ports.lut_save = tmp_path / "looks" / "mix.cube"
    hand.click(hand.find(QPushButton, "swatch.save"))
    hand.settle()
    assert "frost with 25 % amber" in names(hand)
    saved = sfumato.read(tmp_path / "looks" / "mix.cube")
    assert span_note.read(saved.comments) == ("Tarn Log", "Tarn Log")
    # A stack: one after the other, each at its Strength, in an order that can be changed.
    model.set_share(0.0)
    hand.click(hand.find(QPushButton, "swatch.stack_add"))
    choose(hand, "hard")
    model.set_strength(model.chosen, 0.5)
    hand.click(hand.find(QPushButton, "swatch.stack_add"))
    hand.settle()
    assert [x.swatch.file.stem for x in model.stack] == ["frost", "hard"]
    assert model.stack[1].strength == 0.5
    one = model.build().run(model.book, hand.study)(code)
    window.rooms["swatchbook"].page.card.stack.setCurrentRow(1)
    hand.click(hand.find(QPushButton, "swatch.stack_up"))
    assert [x.swatch.file.stem for x in model.stack] == ["hard", "frost"]
    assert np.abs(model.build().run(model.book, hand.study)(code) - one).max() > 1e-3
    before = len(hand.study.look.coats)
    hand.click(hand.find(QPushButton, "swatch.put"))
    hand.settle()
    added = hand.study.look.coats[before:]
    assert [c.strength for c in added] == [0.5, 1.0]
    for _ in range(2):
        hand.click(hand.find(QPushButton, "swatch.stack_drop"))
    assert model.stack == ()


def test_marks_files_and_folders(book, ports, looks: Path, tmp_path: Path) -> None:
    hand, window = book, book.window
    model, wall = window.rooms["swatchbook"].model, window.rooms["swatchbook"].page.wall
    choose(hand, "amber")
    wall.setFocus()
    QTest.keyClick(wall, Qt.Key.Key_K)
    note = window.rooms["swatchbook"].page.card.note
    note.setFocus()
    note.setPlainText("for the dusk scenes")
    wall.setFocus()
    hand.settle()
    kept = work.read_remarks()[str(looks / "amber.cube")]
    assert kept == Remark("kept", "for the dusk scenes")
    model.show(kept_only=True)
    assert names(hand) == ["amber"]
    model.show(kept_only=False, hide_passed=True)
    choose(hand, "hard")
    hand.click(hand.find(QPushButton, "swatch.passed"))
    assert "hard" not in names(hand)
    hand.act("undo")
    assert "hard" in names(hand)
    model.show(hide_passed=False)
    # Rename and move take the remark along; nothing is written over; undo brings all back.
    choose(hand, "amber")
    ports.name = "frost"
    hand.act("swatch_rename")
    hand.settle()
    assert "exists there already" in hand.notices[-1]
    assert (looks / "amber.cube").exists()
    ports.name = "x" * 300
    hand.act("swatch_rename")
    hand.settle()
    assert "too long" in hand.notices[-1]
    ports.name = "  "
    hand.act("swatch_rename")
    assert (looks / "amber.cube").exists()
    ports.name = "honey"
    hand.act("swatch_rename")
    hand.settle()
    assert (looks / "honey.cube").exists()
    assert model.remarks[str(looks / "honey.cube")] == kept
    choose(hand, "honey")
    ports.folder = looks / "pack"
    hand.act("swatch_move")
    hand.settle()
    assert (looks / "pack" / "honey.cube").exists()
    hand.act("undo")
    hand.act("undo")
    hand.settle()
    assert (looks / "amber.cube").exists()
    assert model.remarks[str(looks / "amber.cube")] == kept
    # Into the desktop's trash, and out of it again.
    (tmp_path / "data").mkdir(exist_ok=True)
    data = (looks / "amber.cube").read_bytes()
    choose(hand, "amber")
    wall.setFocus()
    QTest.keyClick(wall, Qt.Key.Key_Delete)
    hand.settle()
    assert not (looks / "amber.cube").exists()
    assert "amber" not in names(hand)
    hand.act("undo")
    hand.settle()
    assert (looks / "amber.cube").read_bytes() == data
    hand.act("swatch_reveal")
    assert ports.revealed is not None
    # What others do to the folder appears by itself; dropped files are copied in.
    _lut(looks / "late.cube", lambda x: x**1.2)
    hand.until(lambda: "late" in names(hand))
    hand.settle()
    outside = _lut(tmp_path / "guest.cube", lambda x: x**0.8)
    hand.drop(outside, tmp_path / "none.txt")
    hand.settle()
    assert (looks / "guest.cube").read_bytes() == outside.read_bytes()
    hand.drop(outside)
    hand.settle()
    assert (looks / "guest 2.cube").exists()
    hand.act("undo")
    hand.settle()
    assert not (looks / "guest 2.cube").exists()
    # A folder that is taken out keeps its files.
    window.rooms["swatchbook"].edits.drop_folder(str(looks.resolve()))
    hand.settle()
    assert names(hand) == []
    assert "Add a folder" in wall.words
    hand.click(hand.find(QPushButton, "swatch.shipped"))
    hand.settle()
    assert len(names(hand)) == 24
    assert (looks / "frost.cube").exists()
    # The looks that ship stay as they are: none comes, goes or gets another name.
    before = sorted(f.name for f in shipped_folder().iterdir())
    files = window.rooms["swatchbook"].model.files
    swatch = window.rooms["swatchbook"].model.swatches[0]
    steps = files.undo_stack.index()
    files.trash(swatch)
    files.move(swatch, swatch.file.with_name("other.look"))
    files.move(swatch, looks / "other.look")
    hand.drop(outside)
    hand.settle()
    assert sorted(f.name for f in shipped_folder().iterdir()) == before
    assert not (looks / "other.look").exists()
    assert files.undo_stack.index() == steps
    assert "stay as they are" in hand.notices[-1]
    hand.ports.lut_save = looks / "mine.cube"
    choose(hand, swatch.file.stem)
    hand.act("swatch_convert")
    hand.settle()
    assert (looks / "mine.cube").exists()
    assert sorted(f.name for f in shipped_folder().iterdir()) == before


def test_tiles_show_a_set_of_shots(book) -> None:
    hand, model = book, book.window.rooms["swatchbook"].model
    swatch = choose(hand, "grey")
    one = model.tiles[swatch.key]
    hand.window.view.set(marked_shots=("jetty",))
    box = hand.find(QComboBox, "swatch.shots")
    box.setCurrentIndex(1)
    box.textActivated.emit(box.currentText())
    hand.settle()
    assert [s.id for s in model.shots] == ["sill", "jetty"]
    two = model.tiles[swatch.key]
    assert two.shape == one.shape
    # Each half is that shot through the look, as it would be in the middle of its own tile.
    width = one.shape[1] // 2
    study, previewer = hand.study, hand.window.desk.previewer
    seen = model.book.seen(study, swatch, model.ends(swatch))
    for left, name in ((0, "sill"), (width, "jetty")):
        shot = study.shot(name)
        code = previewer.cut(study, shot, width, one.shape[0])
        meant = previewer.screened_whole(study, seen(path.through_ground(shot, study, code)))
        part = two[:, left : left + width].astype(int)
        assert np.abs(part - meant).mean() < 2
    hand.window.view.set(marked_shots=())
    hand.settle()
    again = model.tiles[swatch.key].astype(int)  # from the cache, where tiles are JPEG
    assert np.abs(again - one).mean() < 2
    box.setCurrentIndex(2)
    box.textActivated.emit(box.currentText())
    hand.settle()
    assert len({s.id for s in model.shots}) == 4
    assert hand.window.rooms["swatchbook"].page.title.text().count(",") == 3


def test_a_contact_sheet_as_picture_and_pdf(book, ports, tmp_path: Path) -> None:
    hand = book
    ports.sheet = tmp_path / "sheet.png"
    hand.act("swatch_sheet")
    hand.settle()
    with Image.open(ports.sheet) as picture:
        assert picture.width == 1800
        assert 200 < picture.height < 1400
        spread = np.asarray(picture.convert("RGB"))
    assert spread.std() > 30
    ports.sheet = tmp_path / "sheet.pdf"
    hand.act("swatch_sheet")
    hand.settle()
    data = ports.sheet.read_bytes()
    assert data.startswith(b"%PDF")
    assert data.rstrip().endswith(b"%%EOF")
    assert "7 looks" in hand.notices[-1]


def test_the_cache_survives_damage_and_other_versions(looks: Path, tmp_path: Path) -> None:
    file = tmp_path / "c" / "swatches.sqlite"
    book = Swatchbook(Cache(file))
    found = scan([looks])
    assert len(found) == 8
    first = book.examine(found)
    again = Swatchbook(Cache(file)).cache.facts([s.key for s in found])
    assert {k: f.title for k, f in again.items()} == {k: f.title for k, f in first.items()}
    amber = next(s for s in found if s.file.stem == "amber")
    assert unlikeness(again[amber.key].character, first[amber.key].character) < 0.01
    os.utime(amber.file, (1, 1))  # another stamp: known no longer
    moved = next(s for s in scan([looks]) if s.file == amber.file)
    assert moved.key not in book.cache.facts([moved.key])
    book.cache.close()
    for junk in (b"", b"no database" * 999):
        for part in file.parent.iterdir():
            part.unlink()
        file.write_bytes(junk)
        cache = Cache(file)
        cache.put_facts({"a": Facts("a")})
        assert cache.facts(["a", "b"]) == {"a": Facts("a")}
        cache.close()
    work.remarks_file().parent.mkdir(parents=True, exist_ok=True)
    work.remarks_file().write_text(json.dumps({"remarks": {"x": {"mark": 3, "ends": [1]}}}))
    assert work.read_remarks()["x"].ends is None


def test_characters_follow_what_looks_do() -> None:
    same = character(lambda x: x)
    warm = character(lambda x: x * np.float32([1, 0.95, 0.8]))
    dull = character(lambda x: x * 0.5 + x.mean(axis=-1, keepdims=True) * 0.5)
    soft = character(lambda x: x * 0.7 + 0.15)
    assert warm.warmth > 1 > same.warmth
    assert dull.colourfulness < 0.75
    assert soft.contrast < 0.9
    legal = character(legal_out(Transform((Function("x", lambda x: x),))).apply)
    assert unlikeness(same, legal) < unlikeness(same, soft) < unlikeness(same, warm) + 20


def test_commands_name_their_file_and_stay_with_it(
    book, ports, looks: Path, tmp_path: Path
) -> None:
    """A renamed look stays chosen; what goes into the trash is said, and comes back from the notice."""
    hand, window = book, book.window
    model, action = window.rooms["swatchbook"].model, window.actions_table.by_id["swatch_trash"]
    wall = window.rooms["swatchbook"].page.wall
    (tmp_path / "data").mkdir(exist_ok=True)
    choose(hand, "hard")
    model.set_strength(model.chosen, 0.5)
    model.hold()
    assert action.text() == "Put hard.cube into the trash"
    ports.name = "a & b"
    hand.act("swatch_rename")
    assert model.chosen.file == looks / "a & b.cube"  # at once, before the folder is read again
    hand.settle()
    assert (model.chosen.file, model.held.file) == (looks / "a & b.cube",) * 2
    assert model.strength(model.chosen) == 0.5
    assert action.text() == "Put a && b.cube into the trash"
    before = sorted(p.name for p in looks.iterdir())
    shown = [s.file for s in model.visible]
    neighbour = shown[shown.index(model.chosen.file) + 1]
    wall.setFocus()
    QTest.keyClick(wall, Qt.Key.Key_Delete)
    assert "a & b.cube is in the trash" in hand.notices[-1]
    assert model.chosen.file == neighbour
    hand.settle()
    assert sorted({*before} - {p.name for p in looks.iterdir()}) == ["a & b.cube"]
    # Another step in between does not make the notice undo that one.
    choose(hand, "frost")
    hand.act("swatch_keep")
    button = hand.find(QPushButton, "notice.button")
    assert button.text() == "Undo"
    hand.click(button)
    hand.settle()
    assert sorted(p.name for p in looks.iterdir()) == before
    assert model.remark(model.chosen).mark == "kept"
    # A file that somebody takes away leaves nothing chosen: no command meets another.
    choose(hand, "night")
    (looks / "night.cube").unlink()
    model.rescan()
    hand.settle()
    assert model.chosen is None
    assert not action.isEnabled()
    assert action.text() == "Put the file into the trash"
    there = sorted(p.name for p in looks.iterdir())
    wall.setFocus()
    QTest.keyClick(wall, Qt.Key.Key_Delete)
    hand.settle()
    assert sorted(p.name for p in looks.iterdir()) == there


def test_files_that_break_while_they_are_chosen_are_told(
    book, ports, looks: Path, tmp_path
) -> None:
    hand, window = book, book.window
    model = window.rooms["swatchbook"].model
    for action, damage in (
        ("swatch_save", lambda f: f.write_text("torn")),
        ("swatch_convert", lambda f: f.write_text("torn")),
        ("swatch_put", lambda f: f.unlink()),
        ("swatch_save", lambda f: f.unlink()),
        ("swatch_convert", lambda f: f.unlink()),
    ):
        (looks / "victim.cube").unlink(missing_ok=True)
        good = _lut(looks / "victim.cube", lambda x: x**1.3)
        model.rescan()
        hand.settle()
        choose(hand, "victim")
        ports.lut_save = tmp_path / "out.cube"
        count = len(hand.notices)
        damage(good)
        model._book = Swatchbook(Cache(tmp_path / f"c{count}"))  # nothing is remembered of the file
        hand.act(action)
        hand.settle()
        assert any("victim.cube" in words for words in hand.notices[count:]), action
        assert not (tmp_path / "out.cube").exists()
