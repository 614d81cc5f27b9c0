"""Print in the real window: a poster in inks, seen as printed, applied, and a profile of the Look beside it."""

from __future__ import annotations

import shutil
from pathlib import Path

import attrs
import numpy as np
import pytest
import tifffile
from conftest import ROOT
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton, QWidget
from test_print_profiles import STRANGERS

from sfumato.app.controls.chooser import Chooser
from sfumato.core.colour.delta_e import ciede2000
from sfumato.core.study.printing import HELD, Printing
from sfumato.media.parts.printed import seen
from sfumato.raster.icc.engine import press_of
from sfumato.raster.icc.shipped import shipped
from sfumato.work.cancel import Cancel
from sfumato.work.frames import open_still
from sfumato.work.luts.print_profiles import by_engine
from sfumato.work.preview.asks import EXACT, PRINTED

POSTER = ROOT / "demo" / "poster.tif"


@pytest.fixture
def poster(demo, tmp_path: Path):
    """The demo study with the poster brought in and shown."""
    file = tmp_path / "poster.tif"
    shutil.copy(POSTER, file)
    demo.drop(file)
    demo.settle()
    demo.window.view.set(shot=demo.study.shots[-1].id, instruments=("lab", "inks"))
    demo.settle()
    return demo


def choose(hand, name: str, text: str) -> None:
    """Choose an entry of a chooser as a click in its list does."""
    boxes = [b for b in hand.window.findChildren(Chooser) if b.isVisible()]
    box = next(b for b in boxes if name in (b.objectName(), b.accessibleName()))
    box.setCurrentText(text)
    box.textActivated.emit(text)
    box.activated.emit(box.currentIndex())


def words(hand, name: str) -> str:
    return hand.find(QLabel, name).text()


