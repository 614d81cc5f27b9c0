"""The Send room in the real window: outlets made, looks sent, behind, kept current, compared, taken back."""

from __future__ import annotations

import json
import shutil
import zipfile
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import DEMO
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QPushButton,
    QTableWidget,
    QWidget,
)
from test_cli import run

from sfumato.app.controls.tick import Tick
from sfumato.app.controls.tick_list import TickList
from sfumato.app.rooms.send.accord_page import apart, in_codes
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.difference import delta_e
from sfumato.work.outlets.templates import TEMPLATES
from sfumato.work.stores.study_store import open_study, save_study


@pytest.fixture
def room(demo, tmp_path: Path):
    """A hand in the Send room, on a study with few shots; `folder` is where outlets write."""
    study = attrs.evolve(demo.study, shots=demo.study.shots[:2], fit=False)
    demo.window.model.commit("fewer shots", study)
    demo.act("room_send")
    demo.settle()
    demo.folder = tmp_path / "places"
    demo.folder.mkdir()
    return demo


def model(hand):
    return hand.window.rooms["send"].model


def add(hand, key: str, folder: Path | None = None, **values) -> None:
    """Choose a kind from the menu of New…, then its folder."""
    hand.click(hand.find(QPushButton, "send.new"))
    menu = hand.find(QMenu, "send.kinds")
    next(a for a in menu.actions() if a.data() == key).trigger()
    menu.close()
    hand.settle()
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        hand.ports.folder = folder
        hand.click(hand.find(QPushButton, "send.outlet.choose"))
        hand.settle()
    outlet = model(hand).outlet
    if values:
        others = [
            attrs.evolve(o, **values) if o.key == outlet.key else o for o in hand.study.outlets
        ]
        hand.window.model.commit("x", attrs.evolve(hand.study, outlets=tuple(others)))
        hand.settle()


def press_send(hand) -> None:
    hand.click(hand.find(QPushButton, "send.send"))
    hand.settle()


def states(hand) -> dict[str, str]:
    """Return how outlets stand, as the list says."""
    rows = hand.find(TickList, "send.outlets")
    found = [rows.item(i).data(Qt.ItemDataRole.UserRole) for i in range(rows.count())]
    return {r.key: r.state for r in found}


def table(hand, name: str) -> list[list[str]]:
    cells = hand.find(QTableWidget, name)
    return [
        [cells.item(r, c).text() for c in range(cells.columnCount())]
        for r in range(cells.rowCount())
    ]


def test_a_look_goes_to_five_outlets_is_behind_sent_again_and_taken_back(room, tmp_path) -> None:
    assert not room.find(QPushButton, "send.send").isEnabled()
    like = tmp_path / "their.cube"
    run("bake", DEMO, like, "--grid", 9)
    like.write_bytes(like.read_bytes().replace(b"\n", b"\r\n"))
    room.ports.luts = [like]
    room.click(room.find(QPushButton, "send.like"))
    room.settle()
    assert room.study.outlets[0].style.newline == "\r\n"
    room.ports.folder = room.folder
    room.click(room.find(QPushButton, "send.outlet.choose"))
    for key in ("monitor17", "engine16", "shader_glsl", "corrections"):
        add(room, key, room.folder / key)
    assert room.find(QPushButton, "send.send").text() == "Send 1 look to 5 outlets"
    press_send(room)
    rows = {r.outlet.key: r for r in model(room).rows}
    assert {r.state for r in rows.values()} == {"written"}
    assert set(states(room).values()) == {"sent"}
    assert b"\r\n" in rows["like"].files[0].read_bytes()
    assert [r[1] for r in table(room, "send.rows")] == [o.title for o in room.study.outlets]
    assert room.study.versions[0].number == 1
    results = room.find(QTableWidget, "send.rows")
    for size in ((1100, 700), (1280, 800)):
        room.window.resize(*size)
        room.wait(30)
        widths = [results.columnWidth(c) for c in range(results.columnCount())]
        assert sum(widths) == results.viewport().width()
        assert min(widths[1:3]) > 80, "outlet and file give way together"

    study = room.study
    room.window.model.commit("edit", study.set_coat(study.look.coats[0].id, strength=0.5))
    room.settle()
    found = states(room)
    assert set(found.values()) == {"behind"}
    assert "behind" in room.find(QLabel, "send.state").text()
    before = rows["engine16"].files[0].read_bytes()
    room.act("send_behind")
    room.settle()
    assert set(states(room).values()) == {"sent"}
    assert rows["engine16"].files[0].read_bytes() != before
    assert [v.number for v in room.study.versions] == [1, 2]

    room.act("send_versions")
    room.settle()
    versions = room.find(QListWidget, "send.versions")
    versions.clearSelection()
    versions.item(1).setSelected(True)
    room.settle()
    assert room.sees_elsewhere(lambda: room.window.rooms["send"]._page.versions.easel._b)
    assert "Strength of White balance 100 → 50 %" in room.find(QLabel, "send.version.words").text()
    room.ports.name = "first light"
    room.click(room.find(QPushButton, "send.version.name"))
    assert [v.name for v in room.study.versions] == ["first light", ""]
    versions.clearSelection()
    versions.item(1).setSelected(True)
    room.click(room.find(QPushButton, "send.version.back"))
    room.settle()
    assert room.study.look.coats[0].strength == 1.0
    room.act("undo")
    assert room.study.look.coats[0].strength == 0.5

    room.act("send_results")
    cells = room.find(QTableWidget, "send.rows")
    place = next(i for i, r in enumerate(model(room).rows) if r.outlet.key == "shader_glsl")
    cells.setCurrentCell(place, 0)
    files = model(room).rows[place].files
    room.click(room.find(QPushButton, "send.row.back"))
    room.settle()
    assert not any(f.exists() for f in files)
    assert states(room)["shader_glsl"] in ("not yet", "behind", "gone")
    notice = next(
        b for b in room.window.findChildren(QPushButton) if b.text() == "Undo" and b.isVisible()
    )
    room.click(notice)
    room.settle()
    assert all(f.exists() for f in files)
    assert states(room)["shader_glsl"] == "sent"


