"""The Bench in the real window: a shoot with a stubborn monitor, a level with a texture taken in wrongly, a phone."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import DEMO, ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QDialog, QLabel, QMenu, QPushButton
from test_cli import run

from sfumato.app.controls.bars import Bars
from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.tick_list import TickList
from sfumato.app.rooms.bench import recorder
from sfumato.app.rooms.bench.big_button import BigButton
from sfumato.app.rooms.bench.floor_plan import FloorPlan
from sfumato.app.rooms.bench.monitor_screen import MonitorScreen
from sfumato.app.rooms.bench.places_field import PlacesField
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.media.parts.contract import as_float
from sfumato.work.bench import devices, places
from sfumato.work.bench.takes import take_of
from sfumato.work.frames import open_still

DEMO_CLIP = ROOT / "demo" / "jetty.mov"


@pytest.fixture
def bench(demo):
    """The monitor page with the clip of the jetty as its signal."""
    demo.ports.pictures = [DEMO_CLIP]
    demo.act("bring_in")
    demo.settle()
    shot = demo.study.shots[-1]
    study = demo.study.with_shot(shot.id, encoding="Tarn Log")
    demo.window.model.commit("x", attrs.evolve(study, shots=(*study.shots[:1], study.shots[-1])))
    demo.act("room_bench")
    demo.settle()
    demo.ports.replace = True
    return demo


def room(hand):
    return hand.window.rooms["bench"]


def rig(hand):
    return room(hand).monitors.rig


def says(hand, name: str) -> str:
    return hand.find(QLabel, name).text()


def choose_file(hand, name: str) -> None:
    files = hand.find(TickList, "bench.files")
    for i in range(files.count()):
        if files.item(i).data(Qt.ItemDataRole.UserRole).key == name:
            hand.click(files.viewport(), QPointF(files.visualItemRect(files.item(i)).center()))
    assert room(hand).monitors.file_name == name


def states(hand) -> dict[str, str]:
    files = hand.find(TickList, "bench.files")
    rows = [files.item(i).data(Qt.ItemDataRole.UserRole) for i in range(files.count())]
    return {r.key: r.state for r in rows}


def use(hand, key: str) -> None:
    hand.click(hand.find(BigButton, f"bench.use.{key}"))
    hand.settle()


def begin_recording(hand, frames: int) -> BigButton:
    """Press Record and wait until so many frames are there."""
    counted = []
    room(hand).monitors.recorder.told.connect(counted.append)
    button = hand.find(BigButton, "bench.record")
    hand.click(button)
    assert room(hand).monitors.is_recording
    hand.until(lambda: counted and counted[-1] >= f"00:00:{frames:02}")
    return button


def record(hand, frames: int) -> Path:
    """Record so many frames and a little more; return the take."""
    button = begin_recording(hand, frames)
    assert "recording" in button.accessibleDescription()
    hand.click(button)
    hand.settle()
    takes = sorted(f for f in rig(hand).card.glob("TAKE_*.mov"))
    return takes[-1]


def test_a_shoot_with_a_stubborn_monitor(bench, tmp_path: Path) -> None:
    look = bench.study.look.name
    assert hand_device(bench) == "Stubborn monitor"
    # Somebody else's file of the look lies on the card; the device does not like its name.
    made = tmp_path / "low_tide_night.cube"
    run("bake", DEMO, made, "--grid", 33)
    bench.drop(made)
    bench.settle()
    choose_file(bench, made.name)
    assert states(bench)[made.name] == "name refused"
    places = bench.find(PlacesField, "bench.places")
    bench.click(places, places.box(2).center())
    bench.settle()
    bench.keys(places, Qt.Key.Key_Return)
    bench.settle()
    assert says(bench, "bench.word") == "The device says: BAD NAME"
    assert "8 capitals" in says(bench, "bench.why")
    assert rig(bench).state.places[2] is None
    bench.click(bench.find(QPushButton, "bench.mend"))
    bench.settle()
    assert room(bench).monitors.file_name == "LOW_TIDE.cube"
    bench.keys(places, Qt.Key.Key_Return)
    bench.settle()
    assert rig(bench).state.places[2].name == "LOW_TIDE"
    assert states(bench)["LOW_TIDE.cube"] == "in place 3"
    assert 2 in room(bench).monitors.pictures

    use(bench, "half")
    view = bench.find(MonitorScreen, "bench.screen")
    box = view.box()
    natural, graded = (view.image.pixelColor(x, 300) for x in (100, 860))
    bench.drag(view, QPointF(box.center().x(), box.center().y()), box.topLeft() + QPointF(30, 60))
    bench.settle()
    assert rig(bench).state.line < 0.2
    assert view.image.pixelColor(860, 300) == graded
    assert view.image.pixelColor(300, 300) != natural
    assert "ΔE mean" in says(bench, "bench.mean")
    assert len(bench.find(Bars, "bench.shares").rows) == 4

    use(bench, "screen")
    plain = record(bench, 1)
    assert take_of(plain).look == ""
    use(bench, "recording")
    assert "cannot be taken out" in says(bench, "bench.warning")
    assert [r.title for r in bench.find(Bars, "bench.shares").rows][-1] == "codec"
    burnt = record(bench, 1)
    assert take_of(burnt).look == "LOW_TIDE"
    assert "burnt in" in states(bench)[burnt.name]

    # Both come into the study: the first takes the Look to the same picture, the second is known.
    choose_file(bench, plain.name)
    bench.act("bench_bring")
    bench.settle()
    shot = bench.study.shots[-1]
    assert shot.encoding == "Tarn Log"
    exact = bench.study.transform((shot.encoding, bench.study.view.encoding))
    source = as_float(open_still(DEMO_CLIP, 0).pixels)
    kept = as_float(open_still(plain, 0).pixels)
    off = delta_e(
        *(np.clip(exact.apply(p), 0, 1) for p in (source, kept)),
        encoding(bench.study.view.encoding),
    )
    assert off.mean() < 0.4
    assert np.quantile(off, 0.99) < 3
    bench.act("room_bench")
    bench.settle()
    choose_file(bench, burnt.name)
    bench.act("bench_bring")
    bench.settle()
    assert any("LOW_TIDE burnt in" in n for n in bench.notices)
    assert bench.study.shots[-1].encoding == bench.study.view.encoding
    burnt.with_name(burnt.stem + ".take.json").unlink()  # nobody knows any more
    copy = tmp_path / "unknown.mov"
    shutil.copy(burnt, copy)
    bench.ports.pictures = [copy]
    bench.notices.clear()
    bench.act("bring_in")
    bench.settle()
    assert any(f"unknown seems to carry {look} already" in n for n in bench.notices), bench.notices


def hand_device(hand) -> str:
    return hand.find(Chooser, "bench.device").currentText()


def test_places_are_undone_and_devices_of_ones_own(bench) -> None:
    bench.act("bench_send")
    bench.settle()
    assert any(o.key == "bench_stubborn" for o in bench.study.outlets)
    assert len(bench.study.versions) == 1
    assert list(states(bench)) == ["LOW_TIDE.cube"]
    bench.act("bench_load")
    bench.settle()
    places = bench.find(PlacesField, "bench.places")
    bench.keys(places, Qt.Key.Key_Right, modifier=Qt.KeyboardModifier.ControlModifier)
    bench.settle()
    bench.ports.name = "DUSK"
    bench.keys(places, Qt.Key.Key_F2)
    bench.settle()
    bench.keys(places, Qt.Key.Key_Delete)
    bench.settle()
    assert not any(rig(bench).state.places)
    for wanted in ({1: "DUSK"}, {1: "LOW_TIDE"}, {0: "LOW_TIDE"}, {}):
        bench.act("undo")
        bench.settle()
        assert {i: p.name for i, p in enumerate(rig(bench).state.places) if p} == wanted
    for _ in range(4):
        bench.act("redo")
        bench.settle()
    assert not any(rig(bench).state.places)
    bench.act("undo")
    bench.settle()

    use(bench, "half")
    bench.act("bench_power")
    bench.settle()
    assert bench.find(MonitorScreen, "bench.screen").words == "Switched off"
    assert not bench.find(BigButton, "bench.record").isEnabled()
    bench.act("bench_power")
    bench.settle()
    assert rig(bench).state.use == "half"

    bench.act("bench_new")
    sheet = bench.window.findChild(QDialog, "bench.sheet")
    sheet.panel.edited.emit("title", "Mine")
    sheet.panel.edited.emit("places", 2)
    bench.click(sheet.keep)
    bench.settle()
    assert hand_device(bench) == "Mine"
    assert len(rig(bench).state.places) == 2
    carried = rig(bench).folder.rename(rig(bench).folder.parents[3] / "carried")
    room(bench).monitors.ask()
    bench.settle()
    assert hand_device(bench) != "Mine"
    bench.drop(carried)
    bench.settle()
    assert hand_device(bench) == "Mine"
    assert rig(bench).folder != carried
    bench.act("bench_forget")
    bench.settle()
    assert hand_device(bench) != "Mine"


def test_cards_pulled_devices_damaged_and_two_windows(bench, tmp_path: Path) -> None:
    bench.act("bench_send")
    bench.settle()
    card = tmp_path / "card B"
    card.mkdir()
    bench.ports.folder = card
    bench.act("bench_mount")
    bench.settle()
    assert "card B" in says(bench, "bench.card")
    shutil.copy(rig(bench).folder / "CARD_A" / "LOW_TIDE.cube", card / "NEW.cube")
    bench.until(lambda: room(bench).monitors.card != ())  # it is watched
    assert states(bench) == {"NEW.cube": "can be loaded"}
    choose_file(bench, "NEW.cube")
    shutil.move(card, tmp_path / "pocket")
    bench.act("bench_load")
    bench.settle()
    assert rig(bench).place is None
    room(bench).monitors.ask()
    bench.settle()
    assert "gone" in says(bench, "bench.card.empty")
    shutil.move(tmp_path / "pocket", card)
    for _ in range(2):
        bench.act("bench_pull")
        bench.settle()
    assert list(states(bench)) == ["LOW_TIDE.cube"]

    other = devices.read_rig(rig(bench).folder)  # another window loads, this one hears of it
    places.load(other, other.card / "LOW_TIDE.cube", 6)
    bench.until(lambda: rig(bench).state.places[6] is not None)
    assert rig(bench).state.places[6].name == "LOW_TIDE"

    # The card is pulled in the middle of a take: it waits in the device, whole, and goes onto the next card.
    model = room(bench).monitors
    begin_recording(bench, 4)
    shutil.move(rig(bench).card, tmp_path / "pulled")
    bench.until(lambda: not model.is_recording)
    bench.settle()
    assert any("in the device" in n and "pulled" in n for n in bench.notices), bench.notices
    bench.ports.folder = tmp_path / "pulled"
    bench.act("bench_mount")
    bench.settle()
    assert (tmp_path / "pulled" / "TAKE_001.mov").is_file()
    assert open_still(tmp_path / "pulled" / "TAKE_001.mov", 0).size == (960, 540)

    begin_recording(bench, 4)
    bench.act("bench_power")
    bench.until(lambda: not model.is_recording)
    bench.settle()
    assert not rig(bench).state.is_on
    assert any("switched off" in n for n in bench.notices)

    (rig(bench).folder / "state.json").write_bytes(b"{")
    model.ask()
    bench.settle()
    assert any("state.json" in n for n in bench.notices)
    assert hand_device(bench) != "Stubborn monitor"


def test_frames_of_a_take_do_not_pile_up_and_closing_keeps_it(bench, monkeypatch) -> None:
    folder, made, came = rig(bench).folder, [], []
    plain = recorder.signal_of
    monkeypatch.setattr(recorder, "signal_of", lambda *given: made.append(1) or plain(*given))
    begin_recording(bench, 4)
    room(bench).monitors.recorder.came.connect(lambda _number, frame: came.append(frame))
    bench.wait(1)
    came.clear()
    many = len(made) + 8
    while len(made) < many:  # the window is kept from its loop
        time.sleep(0.02)
    bench.until(lambda: len(came) >= 6)
    assert sum(f is not None for f in came[:6]) <= 2
    bench.window.close()
    take = next((folder / "CARD_A").glob("TAKE_*.mov"))
    assert take_of(take).frames > 2
    open_still(take, take_of(take).frames - 1)


def test_a_take_goes_on_with_its_shot_whatever_is_done_to_the_shots(bench, jpeg: Path) -> None:
    model, taken = room(bench).monitors, bench.window.desk.shot
    bench.ports.pictures = [jpeg]
    begin_recording(bench, 2)
    bench.act("bring_in")  # another shot, of another size, is chosen
    bench.until(lambda: bench.window.desk.shot.id != taken.id)
    wide = model.shown.picture.shape
    frames: list[int] = []
    model.screened.connect(lambda: frames.append(model.shown.number))
    bench.until(lambda: len(set(frames)) > 3)
    assert model.shown.picture.shape == wide
    assert taken.name in says(bench, "bench.signal")
    bench.window.model.commit("all out", attrs.evolve(bench.study, shots=()))
    frames.clear()
    bench.until(lambda: len(set(frames)) > 3)
    bench.window.model.undo_stack.undo()
    bench.click(bench.find(BigButton, "bench.record"))
    bench.settle()
    take = next(rig(bench).card.glob("TAKE_*.mov"))
    assert open_still(take, take_of(take).frames - 1).size == (wide[1], wide[0])
    assert model.shown.feed.shot == bench.window.desk.shot != taken
    assert model.shown.number == 0


def look_menu(hand, zone: int, words: str) -> None:
    hand.click(hand.find(QPushButton, f"bench.engine.look.{zone}"))
    menu = hand.find(QMenu, "bench.looks")
    next(a for a in menu.actions() if words in a.text()).trigger()
    menu.close()
    hand.settle()


def test_a_level_with_a_texture_taken_in_wrongly(demo, tmp_path: Path) -> None:
    demo.window.model.commit("fewer", attrs.evolve(demo.study, shots=demo.study.shots[:2]))
    strip = tmp_path / "strip.png"
    run("bake", DEMO, strip, "--format", "strip", "--grid", 32, "--span", "BT.1886:BT.1886")
    demo.act("bench_engine")
    demo.settle()
    model = room(demo).engine
    assert model.walk is not None
    demo.ports.luts = [strip]
    look_menu(demo, 0, "A LUT file")
    demo.ports.luts = [ROOT / "demo" / "luts" / "salt_day.ktx2"]
    look_menu(demo, 1, "A LUT file")
    assert says(demo, "bench.engine.mean").endswith("at worst")
    before = model.figures.off.mean
    assert before < 1.0
    assert says(demo, "bench.faults") == "Nothing spoils it."

    page = room(demo).engine_page
    page.panel.edited.emit("srgb", True)
    demo.settle()
    assert "decoded from sRGB" in says(demo, "bench.faults")
    assert model.figures.off.mean > 5
    demo.ports.sheet = tmp_path / "engine.png"
    demo.act("bench_save")
    demo.settle()
    page.panel.edited.emit("srgb", False)  # the engine is elsewhere: here everything is right
    demo.settle()
    demo.ports.pictures = [tmp_path / "engine.png"]
    demo.act("bench_screenshot")
    demo.settle()
    assert "as if decoded from srgb" in says(demo, "bench.finding").casefold()
    assert not page.finder.mend.isVisible()
    page.panel.edited.emit("srgb", True)
    demo.settle()
    demo.drop(tmp_path / "engine.png")
    demo.settle()
    demo.click(demo.find(QPushButton, "bench.mend_import"))
    demo.settle()
    assert model.figures.off.mean == pytest.approx(before, abs=0.05)

    parts = []
    for number in (0, 33, 59):
        model.clock.go_to(number)
        demo.settle()
        parts.append(model.sight.wish.parts)
    assert parts[0] == (1.0, 0.0)
    assert parts[2] == (0.0, 1.0)
    assert 0 < sum(parts[1]) <= 1
    page.strength.edited.emit("strength", 60.0)
    demo.settle()
    assert model.sight.wish.parts == (0.0, 0.6)
    assert demo.find(FloorPlan, "bench.floor").accessibleDescription().endswith("salt_day 60 %")
    drawn = model.sight.drawn.codes.astype(float)
    natural = model.sight.frame.astype(float)
    page.strength.edited.emit("strength", 100.0)
    demo.settle()
    whole = model.sight.drawn.codes.astype(float)
    assert np.abs(drawn - (natural + 0.6 * (whole - natural))).max() <= 2

    demo.keys(page.view, Qt.Key.Key_Space)
    demo.wait(600)
    assert model.clock.is_running
    assert model.clock.number > 59
    demo.keys(page.view, Qt.Key.Key_Space)
    demo.settle()
    demo.ports.pictures = [ROOT / "demo" / "luts" / "tiles_32.png"]
    demo.notices.clear()
    demo.act("bench_screenshot")
    demo.settle()
    assert any("whole picture" in n for n in demo.notices)
    gone = tmp_path / "gone.cube"
    model.set_look(0, type(model.looks[0])(gone))
    model.clock.go_to(0)
    demo.settle()
    assert any("gone.cube" in n for n in demo.notices)


def test_a_filter_on_a_phone(demo) -> None:
    demo.act("bench_filter")
    demo.settle()
    model, page = room(demo).filter, room(demo).filter_page
    as_png = model.figures.off.mean
    assert as_png < 0.6
    page.kind.setCurrentText("JPEG")
    page.kind.textActivated.emit("JPEG")
    page.quality.edited.emit("quality", 60.0)
    demo.settle()
    assert model.figures.off.mean > 1.5 * as_png
    assert "kB as JPEG" in says(demo, "bench.filter.size")
    page.strength.edited.emit("strength", 0.0)
    demo.settle()
    assert np.array_equal(model.sight.drawn.codes, model.sight.frame)
    page.source.textActivated.emit("The shot of the Look room")
    demo.settle()
    assert model.sight.wish.shot.name == demo.study.shots[0].name
