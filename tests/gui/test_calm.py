"""What must not get in the way: panels keep their width, lists are searched, the keyboard reaches all."""

from __future__ import annotations

import time
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import DEMO
from PIL import Image
from PySide6.QtCore import QCoreApplication, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QEnterEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTreeView,
    QWidget,
)
from shiboken6 import isValid

import sfumato
from sfumato.app import theme
from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.grip import Grip
from sfumato.app.controls.picker import Picker
from sfumato.app.controls.table_row import even_widths
from sfumato.app.labels import plain
from sfumato.app.questions import PartQuestion
from sfumato.app.rooms.look import shot_edits
from sfumato.app.rooms.look.export_sheet import ExportWish
from sfumato.app.services import ports as ports_module
from sfumato.core.colour.encodings import add_encodings, drop_encodings
from sfumato.core.glaze import glazes
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.study.coat import new_coat
from sfumato.core.study.preset import Preset
from sfumato.formats.cdl import collected
from sfumato.media.parts.contract import FrameFacts
from sfumato.work.luts.deliver import write_lut
from sfumato.work.luts.target import Target
from sfumato.work.stores.ocio_config import built_in, open_config
from sfumato.work.stores.presets import write_preset
from sfumato.work.stores.study_store import open_study, save_study

LONG = "A name that somebody gave it who likes to say all of it, twice if need be, and then some"


@pytest.fixture
def config():
    """The encodings of a config, known while the test runs."""
    opened = open_config(next(b.where for b in built_in() if "studio" in b.where))
    add_encodings(opened.encodings)
    yield opened
    drop_encodings([e.name for e in opened.encodings])


def test_the_ledger_is_never_wider_than_its_panel(demo, config) -> None:
    hand, window = demo, demo.window
    page = window.rooms["look"].page
    ledger, grip = page.ledger, hand.find(Grip, "panel.grip")
    grip.set_width(0)
    assert page.left.width() == 300
    longest = max(config.spaces, key=len)
    view = max((v for v in config.views), key=len)
    study = attrs.evolve(hand.study, name=LONG).with_look(name=LONG)
    study = attrs.evolve(study, view=attrs.evolve(study.view, encoding=view))
    shot = study.shots[0]
    study = study.with_shot(shot.id, encoding=longest, name=LONG)
    for key in glazes():
        study = study.added("look", attrs.evolve(new_coat(key), name=LONG))
    window.model.commit("Long", study)
    window.view.set(shot=shot.id, laying_open=True)
    hand.click(hand.find(QPushButton, "view.change"))
    hand.settle()

    wide = []

    def fits(what: str) -> None:
        hand.wait(5)
        room = ledger.body.parentWidget().width()
        if ledger.body.width() > room:
            parts = [w for w in ledger.body.findChildren(QWidget) if w.isVisible()]
            widest = max(parts, key=lambda w: w.mapTo(ledger.body, w.rect().topRight()).x())
            wide.append(
                (what, ledger.body.width(), room, type(widest).__name__, widest.objectName())
            )

    fits("the View")
    for coat in study.look.coats:
        window.view.set(coat=coat.id)
        hand.wait(20)
        fits(coat.key)
    hand.settle()
    fits("with words about the picture")
    parts = [p for p in page.seal.findChildren(QWidget) if p.isVisible()]
    assert not [(p.objectName(), type(p)) for p in parts if p.geometry().right() > 300]
    assert page.seal.minimumSizeHint().width() <= 300, [
        (p.objectName(), p.minimumSizeHint().width()) for p in parts
    ]
    source = ledger._source_name
    assert source.is_short
    assert source.text() == longest
    at = QPointF(2, 2)
    QApplication.sendEvent(source, QEnterEvent(at, at, QPointF(source.mapToGlobal(at))))
    assert plain(source.toolTip()).splitlines()[0] == longest, "the pointer finds the whole of it"
    assert not wide


