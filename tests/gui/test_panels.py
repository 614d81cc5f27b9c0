"""Every control of every glaze in the real panel: it edits the study, undo is exact, it can be named."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import DEMO, ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton

from sfumato.app.controls.chroma_pad import ChromaPad
from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.hue_field import HueField
from sfumato.app.controls.levels_field import LevelsField
from sfumato.app.controls.nudge_map import NudgeMap
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.controls.tint_ramp import TintRamp
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import (
    Choice,
    Curve,
    File,
    HueCurve,
    LevelSet,
    Number,
    Pad,
    Pairs,
    Ramp,
    Toggle,
    Triple,
)
from sfumato.core.glaze import glazes
from sfumato.core.study.study import LOOK
from sfumato.work.stores.study_store import recoverable


def _move(hand, field: str, kind) -> None:
    """Change one control as a hand would."""
    match kind:
        case Number() | Triple():
            name = field if isinstance(kind, Number) else f"{field}.1"
            number = hand.find(ScrubNumber, name)
            number.setFocus()
            hand.keys(
                number, Qt.Key.Key_Up if number.value() < number.kind.most else Qt.Key.Key_Down
            )
        case Toggle():
            hand.click(hand.find(Tick, field), QPointF(10, 10))
        case Choice():
            box = hand.find(QComboBox, field)
            box.setCurrentIndex(1)
            box.textActivated.emit(box.currentText())
        case Curve():
            hand.click(hand.find(QPushButton, f"tab.{field}"))
            curve = hand.find(CurveField, "curve")
            hand.drag(curve, curve.place(0.5, 0.5), curve.place(0.5, 0.6), steps=2)
        case HueCurve():
            table = hand.find(HueField, "hues")
            hand.drag(table, table.place(field, 120, 0), table.place(field, 120, 0.4), steps=2)
        case File():
            hand.ports.luts = [ROOT / "demo" / "luts" / "salt_day.ktx2"]
            hand.click(hand.find(QPushButton, field))
            hand.settle()
        case Pad():
            pad = hand.find(ChromaPad, f"{field}.pad")
            hand.drag(pad, pad.place(), pad.place() + QPointF(12, -8), steps=2)
        case LevelSet():
            hand.click(hand.find(QPushButton, f"tab.{field}"))
            levels = hand.find(LevelsField, "levels")
            hand.drag(levels, levels.place(0), levels.place(0) + QPointF(30, 0), steps=2)
        case Ramp():
            ramp = hand.find(TintRamp, "ramp")
            hand.click(ramp, ramp.place(0.3))
        case Pairs():
            chart = hand.find(NudgeMap, "nudge.map")
            at = chart.place((0.6, 0.05, 0.05))
            hand.drag(chart, at, at + QPointF(20, 10), steps=2)
        case _:
            raise LookupError(f"no hand for {kind}")


@pytest.mark.parametrize("key", list(glazes()))
def test_every_control_edits_and_undoes(hand, key: str) -> None:
    window = hand.window
    window.rooms["look"].ledger.edits.add(LOOK, key)
    hand.wait(20)
    coat_id = hand.study.look.coats[0].id
    for field, kind in glazes()[key].controls().items():
        before = hand.study
        _move(hand, field, kind)
        after = hand.study
        assert getattr(after.coat(coat_id).parameters, field) != getattr(
            before.coat(coat_id).parameters, field
        ), field
        hand.act("undo")
        assert hand.study == before, field
        hand.act("redo")
        assert hand.study == after, field
    row = hand.find(CoatRow, f"coat.{coat_id}")
    row.strength.setFocus()
    hand.keys(row.strength, Qt.Key.Key_Down, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert hand.study.coat(coat_id).strength == pytest.approx(0.9)
    hand.act("reset_glaze")
    assert hand.study.coat(coat_id).parameters == glazes()[key].new(encoding(hand.study.working))
    hand.settle()


def test_points_by_keyboard_numbers_and_the_right_button(demo) -> None:
    hand = demo
    hand.click(hand.find(CoatRow, "coat.l-curves"))
    curve = hand.find(CurveField, "curve")
    curve.setFocus()
    hand.keys(curve, Qt.Key.Key_PageUp, Qt.Key.Key_Right, Qt.Key.Key_Up)
    assert curve.points[1] == pytest.approx((0.23, 0.215))
    hand.keys(hand.find(ScrubNumber, "point.out"), Qt.Key.Key_Up)
    assert hand.study.coat("l-curves").parameters.master[1][1] == pytest.approx(0.22)
    hand.click(curve, curve.place(*curve.points[1]), Qt.MouseButton.RightButton)
    assert len(curve.points) == 3
    hand.keys(curve, Qt.Key.Key_Delete)  # an end stays
    assert len(hand.study.coat("l-curves").parameters.master) == 3
    hand.settle()


def test_view_working_and_name_are_edited_in_place(demo) -> None:
    hand, window = demo, demo.window
    hand.click(hand.find(QPushButton, "view.change"))
    number = hand.find(ScrubNumber, "contrast")
    number.setFocus()
    hand.keys(number, Qt.Key.Key_Up)
    assert hand.study.view.contrast == pytest.approx(1.26)
    box = hand.find(QComboBox, "encoding")
    box.setCurrentText("sRGB")
    box.textActivated.emit("sRGB")
    assert hand.study.view.encoding == "sRGB"
    working = hand.find(QComboBox, "working")
    working.textActivated.emit("ACEScct")
    assert hand.study.working == "ACEScct"
    assert "act on other numbers" in window.strip.text()
    name = hand.find(QLineEdit, "look.name")
    name.setFocus()
    name.selectAll()
    QTest.keyClicks(name, "High tide")
    hand.keys(name, Qt.Key.Key_Return)
    assert hand.study.look.name == "High tide"
    strength = hand.find(ScrubNumber, "look.strength")
    strength.setFocus()
    hand.keys(strength, Qt.Key.Key_Up)
    assert hand.study.look.strength == pytest.approx(1.01)
    grid = hand.find(ScrubNumber, "seal.grid")
    grid.setFocus()
    hand.keys(grid, Qt.Key.Key_Up)
    assert hand.study.grid == 34
    # Of a whole number a fine step is a step too, and small turns of a wheel add up to one.
    QTest.keyClick(grid, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert hand.study.grid == 35
    for turned in (35, 35, 34, 34):
        hand.turn(grid, -40)
        assert hand.study.grid == turned
    hand.turn(grid, 120, held=Qt.KeyboardModifier.AltModifier)
    assert hand.study.grid == 35
    hand.settle()
    assert "ΔE,\nworst" in hand.find(QLabel, "seal.loss").text()


def test_a_passing_wheel_changes_nothing(demo) -> None:
    hand = demo
    hand.click(hand.find(CoatRow, "coat.l-cdl"))
    before = hand.study
    for kind, name in ((QComboBox, "clamp"), (ScrubNumber, "saturation")):
        widget = hand.find(kind, name)
        for focused in (False, True):
            widget.setFocus() if focused else hand.window.rooms["look"].easel_panel.easel.setFocus()
            hand.turn(widget, -120)
            assert (hand.study != before) == (focused and kind is ScrubNumber), name
        hand.act("undo") if hand.study != before else None
    hand.settle()


def test_shots_by_keyboard_ground_copied_and_a_clip(demo) -> None:
    hand, window = demo, demo.window
    window.rooms["look"].shots.setFocus()
    hand.keys(window.rooms["look"].shots, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert window.desk.shot.name == "fog"
    hand.act("copy_ground_on")
    grounds = {s.name: [c.key for c in s.ground] for s in hand.study.shots}
    assert grounds["portrait"] == grounds["jetty"] == ["exposure", "contrast"]
    assert grounds["sill"] == []
    hand.act("undo")
    window.rooms["look"].shot_edits.bring_in_files([ROOT / "demo/furnace.mov"])
    hand.settle()
    assert window.desk.shot.encoding is None
    assert window.rooms["look"].easel_panel.easel.picture == (960, 540)
    assert "its numbers are taken as Tarn Log" in hand.find(QLabel, "ask.words").text()
    window.rooms["look"].ledger.edits.encoding(window.desk.shot.id, "Tarn Log")
    assert hand.study.working == "Tarn Log"
    hand.act("remove_shot")
    assert len(hand.study.shots) == 6
    hand.settle()


def test_the_whole_program_survives_kill_9(tmp_path: Path) -> None:
    """A real process, edited and killed: no more than the last seconds are lost."""
    code = (
        "import sys\n"
        "from pathlib import Path\n"
        "from PySide6.QtCore import QTimer\n"
        "from sfumato.app import main as m\n"
        "made = []\n"
        "build = m.MainWindow\n"
        "m.MainWindow = lambda *a, **k: made.append(build(*a, **k)) or made[0]\n"
        "def edit():\n"
        "    model = made[0].model\n"
        "    if model.file is None:\n"
        "        QTimer.singleShot(200, edit)\n"
        "        return\n"
        "    model.commit('Rename', model.study.with_look(name='Just typed'))\n"
        "    print('edited', flush=True)\n"
        "app = m.application()\n"
        "QTimer.singleShot(1500, edit)\n"
        f"sys.exit(m.main(Path({str(DEMO)!r})))\n"
    )
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    process = subprocess.Popen(
        [sys.executable, "-c", code],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env=env,
    )
    assert process.stdout is not None
    assert process.stdout.readline() == "edited\n"
    time.sleep(1)
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    ((found,), _damaged) = recoverable()
    assert found.study.look.name == "Just typed"
    assert found.original == str(DEMO)
