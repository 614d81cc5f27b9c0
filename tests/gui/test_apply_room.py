"""The Apply room in the real window: shots into new files, left out, paused, cancelled, gone on with."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from conftest import ROOT
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

import sfumato
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.rooms.apply.apply_settings import ApplySettings
from sfumato.app.services.study_model import StudyModel
from sfumato.core.colour.encodings import encoding
from sfumato.core.path import path
from sfumato.core.study.results import Results
from sfumato.work.frames import open_still
from sfumato.work.results.apply import SIDECAR


def states(hand) -> dict[str, str]:
    table = hand.window.rooms["apply"].shots_page.table
    rows = range(table.rowCount())
    return {table.item(r, 0).text(): table.item(r, 3).text() for r in rows}


def test_shots_are_applied_and_a_second_run_passes_them_over(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    hand.act("room_apply")
    room = window.rooms["apply"].shots_page
    assert not room.apply.isEnabled()
    assert hand.find(QLabel, "apply.state").text() == "Choose a folder for the results."
    ports.folder = tmp_path / "out"
    hand.click(hand.find(QPushButton, "apply.choose"))
    # Two shots are enough: the others are left out by their marks.
    for row in range(2, room.table.rowCount()):
        place = room.table.visualItemRect(room.table.item(row, 0))
        QTest.mouseClick(
            room.table.viewport(),
            Qt.MouseButton.LeftButton,
            pos=place.topLeft() + QPoint(12, place.height() // 2),
        )
    assert room.apply.text() == "Apply to 2 shots"
    originals = {s.path: Path(s.path).read_bytes() for s in hand.study.shots[:2]}
    hand.click(room.apply)
    hand.settle()
    shown = states(hand)
    assert shown["furnace"].startswith("✓ every pixel as meant")
    assert shown["jetty"] == ""
    assert "2 written" in hand.notices[-1]
    assert {p.name for p in ports.folder.iterdir()} == {
        *("furnace.tif", f"furnace.tif{SIDECAR}"),
        *("sill.tif", f"sill.tif{SIDECAR}"),
    }
    study, shot = hand.study, hand.study.shot("furnace")
    code = open_still(shot.path).as_float()[:64]
    working = path.through_ground(shot, study, path.to_working(shot, study, code))
    meant = np.clip(path.through_view(study, path.through_look(study, working)), 0, 1)
    stored = open_still(ports.folder / "furnace.tif").as_float()[:64]
    assert np.abs(stored - meant).max() < 1e-5
    assert all(Path(p).read_bytes() == data for p, data in originals.items())
    # Again: what is there already is passed over; a study that has moved is another matter.
    assert "2 of 2 are there already" in hand.find(QLabel, "apply.state").text()
    stamp = (ports.folder / "sill.tif").stat().st_mtime_ns
    hand.click(room.apply)
    hand.settle()
    assert states(hand)["sill"] == "there already"
    assert (ports.folder / "sill.tif").stat().st_mtime_ns == stamp
    window.model.commit("Softer", study.with_look(strength=0.5))
    hand.settle()
    hand.click(room.apply)
    hand.settle()
    assert "exists already" in states(hand)["sill"]  # never written over
    assert (ports.folder / "sill.tif").stat().st_mtime_ns == stamp
    assert "2 failed" in hand.notices[-1]


def test_a_batch_is_paused_cancelled_and_gone_on_with(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.rooms["look"].shot_edits.bring_in_files(
        [ROOT / "demo" / n for n in ("furnace.mov", "jetty.mov")]
    )
    hand.settle()
    study = hand.study
    for shot in study.shots[-2:]:
        study = study.with_shot(shot.id, encoding="Tarn Log", last=11)
    for shot in study.shots[:-2]:
        study = study.without_shot(shot.id)
    window.model.commit("Clips alone", study)
    hand.act("room_apply")
    room = window.rooms["apply"].shots_page
    room.settings.folder.setText(str(tmp_path / "clips"))
    hand.wait(300)
    hand.click(room.apply)
    hand.until(lambda: "%" in states(hand)["furnace"])
    hand.click(room.pause)
    assert room.pause.text() == "Go on"
    hand.wait(400)
    held = states(hand)
    hand.wait(400)
    assert states(hand) == held  # nothing moves
    window.queue.cancel()
    hand.settle()
    assert not window.rooms["apply"].edits.is_running
    assert [p.name for p in (tmp_path / "clips").iterdir() if p.suffix == ".mov"] == []
    hand.click(room.apply)
    hand.settle()
    assert all("colour true" in s for s in states(hand).values()), states(hand)
    names = sorted(p.name for p in (tmp_path / "clips").iterdir() if p.suffix == ".mov")
    assert names == ["furnace.mov", "jetty.mov"]
    window.view.set(room="look")


def test_an_empty_room_has_the_first_thing_to_do(hand, ports) -> None:
    hand.act("room_apply")
    hand.wait(20)
    ports.pictures = [ROOT / "demo" / "sill.tif"]
    hand.click(hand.find(QPushButton, "apply.bring_in"))
    hand.settle()
    hand.wait(250)
    assert list(states(hand)) == ["sill"]
    assert hand.window.rooms["apply"].shots_page.table.isVisible()


def pick(hand, name: str, text: str) -> None:
    box = hand.find(QComboBox, name)
    box.setCurrentText(text)
    assert box.currentText() == text
    box.textActivated.emit(text)
    hand.wait(250)


def test_what_shots_become_is_chosen(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    hand.act("room_apply")
    room, settings = window.rooms["apply"].shots_page, window.rooms["apply"].shots_page.settings
    settings.folder.setText(str(tmp_path))
    for row in range(1, room.table.rowCount()):
        room.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    # Only what the choices leave is offered.
    assert not hand.window.findChild(QComboBox, "apply.sampling").isVisible()
    pick(hand, "apply.still", "JPEG")
    depths = hand.find(QComboBox, "apply.depth")
    assert [depths.itemText(i) for i in range(depths.count())] == ["as the source", "8 bit"]
    pick(hand, "apply.sampling", "4:2:0")
    pick(hand, "apply.display", "Display P3")
    settings.pattern.setText("{number} {moon}")
    hand.wait(250)
    assert "no field {moon}" in hand.find(QLabel, "apply.state").text()
    assert not room.apply.isEnabled()
    settings.pattern.setText("{number} {shot} for {encoding}")
    hand.wait(250)
    assert room.table.item(0, 1).text() == "001 furnace for Display P3.jpg"
    hand.click(room.apply)
    hand.settle()
    assert "colour true" in states(hand)["furnace"]
    result = open_still(tmp_path / "001 furnace for Display P3.jpg")
    assert result.facts.encoding == "Display P3"
    # A LUT in the place of Ground and Look; giving up the choice leaves what was.
    ports.luts = []
    through = hand.find(QComboBox, "apply.through")
    through.setCurrentIndex(through.count() - 1)
    through.textActivated.emit(through.currentText())
    assert (settings.lut, through.currentText()) == (None, "Ground and Look")
    lut = ROOT / "demo" / "luts" / "low_tide_33.cube"
    hand.drop(lut)
    assert through.currentText() == lut.name
    assert hand.find(QComboBox, "apply.display").itemText(0) == "as the LUT gives it"
    pick(hand, "apply.display", "as the LUT gives it")
    pick(hand, "apply.still", "OpenEXR")
    pick(hand, "apply.depth", "32 bit float")
    settings.pattern.setText("{shot} by LUT")
    hand.wait(250)
    hand.click(room.apply)
    hand.settle()
    assert "every pixel as meant" in states(hand)["furnace"]
    room._reveal()
    assert ports.revealed == tmp_path / "furnace by LUT.exr"
    room._tick(alone=False)
    assert room.apply.text() == f"Apply to {len(hand.study.shots)} shots"
    # How files are written is there the next time; what they are made of belongs to the study.
    again = ApplySettings(StudyModel())
    again.restore(str(window.settings.get("apply")))
    assert (again.kind.key, again.depth_box.currentText()) == ("exr", "32 bit float")
    assert (again.sampling.currentText(), again.pattern.text()) == ("4:2:0", "{shot}")
    assert again.lut is None
    for damaged in ("", "[", '{"apply.crf": 900, "apply.still": "Papyrus"}'):
        again.restore(damaged)
    assert again.wish().quality == 16
    light = open_still(tmp_path / "furnace by LUT.exr")
    assert light.facts.encoding == "Linear BT.709"
    source = open_still(hand.study.shot("furnace").path).as_float()[:50]
    codes = sfumato.read(lut).apply(source)
    meant = encoding("BT.1886").decode(codes)
    np.testing.assert_allclose(light.pixels[:50], meant, atol=1e-5)


def test_what_results_are_made_of_belongs_to_the_study(demo, ports, tmp_path: Path) -> None:
    """Another study begins as usual; this one comes back as it was left, and each step can be undone."""
    hand, window = demo, demo.window
    hand.act("room_apply")
    settings = window.rooms["apply"].shots_page.settings
    settings.folder.setText(str(tmp_path / "out"))
    settings.pattern.setText("{shot} weak")
    strength = hand.find(ScrubNumber, "apply.strength")
    for key in (Qt.Key.Key_7, Qt.Key.Key_0, Qt.Key.Key_Return):
        QTest.keyClick(QApplication.focusWidget() if key != Qt.Key.Key_7 else strength, key)
    hand.drop(ROOT / "demo" / "luts" / "low_tide_33.cube")
    hand.wait(250)
    told = "At 70 %, through low_tide_33.cube."
    assert hand.find(QLabel, "apply.unusual").text() == told
    left = hand.study.results
    assert (left.strength, left.names) == (0.7, "{shot} weak")
    ports.save = tmp_path / "mine.sfumato"
    hand.act("save_study_as")
    hand.act("undo")
    hand.wait(250)
    assert hand.study.results.lut.path == ""
    assert hand.find(QLabel, "apply.unusual").text() == "At 70 %."
    hand.act("redo")
    ports.unsaved = "drop"
    hand.act("new_study")
    hand.settle()
    assert hand.study.results == Results()
    assert (settings.folder.text(), settings.pattern.text()) == ("", "{shot}")
    assert settings.wish().strength == 1.0
    assert not window.findChild(QLabel, "apply.unusual").isVisible()
    window.files.open_file(ports.save)
    hand.settle()
    assert hand.study.results == left
    assert settings.wish().lut is not None
    # A LUT that is gone is told, and nothing is written through something else.
    text = ports.save.read_text().replace("low_tide_33.cube", "gone.cube")
    (tmp_path / "gone.sfumato").write_text(text)
    window.files.open_file(tmp_path / "gone.sfumato")
    hand.settle()
    hand.wait(250)
    assert "gone.cube, which shots are to go through" in hand.find(QLabel, "apply.state").text()
    hand.click(hand.find(QPushButton, "apply.apply"))
    hand.settle()
    assert not (tmp_path / "out").exists()


def test_half_a_path_is_no_folder(demo, monkeypatch, tmp_path: Path) -> None:
    """It would lead to wherever the program was started."""
    nowhere = tmp_path / "nowhere"
    nowhere.mkdir()
    monkeypatch.chdir(nowhere)
    demo.act("room_apply")
    page = demo.window.rooms["apply"].shots_page
    for typed in ("out", ".", "~nobody here"):
        page.settings.folder.setText(typed)
        demo.settle()
        assert "is no whole path" in demo.find(QLabel, "apply.state").text()
        page.apply_wanted.emit()  # its button does not let one
        demo.settle()
        assert "is no whole path" in demo.window.strip.text()
    assert not list(nowhere.iterdir())
