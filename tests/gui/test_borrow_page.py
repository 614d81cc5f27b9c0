"""Borrowing in the real window: a look out of a pair, after a reference, and shots made alike by a card."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QListWidget, QPushButton
from test_borrows import look

import sfumato
from sfumato.app.controls.bars import Bars
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.rooms.look.match_sheet import MatchSheet
from sfumato.app.views.corner_field import CornerField
from sfumato.app.views.part_field import PartField
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.path import path
from sfumato.core.study.coat import new_coat
from sfumato.core.study.loan import Loan
from sfumato.work.stores.presets import read_preset
from sfumato.work.stores.study_store import open_study, save_study

PREVIEWS = ROOT / "demo" / "previews"


def graded(name: str, folder: Path, words: str = " graded.png") -> tuple[Path, Path]:
    """Write a small picture before, and after a look that is no glaze's own form."""
    small = Image.open(PREVIEWS / f"{name}.png").convert("RGB").resize((480, 270))
    before, after = folder / f"{name}.png", folder / f"{name}{words}"
    small.save(before)
    pixels = (look(np.asarray(small) / 255) * 255 + 0.5).astype(np.uint8)
    pixels[10:60, 20:160] = (240, 230, 200)  # a caption
    Image.fromarray(pixels).save(after)
    return before, after


@pytest.fixture
def page(demo):
    """A hand on the demo study, on the Borrow page."""
    demo.act("trip_borrow")
    demo.settle()
    demo.room = demo.window.rooms["trip"]
    return demo


def choose(hand, name: str, text: str) -> None:
    box = hand.find(QComboBox, name)
    box.setCurrentText(text)
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())


def shares(hand, name: str) -> list[tuple[str, str]]:
    return [(r.title, r.words) for r in hand.find(Bars, name).rows]


def number(words: str) -> float:
    return float(words.split()[0])


def test_a_pair_is_dropped_explained_adopted_and_its_lut_is_right(page, tmp_path: Path) -> None:
    before, after = graded("causeway", tmp_path)
    page.drop(before, after, at=QPointF(700, 300))
    page.settle()
    guess = page.find(QLabel, "borrow.guess")
    assert "What both pictures are was guessed" in guess.text()
    assert page.study.loan.before == (str(before),)
    assert page.study.loan.after == (str(after),)
    choose(page, "borrow.source", "sRGB")
    choose(page, "borrow.result", "sRGB")  # while the first is worked on
    page.settle()
    assert "guessed" not in guess.text()
    found = page.room.loans.outcome
    rows = shares(page, "borrow.glazes")
    lefts = [number(words) for _title, words in rows]
    assert rows[0][0] == "nothing done"
    assert rows[-1][0] == "+ the rest"
    assert lefts[-1] < 0.2 * lefts[0]
    assert all(
        b < a + 0.02 for a, b in zip(lefts, lefts[1:-1], strict=False)
    )  # each brings it nearer
    pair = found.pairs[0]
    caption = pair.left_out[12:58, 24:156]
    assert caption.mean() > 0.9
    assert pair.left_out.mean() < 0.12
    assert pair.off < 1.0
    for view in ("left_out", "sure", "shot"):
        page.click(page.find(QPushButton, f"borrow.below.{view}"))
        assert page.room.borrow.middle.below.picture.image is not None
    assert page.sees_elsewhere(lambda: page.room.borrow.middle.below.picture.image)
    assert page.sees_elsewhere(lambda: page.room.borrow.middle.easel._b)
    page.click(page.find(QPushButton, "borrow.view.difference"))
    assert page.room.borrow.middle.easel._heat is not None

    old = page.study
    page.click(page.find(QPushButton, "borrow.adopt.glaze"))
    page.settle()
    group = page.study.look.coats[-1]
    assert group.name == "causeway graded"
    assert [c.key for c in group.members][-1] == "lut"
    # The glazes with the rest make of the picture before the one after, in the study itself.
    study, display = page.study, encoding("sRGB")
    code = (np.asarray(Image.open(before), np.float32) / 255)[70:]
    wanted = (np.asarray(Image.open(after), np.float32) / 255)[70:]
    entering = path.from_view(study, code, display)
    alone = attrs.evolve(study, look=attrs.evolve(study.look, coats=(group,)))
    made = path.through_view(alone, path.through_look(alone, entering), display)
    assert delta_e(np.clip(made, 0, 1), wanted, display).mean() < 1.0
    # Laid once more it is renewed, not laid twice; one step to undo each.
    page.click(page.find(QPushButton, "borrow.adopt.glaze"))
    page.settle()
    assert len(page.study.look.coats) == len(old.look.coats) + 1
    page.act("undo")
    page.act("undo")
    assert page.study.look == old.look

    page.ports.look_save = tmp_path / "taken.cube"
    page.click(page.find(QPushButton, "borrow.adopt.file"))
    page.settle()
    table = sfumato.read(tmp_path / "taken.cube")
    assert delta_e(np.clip(table.apply(code), 0, 1), wanted, display).mean() < 0.8
    page.ports.look_save = tmp_path / "taken.look"
    page.click(page.find(QPushButton, "borrow.adopt.file"))
    page.settle()
    assert read_preset(tmp_path / "taken.look").coats[-1].key == "lut"
    assert (tmp_path / "taken_rest.cube").exists()
    page.ports.look_save, kept = before, before.read_bytes()
    page.click(page.find(QPushButton, "borrow.adopt.file"))
    page.settle()
    assert before.read_bytes() == kept
    assert "replace a file that is read" in page.notices[-1]

    # Without the rest its LUT is not laid; as a new Look it takes the place of the old one.
    page.click(page.find(Tick, "borrow.rest"))
    page.settle()
    page.click(page.find(QPushButton, "borrow.adopt.look"))
    page.settle()
    assert "lut" not in [c.key for c in page.study.look.coats]
    assert page.study.look.name == "causeway graded"
    save_study(page.study, tmp_path / "s.sfumato")
    assert open_study(tmp_path / "s.sfumato").loan == page.study.loan


