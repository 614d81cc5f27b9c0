"""The Look goes into every LUT format from its own sheet, and each file is proved."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import pytest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton

import sfumato
from sfumato.app.rooms.look.export_sheet import ExportSheet
from sfumato.app.rooms.look.exports import kept, remembered
from sfumato.core.path.span import Joint, Span
from sfumato.formats.parts.registry import formats
from sfumato.work.luts.target import Target

HELD = [k for k, s in formats().items() if s.bakes]


def _sheet(hand, tmp_path: Path, key: str) -> ExportSheet:
    hand.window.settings.set("export_folder", str(tmp_path))
    hand.act("export_lut")
    sheet = hand.find(ExportSheet, "export")
    box = hand.find(QComboBox, "export.format")
    box.setCurrentIndex(box.findData(key))
    box.activated.emit(box.currentIndex())
    return sheet


def test_every_format_is_offered_written_and_proved(demo, tmp_path: Path) -> None:
    hand = demo
    look = hand.window.rooms["look"]
    lines = look.seal.findChild(QLabel, "seal.second")
    exact = hand.study.transform()
    colours = np.random.default_rng(3).random((2000, 3), np.float32)
    for key in HELD:
        sheet = _sheet(hand, tmp_path, key)
        assert sheet.target.spec.key == key
        if sheet.choices.grid is not None:
            sheet._edit("grid", sheet.target.spec.grid_for(17))
        name = hand.find(QPushButton, "export.go").text().removeprefix("Export ")
        hand.click(hand.find(QPushButton, "export.go"))
        hand.settle()
        done = look.exports.proof
        assert done.place == tmp_path / name
        assert done.is_exact, key
        assert done.grid == formats()[key].grid_for(17)
        back = sfumato.read(done.place)
        apart = np.abs(back.apply(colours) - np.clip(exact.apply(colours), 0, 1)).mean()
        assert apart < 0.02, key  # the file holds this grade and no other
        asked = f"As {done.second.reader} reads it" in lines.text()
        assert asked == (done.second.loss is not None), key
        assert not hand.words_cut(), key
        if done.second.loss is not None:
            assert done.second.loss.main.mean == pytest.approx(done.own.main.mean, abs=2e-3), key
    assert look.exports.proof.second.reader in ("OpenColorIO", "another program")


def test_what_a_format_cannot_hold_is_said_before(demo, tmp_path: Path) -> None:
    hand = demo
    sheet = _sheet(hand, tmp_path, "cdl")
    assert not sheet.go.isEnabled()
    assert "CDL" in sheet.lost.text()
    box = hand.find(QComboBox, "export.format")
    box.setCurrentIndex(box.findData("3dl"))
    box.activated.emit(box.currentIndex())
    assert "rounded to 12 bit" in sheet.lost.text()
    depth = hand.find(QComboBox, "export.depth")
    depth.setCurrentIndex(depth.findData("16"))
    depth.activated.emit(depth.currentIndex())
    assert "rounded to 16 bit" in sheet.lost.text()
    assert sheet.name.text() == "low_tide_33.3dl"
    hand.click(sheet.go)
    hand.settle()
    assert hand.window.rooms["look"].exports.proof.target.depth_written == "16"
    assert "to 16 bit" in hand.find(QLabel, "seal.nodes").text()
    # The next export begins where this one ended.
    again = _sheet(hand, tmp_path, "3dl")
    assert (again.target.key, again.target.depth) == ("3dl", "16")
    assert again.go.text() == "Replace low_tide_33.3dl"
    again.reject()
    # Only what the grade does to greys goes into a format of curves, and that is no proof.
    curves = _sheet(hand, tmp_path, "spi1d")
    assert "greys" in curves.lost.text()
    hand.click(curves.go)
    hand.settle()
    assert not hand.window.rooms["look"].exports.proof.proved
    assert "out of tolerance" in hand.window.strip.text()


def test_a_span_with_the_ground_is_exported_for_its_shot(demo, tmp_path: Path) -> None:
    """The sheet warns; the file holds the Ground of the shot that is looked at."""
    hand = demo
    hand.window.model.commit("Span", attrs.evolve(hand.study, span=Span(Joint.SOURCE)))
    sheet = _sheet(hand, tmp_path, "cube")
    shot = hand.window.desk.shot
    words = " ".join(w.text() for w in sheet.findChildren(QLabel))
    assert f"Includes the Ground of {shot.name}" in words
    hand.click(sheet.go)
    hand.settle()
    done = hand.window.rooms["look"].exports.proof
    assert done.is_exact
    colours = np.random.default_rng(3).random((500, 3), np.float32)
    meant = hand.study.transform(shot=shot.id).apply(colours)
    assert np.abs(sfumato.read(done.place).apply(colours) - meant).mean() < 0.02
    # A Span that cannot be is refused in a sentence, and no sheet opens.
    broken = attrs.evolve(hand.study.suited_to("sRGB"), span=Span(leave="ACEScg"))
    hand.window.model.commit("Span", broken)
    hand.act("export_lut")
    assert "does not fit the working encoding" in hand.notices[-1]


@pytest.mark.parametrize("text", ["", "{", "[]", '{"key": "none"}', '{"key": "3dl", "depth": "7"}'])
def test_damaged_choices_of_before_are_passed_over(text: str) -> None:
    assert remembered(text) == Target("cube")
    whole = Target("3dl", 33, "16", "with header", suffix=".3dl")
    assert remembered(kept(whole)).depth == "16"
    assert json.loads(kept(whole))["grid"] is None
