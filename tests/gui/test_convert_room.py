"""The Convert room in the real window: dropping, examining, mending, comparing, converting."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from conftest import ROOT
from gui.test_glazes import typed
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.rooms.convert.compare_panel import ComparePanel
from sfumato.app.rooms.convert.convert_model import Bench
from sfumato.app.rooms.convert.lut_scope import LutScope
from sfumato.core.lut.difference import cube_colours
from sfumato.work.luts.lut_files import read_lut

LUTS = ROOT / "demo" / "luts"
FAULTY = "pack_017.cube"


def drop(hand, *files: Path) -> None:
    hand.drop(*files)
    hand.settle()


def choose(hand, name: str) -> None:
    """Click a file in the list."""
    files = hand.window.rooms["convert"].page.list.files
    row = [e.path.name for e in hand.window.rooms["convert"].model.bench.entries].index(name)
    item = files.item(row)
    files.scrollToItem(item)
    hand.click(files.viewport(), QPointF(files.visualItemRect(item).center()))
    hand.settle()


def pick(hand, name: str, words: str) -> None:
    """Choose an entry of a list of choices as a person does."""
    box = hand.find(Chooser, name)
    box.setCurrentText(words)
    box.activated.emit(box.currentIndex())
    box.textActivated.emit(words)
    hand.settle()


@pytest.fixture
def room(hand, tmp_path: Path):
    """The Convert room with the demo's files, results going to a folder of the test."""
    hand.act("room_convert")
    drop(hand, LUTS)
    out = hand.find(QLineEdit, "out.folder")
    out.setText(str(tmp_path / "out"))
    out.editingFinished.emit()
    hand.settle()
    return hand


def test_from_a_faulty_file_to_mended_ones_in_three_formats(room, tmp_path: Path) -> None:
    hand, model = room, room.window.rooms["convert"].model
    states = {e.path.name: model.of(e).state[0] for e in model.bench.entries}
    assert states["broken.cube"] == "refused"
    assert states[FAULTY] == "axes swapped"
    assert states["camera_legal.cube"] == "gives legal range"
    assert states["returned_hald8.png"].startswith("grain of 1.6")
    assert states["salt_day_link.icc"] == "ready"
    choose(hand, "broken.cube")
    assert "2 numbers instead of 3" in hand.find(QLabel, "assay.facts").text()
    choose(hand, FAULTY)
    before = model.now.transform.apply([[0.8, 0.2, 0.1]])
    hand.click(hand.find(QPushButton, "repair.axes"))
    hand.settle()
    after = model.now.transform.apply([[0.8, 0.2, 0.1]])
    assert before[0, 1] > 0.6 > 0.4 > after[0, 1]
    assert "swap axes" in hand.find(QLabel, "assay.after").text()
    assert hand.find(QPushButton, "repair.axes").text() == "Undo swap axes"
    hand.act("undo")
    hand.settle()
    np.testing.assert_allclose(model.now.transform.apply([[0.8, 0.2, 0.1]]), before)
    hand.act("redo")
    hand.settle()
    assert hand.find(QPushButton, "convert.go").text() == "Convert 11 files to 3 formats"
    losses = [hand.find(QLabel, f"loss.{k}").text() for k in ("cube", "clf", "3dl")]
    assert losses == ["0.00 ΔE", "0.00 ΔE", "0.01 ΔE"]
    hand.click(hand.find(QPushButton, "convert.go"))
    hand.settle()
    title = hand.find(QLabel, "batch.title").text()
    assert title == "Done: 33 written, 1 refused"
    table = hand.find(QTableWidget, "batch.rows")
    rows = [[table.item(i, c).text() for c in range(6)] for i in range(table.rowCount())]
    assert ["broken.cube", "", "refused", "", ""] in [r[:5] for r in rows]
    assert any(r[5].startswith("line 812: the row has 2 numbers") for r in rows)
    written = read_lut(tmp_path / "out" / "pack_017.cube").transform
    np.testing.assert_allclose(written.apply([[0.8, 0.2, 0.1]]), after, atol=1e-6)
    assert sorted(p.suffix for p in (tmp_path / "out").iterdir()).count(".3dl") == 11
    hand.click(hand.find(QPushButton, "batch.open"))
    assert hand.ports.revealed == tmp_path / "out"
    hand.click(hand.find(QPushButton, "batch.close"))
    assert hand.find(QLabel, "assay.name").text() == FAULTY
    hand.act("room_look")
    assert not hand.window.actions_table.by_id["undo"].isEnabled()  # each room has its own past