def test_a_poster_through_the_look_as_printed_applied_and_as_a_profile(
    poster, ports, tmp_path: Path
) -> None:
    hand, window = poster, poster.window
    shown = hand.shown[-1]
    assert set(shown.instruments) == {"lab", "inks"}
    assert shown.instruments["inks"].counts.sum() > 0
    # Seen as printed: paper that nothing is printed on stays paper, which the View alone would grey.
    hand.act("show_printed")
    hand.settle()
    assert window.view.now.b == PRINTED
    assert "its own inks, as they will be written" in words(hand, "print.loss")
    assert "the picture's own, Saltglass press" in words(hand, "print.press")
    assert hand.shown[-1].b[-3, 3].tolist() == pytest.approx([255, 255, 255], abs=1)
    # The Look is built while it is seen as printed.
    printed, loss = hand.shown[-1].b, words(hand, "print.loss")
    window.view.set(coat=hand.study.look.coats[1].id)
    hand.act("toggle_glaze")
    hand.settle()
    assert not np.array_equal(hand.shown[-1].b, printed)
    assert words(hand, "print.loss") != loss
    hand.act("toggle_glaze")
    hand.settle()
    assert np.array_equal(hand.shown[-1].b, printed)
    choose(hand, "Black ink", HELD)
    hand.settle()
    assert hand.study.printing == Printing(black=HELD)
    after = attrs.evolve(hand.study, printing=Printing(black=HELD, ink_limit=230.0))
    window.model.commit("Print: Ink limit", after)
    hand.act("toggle_clipping")
    hand.settle()
    marked = words(hand, "readout.clipping")
    assert "not in ink" in marked
    assert "over 230 % of ink" in marked
    assert "Most ink: 230 %" in words(hand, "print.loss")
    hand.act("toggle_clipping")
    hand.settle()
    looked_at = hand.shown[-1].b
    # While the hand moves it is the same picture, by look-ups.
    moving = window.desk.previewer.show(attrs.evolve(window.desk.ask(), dragging=True), Cancel())
    assert np.abs(moving.b.astype(int) - looked_at).mean() < 4
    # Applied: in its own inks, and what was looked at is what is there.
    hand.act("room_apply")
    ports.folder = tmp_path / "out"
    hand.click(hand.find(QPushButton, "apply.choose"))
    room = window.rooms["apply"].shots_page
    for row in range(room.table.rowCount() - 1):
        room.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    assert hand.find(Chooser, "apply.black").currentText() == HELD
    hand.click(room.apply)
    hand.settle()
    assert room.table.item(room.table.rowCount() - 1, 3).text().startswith("✓ every pixel as meant")
    result = open_still(ports.folder / "poster.tif")
    before, made = open_still(POSTER).plates, result.plates
    assert made.values.dtype == before.values.dtype
    assert np.array_equal(made.values[..., 3], before.values[..., 3])
    assert made.values.sum(-1, dtype=int).max() <= 2.3 * 255
    height, width = looked_at.shape[:2]
    step = round(before.values.shape[0] / height)
    there = seen(made)[step // 2 :: step, step // 2 :: step][:height, :width]
    display = window.desk.ask().study.view.encoding
    from sfumato.core.colour.encodings import convert

    there = convert(there, "sRGB", display)[: height - 1, : width - 1]
    off = np.abs(np.clip(there, 0, 1) - looked_at[: there.shape[0], : there.shape[1]] / 255)
    assert np.median(off) < 0.02
    # A profile that does the same in any program: proved by the engine, then written.
    hand.act("room_look")
    hand.click(hand.find(QPushButton, "print.profile"))
    hand.settle()
    choose(hand, "profile.kind", "Inks to inks of the press: a device link")
    hand.settle()
    assert "As LittleCMS applies it" in words(hand, "profile.loss")
    ports.profile_save = tmp_path / "look.icc"
    hand.click(hand.find(QPushButton, "profile.write"))
    hand.settle()
    assert "look.icc was written" in hand.notices[-1]
    assert window.strip.isVisible()
    # A name that is completed is asked about, and a press is never written over.
    written, ports.profile_save = ports.profile_save.read_bytes(), tmp_path / "look"
    there = tmp_path / "look.icc"
    there.write_bytes(b"mine")
    hand.click(hand.find(QPushButton, "profile.write"))
    hand.settle()
    assert there.read_bytes() == b"mine"
    ports.replace = True
    hand.click(hand.find(QPushButton, "profile.write"))
    hand.settle()
    assert there.read_bytes() == written
    ports.profile_save = there
    inks = before.values.reshape(-1, 4)[::11] / np.float32(255)
    theirs = by_engine(inks, ports.profile_save.read_bytes(), ("cmyk", "cmyk"))
    press = press_of(shipped())
    labs = [
        press.seen.lab(np.asarray(x, np.float32))
        for x in (theirs, made.values.reshape(-1, 4)[::11] / 255)
    ]
    assert ciede2000(*labs).mean() < 0.6
    # Undone, the study is as it was.
    for _ in range(6):  # the folder, the limit, the black, a glaze off and on
        window.model.undo_stack.undo()
    assert hand.study.printing == Printing()
    window.files.open_demo()
    hand.settle()
    assert not window.strip.isVisible()  # what it said was of the study that went


def test_inks_of_no_press_ask_and_a_press_can_be_chosen(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    bare = tmp_path / "bare.tif"
    tifffile.imwrite(bare, tifffile.imread(POSTER), photometric="separated", metadata=None)
    hand.drop(bare)
    hand.settle()
    window.view.set(shot=hand.study.shots[-1].id)
    hand.settle()
    assert "has no profile" in words(hand, "ask.words")
    by_ours = hand.shown[-1].b
    ports.press = STRANGERS / "srgb.icc"  # of no press: said, and nothing is changed
    hand.click(hand.find(QPushButton, "ask.press"))
    hand.settle()
    assert "not one of CMYK" in hand.notices[-1]
    assert hand.study.shots[-1].press is None
    ports.press = STRANGERS / "default_cmyk.icc"
    hand.click(hand.find(QPushButton, "ask.press"))
    hand.settle()
    assert hand.study.shots[-1].press == str(ports.press)
    assert not hand.find(QWidget, "easel").isHidden()
    assert np.abs(hand.shown[-1].b.mean((0, 1)) - by_ours.mean((0, 1))).max() > 2
    assert "ask.words" not in [w.objectName() for w in window.findChildren(QLabel) if w.isVisible()]
    window.model.undo_stack.undo()
    hand.settle()
    hand.click(hand.find(QPushButton, "ask.believe"))
    assert hand.study.shots[-1].press == ""


def test_any_shot_can_be_seen_on_a_press_of_ones_own(demo, ports, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    hand.act("show_printed")
    hand.settle()
    ours = hand.shown[-1].b
    assert "Saltglass press, which ships" in words(hand, "print.press")
    assert "on this shot" in words(hand, "print.loss")
    ports.press = STRANGERS / "default_cmyk.icc"
    hand.click(hand.find(QPushButton, "print.choose"))
    hand.settle()
    assert "default_cmyk.icc" in words(hand, "print.press")
    theirs = hand.shown[-1].b
    assert not np.array_equal(ours, theirs)
    after = attrs.evolve(hand.study, printing=attrs.evolve(hand.study.printing, paper=True))
    window.model.commit("Print: Paper white", after)
    hand.settle()
    paper = hand.shown[-1].b
    assert paper.max() < theirs.max()  # paper is not as white as the screen
    window.view.set(mode="difference", a=EXACT)
    hand.settle()
    assert hand.shown[-1].delta.mean() > 1
    gone = attrs.evolve(hand.study.printing, press=str(tmp_path / "gone.icc"))
    window.model.commit("Print: Press", attrs.evolve(hand.study, printing=gone))
    hand.settle()
    assert "gone.icc" in words(hand, "broken.words")  # the window lives on
    hand.click(hand.find(QPushButton, "print.ours"))
    hand.settle()
    assert "Saltglass press, which ships" in words(hand, "print.press")
    assert hand.shown[-1].ask.study.printing.press == ""
