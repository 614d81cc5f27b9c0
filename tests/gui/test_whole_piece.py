"""Journeys over a whole piece: encodings put right, one look for camera and desk, targets, groups."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
import pytest
from gui.test_glazes import typed
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDialog, QLabel, QPushButton

import sfumato
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.rooms.look.export_sheet import ExportWish
from sfumato.app.rooms.look.span_line import SpanLine
from sfumato.core.colour.encodings import Family, encoding
from sfumato.core.lut.device import DEVICES, rounded
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.guess import guess
from sfumato.core.path import path
from sfumato.core.path.span import Joint
from sfumato.core.study import study_json
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK
from sfumato.work.cancel import Cancel
from sfumato.work.luts.target import Target
from sfumato.work.stores.study_store import open_study


def test_a_wrong_encoding_is_noticed_and_put_right(demo) -> None:
    hand, window = demo, demo.window
    right = window.desk.previewer.thumbnail(hand.study, hand.study.shot("causeway"), 240, 135)
    window.model.commit("Wrong", hand.study.with_shot("causeway", encoding="sRGB"))
    window.view.set(shot="causeway")
    hand.settle()
    said = hand.find(QLabel, "ask.words").text()
    assert "causeway is taken as sRGB. It looks like Tarn Log" in said
    assert "as log footage has them" in said
    assert "log?" in window.rooms["look"].shots._doubts["causeway"]
    assert set(window.rooms["look"].shots._doubts) == {"causeway"}
    # Believed after all, it is no longer in doubt; undone, the proposal is taken.
    hand.click(hand.find(QPushButton, "ask.believe"))
    hand.settle()
    assert window.rooms["look"].shots._doubts == {}
    window.view.set(believed=())
    hand.settle()
    hand.click(hand.find(QPushButton, "ask.take"))
    hand.settle()
    assert hand.study.shot("causeway").encoding == "Tarn Log"
    assert not any(b.isVisible() for b in window.findChildren(QPushButton, "ask.take"))
    mended = window.desk.previewer.thumbnail(hand.study, hand.study.shot("causeway"), 240, 135)
    np.testing.assert_array_equal(mended, right)
    # A shot that states nothing is asked about, with the proposal beside.
    window.model.commit("Unknown", hand.study.with_shot("jetty", encoding=None))
    window.view.set(shot="jetty")
    hand.settle()
    assert "does not say what its encoding is" in hand.find(QLabel, "ask.words").text()
    assert hand.find(QPushButton, "ask.take").text() == "Take Tarn Log"


def test_guesses_on_the_demo_shots_and_on_what_they_look_like(demo) -> None:
    study, frames = demo.study, demo.window.desk.frames
    kinds = []
    for shot in study.shots:
        code = frames.sample(shot, 160)
        assert guess(code, False, ()).family is Family.LOG
        seen = np.clip(path.through_view(study, path.through_ground(shot, study, code)), 0, 1)
        kinds.append(guess(seen).family)
    assert kinds.count(Family.DISPLAY) >= 4  # fog and a flat card may look like log
    light = encoding("Tarn Log").decode(code)
    assert guess(light * 8, True, ()).family is Family.LINEAR


def test_one_look_goes_to_the_camera_and_to_the_desk(demo, tmp_path: Path) -> None:
    """From one study a LUT for the camera and one between working values, both proved."""
    hand, window = demo, demo.window
    line = hand.find(SpanLine, "seal.span")
    proofs = {}
    for key, words, title in (
        ("camera", "Expects Tarn Log footage, gives BT.1886", "Tarn Log to BT.1886"),
        ("working", "Expects ACEScct footage, gives ACEScct", "ACEScct to ACEScct"),
        ("display", "Expects BT.1886 pictures, gives BT.1886", "BT.1886 to BT.1886"),
    ):
        if key == "working":
            window.rooms["look"].ledger.edits.working("ACEScct")
        menu = line.menu_of()
        next(a for a in menu.actions() if a.objectName() == f"span.{key}").trigger()
        menu.close()
        hand.settle()
        assert line.text() == words
        file = tmp_path / f"{key}.cube"
        window.rooms["look"].exports.export(ExportWish(file, Target("cube", 33), "", False))
        hand.settle()
        proof = proofs[key] = window.rooms["look"].exports.proof
        assert proof.off == 0
        assert proof.second.loss.main.mean < 0.5
        assert sfumato.read(file).title.endswith(title)
    assert proofs["working"].own.main.p99 < 0.4
    # The two agree: camera values through the working LUT and the View are the camera LUT's result.
    study = attrs.evolve(hand.study, working="ACEScct")
    code = window.desk.frames.sample(study.shot("sill"), 160).reshape(-1, 3)
    window.rooms["look"].ledger.edits.span(attrs.evolve(study.span, entry="Tarn Log", leave=""))
    camera = hand.study.transform().apply(code)
    working = sfumato.to_encoding(code, "Tarn Log", "ACEScct")
    graded = sfumato.read(tmp_path / "working.cube").apply(working)
    apart = delta_e(camera, path.through_view(hand.study, graded), encoding("BT.1886"))
    assert np.percentile(apart, 99) < 1.0
    # Any encoding at either end; what is scene-referred leaves before the View.
    next(a for a in line.menu_of().actions() if a.text() == "Gives…").trigger()
    hand.menu("gives.ACEScg")
    hand.settle()
    assert (hand.study.span.end, hand.study.span.leave) == (Joint.LOOK, "ACEScg")
    assert study_json.load(study_json.dump(hand.study)).span == hand.study.span


def test_highlights_beyond_white_come_back(demo, tmp_path: Path) -> None:
    """A log source, two stops too bright in the Look: a roll-off brings the window's panes back."""
    hand, window = demo, demo.window
    window.view.set(b="exact")
    window.view.set(shot="furnace")
    study = hand.study
    hot = study.added(LOOK, new_coat("exposure", stops=2.0))
    shot = study.shot("furnace")
    code = window.desk.frames.proxy(shot, 480, 270)
    grounded = path.through_ground(shot, study, path.to_working(shot, study, code))

    def shown(which) -> np.ndarray:
        light = path.through_look(which, grounded)
        return path.through_view(which, light)

    beyond = path.through_look(hot, grounded).max(axis=-1) > 1.0
    assert beyond.mean() > 0.005  # codes above 100 %
    window.model.commit("Hot", hot)
    hand.settle()
    kept = hot.added(LOOK, new_coat("highlight_rolloff", amount=100.0, knee=0.6, ceiling=0.86))
    window.model.commit("Recovered", kept)
    hand.settle()
    before, after = shown(hot)[beyond], shown(kept)[beyond]
    assert (before >= 0.995).mean() > 0.5  # one white
    assert (after >= 0.995).mean() < 0.1
    assert after.std(axis=0).max() > before.clip(0, 1).std(axis=0).max()
    file = tmp_path / "recovered.cube"
    window.rooms["look"].exports.export(ExportWish(file, Target("cube", 33), "", False))
    hand.settle()
    written = sfumato.read(file).apply(np.clip(grounded, 0, 1))
    assert (written[beyond] >= 0.995).mean() < 0.1


