"""Names come from strangers: wherever one stands, it is shown letter by letter."""

from __future__ import annotations

import ast
import shutil
from pathlib import Path

import attrs
from conftest import ROOT
from hand import ROOMS
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget

import sfumato
from sfumato.app.labels import Label
from sfumato.app.questions import Question
from sfumato.core.study.coat import grouped, new_coat
from sfumato.core.study.study import LOOK
from sfumato.work.stores.presets import library

EVIL = '<img src="/dev/stdin">'
AS_FILE = "<img src='x'>"  # a slash cannot stand in a file's name
APP = ROOT / "sfumato" / "app"


def test_labels_and_tips_are_made_in_one_place() -> None:
    for file in APP.rglob("*.py"):
        if file.name == "labels.py":
            continue
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Call):
                name = node.func
                word = name.attr if isinstance(name, ast.Attribute) else getattr(name, "id", "")
                assert word not in ("QLabel", "setToolTip"), f"{file}:{node.lineno}"


def widgets(hand) -> list[QWidget]:
    return [hand.window, *hand.window.findChildren(QWidget)]


def shown_in(hand, name: str) -> int:
    """Check every label and tip; return how many show the name."""
    count = 0
    for widget in widgets(hand):
        if isinstance(widget, QLabel) and name in widget.text():
            assert widget.textFormat().name == "PlainText", widget.objectName()
            count += 1
        tip = widget.toolTip()
        assert "<img" not in tip, (widget.objectName(), tip)
        count += "&lt;img" in tip
    return count


def test_no_name_is_read_as_a_page(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    group = attrs.evolve(grouped((new_coat("levels"),)), name=EVIL)
    study = hand.study.added(LOOK, attrs.evolve(new_coat("exposure"), name=EVIL)).added(LOOK, group)
    shots = tuple(attrs.evolve(s, name=EVIL, group=EVIL) for s in study.shots)
    study = attrs.evolve(study, name=EVIL, shots=shots, look=attrs.evolve(study.look, name=EVIL))
    window.model.commit(EVIL, study)
    hand.settle()
    assert shown_in(hand, EVIL) >= 3
    looks = tmp_path / AS_FILE
    looks.mkdir()
    lut = looks / f"{AS_FILE}.cube"
    source = sfumato.read(ROOT / "demo" / "luts" / "low_tide_33.cube")
    sfumato.write(attrs.evolve(source, title=EVIL, comments=(EVIL,)), lut)
    (looks / f"{AS_FILE} 2.cube").write_text("LUT_3D_SIZE 2\n0 0\n")
    picture = looks / f"{AS_FILE}.tif"
    shutil.copy(ROOT / "demo" / "fog.tif", picture)
    hand.drop(lut, picture, looks / f"{AS_FILE} 2.cube")
    hand.settle()
    assert shown_in(hand, AS_FILE)
    assert any(AS_FILE in words for words in hand.notices)
    window.rooms["swatchbook"].edits.add_folders([looks])
    for room in ("room_swatchbook", "room_convert", "room_apply"):
        hand.act(room)
        if room == "room_convert":
            window.rooms["convert"].edits.take([looks])
        hand.settle()
        shown_in(hand, AS_FILE)
    hand.act("room_look")
    library().mkdir(parents=True, exist_ok=True)
    hand.ports.name = AS_FILE
    hand.act("save_look_preset")
    hand.settle()
    window.rooms["look"].presets.open_presets()
    hand.settle()
    for name in ("keyboard_sheet", "open_palette", "open_encodings"):
        hand.act(name)
        hand.settle()
    shown_in(hand, EVIL)
    for sheet in window.findChildren(QWidget):
        if sheet.isWindow() and sheet.isVisible():
            sheet.close()
    hand.settle()


def test_no_name_is_too_long_for_the_smallest_window(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    for name in ("A very long name that somebody gave to this because he could " * 4, "x" * 240):
        study = hand.study
        shots = tuple(attrs.evolve(s, name=name, group=name) for s in study.shots)
        coats = tuple(attrs.evolve(c, name=name) for c in study.look.coats)
        look = attrs.evolve(study.look, name=name, coats=coats)
        window.model.commit("Names", attrs.evolve(study, name=name, shots=shots, look=look))
        lut = tmp_path / f"{name}.cube"
        shutil.copy(ROOT / "demo" / "luts" / "low_tide_33.cube", lut)
        window.resize(window.minimumSize())
        for room in ROOMS:
            hand.act(room)
            if room == "room_convert":
                window.rooms["convert"].edits.take([lut])
            hand.settle()
            assert not hand.words_cut(), room
        hand.act("room_look")
        unsaid = tmp_path / f"{name}.tif"  # asks for its encoding
        shutil.copy(ROOT / "demo" / "fog.tif", unsaid)
        hand.drop(lut, unsaid)
        hand.settle()
        assert hand.find(QLabel, "ask.words").isVisible()
        assert not hand.words_cut()
        window.notices.note(f"{lut.name} is no LUT", "choose another")
        hand.wait(20)
        assert not hand.words_cut()
        hand.act("room_apply")  # a notice of several lines leaves its form little room
        hand.settle()
        assert not hand.words_cut()
        asked = Question(window, f"{lut.name} exists already.", str(lut), (("Keep", ""),))
        assert asked.sizeHint().width() < 700


def test_a_name_in_a_narrow_panel_goes_over_several_lines(styled) -> None:
    label = Label()
    label.setWordWrap(True)
    words = f"100 % of {'x' * 60} was measured"
    label.setText(words)
    assert label.text() == words  # nothing of it is left out
    assert label.minimumSizeHint().width() < 200
    assert label.heightForWidth(222) > 2 * label.fontMetrics().height()
    copied = Label()
    copied.setWordWrap(True)
    copied.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    copied.setText(words)
    copied.setSelection(0, len(words))
    assert copied.selectedText() == words  # with nothing unseen in it
