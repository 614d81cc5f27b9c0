"""The Apply room in the real window: shots into new files, left out, paused, cancelled, gone on with."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from conftest import ROOT
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from sfumato.core import path
from sfumato.work.apply import SIDECAR
from sfumato.work.frames import open_still


def states(hand) -> dict[str, str]:
    table = hand.window.apply_room.table
    rows = range(table.rowCount())
    return {table.item(r, 0).text(): table.item(r, 3).text() for r in rows}


def test_shots_are_applied_and_a_second_run_passes_them_over(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    hand.act("room_apply")
    room = window.apply_room
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
    hand.settle(60)
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
    hand.settle(60)
    assert states(hand)["sill"] == "there already"
    assert (ports.folder / "sill.tif").stat().st_mtime_ns == stamp
    window.model.commit("Softer", study.with_look(strength=0.5))
    hand.settle()
    hand.click(room.apply)
    hand.settle(60)
    assert "exists already" in states(hand)["sill"]  # never written over
    assert (ports.folder / "sill.tif").stat().st_mtime_ns == stamp
    assert "2 failed" in hand.notices[-1]


def test_a_batch_is_paused_cancelled_and_gone_on_with(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.shot_edits.bring_in_files([ROOT / "demo" / n for n in ("furnace.mov", "jetty.mov")])
    hand.settle()
    study = hand.study
    for shot in study.shots[-2:]:
        study = study.with_shot(shot.id, encoding="Tarn Log", last=11)
    for shot in study.shots[:-2]:
        study = study.without_shot(shot.id)
    window.model.commit("Clips alone", study)
    hand.act("room_apply")
    room = window.apply_room
    room.settings.folder.setText(str(tmp_path / "clips"))
    hand.wait(300)
    hand.click(room.apply)
    for _ in range(400):
        hand.wait(10)
        if "%" in states(hand)["furnace"]:
            break
    hand.click(room.pause)
    assert room.pause.text() == "Go on"
    hand.wait(400)
    held = states(hand)
    hand.wait(400)
    assert states(hand) == held  # nothing moves
    window.queue.cancel()
    hand.settle(60)
    assert not window.apply_edits.is_running
    assert [p.name for p in (tmp_path / "clips").iterdir() if p.suffix == ".mov"] == []
    hand.click(room.apply)
    hand.settle(90)
    assert all("colour true" in s for s in states(hand).values()), states(hand)
    names = sorted(p.name for p in (tmp_path / "clips").iterdir() if p.suffix == ".mov")
    assert names == ["furnace.mov", "jetty.mov"]
    window.view.set("room", "look")
