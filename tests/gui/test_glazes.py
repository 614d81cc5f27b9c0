"""Journeys with glazes in the real window: LUT files, CDLs, Reach, blends, hard edges."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from conftest import ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton

import sfumato
from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.hue_field import HueField
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.core.colour.encodings import encoding
from sfumato.core.path.laying import BLENDS, Laying, blended, matte
from sfumato.core.path.path import through_coat, through_view
from sfumato.core.study.coat import new_coat
from sfumato.formats.parts.registry import formats
from sfumato.work.stores.study_store import open_study

LUTS = ROOT / "demo" / "luts"


def typed(hand, widget: ScrubNumber, text: str) -> None:
    """Type a number into a control."""
    widget.setFocus()
    QTest.keyClick(widget, Qt.Key.Key_Return)
    QTest.keyClicks(widget.window().focusWidget(), text)
    QTest.keyClick(widget.window().focusWidget(), Qt.Key.Key_Return)
    hand.settle()
    assert not [f for f in widget.findChildren(QLineEdit, "typed") if f.isVisible()]


def test_enter_after_a_number_closes_the_field_and_the_next_digit_begins_anew(demo) -> None:
    """Through the application, as a keyboard sends keys: to whatever has the focus."""
    hand = demo
    hand.window.view.set(shot="sill", coat="l-cdl")
    hand.settle()
    number = hand.find(ScrubNumber, "saturation")
    number.setFocus()
    for text, value in (("1.4", 1.4), ("0.8", 0.8)):
        for letter in text:
            QTest.keyClicks(QApplication.focusWidget(), letter)
        for key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if QApplication.focusWidget() is not number:
                QTest.keyClick(QApplication.focusWidget(), key)
        assert QApplication.focusWidget() is number
        assert not [f for f in number.findChildren(QLineEdit, "typed") if f.isVisible()]
        assert number.value() == value
    hand.settle()
    assert next(c for c in hand.study.look.coats if c.id == "l-cdl").parameters.saturation == 0.8


def test_a_look_is_built_under_an_existing_lut(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    hand.drop(LUTS / "low_tide_33.cube")
    hand.settle()
    coat = hand.study.look.coats[-1]
    assert (coat.key, coat.name) == ("lut", "low_tide_33")
    assert (coat.parameters.expects, coat.parameters.gives) == ("Tarn Log", "BT.1886")
    lut = sfumato.read(LUTS / "low_tide_33.cube")
    code = np.float32([[0.4, 0.5, 0.3]])
    graded = through_coat(coat, code, encoding("Tarn Log"), hand.study.view)
    np.testing.assert_allclose(through_view(hand.study, graded), lut.apply(code), atol=1e-3)
    assert "the View is undone after it" in hand.find(QLabel, "glaze.does").text()
    assert "undone" in window.rooms["look"].ledger.row(coat.id).toolTip()
    assert not [w for w in window.findChildren(QLabel, "ends.words") if w.isVisible()]
    # The arrow keys step through the folder; undo goes back.
    button = hand.find(QPushButton, "file")
    button.setFocus()
    QTest.keyClick(button, Qt.Key.Key_Right)
    hand.settle()
    names = sorted(
        (
            p.name
            for p in LUTS.iterdir()
            if p.suffix in {s for f in formats().values() for s in f.suffixes}
        ),
        key=str.casefold,
    )
    following = names[names.index("low_tide_33.cube") + 1]
    assert Path(hand.study.look.coats[-1].parameters.file.path).name == following
    hand.act("undo")
    hand.settle()
    assert hand.study.look.coats[-1].parameters.file.path.endswith("low_tide_33.cube")
    # Build under it: another glaze, moved above the LUT.
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.levels")
    hand.settle()
    hand.act("glaze_up")
    hand.settle()
    typed(hand, hand.find(ScrubNumber, "levels.1"), "1.3")
    assert [c.key for c in hand.study.look.coats][-2:] == ["levels", "lut"]
    # It is saved as a path beside the study, comes back, and a missing file is told.
    file = tmp_path / "film.sfumato"
    hand.ports.save = file
    hand.act("save_study_as")
    again = open_study(file)
    assert again.look.coats[-1].parameters.file.transform is not None
    text = file.read_text().replace("low_tide_33.cube", "gone.cube")
    (tmp_path / "gone.sfumato").write_text(text)
    window.files.open_file(tmp_path / "gone.sfumato")
    hand.settle()
    missing = hand.study.look.coats[-1]
    assert missing.parameters.file.is_missing
    hand.click(hand.find(CoatRow, f"coat.{missing.id}"))
    assert "is missing" in hand.find(QPushButton, "file").text()
    hand.ports.luts = [LUTS / "low_tide_33.cube"]
    hand.click(hand.find(QPushButton, "file"))
    hand.settle()
    assert not hand.study.look.coats[-1].parameters.file.is_missing
    hand.ports.luts = [LUTS / "broken.cube"]
    hand.click(hand.find(QPushButton, "file"))
    hand.settle()
    assert "broken.cube:812" in window.strip.text()
    assert hand.study.look.coats[-1].parameters.file.path.endswith("low_tide_33.cube")


def test_cdl_files_come_and_go(demo, tmp_path: Path) -> None:
    hand = demo
    hand.ports.parts = [0]
    hand.drop(LUTS / "furnace.ccc")
    hand.settle()
    assert hand.ports.asked[-1] == "furnace.ccc: SG_010, SG_020, SG_030"
    coat = hand.study.look.coats[-1]
    assert (coat.key, coat.name) == ("cdl", "SG_010")
    assert coat.parameters.power == (1.0, 1.0, 1.05)
    hand.ports.cdl = tmp_path / "out.cdl"
    hand.act("save_cdl")
    hand.settle()
    back = sfumato.read(tmp_path / "out.cdl").stages[0]
    assert (back.slope, back.saturation, back.id) == (coat.parameters.slope, 0.9, "SG_010")
    assert "ColorDecisionList" in (tmp_path / "out.cdl").read_text()
    # A CDL file says neither "inverse" nor a Strength: the one is refused, the other told.
    study = hand.study.set_coat(coat.id, strength=0.5)
    hand.window.model.commit("Strength", study)
    hand.act("save_cdl")
    hand.settle()
    assert "Strength, blend and Reach are not in it" in hand.window.strip.text()
    whole = (tmp_path / "out.cdl").read_bytes()
    hand.window.model.commit("Direction", study.tuned(coat.id, direction="inverse"))
    hand.act("save_cdl")
    hand.settle()
    assert "holds one forward CDL" in hand.window.strip.text()
    hand.ports.cdl = tmp_path / "out"
    (tmp_path / "out.cc").write_text("mine")
    hand.window.model.commit("Direction", study)
    hand.act("save_cdl")
    hand.settle()
    assert "exists already" in hand.window.strip.text()
    assert (tmp_path / "out.cc").read_text() == "mine"
    assert (tmp_path / "out.cdl").read_bytes() == whole


def test_what_fails_is_said_and_the_rest_is_laid(demo) -> None:
    hand = demo
    count = len(hand.study.look.coats)
    hand.drop(LUTS / "broken.cube", LUTS / "salt_day.ktx2")
    hand.drop(LUTS / "monitor_a.3dl")  # at once: neither drop is lost
    hand.settle()
    assert [c.name for c in hand.study.look.coats[count:]] == ["salt_day", "monitor_a"]
    assert "broken.cube:812" in hand.window.strip.text()
    # Stepping back from the first file passes over the broken one.
    hand.drop(LUTS / "camera_legal.cube")
    hand.settle()
    hand.click(hand.find(QPushButton, "file.previous"))
    hand.settle()
    step = hand.study.look.coats[-1].parameters.file
    assert Path(step.path).name == "tiles_32.png"


def test_a_split_tone_leaves_the_highlights_alone(demo) -> None:
    """Balance colours the shadows; its Reach spares the lights; the matte shows it on the Easel."""
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    window.view.set(b="exact")
    hand.settle()
    bright, dark = (1500, 260), (900, 1000)
    before = [hand.colour_at(*p) for p in (bright, dark)]
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.balance")
    hand.settle()
    typed(hand, hand.find(ScrubNumber, "offset.2"), "0.08")
    everywhere = [hand.colour_at(*p) for p in (bright, dark)]
    assert everywhere[1][2] > before[1][2] + 8
    assert np.abs(np.subtract(everywhere[0], before[0])).max() > 3
    hand.click(hand.find(QPushButton, "laying.fold"))
    typed(hand, hand.find(ScrubNumber, "tone_to"), "0.35")
    spared = [hand.colour_at(*p) for p in (bright, dark)]
    assert np.abs(np.subtract(spared[0], before[0])).max() <= 1
    assert spared[1][2] > before[1][2] + 4
    coat = hand.study.look.coats[-1]
    assert "◐" in hand.find(CoatRow, f"coat.{coat.id}").label.text()
    hand.click(hand.find(Tick, "laying.matte"), QPointF(10, 10))
    hand.settle()
    assert max(hand.colour_at(*bright)) < 8
    assert min(hand.colour_at(*dark)) > 100
    hand.act("mode_difference")  # of a picture and a matte there is none: of the LUT, then
    assert (window.view.now.mode, window.view.now.b) == ("difference", "lut")
    hand.click(hand.find(Tick, "laying.matte"), QPointF(10, 10))
    assert (window.view.now.mode, window.view.now.b) == ("split", "matte")
    hand.click(hand.find(Tick, "laying.matte"), QPointF(10, 10))
    assert window.view.now.b == "lut"
    hand.act("undo")
    hand.settle()
    assert not hand.study.look.coats[-1].laying.is_limited


def test_a_soft_light_lut_at_40_over_a_normal_one_at_70(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    hand.drop(LUTS / "salt_day.ktx2", LUTS / "camera_legal.cube")
    hand.settle()
    lower, upper = hand.study.look.coats[-2:]
    for coat, strength in ((lower, "70"), (upper, "40")):
        row = hand.find(CoatRow, f"coat.{coat.id}")
        typed(hand, row.strength, strength)
    assert window.view.now.coat == upper.id  # what was dropped last is chosen
    hand.click(hand.find(QPushButton, "laying.fold"))
    box = hand.find(Chooser, "blend")
    box.setCurrentText("soft light")
    box.textActivated.emit("soft light")
    hand.settle()
    for coat in hand.study.look.coats[-2:]:  # asked what they are for: they work on what is there
        window.view.set(coat=coat.id)
        hand.settle()
        assert "does not say what it is for" in hand.find(QLabel, "ends.words").text()
        assert "log signs" in hand.find(QLabel, "ends.words").text()
        hand.click(hand.find(QPushButton, "ends.as it is"))
        hand.settle()
        assert not [w for w in window.findChildren(QLabel, "ends.words") if w.isVisible()]
    hand.act("undo")
    hand.settle()
    assert hand.find(QPushButton, "ends.display").isVisible()
    hand.act("redo")
    lower, upper = hand.study.look.coats[-2:]
    assert (lower.strength, upper.strength, upper.laying.blend) == (0.7, 0.4, "soft light")
    x = np.float32([[0.3, 0.5, 0.7], [0.8, 0.2, 0.4]])
    first = x + 0.7 * (sfumato.read(LUTS / "salt_day.ktx2").apply(x) - x)
    over = sfumato.read(LUTS / "camera_legal.cube").apply(first)
    soft = blended("soft light", first, over, encoding("Tarn Log"))
    expected = first + 0.4 * (soft - first)
    log = encoding(hand.study.working)
    found = through_coat(upper, through_coat(lower, x, log), log)
    np.testing.assert_allclose(found, expected, atol=2e-6)
    assert window.model.undo_stack.canUndo()


def test_posterise_warns_at_the_seal(demo) -> None:
    hand = demo
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.posterise")
    hand.settle()
    assert not [w for w in hand.window.findChildren(QLabel, "seal.warning") if w.isVisible()]
    typed(hand, hand.find(ScrubNumber, "levels"), "6")
    assert "Posterise makes edges" in hand.find(QLabel, "seal.warning").text()
    hand.settle()
    assert hand.find(QLabel, "seal.loss").text().startswith("!")
    hand.act("group_glazes")  # inside a group it is as hard
    hand.settle()
    assert "Posterise makes edges" in hand.find(QLabel, "seal.warning").text()
    hand.act("toggle_glaze")
    hand.settle()
    assert not [w for w in hand.window.findChildren(QLabel, "seal.warning") if w.isVisible()]


@pytest.mark.parametrize("blend", BLENDS)
def test_blends_are_finite_and_meet_their_definitions(blend: str) -> None:
    log = encoding("sRGB")
    random = np.random.default_rng(7)
    x, g = random.uniform(-1, 3, (2, 500, 3)).astype(np.float32)
    out = blended(blend, x, g, log)
    assert np.isfinite(out).all()
    under, over = np.float32([[0.25] * 3]), np.float32([[0.5] * 3])
    known = {"normal": 0.5, "multiply": 0.125, "screen": 0.625, "overlay": 0.25, "soft light": 0.25}
    if blend in known:
        np.testing.assert_allclose(blended(blend, under, over, log), known[blend], atol=1e-6)
    elif blend == "tone only":
        np.testing.assert_allclose(blended(blend, under, over, log), 0.5, atol=1e-4)
    else:
        np.testing.assert_allclose(blended(blend, under, over, log), 0.25, atol=1e-4)


def test_a_matte_is_a_trapezoid_with_soft_edges() -> None:
    log = encoding("sRGB")
    greys = np.linspace(0, 1, 101, dtype=np.float32)[:, None].repeat(3, 1)
    tone = matte(Laying(tone_from=0.4, tone_to=0.6, tone_soft=0.1), greys, log)[:, 0]
    assert tone[[0, 29, 40, 50, 60, 71, 100]].tolist() == [0, 0, 1, 1, 1, 0, 0]
    assert tone[35] == pytest.approx(0.5, abs=0.01)
    red, green, grey = np.float32([[0.8, 0.1, 0.1], [0.1, 0.8, 0.1], [0.5, 0.5, 0.5]])
    hue = matte(Laying(hue=29, hue_width=40), np.stack([red, green, grey]), log)[:, 0]
    np.testing.assert_allclose(hue, [1, 0, 0], atol=1e-4)
    chroma = matte(Laying(chroma_from=0.1), np.stack([red, green, grey]), log)[:, 0]
    np.testing.assert_allclose(chroma, [1, 1, 0], atol=1e-6)
    assert new_coat("exposure", stops=1.0).laying.is_plain


def test_a_hue_is_picked_and_turned_while_greys_stay(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    window.view.set(b="exact")
    hand.settle()
    bottle, wood = (760, 640), (1000, 1040)
    before = [hand.colour_at(*p) for p in (bottle, wood)]
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.hue_table")
    hand.settle()
    field = hand.find(HueField, "hues")
    hand.click(hand.find(QPushButton, "pick"))
    easel = window.rooms["look"].easel_panel.easel
    hand.click(easel, easel.widget_at(*bottle))
    hand.settle()
    low, point, high = hand.study.look.coats[-1].parameters.hue  # two at rest keep the other hues
    assert 130 < point[0] < 170  # a green bottle
    assert (low[0], high[0]) == pytest.approx((point[0] - 40, point[0] + 40), abs=0.2)
    assert field.point() == point
    QTest.keyClick(window, Qt.Key.Key_Escape)
    place = field.place("hue", *field.point())
    hand.drag(field, place, field.place("hue", point[0], 0.6))
    hand.settle()
    turned = hand.study.look.coats[-1].parameters.hue
    assert turned[1][1] == pytest.approx(0.6, abs=0.05)
    assert (turned[0][1], turned[2][1]) == (0, 0)
    after = [hand.colour_at(*p) for p in (bottle, wood)]
    assert after[0][2] > before[0][2] + 15  # towards cyan
    assert np.abs(np.subtract(after[1], before[1])).max() <= 12
    typed(hand, hand.find(ScrubNumber, "point.value"), "-40")
    assert hand.study.look.coats[-1].parameters.hue[1][1] == pytest.approx(-0.4)
    QTest.keyClick(field, Qt.Key.Key_Delete)
    assert len(hand.study.look.coats[-1].parameters.hue) == 2
    QTest.keyClick(field, Qt.Key.Key_Insert)
    QTest.keyClick(field, Qt.Key.Key_PageDown)
    assert len(hand.study.look.coats[-1].parameters.hue) == 3
    for _ in range(window.model.undo_stack.count()):
        hand.act("undo")
    hand.settle()
    assert [hand.colour_at(*p) for p in (bottle, wood)] == before


@pytest.mark.parametrize("working", ["sRGB", "Tarn Log", "ACEScct"])
def test_a_hue_table_leaves_greys_to_the_bit(working: str) -> None:
    table = new_coat(
        "hue_table",
        hue=((10.0, 1.0),),
        chroma=((200.0, -1.0), (300.0, 1.0)),
        lightness=((90.0, 0.7),),
    )
    greys = np.linspace(-0.5, 1.5, 2001, dtype=np.float32)[:, None].repeat(3, 1)
    out = table.spec.apply(table.parameters, greys, working)
    np.testing.assert_array_equal(out, greys)
    red = np.float32([[0.7, 0.2, 0.2]])
    assert np.abs(table.spec.apply(table.parameters, red, working) - red).max() > 0.05


def test_known_values_of_the_new_glazes() -> None:
    def made(key: str, code: object, working: str = "sRGB", **values: object) -> np.ndarray:
        coat = new_coat(key, **values)
        return coat.spec.apply(coat.parameters, np.float32(code), working)

    np.testing.assert_allclose(
        made("balance", [[0, 0.5, 1]], lift=(0.1, 0.1, 0.1)), [[0.1, 0.55, 1]]
    )
    np.testing.assert_allclose(
        made("balance", [[0.25, -0.25, 1]], gamma=(2, 2, 2)), [[0.5, -0.5, 1]], atol=1e-6
    )
    levels = made("levels", [[0.1, 0.5, 0.9]], every=(0.1, 1.0, 0.9, 0.2, 0.8))
    np.testing.assert_allclose(levels, [[0.2, 0.5, 0.8]], atol=1e-6)
    mono = made("mixer", [[1, 0, 0], [0.3, 0.3, 0.3]], monochrome=True, weights=(0.2, 0.7, 0.1))
    np.testing.assert_allclose(mono, [[0.2] * 3, [0.3] * 3], atol=1e-6)
    rolled = made(
        "highlight_rolloff", [[1, 1, 1], [9, 9, 9], [0.5] * 3], amount=100.0, keep_hue=0.0
    )
    np.testing.assert_allclose(rolled, [[0.889636] * 3, [1.0] * 3, [0.5] * 3], atol=1e-5)
    lifted = made("shadow_rolloff", [[-5, -5, -5], [0.5] * 3], amount=100.0, floor=0.05)
    np.testing.assert_allclose(lifted, [[0.05] * 3, [0.5] * 3], atol=1e-6)
    linear = made("gamut_fit", [[1.0, 0.4, -0.2]], "Linear BT.709", amount=100.0)
    np.testing.assert_allclose(
        linear, [[1.0, 0.4, 0.0]], atol=1e-5
    )  # the limit 1.2 lands on the edge
    steps = made("posterise", [[0.1, 0.45, 0.95]], levels=3.0)
    np.testing.assert_allclose(steps, [[0, 0.5, 1]], atol=1e-6)
    changed = made("encoding_change", [[0.5] * 3], source="sRGB", target="BT.1886")
    assert changed[0, 0] == pytest.approx(0.21404 ** (1 / 2.4), abs=2e-4)


def test_glazes_are_renamed_shown_alone_copied_and_pasted(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(shot="sill")
    window.view.set(b="exact")
    hand.settle()
    whole = hand.colour_at(760, 640)
    hand.click(hand.find(CoatRow, "coat.l-cdl"))
    hand.act("rename_glaze")
    field = hand.find(QLineEdit, "rename")
    field.clear()
    QTest.keyClicks(field, "Warm lights")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hand.study.coat("l-cdl").name == "Warm lights"
    assert hand.find(CoatRow, "coat.l-cdl").label.text() == "Warm lights"
    hand.act("rename_glaze")
    QTest.keyClick(hand.find(QLineEdit, "rename"), Qt.Key.Key_Escape)
    assert hand.study.coat("l-cdl").name == "Warm lights"
    edited = hand.study
    hand.act("solo_glaze")
    hand.settle()
    assert hand.study == edited  # only the Easel shows it alone
    alone = hand.colour_at(760, 640)
    assert np.abs(np.subtract(alone, whole)).max() > 5
    assert "alone" in hand.find(CoatRow, "coat.l-cdl").label.text()
    hand.act("solo_glaze")
    hand.settle()
    assert hand.colour_at(760, 640) == whole
    hand.act("copy_glaze")
    hand.act("paste_glaze_ground")
    hand.settle()
    shot = window.desk.shot
    copy = shot.ground[-1]
    assert (copy.key, copy.parameters) == ("cdl", edited.coat("l-cdl").parameters)
    assert copy.id != "l-cdl"
    hand.act("undo")
    hand.act("paste_glaze")
    hand.settle()
    names = [c.title for c in hand.study.look.coats]
    assert names.count("Warm lights") == 2
    QApplication.clipboard().setText("a shopping list")
    hand.act("paste_glaze")
    assert "no glaze on the clipboard" in window.strip.text()
    hand.act("undo")
    hand.act("undo")
    assert hand.study.coat("l-cdl").name == ""
