"""Shots in the real window: all of them at once, marked, moved, renamed, found again."""

from __future__ import annotations

import itertools
import re
import shutil
from pathlib import Path

import attrs
import numpy as np
from conftest import ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from sfumato.app.rooms.look.contact import Contact
from sfumato.app.rooms.look.shots import ShotsStrip
from sfumato.core.borrow.parts import PLAIN
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.screen import on_screen
from sfumato.core.lut.difference import delta_e
from sfumato.core.measure.auto import Proposal, proposed
from sfumato.core.path import path
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK
from sfumato.work.preview.asks import to_bytes


def test_all_shots_are_seen_through_the_look_and_marked(demo) -> None:
    hand, window = demo, demo.window
    hand.click(hand.find(QPushButton, "mode.all"))
    hand.settle()
    wall = hand.find(Contact, "contact")
    assert wall.columns() == 3
    picture = wall._pictures["portrait"]
    shot = hand.study.shot("portrait")
    w, h = picture.width(), picture.height()
    assert abs(w / h - 16 / 9) < 0.02
    code = window.desk.frames.proxy(shot, w, h)
    graded = path.through_look(hand.study, path.through_ground(shot, hand.study, code))
    viewed = path.through_view(hand.study, graded)[h // 2, w // 3]
    wanted = on_screen(viewed, encoding("BT.1886"), encoding("sRGB")) * 255
    seen = picture.pixelColor(w // 3, h // 2)
    assert np.abs(wanted - (seen.red(), seen.green(), seen.blue())).max() <= 1
    # It follows the Look.
    before = wall._pictures["sill"].copy()
    coat = new_coat("exposure", stops=-1.0)
    window.model.commit("Darker", hand.study.added(LOOK, coat))
    hand.settle()
    middle = (before.width() // 2, before.height() // 4)
    assert (
        wall._pictures["sill"].pixelColor(*middle).green() < before.pixelColor(*middle).green() - 15
    )
    hand.act("undo")

    # By mouse and keys: choose, mark, copy the Ground to the marked ones, open.
    hand.click(wall, wall.box(3).center())
    assert window.desk.shot.name == "fog"
    for index in (1, 2):
        QTest.mouseClick(
            wall,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.ControlModifier,
            wall.box(index).center().toPoint(),
        )
    assert window.view.now.marked_shots == ("sill", "causeway")
    hand.act("copy_ground_marked")
    keys = [c.key for c in hand.study.shot("fog").ground]
    for name in ("sill", "causeway"):
        assert [c.key for c in hand.study.shot(name).ground] == keys
    assert hand.study.shot("portrait").ground == ()
    hand.act("undo")
    wall.setFocus()
    hand.keys(wall, Qt.Key.Key_Up, Qt.Key.Key_Right)
    assert window.desk.shot.name == "sill"
    hand.keys(wall, Qt.Key.Key_Return)
    assert window.view.now.mode == "one"
    hand.settle()


def test_shots_are_moved_renamed_and_found_again(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window

    def names() -> list[str]:
        return [s.name for s in hand.study.shots]

    start = names()
    strip = window.rooms["look"].shots
    hand.drag(strip, strip.box(0).center(), strip.box(2).center() + QPointF(20, 0))
    assert names() == [*start[1:3], start[0], *start[3:]]
    hand.act("undo")
    hand.drag(strip, strip.box(4).center(), strip.box(1).center() - QPointF(20, 0))
    assert names() == [start[0], start[4], *start[1:4], start[5]]
    hand.act("undo")
    window.view.set(shot="sill")
    hand.act("shot_later")
    assert names()[2] == "sill"
    for _ in range(3):
        hand.act("shot_earlier")
    assert names()[0] == "sill"
    hand.ports.name = "Window sill"
    hand.act("rename_shot")
    assert names()[0] == "Window sill"
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert window.desk.shot.name == "furnace"

    # Moved files: one is shown where it is now, the others are found beside it.
    folder = tmp_path / "moved"
    folder.mkdir()
    study = hand.study
    for shot in study.shots[:2]:
        shutil.copy(shot.path, folder / Path(shot.path).name)
        study = study.with_shot(shot.id, path=str(tmp_path / "gone" / Path(shot.path).name))
    window.model.commit("Move away", study)
    hand.settle()
    hand.ports.pictures = [folder / "furnace.tif"]
    hand.act("relink_shot")
    hand.settle()
    assert [s.path for s in hand.study.shots[:2]] == [
        str(folder / "sill.tif"),
        str(folder / "furnace.tif"),
    ]
    assert window.rooms["look"].easel_panel.easel.picture == (1920, 1080)
    assert "1 more shot" in hand.notices[-1]
    assert (ROOT / "demo" / "sill.tif").exists()


def test_a_ground_is_proposed_and_said(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="jetty")
    hand.settle()
    before = hand.study
    hand.act("propose_ground")
    hand.settle()
    first, second = hand.study.shot("jetty").ground[:2]
    assert (first.key, second.key) == ("exposure", "white_balance")
    assert first.parameters.stops > 0.5  # it was shot in the dark
    assert f"exposure {first.parameters.stops:+.2f} stops" in hand.notices[-1]
    hand.act("undo")
    assert hand.study == before


def test_marked_shots_are_matched_to_the_one_that_is_right(demo) -> None:
    """A shot of the same scene, spoilt, comes back; of others the distance falls; one undo takes all away."""
    hand, window = demo, demo.window
    study = hand.study
    right = study.shot("portrait")
    spoilt = attrs.evolve(
        right,
        id="spoilt",
        name="spoilt",
        ground=(
            *right.ground,
            new_coat("exposure", stops=-1.2),
            new_coat("white_balance", temperature=35.0),
        ),
    )
    window.model.commit("Spoil", attrs.evolve(study, shots=(*study.shots, spoilt)))
    hand.settle()
    window.view.set(shot="portrait", marked_shots=("spoilt", "sill"))
    hand.settle()
    before = hand.study
    hand.act("match_marked")
    hand.settle()
    laid = {i: hand.study.shot(i).ground[len(before.shot(i).ground) :] for i in ("spoilt", "sill")}
    assert laid["spoilt"]
    assert {c.key for coats in laid.values() for c in coats} <= set(PLAIN)
    assert hand.study.shot("portrait").ground == right.ground
    exposure = next(c for c in laid["spoilt"] if c.key == "exposure")
    assert abs(exposure.parameters.stops - 1.2) < 0.15
    said = hand.notices[-1]
    first, last = (float(v) for v in re.search(r"spoilt ([\d.]+) → ([\d.]+)", said).groups())
    assert last < 0.5 < 3 < first
    code = window.desk.frames.proxy(right, 320, 180)
    pictures = [
        path.through_ground(hand.study.shot(i), hand.study, code) for i in ("portrait", "spoilt")
    ]
    shown = [path.through_view(hand.study, p) for p in pictures]
    assert delta_e(*shown, encoding("BT.1886")).mean() < 0.5
    hand.act("undo")
    assert hand.study == before


def test_a_cast_and_a_dark_exposure_are_found() -> None:
    log = encoding("Tarn Log")
    greys = np.random.default_rng(5).uniform(0.01, 0.2, (500, 1)).repeat(3, axis=1)
    found = proposed(log.encode((greys * [1.3, 1.0, 0.7] * 0.25).astype(np.float32)), log)
    even = proposed(log.encode(greys.astype(np.float32)), log)
    assert found.stops > even.stops + 0.9
    assert abs(even.temperature) < 1
    coat = new_coat("white_balance", temperature=2 * found.temperature, tint=2 * found.tint)
    after = log.decode(path.through_coat(coat, log.encode([[0.13, 0.1, 0.07]]), log))[0]
    assert np.ptp(after) / after.mean() < 0.1  # twice the half is nearly the whole cast
    assert proposed(np.zeros((50, 3), np.float32), log) == Proposal(0.0, 0.0, 0.0)


def test_what_is_clipped_or_crushed_is_marked_and_counted(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="furnace")
    window.model.commit("Push", hand.study.added(LOOK, new_coat("exposure", stops=3.0)))
    hand.settle()
    picture = hand.shown[-1].b
    high = (picture == 255).any(axis=-1)
    assert 0.02 < high.mean() < 0.9
    y, x = np.argwhere(high)[len(np.argwhere(high)) // 2]
    at = (int((x + 0.5) * 1920 / picture.shape[1]), int((y + 0.5) * 1080 / picture.shape[0]))
    plain = hand.colour_at(*at)
    assert hand.find(QLabel, "readout.clipping").text() == ""
    hand.act("toggle_clipping")
    hand.settle()
    words = hand.find(QLabel, "readout.clipping").text()
    assert words.startswith(f"clipped {high.mean() * 100:.1f} %")
    assert hand.colour_at(*at) != plain
    assert window.rooms["look"].easel_panel.easel._marks.pixelColor(int(x), int(y)).alpha() > 0
    hand.act("toggle_clipping")
    assert hand.colour_at(*at) == plain


def test_a_pinned_shot_stays_beside_the_others(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="portrait")
    hand.settle()
    hand.act("pin_shot")
    window.view.set(shot="jetty")
    hand.settle()
    shown = hand.shown[-1]
    assert (window.view.now.a, window.view.now.mode) == ("pinned", "side")
    h, w = shown.a.shape[:2]
    whole = window.desk.previewer.whole_picture(hand.study, hand.study.shot("portrait"), w, h)
    top, left = (h - whole.shape[0]) // 2, (w - whole.shape[1]) // 2
    inside = shown.a[top : top + whole.shape[0], left : left + whole.shape[1]]
    np.testing.assert_array_equal(inside, to_bytes(whole))
    assert inside.size > 0.98 * shown.a.size
    probe = window.desk.previewer.probe(shown.ask, 960, 540)
    assert np.abs(probe.a * 255 - shown.a[h // 2, w // 2]).max() < 12
    # It follows the Look, and is let go with its shot.
    window.model.commit("Darker", hand.study.added(LOOK, new_coat("exposure", stops=-2.0)))
    hand.settle()
    assert hand.shown[-1].a.mean() < shown.a.mean() - 20
    window.model.commit("Out", hand.study.without_shot("portrait"))
    hand.settle()
    assert window.view.now.a == "ground"
    assert window.view.now.pinned == ""
    assert window.rooms["look"].easel_panel.sides["a"].findData("pinned") < 0


def test_thumbnails_are_made_of_what_is_seen(demo) -> None:
    """Of many shots those in the strip, through the Look as it is; others when they come into it."""
    hand, window = demo, demo.window
    strip = hand.find(ShotsStrip, "shots")
    study = hand.study
    kinds = itertools.cycle(study.shots)
    many = tuple(
        attrs.evolve(s, id=f"s{i}", name=f"s{i}") for i, s in zip(range(60), kinds, strict=False)
    )
    window.model.commit("Sixty shots", attrs.evolve(study, shots=many))
    hand.settle()
    there = set(strip._thumbs)
    assert {"s0", "s5"} <= there < {s.id for s in many}
    assert len(there) < 20
    assert window.desk.strip.guess(many[3]) is not None
    assert window.desk.strip.guess(many[50]) is None
    before = strip._thumbs["s2"].copy()
    hand.keys(strip, *[Qt.Key.Key_Right] * 59)
    hand.settle()
    assert "s59" in strip._thumbs
    assert "s30" not in strip._thumbs
    assert strip.shot_at(strip.box(58).center().toPoint()) == "s58"
    # What is not seen is made anew when it comes into view again.
    darker = new_coat("exposure", stops=-2.0)
    window.model.commit("Darker", hand.study.added(LOOK, darker))
    hand.settle()
    assert strip._thumbs["s2"] == before
    hand.turn(strip, 24000, QPointF(50, 40))
    hand.settle()
    assert strip._thumbs["s2"] != before
    # Taken out: nothing of it is kept.
    window.model.commit("Two", attrs.evolve(hand.study, shots=many[:2]))
    hand.settle()
    assert set(strip._thumbs) == {"s0", "s1"}
    assert window.desk.strip.guess(many[3]) is None
