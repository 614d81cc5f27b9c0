"""The Seal in the real window: fitted nodes, and the smallest grid within a tolerance."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
from gui.test_glazes import typed
from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QLabel, QPushButton

import sfumato
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.rooms.look.export_sheet import ExportWish
from sfumato.core.path.span import Joint
from sfumato.core.study import study_json
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK
from sfumato.work import memory
from sfumato.work.luts.proof import look_loss, look_table
from sfumato.work.luts.target import Target


def test_the_grid_is_fitted_and_the_smallest_one_found(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    two = attrs.evolve(hand.study, shots=hand.study.shots[:2], grid=17)
    window.model.commit("Fewer shots, fewer points", two)
    hand.settle()
    sampled = look_loss(two, window.desk.frames, look_table(two, window.desk.frames, None), None)
    hand.click(hand.find(Tick, "seal.fit"), QPointF(10, 10))
    hand.settle()
    assert hand.study.fit
    assert study_json.load(study_json.dump(hand.study)) == hand.study
    made = look_table(hand.study, window.desk.frames, None)
    assert made.fitted
    loss = look_loss(hand.study, window.desk.frames, made, None)
    assert loss.main.mean < sampled.main.mean
    assert loss.sampled == sampled.main
    assert f"sampled 99 % within {sampled.main.p99:.2f}" in hand.find(QLabel, "seal.loss").text()
    # Side B and the written file are that very table.
    previewer, seen = window.desk.previewer, hand.shown[-1].ask
    shown = previewer.written_table(seen)
    np.testing.assert_array_equal(shown.values, made.table.values)
    # That table stays when large pictures press the caches, and is made again when it is lost.
    crowd = [memory.Kept(memory.TOGETHER) for _ in range(2)]
    for cache in crowd:
        cache.get("picture", lambda: np.zeros(memory.TOGETHER, np.uint8))
    assert not previewer.awaits_fit(seen)
    del crowd, cache
    previewer.forget()
    window.desk.refresh()
    hand.settle()
    assert not previewer.awaits_fit(hand.shown[-1].ask)
    window.rooms["look"].exports.export(
        ExportWish(tmp_path / "fitted.cube", Target("cube", 17), "Fitted", False)
    )
    hand.settle()
    assert window.rooms["look"].exports.proof.off == 0
    assert window.rooms["look"].exports.proof.own.main == loss.main
    written = sfumato.read(tmp_path / "fitted.cube").table
    np.testing.assert_array_equal(written.values, made.table.values)

    # The smallest grid: finer for a narrower tolerance, said when there is none.
    typed(hand, hand.find(ScrubNumber, "seal.tolerance"), "2.5")
    hand.click(hand.find(QPushButton, "seal.smallest"))
    hand.settle()
    coarse = hand.study.grid
    assert f"{coarse} points are enough" in hand.notices[-1]
    typed(hand, hand.find(ScrubNumber, "seal.tolerance"), "1.2")
    hand.click(hand.find(QPushButton, "seal.smallest"))
    hand.settle()
    assert coarse < hand.study.grid <= 65
    hand.act("undo")
    assert hand.study.grid == coarse
    hard = hand.study.added(LOOK, new_coat("posterise", levels=5.0))
    window.model.commit("Hard", attrs.evolve(hard, fit=False, shots=hard.shots[:1]))
    hand.click(hand.find(QPushButton, "seal.smallest"))
    hand.settle()
    assert "No grid to 65 points" in hand.notices[-1]
    assert "Posterise makes edges" in hand.notices[-1]
    assert hand.study.grid == coarse


def test_a_lut_with_the_ground_is_measured_for_the_shot_that_is_chosen(demo) -> None:
    hand, window = demo, demo.window
    first, second = hand.study.shots[:2]
    bright = attrs.evolve(second, ground=(new_coat("exposure", stops=2.0),))
    span = attrs.evolve(hand.study.span, start=Joint.SOURCE)
    window.model.commit(
        "Two shots",
        attrs.evolve(hand.study, shots=(first, bright), grid=9, span=span, fit=True),
    )
    said = []
    for shot in (first, bright, first):
        window.view.set(shot=shot.id)
        hand.settle()
        words = hand.find(QLabel, "seal.loss").text()
        made = look_table(hand.study, window.desk.frames, shot)
        loss = look_loss(hand.study, window.desk.frames, made, shot)
        assert f"{loss.main.p99:.2f}" in words
        assert shot.name in hand.find(QLabel, "seal.warning").text()
        side = window.desk.previewer.written_table(hand.shown[-1].ask)
        np.testing.assert_array_equal(side.values, made.table.values)
        said.append(words)
    assert said[0] == said[2] != said[1]