def test_folders_are_paired_by_name_swapped_and_taken_out(page, tmp_path: Path) -> None:
    for side in ("a", "b"):
        (tmp_path / side).mkdir()
    for name in ("fog", "sill"):
        before, after = graded(name, tmp_path, ".jpg")
        before.rename(tmp_path / "a" / before.name)
        after.rename(tmp_path / "b" / after.name)
    Image.new("RGB", (300, 200), "orange").save(tmp_path / "b" / "holiday.png")
    page.drop(tmp_path / "a", tmp_path / "b", at=QPointF(700, 300))
    page.settle()
    rows = page.find(QListWidget, "borrow.pairs")
    said = [rows.item(i).text() for i in range(rows.count())]
    assert [s.split("   ")[0] for s in said] == [
        "fog.png → fog.jpg",
        "sill.png → sill.jpg",
        "holiday.png: nothing before it by name",
    ]
    assert all(" ΔE" in s for s in said[:2])
    rows.setCurrentRow(1)
    page.settle()
    assert page.find(QLabel, "borrow.title").text() == "sill"
    rows.setFocus()
    rows.setCurrentRow(2)
    page.keys(rows, Qt.Key.Key_Delete)
    assert len(page.study.loan.after) == 2
    page.click(page.find(QPushButton, "borrow.swap"))
    assert page.study.loan.before[0].endswith(".jpg")
    page.act("undo")
    rows.setCurrentRow(0)
    page.keys(rows, Qt.Key.Key_Delete)
    assert [Path(f).name for f in page.study.loan.before] == ["sill.png"]
    page.act("borrow_clear")
    page.settle()
    assert page.study.loan == Loan()
    assert page.find(QPushButton, "borrow.empty.add").isVisible()


def test_what_tells_nothing_is_said_and_the_work_can_be_stopped(page, tmp_path: Path) -> None:
    one, _ = graded("sill", tmp_path)
    other = tmp_path / "other.png"
    Image.open(PREVIEWS / "jetty.png").resize((480, 270)).save(other)
    page.room.loan_edits.take([one], "before")
    page.room.loan_edits.take([other], "after")
    page.settle()
    shown = [w.text() for w in page.room.borrow.middle.findChildren(QLabel) if w.isVisible()]
    assert any("show different things" in t for t in shown)
    assert not page.find(QPushButton, "borrow.adopt.glaze").isEnabled()
    broken = tmp_path / "broken.png"
    broken.write_bytes(other.read_bytes()[:500])
    page.act("borrow_clear")
    page.room.loan_edits.take([one, broken])
    page.settle()
    shown = [w.text() for w in page.room.borrow.middle.findChildren(QLabel) if w.isVisible()]
    assert any("damaged" in t for t in shown)
    page.act("borrow_clear")
    page.room.loan_edits.take([one, tmp_path / "sill graded.png"])
    page.until(lambda: page.room.loans.is_working)
    stop = page.find(QPushButton, "borrow.cancel")
    assert page.find(QLabel, "borrow.doing") is not None
    page.click(stop)
    page.settle()
    assert page.room.loans.outcome is None
    shown = [w.text() for w in page.room.borrow.middle.findChildren(QLabel) if w.isVisible()]
    assert "Stopped" in shown
    page.click(page.find(QPushButton, "borrow.empty.add"))
    page.until(lambda: page.room.loans.is_working)  # once more