def test_a_card_that_is_not_there_and_files_in_the_way(room) -> None:
    card = room.folder / "CARD_A" / "luts"
    add(room, "monitor33", card, grid=9)
    add(room, "editing33", room.folder, grid=9)
    shutil.rmtree(card.parent)
    (room.folder / "Low tide_9.cube").write_text("somebody else's")
    room.act("room_look")
    room.act("room_send")
    room.settle()
    assert states(room)["monitor33"] == "folder not there"
    room.ports.replace = False
    press_send(room)
    rows = {r.outlet.key: r for r in model(room).rows}
    assert {r.state for r in rows.values()} == {"refused"}
    assert (room.folder / "Low tide_9.cube").read_text() == "somebody else's"
    row = room.find(QTableWidget, "send.rows")
    row.setCurrentCell(0, 0)
    assert "put the card in" in room.find(QLabel, "send.row.words").text()
    card.mkdir(parents=True)
    room.ports.replace = True
    press_send(room)
    assert set(states(room).values()) == {"sent"}
    assert (card / "LOW_TIDE.cube").exists()
    assert (room.folder / "Low tide_9.cube").stat().st_size > 1000


def test_what_was_written_before_a_cancel_is_known(room) -> None:
    add(room, "editing33", room.folder / "a", grid=9)
    add(room, "editing65", room.folder / "b", grid=129)
    queue, first = room.window.queue, room.folder / "a" / "Low tide_9.cube"
    room.click(room.find(QPushButton, "send.send"))
    room.until(first.exists)
    queue.cancel()
    room.settle()
    assert states(room) == {"editing33": "sent", "editing65": "not yet"}
    assert [f.path for v in room.study.versions for f in v.files] == [str(first)]
    assert not list((room.folder / "b").iterdir())
    room.act("undo")
    room.settle()
    assert not room.study.versions


def test_outlets_are_set_by_their_page_and_undone(room) -> None:
    add(room, "monitor33")
    assert not room.study.outlets[0].folder
    assert "no folder" in room.find(QLabel, "send.state").text()
    name = room.find(QLineEdit, "title")
    name.setFocus()
    name.selectAll()
    room.keys(name, *"Truck", Qt.Key.Key_Return)
    assert room.study.outlets[0].title == "Truck"
    room.act("undo")
    assert room.study.outlets[0].title == TEMPLATES["monitor33"].title
    room.act("send_copy")
    assert room.study.outlets[0].key == "monitor33"
    assert len({o.key for o in room.study.outlets}) == 2
    outlets = room.find(TickList, "send.outlets")
    room.keys(outlets, Qt.Key.Key_Space)
    assert not model(room).is_on(outlets.key)
    room.keys(outlets, Qt.Key.Key_Delete)
    assert len(room.study.outlets) == 1


def test_what_was_sent_is_kept_current(room) -> None:
    add(room, "engine16", room.folder)
    press_send(room)
    file = model(room).rows[0].files[0]
    before = file.read_bytes()
    room.click(room.find(Tick, "send.keep"))
    room.act("room_look")
    study = room.study
    room.window.model.commit("edit", study.set_coat(study.look.coats[0].id, strength=0.2))
    room.settle()
    assert file.read_bytes() != before
    room.act("room_send")
    room.settle()
    assert states(room) == {"engine16": "sent"}


