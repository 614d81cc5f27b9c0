"""Building a look by hand in the real window: nudges, picked points, groups, presets, keys."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import pytest
from gui.test_glazes import typed
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.explanation import Explanation
from sfumato.app.controls.levels_field import LevelsField
from sfumato.app.controls.nudge_map import NudgeMap
from sfumato.app.controls.reach_field import ReachStrip
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.controls.tint_ramp import TintRamp
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.app.window.keys_sheet import KeysSheet
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.path import path
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK
from sfumato.work.stores import presets

TARN = encoding("Tarn Log")


def hue_of(code: tuple[int, int, int]) -> float:
    lab = oklab.from_light(encoding("sRGB").decode(np.float32([code]) / 255), encoding("sRGB"))[0]
    return float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)


def added(hand, key: str):
    """Add a glaze to the Look by its menu."""
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu(f"add.{key}")
    hand.settle()
    return hand.study.look.coats[-1]


def find_blue(hand) -> tuple[int, int]:
    """Return a place of the picture that is blue glass."""
    for x in range(120, 200, 20):
        for y in range(500, 900, 50):
            r, g, b = hand.colour_at(x, y)
            if b > 2 * max(r, 1) and b > 1.4 * g and b > 90:
                return x, y
    raise AssertionError("no blue in the picture")


def test_blue_becomes_teal_by_a_nudge_and_skin_stays(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(b="exact")
    window.view.set(shot="portrait")
    hand.settle()
    skin = [hand.colour_at(x, y) for x, y in ((560, 400), (600, 520), (640, 700))]
    window.view.set(shot="sill")
    hand.settle()
    blue = find_blue(hand)
    before = hue_of(hand.colour_at(*blue))
    coat = added(hand, "nudges")
    hand.pick("pick", *blue)
    window.view.set(picking="")
    chart = hand.find(NudgeMap, "nudge.map")
    pair = hand.study.coat(coat.id).parameters.pairs[0]
    chroma = float(np.hypot(*pair.source[1:]))
    teal = (pair.source[0], chroma * np.cos(np.radians(205)), chroma * np.sin(np.radians(205)))
    hand.drag(chart, chart.place(pair.source), chart.place(teal), steps=4)
    hand.settle()
    after = hue_of(hand.colour_at(*blue))
    assert 22 < (before - after) % 360 < 90
    now = hand.study.coat(coat.id).parameters
    assert len(now.pairs) == 1
    # Each pair is met, through encoding and decoding, within 0.05 dE of the viewed colour.
    met = coat.spec.apply(
        now, TARN.encode(oklab.to_light(np.float32([now.pairs[0].source]), TARN)), TARN
    )
    goal = TARN.encode(oklab.to_light(np.float32([now.pairs[0].goal]), TARN))
    seen = [path.through_view(hand.study, c) for c in (met, goal)]
    assert float(delta_e(*seen, encoding("BT.1886"))[0]) < 0.05
    window.view.set(shot="portrait")
    hand.settle()
    kept = [hand.colour_at(x, y) for x, y in ((560, 400), (600, 520), (640, 700))]
    assert np.abs(np.subtract(kept, skin)).max() <= 1
    window.view.set(shot="sill")
    hand.settle()

    # The target typed: what the View shows of the source is that colour.
    field = hand.find(QLineEdit, "nudge.typed")
    QTest.keyClicks(field, "no colour")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hand.study.coat(coat.id).parameters == now
    field.clear()
    QTest.keyClicks(field, "#1f8fa0")
    QTest.keyClick(field, Qt.Key.Key_Return)
    hand.settle()
    pair = hand.study.coat(coat.id).parameters.pairs[0]
    shown = path.through_view(
        hand.study, TARN.encode(oklab.to_light(np.float32([pair.goal]), TARN))
    )
    wanted = convert(np.float32([[0x1F, 0x8F, 0xA0]]) / 255, "sRGB", "BT.1886")
    assert float(delta_e(shown, wanted, encoding("BT.1886"))[0]) < 0.05

    # The target picked from another shot, and the reach by its keys.
    hand.click(hand.find(QPushButton, "nudge.pick"))
    window.view.set(shot="furnace")
    hand.settle()
    hand.click(window.rooms["look"].easel_panel.easel, hand.easel_place(900, 300))
    hand.settle()
    there = hand.study.coat(coat.id).parameters.pairs[0]
    assert there.source == pair.source
    assert there.target != pair.target
    assert window.view.now.picking == ""
    chart = hand.find(NudgeMap, "nudge.map")
    chart.setFocus()
    QTest.keyClick(chart, Qt.Key.Key_Plus)
    assert hand.study.coat(coat.id).parameters.pairs[0].reach > there.reach
    QTest.keyClick(chart, Qt.Key.Key_Delete)
    assert hand.study.coat(coat.id).parameters.pairs == ()


def test_faded_blacks_and_an_s_curve_by_points_picked_from_the_picture(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="causeway")
    window.view.set(b="exact")
    hand.settle()
    dark, light = (1700, 1000), (950, 200)
    before = [np.mean(hand.colour_at(*p)) for p in (dark, light)]
    coat = added(hand, "curves")
    hand.find(Chooser, "pick.size").setCurrentIndex(2)
    hand.find(Chooser, "pick.size").activated.emit(2)
    assert window.view.now.pick_size == 15
    hand.pick("pick", *dark)
    points = hand.study.coat(coat.id).parameters.master
    assert len(points) == 3
    assert points[1][0] == pytest.approx(points[1][1], abs=2e-4)  # on the curve as it was
    curve = hand.find(CurveField, "curve")
    assert curve.chosen == 1
    curve.setFocus()
    hand.keys(curve, *[Qt.Key.Key_Up] * 5)
    hand.click(window.rooms["look"].easel_panel.easel, hand.easel_place(*light))
    hand.settle()
    assert len(hand.study.coat(coat.id).parameters.master) == 4
    curve.setFocus()
    hand.keys(curve, *[Qt.Key.Key_Up] * 3)
    hand.settle()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert window.view.now.picking == ""
    after = [np.mean(hand.colour_at(*p)) for p in (dark, light)]
    assert after[0] > before[0] + 4
    assert after[1] > before[1] + 2
    greys = np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[:, None], 3, axis=1)
    bent = path.through_coat(hand.study.coat(coat.id), greys, TARN)
    assert (np.diff(bent[:, 0]) > 0).all()
    assert bent[6, 0] > greys[6, 0] + 0.02  # faded blacks


def test_a_group_at_140_percent_by_mouse_and_keys(demo) -> None:
    hand, window = demo, demo.window
    first, second = hand.study.look.coats[1:3]
    hand.click(hand.find(CoatRow, f"coat.{first.id}"))
    QTest.mouseClick(
        hand.find(CoatRow, f"coat.{second.id}"),
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.ControlModifier,
    )
    assert window.view.now.marked == (second.id,)
    before = hand.study
    hand.act("group_glazes")
    hand.settle()
    group = hand.study.look.coats[1]
    assert [m.id for m in group.members] == [first.id, second.id]
    code = np.random.default_rng(3).uniform(0.1, 0.8, (50, 3)).astype(np.float32)
    np.testing.assert_array_equal(
        path.through_look(hand.study, code), path.through_look(before, code)
    )
    row = hand.find(CoatRow, f"coat.{group.id}")
    typed(hand, row.strength, "140")
    group = hand.study.look.coats[1]
    assert group.strength == pytest.approx(1.4)
    inside = path.through_coats(group.members, code, TARN)
    np.testing.assert_allclose(
        path.through_coat(group, code, TARN), code + np.float32(1.4) * (inside - code), atol=1e-6
    )
    # Its Reach acts on the whole group; the row of a member shows what the member does.
    smears = hand.shown[-1].smears
    assert {group.id, first.id, second.id} <= set(smears)
    assert np.abs(smears[group.id].astype(int)[1] - smears[second.id].astype(int)[1]).max() > 2
    # By keys: a glaze goes down into the group, through it and out again.
    above = hand.study.look.coats[0]
    hand.click(hand.find(CoatRow, f"coat.{above.id}"))
    hand.act("glaze_down")
    assert [m.id for m in hand.study.look.coats[0].members] == [above.id, first.id, second.id]
    for _ in range(3):
        hand.act("glaze_down")
    assert [c.id for c in hand.study.look.coats[:2]] == [group.id, above.id]
    # By mouse: the row of a member is dragged out above the group.
    member = hand.find(CoatRow, f"coat.{first.id}")
    top = hand.find(CoatRow, f"coat.{group.id}")
    start = QPointF(member.rect().center())
    hand.drag(member, start, QPointF(start.x(), start.y() - member.y() + top.y() - 14))
    assert hand.study.look.coats[0].id == first.id
    hand.act("undo")
    hand.click(hand.find(CoatRow, f"coat.{group.id}"))
    hand.click(hand.find(QPushButton, "group.apart"))
    hand.settle()
    assert not any(c.is_group for c in hand.study.look.coats)
    while window.model.undo_stack.canUndo():
        hand.act("undo")
    hand.settle()
    assert hand.study == before


def test_marked_glazes_are_copied_removed_and_grouped_only_in_one_place(demo) -> None:
    hand, window = demo, demo.window
    look = hand.study.look.coats
    window.view.set(coat=look[0].id)
    window.view.set(marked=(look[2].id,))
    hand.act("copy_glaze")
    hand.act("paste_glaze_ground")
    ground = window.desk.shot.ground
    assert [c.key for c in ground][-2:] == [look[0].key, look[2].key]
    assert {c.id for c in ground}.isdisjoint({c.id for c in look})
    window.view.set(coat=look[0].id)
    window.view.set(marked=(ground[-1].id,))
    hand.act("group_glazes")
    assert "cannot be put into one group" in hand.notices[-1]
    assert not any(c.is_group for c in hand.study.every_coat())
    window.view.set(marked=(look[1].id,))
    hand.act("remove_glaze")
    assert [c.id for c in hand.study.look.coats] == [c.id for c in look[2:]]


def test_levels_tints_and_reach_are_set_on_their_fields(demo) -> None:
    hand, window = demo, demo.window
    levels = added(hand, "levels")
    field = hand.find(LevelsField, "levels")
    assert field.histogram is not None
    assert field.histogram.sum() > 10000
    hand.drag(field, field.place(2), field.place(2) - QPointF(40, 0))
    hand.drag(field, field.place(3), field.place(3) + QPointF(20, 0))
    black, _, white, low, _ = hand.study.coat(levels.id).parameters.every
    assert (black, white < 0.9, low > 0.03) == (0.0, True, True)
    field.setFocus()
    field.chosen = 1
    QTest.keyClick(field, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert hand.study.coat(levels.id).parameters.every[1] > 1.0
    hand.click(hand.find(QPushButton, "tab.blue"))
    hand.pick("pick", 1700, 1000)
    assert hand.study.coat(levels.id).parameters.blue[0] > 0

    tints = added(hand, "tints")
    ramp = hand.find(TintRamp, "ramp")
    hand.click(ramp, ramp.place(0.2))
    hand.click(ramp, ramp.place(0.8))
    hand.drag(ramp, ramp.place(0.2), ramp.place(0.3))
    ramp.setFocus()
    QTest.keyClick(ramp, Qt.Key.Key_Up)
    typed(hand, hand.find(ScrubNumber, "stop.hue"), "255")
    stops = hand.study.coat(tints.id).parameters.stops
    assert stops[0][:2] == (pytest.approx(0.3, abs=0.01), 255)
    QTest.mouseClick(ramp, Qt.MouseButton.RightButton, pos=ramp.place(0.8).toPoint())
    assert len(hand.study.coat(tints.id).parameters.stops) == 1

    hand.click(hand.find(QPushButton, "laying.fold"))
    strip = hand.find(ReachStrip, "reach.tone")
    hand.drag(strip, strip.place("high"), strip.place("high") - QPointF(90, 0))
    laying = hand.study.coat(tints.id).laying
    assert 0.5 < laying.tone_to < 0.8
    hand.drag(strip, strip.place("soft high"), strip.place("soft high") + QPointF(20, 0))
    assert hand.study.coat(tints.id).laying.tone_soft > laying.tone_soft
    strip.setFocus()
    strip.chosen = 1
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert not hand.study.coat(tints.id).laying.by_tone
    window.view.set(shot="sill")
    hand.settle()
    blue = find_blue(hand)
    hand.pick("reach.pick", *blue)
    laying = hand.study.coat(tints.id).laying
    assert laying.by_hue
    assert 225 < laying.hue < 290
    assert 0.02 < hand.shown[-1].entry.covers < 0.4
    hue = hand.find(ReachStrip, "reach.hue")
    hand.drag(hue, hue.place("low"), hue.place("low") - QPointF(15, 0))
    wider = hand.study.coat(tints.id).laying
    assert wider.hue_width > laying.hue_width
    assert abs((wider.hue + wider.hue_width / 2) - (laying.hue + laying.hue_width / 2)) < 1.5
    hand.settle()
    share = hand.shown[-1].entry.covers
    hand.click(hand.find(Tick, "inverted"), QPointF(10, 10))
    hand.settle()
    assert hand.shown[-1].entry.covers == pytest.approx(1 - share, abs=0.05)


def test_presets_are_seen_on_the_shot_put_in_saved_and_dropped(
    demo, tmp_path: Path, monkeypatch
) -> None:
    hand, window = demo, demo.window
    monkeypatch.setattr(presets, "library", lambda: tmp_path / "presets")
    hand.act("open_presets")
    hand.settle()
    sheet = window.rooms["look"].presets.sheet
    names = [sheet.tiles.item(i).text() for i in range(sheet.tiles.count())]
    assert len(names) == 12  # made for log, as the study is
    assert "Cold print" in names
    images = [sheet.tiles.item(i).icon().pixmap(40, 22).toImage() for i in range(12)]
    assert len({bytes(i.constBits()) for i in images}) == 12
    sheet.search.setText("monochrome")
    assert [sheet.tiles.item(i).text() for i in range(sheet.tiles.count())] == ["Silver plate"]
    hand.settle()
    hand.click(sheet.to_look)
    group = hand.study.look.coats[-1]
    assert (group.title, group.is_group, len(group.members)) == ("Silver plate", True, 4)
    hand.act("undo")

    # Save a glaze and the Look; nothing is replaced without asking; both come back the same.
    window.view.set(coat="l-curves")
    hand.ports.name = "Salt curve"
    hand.act("save_preset")
    file = tmp_path / "presets" / "salt_curve.glaze"
    first = file.read_bytes()
    hand.act("toggle_glaze")
    hand.act("save_preset")
    assert file.read_bytes() == first
    hand.ports.replace = True
    hand.act("save_preset")
    assert file.read_bytes() != first
    hand.act("undo")
    hand.ports.name = "Whole look"
    hand.act("save_look_preset")
    saved = presets.read_preset(tmp_path / "presets" / "whole_look.look")
    assert [c.parameters for c in saved.coats] == [c.parameters for c in hand.study.look.coats]
    sheet.search.clear()
    sheet.filter.setCurrentText("My own")
    hand.settle()
    assert sheet.tiles.count() == 2
    sheet.tiles.setCurrentRow(1)
    hand.click(sheet.remove)
    hand.settle()
    assert sheet.tiles.count() == 1
    sheet.close()
    hand.settle()

    # Dropped on a shot it goes into that shot's Ground, elsewhere into the Look.
    shots = window.rooms["look"].shots
    at = shots.mapTo(window, shots.box(3).center().toPoint())
    file = tmp_path / "presets" / "whole_look.look"
    hand.drop(file, at=QPointF(at))
    assert hand.study.shots[3].ground[-1].title == "Whole look"
    before = len(hand.study.look.coats)
    hand.drop(file)
    assert len(hand.study.look.coats) == before + 1
    display = Path(str(presets.resources.files("sfumato.looks"))) / "pewter.look"
    hand.drop(display)
    assert "made for display" in hand.notices[-1]
    bad = tmp_path / "bad.look"
    for text in ("", "{", "[]", json.dumps({"sfumato_preset": 1}), "[" * 100000, "\ud800"):
        bad.write_text(text, errors="surrogatepass")
        study = hand.study
        hand.drop(bad)
        assert hand.study == study
        assert "preset" in hand.notices[-1]


def test_presets_without_a_shot_are_listed_and_come_to_rest(demo) -> None:
    hand, window = demo, demo.window
    window.model.commit("Take all out", attrs.evolve(hand.study, shots=()))
    hand.settle()
    hand.act("open_presets")
    hand.settle()
    sheet = window.rooms["look"].presets.sheet
    assert sheet.tiles.count() >= 12


def test_every_key_is_on_the_sheet_once_and_right_click_explains(demo) -> None:
    hand, window = demo, demo.window
    keys = [
        window.actions_table.by_id[s.id].shortcut().toString() for s in window.actions_table.specs
    ]
    used = [k for k in keys if k]
    assert len(set(used)) == len(used), sorted(k for k in used if used.count(k) > 1)
    hand.act("keyboard_sheet")
    sheet = window.findChild(KeysSheet)

    def rows() -> list[str]:
        tops = [sheet.tree.topLevelItem(i) for i in range(sheet.tree.topLevelItemCount())]
        return [t.child(i).text(1) for t in tops for i in range(t.childCount())]

    assert len(rows()) > len(used)
    QTest.keyClicks(sheet.search, "nudge reach")
    assert rows() == ["widen or narrow its reach"]
    sheet.search.setText("no such thing")
    assert rows() == []
    sheet.close()

    hand.click(hand.find(CoatRow, "coat.l-contrast"))
    panel = window.rooms["look"].ledger.findChild(RecordPanel)
    at = panel.editors[0].geometry().center()
    QApplication.sendEvent(
        panel, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, panel.mapToGlobal(at))
    )
    shown = window.findChild(Explanation)
    assert shown.accessibleName() == "Contrast: Slope"
    shown.close()
    hand.wait(20)
    hand.act("explain_glaze")
    shown = window.findChildren(Explanation)[-1]
    assert shown.accessibleName() == "Contrast"
    shown.close()


def test_the_row_of_a_glaze_shows_what_it_does_with_its_reach(demo) -> None:
    """The smear is the swatches through the path up to the row and through it, seen by the View."""
    hand, window = demo, demo.window
    coat = attrs.evolve(
        new_coat("balance", gain=(1.3, 1.0, 0.8)),
        laying=attrs.evolve(new_coat("cdl").laying, tone_to=0.4),
    )
    window.model.commit("Add", hand.study.added(LOOK, coat, 0))
    hand.settle()
    top, bottom = hand.shown[-1].smears[coat.id].astype(int)
    moved = np.abs(bottom - top).max(axis=1)
    greys = moved[12:]
    assert greys[0] > 3  # the darkest grey takes it
    assert greys[-1] == 0  # the lightest is spared by the Reach


def test_the_keyboard_is_on_the_first_control_of_a_glaze_that_was_chosen(demo) -> None:
    hand, window = demo, demo.window
    hand.act("add_glaze")
    hand.menu("add.exposure")
    hand.settle()
    here = window.focusWidget()
    assert (type(here), here.objectName()) == (ScrubNumber, "stops")
    hand.keys(here, Qt.Key.Key_Up)
    hand.settle()
    assert hand.study.look.coats[-1].parameters.stops > 0
    hand.act("duplicate_glaze")
    hand.settle()
    assert window.focusWidget().objectName() == "stops"
    assert window.view.now.coat == hand.study.look.coats[-1].id
    row = window.rooms["look"].ledger.row(hand.study.look.coats[0].id)
    row.setFocus()
    hand.keys(row, Qt.Key.Key_Return)
    hand.settle()
    assert window.focusWidget().objectName() == "temperature"
    name = hand.find(QLineEdit, "look.name")
    name.setFocus()
    window.view.set(coat=hand.study.look.coats[1].id)
    hand.settle()
    assert window.focusWidget() is name  # who types goes on typing