def test_side_b_as_a_target_sees_it(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    hand.settle()
    hand.act("simulate_target")
    sheet = next(d for d in window.findChildren(QDialog, "target") if d.isVisible())
    assert window.view.now.b == "device"

    def rest() -> None:
        hand.settle()
        while sheet.is_busy:
            hand.wait(20)
        hand.wait(20)

    rest()
    plain = sheet.loss.text()
    box = sheet.findChild(QComboBox, "target.preset")
    for name in DEVICES:
        box.setCurrentText(name)
        box.textActivated.emit(name)
        rest()
        assert hand.study.device == DEVICES[name]
    assert sheet.loss.text() != plain
    strip = DEVICES["Engine strip: 16 points, 8 bit"]
    box.textActivated.emit("Engine strip: 16 points, 8 bit")
    rest()
    # By hand: 16 points, everything in 8 bit, trilinear.
    shown = hand.shown[-1]
    study, shot = hand.study, hand.study.shot("sill")
    code = window.desk.frames.proxy(shot, shown.ask.width, shown.ask.height)
    inside = rounded(path.through_ground(shot, study, code), "8 bit")
    table = study.bake(16)
    held = Transform((attrs.evolve(table.table, values=rounded(table.table.values, "8 bit")),))
    meant = np.rint(np.clip(held.apply(inside, interp=strip.interp), 0, 1) * 255)
    assert np.abs(meant - shown.b).max() <= 1
    typed(hand, sheet.findChild(ScrubNumber, "grid"), "64")
    rest()
    assert hand.study.device.grid == 64
    assert box.currentText() == "Own numbers"
    assert study_json.load(study_json.dump(hand.study)).device == hand.study.device
    loss = window.desk.previewer.device_loss(window.desk.ask(), Cancel())
    assert f"{loss.mean:.3f} ΔE mean" in sheet.loss.text()
    hand.act("undo")
    rest()
    assert hand.study.device == strip
    sheet.close()


def test_shots_in_groups(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="furnace")
    hand.settle()
    window.rooms["look"].shots.marked.emit("jetty")
    ports.name = "By night"
    hand.act("group_shots")
    assert [s.id for s in hand.study.shots][:2] == ["furnace", "jetty"]  # together
    assert [s.group for s in hand.study.shots][:3] == ["By night", "By night", ""]
    window.view.set(marked_shots=())
    hand.act("mark_group")
    assert window.view.now.marked_shots == ("jetty",)
    look = hand.study.look
    hand.act("copy_ground_group")
    keys = [[c.key for c in s.ground] for s in hand.study.shots[:2]]
    assert keys[0] == keys[1] != []
    assert hand.study.look is look
    file = tmp_path / "groups.sfumato"
    ports.save = file
    hand.act("save_study_as")
    hand.settle()
    assert [s.group for s in open_study(file).shots][:2] == ["By night"] * 2
    window.view.set(shot="jetty")
    hand.settle()
    hand.act("leave_group")
    assert hand.study.shots[1].group == ""
    assert not window.actions_table.by_id["mark_group"].isEnabled()
    for _ in range(3):
        hand.act("undo")
    assert all(not s.group for s in hand.study.shots)
    with pytest.raises(AssertionError):
        hand.act("leave_group")
    QTest.keyClick(window.rooms["look"].shots, Qt.Key.Key_Left)


def test_a_ground_goes_to_all_following_shots_and_the_look_stays(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="causeway")
    hand.settle()
    before, table = hand.study, hand.study.bake().table.values
    window.rooms["look"].ledger.edits.add("causeway", "exposure")
    coat = hand.study.shot("causeway").ground[-1]
    typed(hand, hand.find(ScrubNumber, "stops"), "0.7")
    hand.act("copy_ground_on")
    grounds = {s.id: s.ground for s in hand.study.shots}
    for later in ("fog", "jetty", "portrait"):
        (only,) = grounds[later]
        assert only.parameters.stops == 0.7
        assert only.id != coat.id  # each shot's is its own
    for earlier in ("furnace", "sill"):
        assert grounds[earlier] == before.shot(earlier).ground
    assert hand.study.look == before.look
    np.testing.assert_array_equal(hand.study.bake().table.values, table)
    hand.act("undo")
    assert hand.study.shot("fog").ground == before.shot("fog").ground
