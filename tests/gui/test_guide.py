"""The guide's jobs are done in the real window, step by step as its pages tell: what a step names is to be seen.

With GUIDE_PICTURES set to a folder the pictures of the pages are written there: `./dev shots`.
"""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QTextCursor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QPushButton,
    QTextBrowser,
    QWidget,
)
from test_borrows import look
from test_trips import other

import sfumato
from sfumato.app import theme
from sfumato.app.controls.bars import Bars
from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.picker import Picker
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick_list import TickList
from sfumato.app.rooms.bench.places_field import PlacesField
from sfumato.app.window.guide_window import GuideWindow
from sfumato.core.study.printing import HELD
from sfumato.work.guide import found, guide_folder, pages
from sfumato.work.results.apply import SIDECAR

JOBS = [key for key, page in pages().items() if page.steps and page.group.startswith("Jobs")]
DEMO = ROOT / "demo"


def seen(hand) -> set[str]:
    """Return all words that the window, its sheets and its menus show."""
    words: list[str] = []
    tops = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
    for widget in (w for top in tops for w in (top, *top.findChildren(QWidget)) if w.isVisible()):
        words.append(widget.accessibleName())
        if isinstance(widget, QAbstractButton | QLabel | QLineEdit):
            words.append(widget.text())
            words.append(getattr(widget, "placeholderText", str)())
        elif isinstance(widget, QComboBox):
            words += [widget.itemText(i) for i in range(widget.count())]
        elif isinstance(widget, Bars):
            words += [row.title for row in widget.rows]
        elif isinstance(widget, QListWidget):
            words += [widget.item(i).text() for i in range(widget.count())]
    words += [a.text() for a in hand.window.actions_table.by_id.values()]
    return {_plain(word) for word in words}


def _plain(word: str) -> str:
    return word.replace("&", "").replace("…", "").strip().casefold()


def typed(hand, text: str) -> None:
    """Find a choice in the list that is open, and take it."""
    picker = QApplication.activePopupWidget()
    assert isinstance(picker, Picker)
    QTest.keyClicks(picker.line, text)
    QTest.keyClick(picker.line, Qt.Key.Key_Return)
    hand.settle()


def press(hand, name: str) -> None:
    hand.click(hand.find(QPushButton, name))
    hand.settle()


def chosen(hand, name: str, text: str) -> None:
    boxes = [b for b in hand.window.findChildren(QComboBox) if b.isVisible()]
    box = next(b for b in boxes if name in (b.objectName(), b.accessibleName()))
    box.setCurrentText(text)
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())
    box.textActivated.emit(text)
    hand.settle()


def pulled(hand, name: str, pixels: float) -> None:
    """Drag a number of the chosen glaze."""
    number = hand.find(ScrubNumber, name)
    middle = QPointF(number.rect().center())
    hand.drag(number, middle, middle + QPointF(pixels, 0))
    hand.settle()


def only(room, wanted: int) -> None:
    """Take the marks from all rows but one."""
    for row in range(room.table.rowCount()):
        if row != wanted:
            room.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)


def opened(hand) -> None:
    hand.act("open_demo")
    hand.settle()


def chosen_folder(hand, folder: Path, name: str) -> None:
    folder.mkdir(exist_ok=True)
    hand.ports.folder = folder
    press(hand, name)


def faded_photo(hand, tmp: Path) -> Iterator[str]:
    hand.act("new_study")
    yield ""
    hand.ports.pictures = [DEMO / "jetty.mov"]
    press(hand, "empty.bring_in")
    yield ""
    press(hand, "ask.take")
    assert hand.study.shots[0].encoding == "Tarn Log"
    yield ""
    hand.click(hand.find(QPushButton, "look.add"))
    typed(hand, "cur")
    field = hand.find(CurveField, "curve")
    hand.drag(field, field.place(*field.points[0]), field.place(0, 0.12))
    hand.settle()
    yield ""
    hand.click(hand.find(QPushButton, "look.add"))
    typed(hand, "colourf")
    pulled(hand, "amount", -50)
    yield ""
    hand.click(hand.find(QPushButton, "look.add"))
    typed(hand, "white")
    pulled(hand, "temperature", 20)
    values = [c.parameters for c in hand.study.look.coats]
    assert values[0].master[0][1] > 0.05
    assert values[1].amount < -15
    assert values[2].temperature > 3
    yield ""
    press(hand, "mode.split")
    easel = hand.window.rooms["look"].easel_panel.easel
    easel.setFocus()
    QTest.keyPress(easel, Qt.Key.Key_B)
    assert hand.window.view.now.blink
    QTest.keyRelease(easel, Qt.Key.Key_B)
    yield ""
    hand.act("room_apply")
    chosen_folder(hand, tmp / "out", "apply.choose")
    room = hand.window.rooms["apply"].shots_page
    assert room.apply.text() == "Apply to 1 shot"
    hand.click(room.apply)
    hand.settle()
    assert room.table.item(0, 3).text().startswith("✓")
    yield "faded-photo"


