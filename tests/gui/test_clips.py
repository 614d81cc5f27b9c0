"""A clip in the real window: its frame, its ends, playing it."""

from __future__ import annotations

from conftest import ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from sfumato.app.controls.frame_bar import FrameBar
from sfumato.core.study import study_json
from sfumato.work.frames import open_still


def test_the_frame_of_a_clip_is_chosen_limited_and_played(demo) -> None:
    hand, window = demo, demo.window
    assert not window.actions_table.by_id["play_clip"].isEnabled()
    assert not window.findChild(FrameBar, "clip.frames").isVisible()
    window.rooms["look"].shot_edits.bring_in_files([ROOT / "demo/causeway.mov"])
    hand.settle()
    window.rooms["look"].ledger.edits.encoding(window.desk.shot.id, "Tarn Log")
    window.view.set(b="source")
    hand.settle()
    bar = hand.find(FrameBar, "clip.frames")
    assert bar.count == 48
    steps = window.model.undo_stack.count()

    # By mouse: one undo step for the whole drag; the picture is that very frame.
    hand.drag(bar, bar.place(0), bar.place(30))
    hand.settle()
    assert window.desk.shot.frame == 30
    assert window.model.undo_stack.count() == steps + 1
    still = open_still(ROOT / "demo/causeway.mov", 30)
    y, x = 300, 500
    shown = hand.colour_at(x, y)
    wanted = still.pixels[y - 2 : y + 3, x - 2 : x + 3].reshape(-1, 3).mean(axis=0) * 255
    assert abs(wanted - shown).max() < 6
    assert "frame 31 of 48" in hand.find(QLabel, "clip.words").text()

    # By keys: steps, the ends of the shot, out of range never.
    bar.setFocus()
    hand.keys(bar, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left)
    assert window.desk.shot.frame == 31
    QTest.keyClick(bar, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(bar, Qt.Key.Key_O)
    assert window.desk.shot.last == 41
    hand.keys(bar, Qt.Key.Key_Home)
    QTest.keyClick(bar, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(bar, Qt.Key.Key_I)
    assert (window.desk.shot.first, window.desk.shot.last) == (10, 41)
    low = bar.place(10)
    hand.drag(bar, QPointF(low.x(), bar.height() - 3), QPointF(bar.place(20).x(), low.y()))
    assert window.desk.shot.first == 20
    hand.act("undo")
    assert window.desk.shot.first == 10
    hand.act("next_frame")
    assert window.desk.shot.frame == 11
    for _ in range(3):
        hand.keys(bar, Qt.Key.Key_End)
    assert window.desk.shot.frame == 41
    assert study_json.load(study_json.dump(hand.study)) == hand.study
    hand.settle()

    # Playing goes round inside the ends, is no edit, and stays where it is paused.
    steps = window.model.undo_stack.count()
    hand.shown.clear()
    hand.click(hand.find(QPushButton, "clip.play"))
    hand.until(lambda: len({s.ask.shot.frame for s in hand.shown}) >= 3)
    assert all(10 <= s.ask.shot.frame <= 41 for s in hand.shown)
    assert window.model.undo_stack.count() == steps
    assert hand.find(QPushButton, "clip.play").text() == "Pause"
    hand.until(lambda: "fps" in hand.find(QLabel, "clip.words").text())  # once it is known
    hand.act("play_clip")
    hand.settle()
    assert not window.rooms["look"].shot_edits.player.is_playing
    assert window.model.undo_stack.count() == steps  # to have played is no edit
    assert not hand.shown[-1].ask.dragging
    assert hand.shown[-1].ask.shot.frame == window.desk.shot.frame
    window.rooms["look"].shot_edits.play_clip()
    hand.wait(200)
    window.view.set(shot="sill")
    hand.settle()
    assert not window.rooms["look"].shot_edits.player.is_playing
    assert not bar.isVisible()