def test_accord_shows_targets_pairs_and_saves_a_sheet(room, tmp_path: Path) -> None:
    for key in ("editing33", "monitor17", "engine16"):
        add(room, key, room.folder)
    room.act("send_accord")
    room.settle()
    found = table(room, "send.accord")
    assert [r[0] for r in found] == [
        TEMPLATES[k].title for k in ("editing33", "monitor17", "engine16")
    ]
    assert found[0][1] == "FFmpeg"
    page = room.window.rooms["send"]._page.accord
    places = page.map.places()
    room.click(page.map, at=places[1])
    assert page.pair == (1, -1)
    assert "against the Look" in room.find(QLabel, "send.between").text()
    cells = room.find(QTableWidget, "send.accord")
    cells.clearSelection()
    cells.selectRow(1)
    page.show_pair(1, 2)
    assert TEMPLATES["engine16"].title in room.find(QLabel, "send.between").text()
    assert "17 points" in room.find(QWidget, "send.reasons").accessibleName()
    assert page.panes[2].image is not None
    assert room.sees_elsewhere(lambda: page.panes[0].image)
    # What is brighter than a screen is shown, and measured, as what it was brought to.
    bright = np.random.default_rng(3).uniform(0.1, 0.7, (2, 40, 60, 3)).astype(np.float32)
    pq, srgb = encoding("BT.2100 PQ"), encoding("sRGB")
    meant = delta_e(*(convert(b, pq.name, srgb.name).clip(0, 1) for b in bright), srgb)
    found_apart = apart(*(in_codes(b, pq.name) for b in bright))
    assert np.abs(found_apart - meant).mean() < 0.5 < meant.mean()
    for name in ("sheet.pdf", "sheet.png", "accord.json"):
        room.ports.sheet = tmp_path / name
        room.click(room.find(QPushButton, "send.json" if name.endswith("json") else "send.sheet"))
        room.settle()
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    assert (tmp_path / "sheet.png").read_bytes().startswith(b"\x89PNG")
    told = json.loads((tmp_path / "accord.json").read_text())
    assert told["targets"] == ["editing33", "monitor17", "engine16"]

    room.window.model.commit("edit", room.study.with_look(strength=0.5))
    room.settle()
    assert not model(room).is_old
    assert table(room, "send.accord") != found


def test_looks_of_files_go_along_and_the_study_keeps_all(room, tmp_path: Path) -> None:
    for name in ("dusk", "dawn"):
        run("bake", DEMO, tmp_path / f"{name}.cube", "--grid", 9)
    add(room, "engine16", room.folder)
    room.drop(tmp_path / "dusk.cube", tmp_path / "dawn.cube", tmp_path / "no.cube")
    room.settle()
    assert room.find(QPushButton, "send.send").text() == "Send 3 looks to 1 outlet"
    press_send(room)
    assert {f.name for f in room.folder.iterdir()} == {
        "low_tide_16.png",
        "dusk_16.png",
        "dawn_16.png",
    }
    assert {v.look.name for v in room.study.versions} == {"Low tide", "dusk", "dawn"}
    save_study(room.study, tmp_path / "kept.sfumato")
    kept = open_study(tmp_path / "kept.sfumato")
    assert kept.outlets == room.study.outlets
    assert [v.files for v in kept.versions] == [v.files for v in room.study.versions]


def test_a_pack_is_made_and_opens_in_the_swatchbook(room, tmp_path: Path) -> None:
    add(room, "engine16")
    add(room, "monitor17")
    room.ports.sheet = tmp_path / "for the shop.zip"
    room.click(room.find(QPushButton, "send.pack"))
    room.settle()
    assert zipfile.is_zipfile(room.ports.sheet)
    room.act("room_swatchbook")
    room.settle()
    room.drop(room.ports.sheet)
    room.settle()
    shown = {s.file.name for s in room.window.rooms["swatchbook"].model.swatches}
    assert "LOW_TIDE.3dl" in shown
    # A name without its suffix is completed; what has that name is replaced only when one says so.
    room.act("room_send")
    before, room.ports.replace = room.ports.sheet.read_bytes(), False
    room.ports.sheet = tmp_path / "for the shop"
    model(room).services.model.commit("x", room.study.with_look(strength=0.5))
    for agrees in (False, True):
        room.ports.replace = agrees
        room.click(room.find(QPushButton, "send.pack"))
        room.settle()
        assert ((tmp_path / "for the shop.zip").read_bytes() == before) is not agrees
    assert not room.ports.sheet.exists()
