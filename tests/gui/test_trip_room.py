"""Round trips in the real window: a carrier out, another program's work on it, the look back and adopted."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import ROOT
from PIL import Image, ImageFilter
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QListWidget, QPushButton, QWidget
from test_trips import look, off, other

import sfumato
from sfumato.app.views.corner_field import CornerField
from sfumato.core.colour import span_note
from sfumato.core.path import path
from sfumato.work.stores.study_store import open_study, save_study
from sfumato.work.trip import card


@pytest.fixture
def trip(demo, tmp_path: Path):
    """A hand on the demo study, in the Round trip room; carriers go to a folder of their own."""
    demo.act("room_trip")
    demo.settle()
    folder = tmp_path / "carriers"
    folder.mkdir()
    demo.carriers = folder
    return demo


def send(hand, kind: str, name: str) -> Path:
    """Choose a kind of other side and send its carrier."""
    box = hand.find(QComboBox, "trip.to")
    box.setCurrentText(kind)
    assert box.currentText() == kind
    box.activated.emit(box.currentIndex())
    hand.ports.carrier = hand.carriers / name
    hand.click(hand.find(QPushButton, "trip.send"))
    hand.settle()
    return hand.carriers / name


def text(hand, name: str) -> str:
    return hand.find(QLabel, name).text()


def faults(hand) -> set[str]:
    """Return the keys of what the report names."""
    rows = hand.window.findChildren(QWidget)
    names = (w.objectName() for w in rows if not w.isHidden())
    return {n.removeprefix("trip.fault.") for n in names if n.startswith("trip.fault.")}


def test_a_look_goes_out_comes_back_is_adopted_exported_and_proved(trip, tmp_path: Path) -> None:
    sent = send(trip, "photo editor, 16 bit", "neutral.tif")
    journey = trip.study.journeys[0]
    assert journey.path == str(sent)
    assert journey.encoding == trip.study.view.encoding
    assert "512 × 512" in journey.says
    assert journey.to == "photo editor, 16 bit"
    on_disk = (trip.carriers / "neutral - what to do.txt").read_text()
    assert all(step in on_disk for step in (*card.steps(journey), *card.OFF))
    assert "512 × 512" in text(trip, "trip.size")
    assert "give it the look" in text(trip, "trip.card")

    whole = other(sent, tmp_path / "whole.tif").read_bytes()
    (trip.carriers / "neutral dusk.tif").write_bytes(
        whole[: len(whole) // 2]
    )  # still being written
    Image.new("RGB", (640, 400), "orange").save(trip.carriers / "holiday.png")  # not meant for us
    trip.settle()
    assert [r.fault != "" for r in trip.study.journeys[0].returns] == [True]
    (trip.carriers / "neutral dusk.tif").write_bytes(whole)
    trip.settle()
    back = trip.study.journeys[0].returns
    assert [(Path(r.path).name, r.fault, r.says) for r in back] == [
        ("neutral dusk.tif", "", "clean")
    ]
    assert {"absent", "profile"} <= faults(trip)
    assert "100 %" in text(trip, "trip.on_shot")

    count, before = len(trip.study.look.coats), trip.study
    trip.click(trip.find(QPushButton, "trip.adopt.glaze"))
    trip.settle()
    coat = trip.study.look.coats[-1]
    assert len(trip.study.look.coats) == count + 1
    assert coat.name == "neutral dusk"
    assert off(coat.parameters.file.transform) < 0.02
    assert coat.parameters.expects == coat.parameters.gives == journey.encoding
    assert "neutral.tif" in coat.note
    assert "neutral dusk.tif" in coat.note
    trip.window.view.set(room="look", coat=coat.id)
    trip.settle()
    trip.act("explain_glaze")
    words = [w.text() for w in trip.window.findChild(QWidget, "explanation").findChildren(QLabel)]
    assert coat.note in words
    trip.window.findChild(QWidget, "explanation").close()
    trip.act("room_trip")
    trip.settle()
    assert trip.study.journeys[0].is_closed
    trip.act("undo")
    assert trip.study == before
    trip.act("redo")
    save_study(trip.study, tmp_path / "kept.sfumato")
    assert open_study(tmp_path / "kept.sfumato") == trip.study

    trip.ports.lut_save = tmp_path / "out" / "dusk.clf"
    (tmp_path / "out").mkdir()
    trip.click(trip.find(QPushButton, "trip.adopt.file"))
    trip.settle()
    made = sfumato.read(tmp_path / "out" / "dusk.clf")
    assert off(made) < 0.02
    assert span_note.read(made.comments) == (journey.encoding, journey.encoding)
    assert any("neutral dusk.tif" in c for c in made.comments)


def test_a_frame_with_a_vignette_shows_what_a_lut_cannot_carry(trip) -> None:
    """The look is right in the middle, the corners are not; the report and the pictures say so."""
    shot = next(s for s in trip.study.shots if s.name == "portrait")
    trip.window.view.set(shot=shot.id)
    trip.settle()
    sent = send(trip, "editing program: frame and strip", "sitter.png")
    journey = trip.study.journeys[0]
    assert journey.shot == "portrait"
    assert journey.encoding == shot.encoding
    assert journey.mark

    def darker(x):
        y, across = np.mgrid[: x.shape[0], : x.shape[1]]
        far = (across / x.shape[1] - 0.5) ** 2 + (y / x.shape[0] - 0.5) ** 2
        return x * (1 - 0.4 * far)[..., None]

    other(sent, trip.carriers / "sitter graded.png", darker, deep=True)
    trip.settle()
    assert trip.study.journeys[0].returns[0].things == 1
    assert "vignette" in faults(trip)
    found = trip.window.rooms["trip"].model.examined
    middle, corners = found.middle_and_corners
    assert corners > 2 * middle
    assert "corners" in text(trip, "trip.verdict")
    for mode in ("split", "difference", "side"):
        trip.click(trip.find(QPushButton, f"trip.mode.{mode}"))
        assert trip.find(QWidget, "trip.easel").mode == mode
    for view in ("sure", "shot", "where"):
        trip.click(trip.find(QPushButton, f"trip.view.{view}"))
        assert trip.find(QPushButton, f"trip.view.{view}").isChecked()
    trip.click(trip.find(QPushButton, "trip.view.shot"))
    assert trip.sees_elsewhere(lambda: trip.find(QWidget, "trip.picture").image)
    assert trip.sees_elsewhere(lambda: trip.find(QWidget, "trip.easel")._b)

    study = trip.study
    trip.click(trip.find(QPushButton, "trip.adopt.look"))
    trip.settle()
    assert [c.name for c in trip.study.look.coats] == ["sitter graded"]
    assert trip.study.look.name == "sitter graded"
    trip.act("undo")
    assert trip.study == study


def test_many_returns_of_one_carrier_become_looks_of_their_own(trip, tmp_path: Path) -> None:
    """Presets on one neutral picture, dropped as a folder: adopted together, one step to undo."""
    sent = send(trip, "real-time engine: screenshot with a strip of 16", "strip.png")
    presets = tmp_path / "presets"
    presets.mkdir()
    with Image.open(sent) as picture:
        for i in range(3):
            tone = [v + (255 - v) * v // 255 * i // 8 for v in range(256)] * 3
            picture.convert("RGB").point(tone).save(presets / f"preset {i}.png")
    (presets / "notes.txt").write_text("not a picture")
    Image.new("RGB", (256, 16), "orange").save(presets / "wrong.png")
    trip.drop(presets)
    trip.settle()
    back = {Path(r.path).name: r for r in trip.study.journeys[0].returns}
    assert set(back) == {"preset 0.png", "preset 1.png", "preset 2.png", "wrong.png"}
    assert "do not follow" in back["wrong.png"].fault
    assert not back["preset 2.png"].fault

    listed = trip.find(QListWidget, "trip.returns")
    rows = [listed.item(i) for i in range(listed.count())]
    listed.setCurrentItem(rows[0])
    for row in rows:
        row.setSelected(row.text().startswith("preset"))
    trip.settle()
    assert not trip.find(QPushButton, "trip.adopt.look").isEnabled()
    count, before = len(trip.study.look.coats), trip.study
    trip.click(trip.find(QPushButton, "trip.adopt.glaze"))
    trip.settle()
    assert [c.name for c in trip.study.look.coats[count:]] == [f"preset {i}" for i in range(3)]
    trip.act("undo")
    assert trip.study == before
    swatches = tmp_path / "swatches"
    swatches.mkdir()
    (swatches / "preset 1.cube").write_text("somebody else's")
    trip.ports.folder = swatches
    trip.click(trip.find(QPushButton, "trip.adopt.swatch"))
    trip.settle()
    assert {f.name for f in swatches.iterdir()} == {
        *(f"preset {i}.cube" for i in range(3)),
        "preset 1 2.cube",
    }
    assert (swatches / "preset 1.cube").read_text() == "somebody else's"
    trip.act("room_swatchbook")
    trip.settle()
    shown = {s.file.name for s in trip.window.rooms["swatchbook"].model.swatches}
    assert {"preset 0.cube", "preset 1 2.cube"} <= shown


def test_a_carrier_of_another_make_and_files_without_one(trip, tmp_path: Path) -> None:
    """What was not sent from here gets a journey of its own, and its ends are asked in the Look."""
    level = np.stack(np.meshgrid(*[np.linspace(0, 1, 36)] * 3, indexing="ij")[::-1], -1)
    codes = (look(level.reshape(216, 216, 3)) * 255 + 0.5).astype(np.uint8)
    Image.fromarray(codes).save(tmp_path / "theirs.png")
    Image.fromarray(codes).convert("CMYK").save(tmp_path / "print.tif")
    trip.drop(tmp_path / "theirs.png", tmp_path / "print.tif", ROOT / "demo" / "furnace.tif")
    trip.settle()
    backs = {j.name: j.returns[0] for j in trip.study.journeys}
    assert backs["theirs"].says == "1 thing to know"
    assert not trip.study.journeys[0].path
    assert "save it as RGB" in backs["print"].fault
    assert "no carrier" in backs["furnace"].fault
    theirs = next(j for j in trip.study.journeys if j.name == "theirs")
    trip.window.rooms["trip"].model.choose(theirs.id)
    trip.settle()
    assert "8_bit" in faults(trip)
    trip.find(QLineEdit, "trip.name").setText("a look of theirs")
    trip.click(trip.find(QPushButton, "trip.adopt.glaze"))
    trip.settle()
    coat = trip.study.look.coats[-1]
    assert coat.name == "a look of theirs"
    assert not coat.parameters.sure
    failed = next(j for j in trip.study.journeys if j.name == "furnace")
    trip.window.rooms["trip"].model.choose(failed.id)
    trip.settle()
    assert "no carrier is in this picture" in text(trip, "trip.verdict")
    assert not trip.find(QPushButton, "trip.adopt.glaze").isEnabled()
    trip.keys(trip.find(QListWidget, "trip.journeys"), Qt.Key.Key_Delete)
    assert "furnace" not in {j.name for j in trip.study.journeys}
    trip.act("undo")
    assert "furnace" in {j.name for j in trip.study.journeys}


def test_kinds_of_ones_own_and_what_cannot_be_sent(trip) -> None:
    for name, words in (
        ("trip.nodes", "HALD"),
        ("trip.file", "OpenEXR"),
        ("trip.points", "level 6"),
    ):
        box = trip.find(QComboBox, name)
        box.setCurrentText(words if name != "trip.file" else "EXR")
        box.activated.emit(box.currentIndex())
    trip.ports.name = "grading hall"
    trip.click(trip.find(QPushButton, "trip.keep"))
    box = trip.find(QComboBox, "trip.to")
    assert box.currentText() == "grading hall"
    kept = json.loads(trip.window.settings.get("trip_kinds"))
    assert (kept[0]["points"], kept[0]["suffix"]) == (36, ".exr")
    sent = send(trip, "grading hall", "hall")
    assert not sent.exists()
    assert (trip.carriers / "hall.exr").exists()
    shot = trip.study.shots[0]
    trip.window.model.commit("x", trip.study.with_shot(shot.id, encoding=None))
    box.setCurrentText("editing program: frame and strip")
    box.activated.emit(box.currentIndex())
    trip.settle()
    assert "does not state its encoding" in text(trip, "trip.size")
    assert not trip.find(QPushButton, "trip.send").isEnabled()


def test_what_came_back_sharpened_through_jpeg_is_named(trip) -> None:
    sent = send(trip, "photo editor that opens TIFF and JPEG only", "small.tif")
    graded = other(sent, trip.carriers.parent / "graded.png")
    with Image.open(graded) as picture:
        sharp = picture.filter(ImageFilter.UnsharpMask(1, 80, 0))
    sharp.save(trip.carriers / "small back.jpg", quality=95, subsampling=0)
    trip.settle()
    assert {"sharpened", "jpeg"} <= faults(trip)
    row = trip.find(QWidget, "trip.fault.sharpened")
    assert "Switch sharpening" in row.accessibleName()
    assert path.span_names(trip.study)


def test_corners_are_set_by_hand_where_nothing_is_found(trip, tmp_path: Path) -> None:
    """A strip photographed aslant: refused, read between four corners, remembered with the study."""
    sent = send(trip, "real-time engine: screenshot with a strip of 16", "strip.png")
    graded = Image.open(other(sent, tmp_path / "graded.png")).resize(
        (768, 48), Image.Resampling.NEAREST
    )
    wall = Image.new("RGB", (900, 300), (90, 80, 70))
    wall.paste(graded, (60, 120))
    wall = wall.rotate(-3, Image.Resampling.BICUBIC, fillcolor=(90, 80, 70))
    wall.save(trip.carriers / "strip on a wall.png")
    trip.settle()
    assert trip.study.journeys[0].returns[0].fault
    assert not trip.find(QPushButton, "trip.adopt.glaze").isEnabled()
    trip.click(trip.find(QPushButton, "trip.corners"))
    trip.settle()
    field = trip.find(CornerField, "corners.field")
    turn = np.deg2rad(3)
    around = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    true = [(60, 120), (828, 120), (828, 168), (60, 168)]
    places = [around @ (np.array(c) - (450, 150)) + (450, 150) for c in true]
    for i, place in enumerate(places):
        trip.drag(field, field.on_screen(field.corners[i]), field.on_screen(tuple(place + 1.0)))
    assert np.abs(np.array(field.corners) - np.array(places)).max() < 4
    trip.keys(field, Qt.Key.Key_1, Qt.Key.Key_Left)
    assert field.chosen == 0
    trip.click(trip.find(QPushButton, "corners.read"))
    trip.settle()
    back = trip.study.journeys[0].returns[0]
    assert (back.fault, back.corners.count(",")) == ("", 4)
    found = trip.window.rooms["trip"].model.examined
    assert off(found.found.transform) < 1.0
    save_study(trip.study, tmp_path / "kept.sfumato")
    assert open_study(tmp_path / "kept.sfumato") == trip.study

    brighter = wall.point([min(v + 9, 255) for v in range(256)] * 3)
    brighter.save(trip.carriers / "strip on a wall.png")  # written anew: the corners hold on
    trip.act("trip_look")
    trip.settle()
    assert trip.study.journeys[0].returns[0].corners == back.corners
    assert not trip.study.journeys[0].returns[0].fault
    again = trip.window.rooms["trip"].model.examined
    assert again.found.transform.table != found.found.transform.table
    while not trip.study.journeys[0].returns[0].fault:  # one step, or two when a minute has passed
        trip.act("undo")