def test_cancelling_keeps_what_is_whole(room, tmp_path: Path) -> None:
    hand = room
    for key in ("hald", "strip", "ktx2", "icc"):
        hand.click(hand.find(Tick, f"goal.{key}"))
    hand.settle()
    hand.click(hand.find(QPushButton, "convert.go"))
    hand.until(lambda: list((tmp_path / "out").glob("*")))
    hand.click(hand.find(QPushButton, "batch.cancel"))
    hand.settle()
    assert hand.find(QLabel, "batch.title").text().startswith("Cancelled")
    files = list((tmp_path / "out").iterdir())
    assert 0 < len(files) < 60
    for file in files:
        read_lut(file)
    assert "nothing is half written" in hand.find(QLabel, "batch.words").text()


def test_comparing_two_files_over_the_cube_and_on_the_shot(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    hand.settle()
    hand.act("room_convert")
    drop(hand, LUTS / "low_tide_33.cube", LUTS / "monitor_a.3dl", LUTS / "stage_b.csp")
    hand.act("compare_luts")
    hand.menu("compare.monitor_a.3dl")
    hand.settle()
    panel = hand.find(ComparePanel, "")
    found = panel.comparison
    a, b = (read_lut(LUTS / n).transform for n in ("low_tide_33.cube", "monitor_a.3dl"))
    own = np.abs(a.apply(cube_colours()).clip(0, 1) - b.apply(cube_colours()).clip(0, 1)).max()
    assert found.cube.code_value_worst == pytest.approx(own)
    assert "Over the cube" in hand.find(QLabel, "compare.cube").text()
    assert "On the shot" in hand.find(QLabel, "compare.shot").text()
    x, y = found.picture.worst_place
    assert found.picture.delta[y, x] == found.picture.delta.max()
    assert found.picture.difference.worst == pytest.approx(found.picture.delta.max(), abs=1e-4)
    for pane in panel._pictures[:2]:
        assert hand.sees_elsewhere(lambda p=pane: p.image)
    QTest.keyClick(panel, Qt.Key.Key_Escape)
    assert hand.find(QLabel, "assay.name").text() == "low_tide_33.cube"


def test_readings_recipes_and_choices_follow_the_hand(room) -> None:
    hand, model = room, room.window.rooms["convert"].model
    choose(hand, "tiles_32.png")
    assert hand.find(Chooser, "assay.reading").currentText() == "row, green up"
    right = model.now.transform.apply([[0.5, 0.9, 0.5]])
    pick(hand, "assay.reading", "row")
    wrong = model.now.transform.apply([[0.5, 0.9, 0.5]])
    assert wrong[0, 1] < 0.3 < 0.7 < right[0, 1]
    hand.act("undo")
    hand.settle()
    choose(hand, "camera_legal.cube")
    pick(hand, "work.range", "give full range instead of legal")
    assert model.now.view.neutral[-1].max() > 0.97
    pick(hand, "work.range", "as it is")
    strength = hand.find(ScrubNumber, "work.strength")
    centre = QPointF(strength.rect().center())
    hand.drag(strength, centre, centre + QPointF(-60, 0))
    hand.settle()
    assert model.bench.recipe.strength < 0.9
    hand.act("undo")
    pick(hand, "work.together", "blend the two")
    assert "takes two LUTs" in hand.find(QLabel, "assay.after").text()
    pick(hand, "work.together", "each by itself")
    hand.click(hand.find(Tick, "work.invert"))
    hand.settle()
    assert "back and through again" in hand.find(QLabel, "assay.after").text()
    hand.click(hand.find(Tick, "work.invert"))
    hand.click(hand.find(QPushButton, "set.3dl"))
    grid = hand.find(ScrubNumber, "grid.3dl")
    grid.setFocus()
    hand.keys(grid, Qt.Key.Key_Up, Qt.Key.Key_Up)
    pick(hand, "depth.3dl", "16 bit")
    assert {(g.grid, g.depth) for g in model.bench.goals if g.key == "3dl"} == {(19, "16")}
    pick(hand, "out.fit", "fitted, kept only if better")
    assert "fitted 0." in hand.find(QLabel, "out.lost").text()
    names = hand.find(QLineEdit, "out.names")
    names.setText("{nme}")
    names.editingFinished.emit()
    assert not hand.find(QPushButton, "convert.go").isEnabled()
    assert "not known" in hand.find(QLabel, "out.lost").text()


def test_the_grid_that_is_shown_is_the_grid_that_is_written(room, tmp_path: Path) -> None:
    """Without a wish every file keeps its own; the numbers in the choices say which."""
    hand = room
    choose(hand, "low_tide_33.cube")
    wanted = {"cube": 33, "hald": 36, "ktx2": 33}
    for key in wanted:
        tick = hand.find(Tick, f"goal.{key}")
        if not tick.isChecked():
            hand.click(tick)
        hand.click(hand.find(QPushButton, f"set.{key}"))
    hand.settle()
    assert {k: hand.find(ScrubNumber, f"grid.{k}").text() for k in wanted} == {
        k: str(v) for k, v in wanted.items()
    }
    choose(hand, "pack_017.cube")
    assert hand.find(ScrubNumber, "grid.cube").text() == "17"
    assert hand.find(ScrubNumber, "grid.hald").text() == "25"
    typed(hand, hand.find(ScrubNumber, "grid.cube"), "9")
    choose(hand, "low_tide_33.cube")
    assert hand.find(ScrubNumber, "grid.cube").text() == "9"
    QTest.keyClick(hand.find(ScrubNumber, "grid.cube"), Qt.Key.Key_Delete)
    hand.settle()
    goals = {g.key: g.grid for g in hand.window.rooms["convert"].model.bench.goals}
    assert goals["cube"] is None
    hand.click(hand.find(QPushButton, "convert.go"))
    hand.settle()
    out = tmp_path / "out"
    sizes = {
        "cube": read_lut(out / "low_tide_33.cube").transform.table.size,
        "hald": read_lut(out / "low_tide_33.png").transform.table.size,
        "ktx2": read_lut(out / "low_tide_33.ktx2").transform.table.size,
    }
    assert sizes == wanted


def test_a_wheel_that_passes_changes_no_choice(room) -> None:
    hand = room
    boxes = [b for b in hand.window.findChildren(QComboBox) if b.isVisible() and b.count() > 1]
    assert len(boxes) > 5
    assert all(isinstance(b, Chooser) for b in hand.window.findChildren(QComboBox))
    hand.find(QLineEdit, "out.names").setFocus()
    for box in boxes:
        before = box.currentIndex()
        for turn in (-120, 120):
            hand.turn(box, turn)
        assert box.currentIndex() == before, box.objectName()
        assert not box.hasFocus()
        assert not box.focusPolicy() & Qt.FocusPolicy.WheelFocus & ~Qt.FocusPolicy.StrongFocus


def test_the_list_by_keyboard_and_the_cloud_by_hand(room) -> None:
    hand, model = room, room.window.rooms["convert"].model
    files = hand.window.rooms["convert"].page.list.files
    order = [e.path.name for e in model.bench.entries]
    choose(hand, order[1])
    QTest.keyClick(files, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [e.path.name for e in model.bench.entries][:3] == [order[0], order[2], order[1]]
    assert files.currentRow() == 2
    QTest.keyClick(files, Qt.Key.Key_Delete)
    assert order[1] not in [e.path.name for e in model.bench.entries]
    hand.act("undo")
    hand.act("undo")
    assert [e.path.name for e in model.bench.entries] == order
    hand.settle()
    cloud = hand.find(LutScope, "assay.scope.1")
    picture = cloud.grab().toImage()
    centre = QPointF(cloud.rect().center())
    hand.drag(cloud, centre, centre + QPointF(50, 12))
    turned = cloud.grab().toImage()
    assert turned != picture
    QTest.keyClick(cloud, Qt.Key.Key_Left)
    assert cloud.grab().toImage() != turned
    for kind in ("Curves", "Slices", "Neutral line"):
        pick(hand, "assay.kind.1", kind)
        assert cloud.grab().toImage() != picture
    hand.click(hand.find(QPushButton, "luts.clear"))
    hand.settle()
    assert hand.find(QLabel, "assay.name").text() == "Nothing to examine yet"
    hand.click(hand.find(QPushButton, "luts.demo"))
    hand.settle()
    assert len(model.bench.entries) == 12


def test_files_come_by_dialog_and_by_drop_in_either_room(hand, tmp_path: Path) -> None:
    window, model = hand.window, hand.window.rooms["convert"].model
    hand.act("room_convert")
    drop(hand, LUTS / FAULTY)
    hand.ports.luts = [LUTS / "salt_day.ktx2", tmp_path / "missing.cube"]
    hand.act("add_luts")
    hand.settle()
    assert [e.path.name for e in model.bench.entries] == [FAULTY, "salt_day.ktx2", "missing.cube"]
    assert model.of(model.bench.entries[2]).state[0] == "refused"
    hand.ports.folder = LUTS
    hand.act("add_lut_folder")
    hand.settle()
    assert len(model.bench.entries) == 13
    hand.act("room_look")
    drop(hand, LUTS)  # a folder: the Convert room takes it
    assert window.view.now.room == "convert"
    assert "in the list already" in window.strip.text()


def test_choices_are_remembered_and_nonsense_is_not() -> None:
    bench = Bench().with_goal("ktx2", on=True, grid=17, depth="8").with_goal("cube", on=False)
    again = Bench.remembered(bench.kept())
    assert again.goals == bench.goals
    for text in ("", "{", "[]", '{"goals": 3}', '{"goals": {"cube": {}}}', '{"x": 1, "goals": {}}'):
        assert Bench.remembered(text) == Bench()