def without_its_repair(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.window.view.set(shot=hand.study.shots[0].id)
    yield ""
    hand.click(hand.find(QPushButton, "ground.add"))
    typed(hand, "exposure")
    pulled(hand, "stops", 20)
    yield ""
    row = hand.window.rooms["look"].ledger.row("l-contrast")
    hand.click(row)
    press(hand, "mode.all")
    yield ""
    press(hand, "mode.one")
    yield ""
    hand.window.settings.set("export_folder", str(tmp))
    hand.act("export_lut")
    yield ""
    hand.click(hand.find(QPushButton, "export.go"))
    hand.settle()
    lut = sfumato.read(tmp / "low_tide_33.cube")
    assert sfumato.proof(lut, hand.study.bake(33)).worst < 1e-6  # the repair is not in it
    yield "without-its-repair"
    press(hand, "seal.difference")
    assert hand.window.view.now.mode == "difference"
    yield ""


def painted_in(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("room_apply")
    yield ""
    hand.window.rooms["apply"].shots_page.table.setCurrentCell(1, 0)
    press(hand, "apply.paint")
    yield ""
    hand.ports.luts = [DEMO / "luts" / "low_tide_33.cube"]
    press(hand, "paint.add")
    yield ""
    page = hand.window.rooms["apply"].paint_page
    page.blend.textActivated.emit("soft light")
    page.strength.edited.emit(70.0)
    hand.settle()
    yield ""
    r = page.easel.picture_rect(page.easel.panes()[-1][0])
    start, end = (QPointF(r.left() + x * r.width(), r.top() + 0.6 * r.height()) for x in (0.3, 0.7))
    hand.drag(page.easel, start, end)
    hand.settle()
    (layer,) = hand.study.shot("sill").layers
    assert (layer.coat.laying.blend, len(layer.mask.marks)) == ("soft light", 1)
    yield "painted-in"
    press(hand, "paint.back")
    yield ""
    chosen_folder(hand, tmp / "out", "apply.choose")
    room = hand.window.rooms["apply"].shots_page
    only(room, 1)
    hand.wait(300)
    hand.click(room.apply)
    hand.settle()
    assert (tmp / "out" / f"sill.tif{SIDECAR}").exists()
    yield ""


def cdl_and_config(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    file = tmp / "set.cc"
    file.write_text(
        '<ColorCorrection id="set"><SOPNode><Slope>1.1 1 .9</Slope><Offset>0 0 .02</Offset>'
        "<Power>1 1 1</Power></SOPNode><SatNode><Saturation>.9</Saturation></SatNode></ColorCorrection>"
    )
    hand.drop(file)
    hand.settle()
    assert hand.study.look.coats[-1].parameters.slope == pytest.approx((1.1, 1, 0.9))
    yield ""
    pulled(hand, "slope.0", 6)
    yield ""
    hand.act("open_config")
    yield ""
    press(hand, "config.use")
    assert hand.study.configs
    yield ""
    press(hand, "view.change")
    box = next(
        b
        for b in hand.window.findChildren(QComboBox, "encoding")
        if b.isVisible() and b.accessibleName() == "Display"
    )
    box.showPopup()
    typed(hand, "sdr")
    assert "SDR" in hand.study.view.encoding
    yield "cdl-and-config"
    hand.ports.cdl = tmp / "again.cc"
    hand.act("save_cdl")
    hand.settle()
    assert b"Slope" in hand.ports.cdl.read_bytes()
    yield ""


def program_without_export(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("room_trip")
    yield ""
    chosen(hand, "trip.to", "photo editor, 16 bit")
    yield ""
    hand.ports.carrier = tmp / "neutral.tif"
    press(hand, "trip.send")
    assert (tmp / "neutral - what to do.txt").exists()
    yield ""
    other(tmp / "neutral.tif", tmp / "neutral dusk.tif")
    hand.settle()
    assert hand.study.journeys[0].returns
    yield ""
    yield "program-without-export"
    press(hand, "trip.adopt.glaze")
    assert hand.study.look.coats[-1].name == "neutral dusk"
    yield ""


def before_and_after(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("room_trip")
    press(hand, "trip.page.borrow")
    yield ""
    hand.window.view.set(shot="sill")
    small = Image.open(DEMO / "previews" / "sill.png").convert("RGB").resize((480, 270))
    small.save(tmp / "before.png")
    graded = (look(np.asarray(small) / 255) * 255 + 0.5).astype(np.uint8)
    Image.fromarray(graded).save(tmp / "after.png")
    hand.drop(tmp / "before.png", tmp / "after.png", at=QPointF(700, 300))
    hand.settle()
    yield ""
    for name in ("borrow.source", "borrow.result"):
        box = hand.find(QComboBox, name)
        box.setCurrentText("sRGB")
        box.activated.emit(box.currentIndex())
    yield ""
    yield ""
    press(hand, "borrow.below.sure")
    yield "before-and-after"
    press(hand, "borrow.adopt.glaze")
    assert hand.study.look.coats[-1].is_group
    yield ""


def presets_to_an_editor(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("room_swatchbook")
    yield ""
    press(hand, "swatch.shipped")
    book = hand.window.rooms["swatchbook"].model
    assert len(book.visible) > 10
    yield "presets-to-an-editor"
    book.choose(book.visible[0])
    hand.settle()
    yield ""
    count = len(hand.study.look.coats)
    press(hand, "swatch.put")
    assert len(hand.study.look.coats) >= count
    yield ""
    hand.act("room_send")
    hand.click(hand.find(QPushButton, "send.new"))
    menu = hand.find(QMenu, "send.kinds")
    next(a for a in menu.actions() if a.data() == "editing33").trigger()
    menu.close()
    hand.settle()
    chosen_folder(hand, tmp / "luts", "send.outlet.choose")
    yield ""
    press(hand, "send.send")
    assert [f.suffix for f in (tmp / "luts").iterdir()] == [".cube"]
    yield ""


def monitor_on_set(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("room_bench")
    hand.ports.replace = True
    yield ""
    file = tmp / "low_tide_night.cube"
    shutil.copy(DEMO / "luts" / "low_tide_33.cube", file)
    hand.drop(file)
    hand.settle()
    yield ""
    files = hand.find(TickList, "bench.files")
    row = next(
        i
        for i in range(files.count())
        if files.item(i).data(Qt.ItemDataRole.UserRole).key == file.name
    )
    hand.click(files.viewport(), QPointF(files.visualItemRect(files.item(row)).center()))
    places = hand.find(PlacesField, "bench.places")
    hand.click(places, places.box(2).center())
    hand.settle()
    hand.keys(places, Qt.Key.Key_Return)
    hand.settle()
    assert "BAD NAME" in hand.find(QLabel, "bench.word").text()
    yield ""
    press(hand, "bench.mend")
    yield ""
    hand.keys(hand.find(PlacesField, "bench.places"), Qt.Key.Key_Return)
    hand.settle()
    assert hand.window.rooms["bench"].monitors.rig.state.places[2] is not None
    hand.click(hand.find(QWidget, "bench.use.half"))
    hand.settle()
    yield "monitor-on-set"
    assert "ΔE mean" in hand.find(QLabel, "bench.mean").text()
    yield ""


def engine(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    hand.act("bench_engine")
    yield ""
    model = hand.window.rooms["bench"].engine
    right = model.figures.off.mean
    assert right < 1
    yield "engine"
    page = hand.window.rooms["bench"].engine_page
    page.panel.edited.emit("srgb", True)
    hand.settle()
    assert model.figures.off.mean > 5
    yield ""
    page.panel.edited.emit("srgb", False)
    hand.settle()
    yield ""
    hand.ports.sheet = tmp / "shot.png"
    hand.act("bench_save")
    hand.settle()
    hand.ports.pictures = [tmp / "shot.png"]
    hand.act("bench_screenshot")
    hand.settle()
    assert hand.find(QLabel, "bench.finding").text()
    yield ""


def print_(hand, tmp: Path) -> Iterator[str]:
    opened(hand)
    shutil.copy(DEMO / "poster.tif", tmp / "poster.tif")
    hand.drop(tmp / "poster.tif")
    hand.settle()
    yield ""
    hand.window.view.set(shot=hand.study.shots[-1].id)
    hand.act("show_printed")
    yield ""
    chosen(hand, "Black ink", HELD)
    yield ""
    sheet = hand.window.rooms["look"].prints.sheet
    number = sheet.findChild(ScrubNumber, "ink_limit")
    number._set(230.0)
    hand.settle()
    assert hand.study.printing.ink_limit == 230
    yield "print"
    press(hand, "print.profile")
    chosen(hand, "profile.kind", "Inks to inks of the press: a device link")
    hand.ports.profile_save = tmp / "look.icc"
    press(hand, "profile.write")
    assert (tmp / "look.icc").exists()
    yield ""
    hand.window.rooms["look"].prints.close()
    hand.act("room_apply")
    yield ""


def _job(key: str):
    return globals()[key.replace("-", "_") if key != "print" else "print_"]


def _place(usual: Path, key: str) -> Path:
    """Return where files of a job go: for pictures a place that looks like somebody's."""
    if not os.environ.get("GUIDE_PICTURES"):
        return usual
    place = Path(tempfile.gettempdir()) / "Saltglass" / key
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir(parents=True)
    return place


def _keep(hand, name: str) -> None:
    """Write the picture of a page where it is asked for."""
    folder = os.environ.get("GUIDE_PICTURES")
    if folder:
        hand.settle()
        picture = hand.window.grab()
        sheets = [d for d in hand.window.findChildren(QDialog) if d.isVisible()]
        painter = QPainter(picture)
        for sheet in sheets:  # they stand beside the window
            painter.drawPixmap(picture.width() - sheet.width() - 24, 80, sheet.grab())
        painter.end()
        picture.scaledToWidth(960, Qt.TransformationMode.SmoothTransformation).save(
            str(Path(folder) / f"{name}.jpg"), "JPEG", 88
        )


@pytest.mark.parametrize("key", JOBS)
def test_what_a_page_tells_can_be_done(hand, key: str, tmp_path: Path) -> None:
    page = pages()[key]
    pictures = set(re.findall(r"!\[[^\]]+\]\(([\w-]+)\.jpg\)", page.text))
    taken, missing = set(), []
    steps = _job(key)(hand, _place(tmp_path, key))
    for number, (_step, names) in enumerate(page.steps, 1):
        words = seen(hand)
        picture = next(steps, None)
        assert picture is not None, f"nobody does step {number}"
        hand.settle()
        words |= seen(hand)
        for name in names:
            if not any(word.startswith(_plain(name)) for word in words):
                missing.append(f"step {number}: {name}")
        if picture:
            taken.add(picture)
            _keep(hand, picture)
    assert next(steps, None) is None
    assert not missing, "not to be seen"
    assert pictures == taken == {key}
    assert (guide_folder() / f"{key}.jpg").is_file()


def test_pages_lead_only_where_something_is() -> None:
    assert len(pages()) == 15
    for page in pages().values():
        for link in re.findall(r"\]\(([^)]+)\)", page.text):
            assert (guide_folder() / link).resolve().is_file(), (page.key, link)
        assert len(page.words.split()) < 560, page.key  # two screens


def test_the_guide_opens_where_one_is_is_searched_and_leads_on(hand) -> None:
    window = hand.window
    QTest.keyClick(window, Qt.Key.Key_F1)
    guide = window.findChild(GuideWindow)
    assert guide.isVisible()
    assert guide.page == window.room.guide == "faded-photo"
    text = guide.findChild(QTextBrowser)
    assert "log footage" in text.toPlainText()
    QTest.keyClicks(guide.line, "tetrahedral grid")
    assert guide.list.count() >= 1
    QTest.keyClick(guide.line, Qt.Key.Key_Return)
    assert guide.page == found("tetrahedral grid")[0].key
    guide.show_page("proof")
    links = QTextCursor(text.document().find("grids, loss and fitting"))
    assert links.charFormat().isAnchor()
    assert links.charFormat().foreground().color() == theme.colour("azurite")
    guide.show_page("grids-and-loss")
    text.anchorClicked.emit("formats.md")
    assert guide.page == "formats"
    hand.click(guide.back)
    assert guide.page == "grids-and-loss"
    guide.line.setText("no page says this")
    assert "No page" in guide.list.item(0).text()
    guide.close()
    # Every room leads to its page: by F1, by what is empty, and by every explanation.
    for room in (window.rooms[key] for key in window.rooms.specs):
        window.view.set(room=room.key)
        hand.settle()
        assert room.guide in pages()
        if room.key not in ("bench",):
            hand.click(hand.find(QPushButton, "guide"))
            assert (guide.page, guide.isVisible()) == (room.guide, True)
            guide.close()
    hand.act("explain_control")