def test_what_has_no_room_is_shortened_and_found_by_the_pointer(demo) -> None:
    hand, window = demo, demo.window
    hand.act("room_trip")
    hand.settle()
    window.resize(1100, 700)
    hand.wait(30)
    place = hand.find(Chooser, "trip.to")
    place.setCurrentText(max((place.itemText(i) for i in range(place.count())), key=len))
    place.activated.emit(place.currentIndex())
    hand.settle()
    assert place.is_short
    assert place.shown().endswith("…")
    at = QPointF(2, 2)
    QApplication.sendEvent(place, QEnterEvent(at, at, QPointF(place.mapToGlobal(at))))
    assert plain(place.toolTip()).splitlines()[0] == place.currentText()
    seen = place.grab().toImage()
    arrow = seen.width() - round(24 * place.devicePixelRatioF())
    edge = {seen.pixel(arrow, y) for y in range(6, seen.height() - 6)}
    assert len(edge) == 1, "letters run into the arrow"
    place.setFixedWidth(600)
    hand.wait(30)
    assert not place.is_short
    for wanted, room, widths in (
        ([40, 200, 90], 400, [40, 200, 90]),
        ([40, 200, 90], 240, [40, 110, 90]),
        ([40, 200, 190], 240, [40, 100, 100]),
        ([], 10, []),
    ):
        assert even_widths(wanted, room) == widths


def test_the_panel_is_drawn_wider_by_hand_and_by_keys_and_stays_so(demo, tmp_path) -> None:
    hand, window = demo, demo.window
    page, grip = window.rooms["look"].page, hand.find(Grip, "panel.grip")
    assert page.left.width() == 340
    middle = QPointF(grip.rect().center())
    hand.drag(grip, middle, middle + QPointF(60, 0), steps=1)
    assert page.left.width() == 400
    grip.setFocus()
    for _ in range(6):
        hand.keys(grip, Qt.Key.Key_Right)
    assert page.left.width() == 480
    window.keep()
    assert window.settings.whole("view/panel", 0) == 480
    QTest.mouseDClick(grip, Qt.MouseButton.LeftButton)
    assert page.left.width() == 340


def test_many_encodings_are_searched_in_groups(demo, config) -> None:
    hand, ledger = demo, demo.window.rooms["look"].page.ledger
    ledger.choose_encoding()
    picker = QApplication.activePopupWidget()
    assert isinstance(picker, Picker)
    assert len(picker.keys) > 50
    assert [k for k in picker.keys if k in config.spaces] == picker.keys[-len(config.spaces) :]
    shown = [picker.list.item(i).text() for i in range(picker.list.count())]
    assert f"{config.name}: scene-referred log" in shown
    assert not any(config.name in s for s in shown if ": scene" not in s and ": display" not in s)
    QTest.keyClicks(picker.line, "acescct")
    assert len(picker.keys) in (1, 2)
    QTest.keyClick(picker.line, Qt.Key.Key_Return)
    hand.settle()
    assert "acescct" in hand.window.desk.shot.encoding.lower()

    box = ledger.findChild(Chooser, "working")
    assert box is None  # it is made when the View unfolds
    hand.click(hand.find(QPushButton, "view.change"))
    hand.find(Chooser, "working").showPopup()
    picker = QApplication.activePopupWidget()
    QTest.keyClicks(picker.line, "nothing is called so")
    assert picker.keys == []
    QTest.keyClick(picker.line, Qt.Key.Key_Escape)
    assert QApplication.activePopupWidget() is None