def test_a_reference_is_followed_tied_and_stays_editable(page, tmp_path: Path) -> None:
    window = page.window
    window.view.set(shot="portrait")
    reference, _ = graded("causeway", tmp_path)
    page.click(page.find(QPushButton, "borrow.mode.reference"))
    page.drop(reference, at=QPointF(700, 300))
    page.settle()
    assert page.study.loan.references == (str(reference),)
    found = page.room.loans.outcome
    assert {s.key for s in found.found.told.steps} <= {"curves", "colourfulness", "tints"}
    assert "starting point" in page.find(QLabel, "borrow.verdict").text()
    assert page.find(ScrubNumber, "borrow.strength").value() == 40

    def moved() -> float:
        now = page.room.loans.outcome
        return float(np.abs(now.made.astype(float) - now.was).mean())

    usual = moved()
    assert usual > 0
    for side in ("ours", "theirs"):
        assert page.sees_elsewhere(lambda s=side: page.find(PartField, f"borrow.{s}").image)
    strength = page.find(ScrubNumber, "borrow.strength")
    strength.setFocus()
    page.keys(strength, Qt.Key.Key_2)
    QTest.keyClicks(QApplication.focusWidget(), "00")
    page.keys(QApplication.focusWidget(), Qt.Key.Key_Return)
    page.settle()
    assert page.study.loan.amounts.strength == 200
    assert moved() > 1.5 * usual
    page.click(page.find(Tick, "borrow.keep_greys"))
    page.settle()
    assert page.study.loan.amounts.keep_greys
    page.act("undo")
    page.act("undo")
    page.settle()
    assert page.study.loan.amounts.strength == 40
    assert moved() == pytest.approx(usual)

    # A part with a part by dragging, a colour with a colour by keys.
    page.click(page.find(QPushButton, "borrow.tool.part"))
    ours, theirs = (page.find(PartField, f"borrow.{n}") for n in ("ours", "theirs"))
    for pane, low, high in ((ours, (0.1, 0.1), (0.4, 0.4)), (theirs, (0.1, 0.05), (0.9, 0.4))):
        page.drag(pane, pane.on_screen(low), pane.on_screen(high))
    page.settle()
    assert len(page.study.loan.ties) == 1
    assert page.study.loan.ties[0].ours == pytest.approx((0.1, 0.1, 0.4, 0.4), abs=0.05)
    page.act("borrow_colours")
    page.click(ours, ours.on_screen((0.33, 0.45)))
    theirs.setFocus()
    page.keys(theirs, Qt.Key.Key_Return, Qt.Key.Key_Up, Qt.Key.Key_Return)
    page.settle()
    assert page.study.loan.picks[0].theirs == pytest.approx((0.5, 0.49))
    (part_was, part_is), (was, now) = page.room.loans.outcome.parts
    assert now < 0.3 * was  # the picked colour came near the other
    assert part_is != part_was
    rows = page.find(QListWidget, "borrow.ties")
    assert rows.count() == 2
    assert page.window.rooms["trip"].escape()
    assert not page.window.rooms["trip"].escape()

    page.click(page.find(QPushButton, "borrow.adopt.glaze"))
    page.settle()
    group = page.study.look.coats[-1]
    assert group.members[-1].key == "nudges"
    # It begins over the Look without what was laid: nothing is followed twice.
    page.settle()
    first = page.room.loans.outcome.made
    strength = page.find(ScrubNumber, "borrow.strength")
    strength.edited.emit(100.0)
    strength.released.emit()
    page.settle()
    assert not np.array_equal(page.room.loans.outcome.made, first)
    page.click(page.find(QPushButton, "borrow.adopt.glaze"))
    page.settle()
    again = page.study.look.coats[-1]
    assert again.id == group.id
    assert again.members != group.members
    rows.setFocus()
    rows.setCurrentRow(0)
    page.keys(rows, Qt.Key.Key_Delete)
    assert page.study.loan.ties == ()
    assert len(page.study.loan.picks) == 1


