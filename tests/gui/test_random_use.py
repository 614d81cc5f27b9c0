"""Seeded random use of the whole window, a few hundred events: `bench.random_use` goes on for hours."""

from __future__ import annotations

import random
import time

import attrs
import pytest
from hand import Hand
from PySide6.QtCore import QTimer, qWarning
from wander import AnyPorts, Wanderer

from sfumato.app.rooms.swatchbook import swatch_edits
from sfumato.work.stores import presets


@pytest.fixture
def ports(tmp_path, monkeypatch) -> AnyPorts:
    ports = AnyPorts(random.Random(0), tmp_path)
    for module in (presets, swatch_edits):
        monkeypatch.setattr(module, "shipped_folder", lambda: ports.looks)
    return ports


@pytest.mark.parametrize("seed", [1, 2])
def test_random_use_leaves_no_fault_and_every_way_back_open(hand: Hand, seed: int) -> None:
    hand.ports.dice.seed(seed)
    with Wanderer(hand, seed) as wanderer:
        wanderer.start()
        wanderer.run(200)
        wanderer.way_back()
    assert wanderer.faults == []


def test_the_driver_sees_what_should_never_be(hand: Hand) -> None:
    with Wanderer(hand, 3) as wanderer:
        wanderer.start()
        study = hand.study
        wanderer._compare("here", study, study)
        assert wanderer.faults == []
        wanderer._compare("here", attrs.evolve(study, grid=9), study)
        QTimer.singleShot(0, lambda: [][1])
        qWarning("a warning")
        hand.wait(60)
        QTimer.singleShot(0, lambda: time.sleep(0.3))
        hand.wait(60)
    assert [f.split("] ")[1][:12] for f in wanderer.faults] == [
        "here, grid i",
        "Qt says: a w",
        "Traceback (m",
    ]
    assert any(gap > 0.28 for gap, _taken, _doing in wanderer.gaps)