@pytest.mark.parametrize("light", [False, True])
def test_a_short_list_is_apart_until_it_opens_and_goes_with_its_chooser(hand, light: bool) -> None:
    hand.act("room_convert")
    if light != (theme.colour("panel").lightness() > 128):
        hand.act("toggle_theme")
    box = hand.find(Chooser, "out.existing")
    assert box.findChildren(QWidget) == []  # nothing that is dressed for nobody
    at_first = box.currentText()
    box.showPopup()
    popup = box.view().window()
    assert popup.isVisible()
    assert popup.parentWidget() is box
    seen = popup.grab().toImage()
    ends = [seen.pixelColor(seen.width() // 2, y) for y in (1, seen.height() - 2)]
    assert all(
        abs(a - b) <= 3
        for end in ends
        for a, b in zip(end.getRgb()[:3], theme.colour("panel").getRgb()[:3], strict=True)
    ), "a bar of another colour"
    QTest.keyClick(box.view(), Qt.Key.Key_Down)
    QTest.keyClick(box.view(), Qt.Key.Key_Return)
    assert box.currentText() != at_first
    apart = Chooser()
    apart.addItems(["a", "b"])
    never_opened = apart.view()
    apart.deleteLater()
    hand.until(lambda: not isValid(never_opened))


def test_glazes_are_found_by_typing_and_show_what_they_would_do(demo) -> None:
    hand = demo
    hand.click(hand.find(QPushButton, "look.add"))
    picker = QApplication.activePopupWidget()
    assert set(picker.keys) == set(glazes())
    while not picker._smears:  # without other events: this platform closes pop-ups by itself
        time.sleep(0.01)
        QCoreApplication.sendPostedEvents()
    assert set(picker._smears) == set(glazes()) - {"lut"}
    assert all((rows[0] != rows[1]).any() for rows in picker._smears.values())
    first = picker.list.currentItem().text()
    QTest.keyClick(picker.line, Qt.Key.Key_Down)
    assert picker.list.currentItem().text() != first
    assert picker._words.text()
    QTest.keyClicks(picker.line, "hue ta")
    QTest.keyClick(picker.line, Qt.Key.Key_Return)
    hand.settle()
    assert hand.study.look.coats[-1].key == "hue_table"
    hand.act("undo")


@pytest.mark.parametrize("light", [False, True])
def test_choosers_of_files_can_be_read_and_make_missing_folders(
    demo, tmp_path, monkeypatch, light
) -> None:
    hand, window = demo, demo.window
    if light:
        hand.act("toggle_theme")
        hand.settle()
    ports = ports_module.Ports(window.settings)
    answers = iter(["stay", "make"])
    asked = []

    class Asked(ports_module.Question):
        def answered(self) -> str:
            asked.append(self.findChild(QLabel).text())
            return next(answers)

    monkeypatch.setattr(ports_module, "Question", Asked)
    seen = {}

    def work() -> None:
        dialog = QApplication.activeModalWidget()
        seen["title"] = dialog.windowTitle()
        tree = dialog.findChild(QTreeView, "treeView")
        dialog.setViewMode(QFileDialog.ViewMode.Detail)
        shown = tree.viewport().grab().toImage()
        seen["ground"] = shown.pixelColor(shown.width() - 3, shown.height() - 3).name()
        seen["words"] = tree.palette().text().color().name()
        line = dialog.findChild(QLineEdit, "fileNameEdit")
        line.setText("new/deeper/look.cube")
        dialog.accept()  # "stay"
        assert dialog.isVisible()
        dialog.accept()  # "make"

    (tmp_path / "seen.txt").write_text("")
    QTimer.singleShot(200, work)
    file = ports.choose_lut_save(window, str(tmp_path / "look.cube"))
    assert file == tmp_path / "new" / "deeper" / "look.cube"
    assert file.parent.is_dir()
    assert asked == ["There is no folder deeper yet."] * 2
    assert seen["title"] == "Save a LUT"
    assert seen["ground"] == theme.colour("well").name().lower()
    assert abs(QColor(seen["words"]).lightness() - QColor(seen["ground"]).lightness()) > 120
    # Where nobody names a folder, the last one of the kind is open.
    assert ports._start("luts", Path.home()) == file.parent
    assert ports._start("profiles", Path.home()) == Path.home()
    QTimer.singleShot(50, lambda: QApplication.activeModalWidget().accept())
    assert ports.ask_name(window, "Save a preset", "Dusk") == "Dusk"
    hand.until(lambda: not window.findChildren(QDialog))  # what was answered does not pile up


def test_any_lut_file_stands_on_a_side_and_is_the_written_grade(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    panel = window.rooms["look"].easel_panel
    written, other = tmp_path / "written.cube", tmp_path / "other.cube"
    window.rooms["look"].exports.export(ExportWish(written, Target("cube", 33), "", False))
    hand.settle()
    hand.notices.clear()
    write_lut(Transform((Table3D(lattice_colours(9) ** 2),)), other)
    # Dropped on the half of a side it is shown there; the wipe shows the grade and its file.
    head = panel.sides["a"].parentWidget()
    places = {"a": QPoint(40, 10), "b": QPoint(head.width() - 40, 10)}
    window.view.set(mode="one", b="exact")
    window.take_files([written], window.room.page.mapFromGlobal(head.mapToGlobal(places["a"])))
    hand.settle()
    assert window.view.now.mode == "split"
    assert panel.sides["a"].currentText() == "written.cube"
    shown = hand.shown[-1]
    assert np.abs(shown.a.astype(int) - shown.b.astype(int)).mean() < 1.0
    assert not hand.notices
    assert len(hand.study.look.coats) == len(window.model.study.look.coats)
    hand.ports.luts = [other]
    box = panel.sides["b"]
    box.setCurrentText("A LUT file…")
    box.activated.emit(box.currentIndex())
    hand.settle()
    assert (panel.sides["a"].currentText(), box.currentText()) == ("written.cube", "other.cube")
    assert any("does not say what it expects" in n for n in hand.notices)
    shown = hand.shown[-1]
    assert np.abs(shown.a.astype(int) - shown.b.astype(int)).mean() > 5
    assert window.model.undo_stack.count() == 0  # looking is no edit
    broken = tmp_path / "broken.cube"
    broken.write_text("LUT_3D_SIZE 4\n0 0 0\n")
    window.take_files([broken], window.room.page.mapFromGlobal(head.mapToGlobal(places["b"])))
    hand.settle()
    assert box.currentText() == "other.cube"
    assert "broken.cube" in hand.notices[-1]
    hand.act("open_demo")  # what a file expects was told by the study that goes
    hand.settle()
    assert not window.view.now.others
    assert (panel.sides["a"].currentText(), box.currentText()) == ("Ground", "LUT, 33 points")


def test_sides_blink_while_a_key_is_held_and_a_matte_is_seen_in_every_mode(demo) -> None:
    hand, window = demo, demo.window
    view, easel = window.view, window.rooms["look"].easel_panel.easel
    view.set(mode="one", a="ground", b="exact")
    hand.settle()
    graded = hand.shown[-1].b
    easel.setFocus()
    QTest.keyPress(easel, Qt.Key.Key_B)
    hand.settle()
    ground = hand.shown[-1].b
    assert hand.shown[-1].ask.b == "ground"
    QTest.keyRelease(easel, Qt.Key.Key_B)
    hand.settle()
    assert hand.shown[-1].b is graded  # kept, so that it is there at once
    QTest.keyPress(easel, Qt.Key.Key_B)
    hand.settle()
    assert hand.shown[-1].b is ground
    window.rooms["look"].ledger.row("l-cdl").strength.setFocus()  # whoever has the keyboard now
    QTest.keyRelease(QApplication.focusWidget() or easel, Qt.Key.Key_B)
    assert not view.now.blink
    for mode in ("all", "difference", "split"):
        view.set(mode=mode, coat="l-curves")
        view.set(b="matte")
        assert view.now.mode == ("one" if mode == "all" else "split")
        view.set(b="lut")


def test_a_clip_of_changing_frame_length_plays_by_its_times(demo) -> None:
    """Where each frame stands at a moment is what the file says, not what an even rate would be."""
    hand, window = demo, demo.window
    player = window.rooms["look"].shot_edits.player
    shot = hand.study.shots[0]
    times = (0.0, 0.1, 0.15, 1.0, 1.05)
    player.play(shot, FrameFacts("8 bit", frames=5, rate=5.0, times=times))
    due = []
    for seconds in (0.05, 0.12, 0.5, 0.99, 1.02, 1.1, 1.26):  # the last stays a fifth of a second
        player._began = time.perf_counter() - seconds
        due.append(player._due())
    player.stop()
    assert due == [0, 1, 2, 2, 3, 4, 0]
    # A file that was replaced by one shorter than the range of the shot.
    player.play(attrs.evolve(shot, first=9, last=20, frame=12), FrameFacts("8 bit", frames=5))
    assert player._due() == 9
    player.stop()


def test_where_a_clip_stands_is_no_edit_and_outlives_undo(demo) -> None:
    hand, model = demo, demo.window.model
    shot = hand.study.shots[0].id
    first = hand.study
    model.commit("Softer", first.with_look(strength=0.5))
    model.look_at(shot, 7)
    assert model.undo_stack.count() == 1
    hand.act("undo")
    assert hand.study == first.with_shot(shot, frame=7)
    hand.act("redo")
    assert (hand.study.look.strength, hand.study.shot(shot).frame) == (0.5, 7)
    model.commit("Frame 3", hand.study.with_shot(shot, frame=2))
    hand.act("undo")
    assert hand.study.shot(shot).frame == 7


def test_the_window_stays_inside_its_screen(hand) -> None:
    window = hand.window
    room = window.screen().availableGeometry()
    window.setGeometry(room.right() - 100, room.bottom() - 50, room.width() + 300, 600)
    window.surroundings.restore()
    place = window.frameGeometry()
    assert (place.left(), place.bottom()) >= (room.left(), room.top())
    least = max(window.minimumWidth(), window.minimumSizeHint().width())
    assert window.width() <= max(room.width(), least)
    assert place.bottom() <= room.bottom()


def test_menus_fit_a_small_screen_and_check_what_is_on(demo) -> None:
    window, table = demo.window, demo.window.actions_table
    menus = [a.menu() for a in window.menuBar().actions()]

    def checked() -> set[str]:
        for menu in menus:
            menu.aboutToShow.emit()
        return {name for name, action in table.by_id.items() if action.isChecked()}

    inner = [a.menu() for m in menus for a in m.actions() if a.menu() is not None]
    held = [a.objectName() for m in (*menus, *inner) for a in m.actions()]
    assert {n: held.count(n) for n in table.by_id} == dict.fromkeys(table.by_id, 1)
    assert max(m.sizeHint().height() for m in (*menus, *inner)) < 700
    always = {"room_look", "toggle_instruments", "screen_desktop", "span_shown"}
    assert checked() == always | {"mode_one"}
    demo.act("mode_split")
    demo.act("mode_split")  # a choice among several is not taken back
    assert checked() == always | {"mode_split"}
    window.view.set(coat=demo.study.look.coats[0].id)
    demo.act("include_ground")
    always = {*always - {"span_shown"}, "include_ground"}
    assert checked() == always | {"mode_split"}
    demo.act("undo")
    always = {*always - {"include_ground"}, "span_shown"}
    on = ["solo_glaze", "pin_shot", "toggle_clipping", "tear_instruments"]
    for name in on:
        demo.act(name)
    assert checked() == always | {"mode_split", *on}
    demo.act("see_on_phone")
    demo.act("see_in_room")
    assert checked() == always | {"mode_split", "see_in_room", *on}
    window.rooms["look"].view_edits.torn.windows["instruments"].close()  # no action did this
    for name in (*on[:3], "toggle_instruments", "see_in_room", "room_convert"):
        demo.act(name)
    assert checked() == {"room_convert", "screen_desktop", "mode_split"}


def test_convert_takes_looks_and_studies_and_counts_what_it_can_read(
    demo, ports, tmp_path: Path
) -> None:
    hand, window = demo, demo.window
    look = Preset("Softer", (new_coat("exposure", stops=0.7),), hand.study.working)
    write_preset(look, tmp_path / "softer.look")
    save_study(hand.study, tmp_path / "film.sfumato")
    (tmp_path / "broken.cube").write_text("LUT_3D_SIZE 4\n0 0 0\n")
    hand.act("room_convert")
    ports.folder = tmp_path / "out"
    hand.drop(tmp_path / "softer.look", tmp_path / "film.sfumato", tmp_path / "broken.cube")
    hand.settle()
    room = window.rooms["convert"]
    names = {e.path.name for e in room.model.bench.entries}
    assert names == {"softer.look", "film.sfumato", "broken.cube"}
    assert hand.study.shots  # the study that is open stays
    room.model.commit("x", attrs.evolve(room.model.bench, folder=str(ports.folder)))
    hand.settle()
    go = hand.find(QPushButton, "convert.go")
    assert go.text().startswith("Convert 2 files")
    hand.click(go)
    hand.settle()
    made = {f.name: sfumato.read(f) for f in ports.folder.glob("*.cube")}
    assert len(made) == 2
    film = next(t for n, t in made.items() if n.startswith("film"))
    x = np.random.default_rng(1).random((2000, 3), np.float32)
    meant = np.clip(hand.study.transform().apply(x), 0, 1)
    assert np.abs(np.clip(film.apply(x), 0, 1) - meant).mean() < 0.004
    assert any("expects Tarn Log" in c for c in film.comments)


def test_the_swatchbook_takes_pictures_of_looks_and_tells_titles_apart(
    hand, tmp_path: Path
) -> None:
    looks = tmp_path / "looks"
    looks.mkdir()
    square = Transform((Table3D(lattice_colours(16) ** 1.3),), "Dusk")
    for name in ("one.cube", "two.cube"):
        write_lut(square, looks / name)
    write_lut(square, looks / "hald.png", format="hald")
    write_lut(square, looks / "strip.png", format="strip")
    photo = Image.open(DEMO.parent / "sill_photo.png").convert("RGB")
    photo.resize((512, 512)).save(looks / "photo.png")  # of a HALD's size
    photo.save(looks / "other.png")
    hand.act("open_demo")
    hand.act("room_swatchbook")
    room = hand.window.rooms["swatchbook"]
    hand.ports.folder = looks
    hand.act("swatch_add_folder")
    hand.settle()
    names = sorted(room.model.name(s) for s in room.model.visible)
    assert names == ["Dusk · one.cube", "Dusk · two.cube", "hald", "strip"]


def test_a_folder_of_footage_comes_in_as_footage_and_curves_open_on_all(
    demo, tmp_path, monkeypatch
) -> None:
    hand, window = demo, demo.window
    folder = tmp_path / "rushes"
    folder.mkdir()
    for name in ("b.png", "a.png"):
        Image.new("RGB", (64, 40), "teal").save(folder / name)
    (folder / "notes.txt").write_text("x")
    before = len(hand.study.shots)
    hand.drop(folder)
    hand.settle()
    assert [s.name for s in hand.study.shots[before:]] == ["a", "b"]
    monkeypatch.setattr(shot_edits, "MOST", 1)
    hand.drop(folder)
    hand.settle()
    assert len(hand.study.shots) == before + 3
    assert any("Of 2 files the first 1" in n for n in hand.notices)
    assert window.view.now.room == "look"
    window.view.set(curve="blue")
    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.curves")
    hand.settle()
    assert hand.find(QPushButton, "tab.master").isChecked()


def _here(hand) -> QWidget:
    """Return what has the keyboard; this platform forgets it when a pop-up closes."""
    return QApplication.focusWidget() or hand.window.focusWidget() or hand.window


def _tab_to(hand, name: str) -> QWidget:
    """Press Tab until the control of that name has the keyboard."""
    been = []
    for _ in range(120):
        here = _here(hand)
        been.append(here.objectName() or type(here).__name__)
        if here.objectName() == name:
            return here
        QTest.keyClick(here, Qt.Key.Key_Tab)
    raise AssertionError(f"Tab does not reach {name}: {been}")


def _press(hand, *keys) -> None:
    """Press keys on whatever has the keyboard: a key, a key with modifiers, or words."""
    if QApplication.activeWindow() is None:
        hand.window.activateWindow()
        hand.wait(1)
    for key in keys:
        popup = QApplication.activePopupWidget()
        here = popup.focusWidget() if isinstance(popup, Picker) else _here(hand)
        if isinstance(key, str):
            QTest.keyClicks(here, key)
        elif isinstance(key, tuple):
            QTest.keyClick(here, *key)
        else:
            QTest.keyClick(here, key)
        if QApplication.activePopupWidget() is None:
            hand.wait(5)
    hand.settle()


def test_a_whole_job_by_keyboard_alone(hand, ports, tmp_path: Path) -> None:
    """Bring in, balance, a curve with a point of its own, export, send: no mouse, only shortcuts and Tab."""
    control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
    window, key = hand.window, Qt.Key
    window.activateWindow()
    ports.pictures = [DEMO.parent / "sill.tif"]
    _press(hand, (key.Key_I, control))
    assert len(hand.study.shots) == 1
    _press(hand, (key.Key_I, control | shift), "tarn", key.Key_Return)
    assert hand.study.shots[0].encoding == "Tarn Log"

    _press(hand, (key.Key_G, control | shift), "white", key.Key_Return)
    assert [c.key for c in hand.study.shots[0].ground] == ["white_balance"]
    _tab_to(hand, "temperature")
    _press(hand, key.Key_Right, key.Key_Right, key.Key_Right)
    assert hand.study.shots[0].ground, hand.notices
    assert hand.study.shots[0].ground[0].parameters.temperature > 0

    _press(hand, (key.Key_G, control), "curves", key.Key_Return)
    _tab_to(hand, "curve")
    _press(hand, key.Key_Insert, key.Key_Up, key.Key_Up)
    points = hand.study.look.coats[0].parameters.master
    assert len(points) == 3
    assert points[1] == pytest.approx((0.5, 0.52))

    window.settings.set("export_folder", str(tmp_path))
    _press(hand, (key.Key_E, control))
    sheet = QApplication.activeWindow() or window
    _tab_to(hand, "export.go")
    _press(hand, key.Key_Space)
    made = list(tmp_path.glob("*.cube"))
    assert len(made) == 1, (sheet, hand.notices)

    window.activateWindow()
    ports.folder = tmp_path / "editor"
    ports.folder.mkdir()
    _press(
        hand, (key.Key_K, control), window.actions_table.by_id["room_send"].text(), key.Key_Return
    )
    assert window.view.now.room == "send"
    hand.act("send_new")
    menu = hand.find(QMenu, "send.kinds")
    kinds = [a for a in menu.actions() if a.data()]
    menu.setActiveAction(next(a for a in kinds if a.data() == "editing33"))
    QTest.keyClick(menu, key.Key_Return)
    hand.settle()
    _press(hand, (key.Key_K, control), "choose the outlet's folder", key.Key_Return)
    _press(hand, (key.Key_K, control), "send the ticked looks", key.Key_Return)
    assert [f.suffix for f in ports.folder.iterdir()] == [".cube"]
    for _ in range(4):
        hand.act("undo")


def test_the_looks_of_one_file_are_offered_wherever_it_comes_in(
    demo, ports, tmp_path: Path
) -> None:
    """A collection of corrections: in the Look, on a side, in Apply, on a still, in Send, on the wall."""
    hand, window = demo, demo.window
    stages = [CdlStage(saturation=0.5, id="A012/C003"), CdlStage(slope=(1.1, 1.0, 0.9), id="dusk")]
    stages.append(CdlStage(offset=(0.02, 0.0, 0.0), id="night #2"))
    file = tmp_path / "day.ccc"
    file.write_bytes(collected(stages))
    before = hand.study.look.coats
    window.rooms["look"].coats.lay_files([file])
    hand.settle()
    assert hand.study.look.coats == before  # it was given up
    assert ports.asked[-1] == "day.ccc: A012/C003, dusk, night #2"
    ports.parts = [1, 2]
    window.rooms["look"].coats.lay_files([file])
    hand.settle()
    assert [c.name for c in hand.study.look.coats[-2:]] == ["dusk", "night #2"]
    assert hand.study.look.coats[-2].parameters.slope == (1.1, 1.0, 0.9)
    ports.parts = [0]
    window.rooms["look"].view_edits.show_files("b", [file])
    hand.settle()
    side = window.view.now.others[window.view.now.b]
    assert side.transform.stages[0].saturation == 0.5
    hand.act("room_apply")
    window.rooms["apply"].edits.take_lut(file)
    hand.settle()
    kept = hand.study.results.lut
    assert kept.transform.stages[0].id == "A012/C003"
    save_study(hand.study, tmp_path / "again.sfumato")
    opened = open_study(tmp_path / "again.sfumato").results.lut
    assert (opened.path, opened.transform.stages) == (kept.path, kept.transform.stages)
    hand.act("room_send")
    hand.settle()
    window.rooms["send"].edits.take([file])
    hand.settle()
    assert [s.name for s in window.rooms["send"].model.looks][-1] == "A012/C003"
    hand.act("room_swatchbook")
    window.rooms["swatchbook"].edits.add_folders([tmp_path])
    hand.settle()
    book = window.rooms["swatchbook"].model
    found = {book.name(s): s for s in book.swatches if s.on_disk == file}
    assert set(found) == {"A012/C003", "dusk", "night #2"}
    book.choose(found["dusk"])
    hand.act("swatch_trash")
    assert file in set(tmp_path.iterdir())
    assert "day.ccc holds this look and others" in hand.notices[-1]


def test_looks_of_a_file_are_found_and_taken_by_keyboard(hand) -> None:
    question = PartQuestion(hand.window, "day.ccc", [f"A{i:03}" for i in range(40)])
    question.show()
    QTest.keyClicks(question.line, "a03")
    assert question.places() == [30]
    QTest.keyClick(question.line, Qt.Key.Key_Return)
    assert question.result() == PartQuestion.DialogCode.Accepted
    question.line.setText("nothing is called so")
    assert not question.take.isEnabled()