def test_shots_are_matched_by_a_card_by_a_part_and_to_a_cards_values(demo) -> None:
    hand, window = demo, demo.window
    study = hand.study
    right = study.shot("portrait")
    spoil = (new_coat("exposure", stops=1.0), new_coat("white_balance", temperature=50.0))
    spoilt = attrs.evolve(right, id="spoilt", name="spoilt", ground=(*right.ground, *spoil))
    window.model.commit("Spoil", attrs.evolve(study, shots=(*study.shots, spoilt)))
    window.view.set(shot="portrait", marked_shots=("spoilt",))
    hand.settle()
    before = hand.study
    hand.act("match_sheet")
    hand.settle()
    sheet = next(w for w in QApplication.topLevelWidgets() if isinstance(w, MatchSheet))

    def way(index: int) -> None:
        sheet.way.setCurrentIndex(index)
        sheet.way.activated.emit(index)
        hand.settle()

    way(1)
    assert "Drag over a part of portrait" in sheet.words.text()
    assert not sheet.go.isEnabled()
    part = sheet.part
    hand.drag(part, part.on_screen((0.5, 0.25)), part.on_screen((0.75, 0.7)))
    hand.settle()
    hand.click(sheet.go)
    hand.settle()
    assert "Match to portrait" in window.model.undo_stack.undoText()
    first, last = _apart(sheet, hand)
    assert last < 0.25 * first
    hand.act("undo")
    assert hand.study == before

    way(2)
    assert "layout" in sheet.words.text()
    hand.ports.layout = ROOT / "demo" / "portrait_card.json"
    hand.click(sheet.choose)
    hand.settle()
    sheet.shots.setCurrentRow(0)
    hand.settle()
    field = sheet.findChild(CornerField)
    field.setFocus()
    hand.keys(field, Qt.Key.Key_2, Qt.Key.Key_Right)
    hand.click(sheet.go)
    hand.settle()
    laid = [c.key for c in hand.study.shot("spoilt").ground[2:]]
    assert {"white_balance", "exposure"} <= set(laid)
    first, last = _apart(sheet, hand)
    assert last < 0.5 < 5 < first
    sheet.shots.setCurrentRow(sheet.shots.count() - 1)
    hand.settle()
    assert sheet.patches.count() == 30
    window.view.set(mode="all")
    hand.settle()
    contact = window.rooms["look"].easel_panel.contact
    was = contact._was(hand.study.shot("spoilt"))
    assert was is not None
    assert "→" in was[1]
    hand.act("undo")
    assert contact._was(hand.study.shot("spoilt")) is None

    way(3)
    assert sheet.shots.key == "portrait"
    hand.keys(sheet.shots, Qt.Key.Key_Space, Qt.Key.Key_Space)
    hand.click(sheet.go)
    hand.settle()
    coats = hand.study.shot("portrait").ground
    assert [c.key for c in coats][-1] == "mixer"
    assert coats[-1].parameters.in_light
    first, last = _apart(sheet, hand)
    assert last < 1.5 < first
    hand.act("undo")
    sheet.go.setEnabled(True)
    hand.click(sheet.go)
    QTest.keyClick(sheet, Qt.Key.Key_Escape)  # it is closed, and gone, before the shots are matched
    QApplication.sendPostedEvents(sheet, QEvent.Type.DeferredDelete)
    hand.settle()
    assert "Match" in window.model.undo_stack.undoText()


def _apart(sheet: MatchSheet, hand) -> tuple[float, float]:
    """Return how far apart the last shot that was matched was and is, as the sheet's list says."""
    rows = [sheet.shots.item(i).data(Qt.ItemDataRole.UserRole) for i in range(sheet.shots.count())]
    said = [r.state for r in rows if "→" in r.state][-1].split()
    return float(said[0]), float(said[2])


def test_a_bad_layout_is_refused_and_the_sheet_stays(demo, tmp_path: Path) -> None:
    demo.act("match_card")
    demo.settle()
    sheet = next(w for w in QApplication.topLevelWidgets() if isinstance(w, MatchSheet))
    demo.ports.layout = tmp_path / "bad.json"
    demo.ports.layout.write_text(json.dumps({"width": 10, "height": 10, "patches": []}))
    demo.click(sheet.choose)
    demo.settle()
    assert "4 to 400 patches" in demo.notices[-1]
    assert not sheet.go.isEnabled()
    sheet.reject()


def test_undo_between_the_modes_and_other_studies_leave_the_page_whole(
    page, tmp_path: Path
) -> None:
    """What came of a reference is not shown as that of a pair, whatever is undone meanwhile."""
    before, after = graded("fog", tmp_path)
    page.room.loan_edits.take([before, after])
    page.settle()
    page.room.loan_edits.take([before], "references")  # the mode goes along, in one step
    page.settle()
    assert page.room.loans.outcome.mode == "reference"
    for name in ("undo", "undo", "redo", "redo", "undo"):
        page.act(name)
    page.settle()
    assert page.room.loans.outcome is None or page.room.loans.outcome.mode == page.study.loan.mode
    page.act("room_look")
    page.act("undo")
    page.act("redo")
    page.act("trip_carriers")
    page.act("trip_borrow")
    page.act("new_study")
    page.settle()
    assert page.study.loan == Loan()
    assert page.room.loans.outcome is None
    assert not [n for n in page.notices if n.startswith("A fault")]
