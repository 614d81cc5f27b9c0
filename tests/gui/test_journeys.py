"""Whole journeys in the real window, with mouse and keys."""

from __future__ import annotations

import threading
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import DEMO, ROOT
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QPlainTextEdit, QPushButton

import sfumato
from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.scrub import ScrubNumber, evaluated
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.app.rooms.look.export_sheet import ExportSheet
from sfumato.app.rooms.look.thread import SpanEnd
from sfumato.app.window.palette import Palette
from sfumato.app.window.report_dialog import ReportDialog
from sfumato.core.path.span import Joint
from sfumato.core.study.study import LOOK
from sfumato.work.cancel import Cancel
from sfumato.work.frames import open_still
from sfumato.work.luts.target import Target
from sfumato.work.results.stills import applied
from sfumato.work.stores.study_store import open_study, recoverable


def test_from_the_demo_to_a_proved_lut(demo, tmp_path: Path) -> None:
    """Choose a shot, drag a glaze, pick a curve point, undo all, redo, save, reopen, export."""
    hand, window = demo, demo.window
    start = hand.study
    hand.click(window.rooms["look"].shots, window.rooms["look"].shots.box(1).center())
    hand.settle()
    assert window.desk.shot.name == "sill"
    before = hand.colour_at(960, 300)

    hand.click(hand.find(QPushButton, "look.add"))
    hand.menu("add.exposure")
    hand.settle()
    number = hand.find(ScrubNumber, "stops")
    hand.shown.clear()
    centre = QPointF(number.rect().center())
    hand.drag(number, centre, centre + QPointF(20, 0))
    assert any(s.ask.dragging for s in hand.shown) or hand.settle() is None
    hand.settle()
    coat = hand.study.look.coats[-1]
    assert coat.parameters.stops == pytest.approx(0.5, abs=0.06)
    assert sum(hand.colour_at(960, 300)) > sum(before) + 15
    assert window.model.undo_stack.count() == 2  # the whole drag is one step

    hand.click(hand.find(CoatRow, "coat.l-curves"))
    hand.settle()
    field = hand.find(CurveField, "curve")
    points = len(field.points)
    assert field.histogram is not None
    assert field.histogram.sum() > 1000
    hand.click(hand.find(QPushButton, "pick"))
    easel = window.rooms["look"].easel_panel.easel
    hand.click(easel, easel.widget_at(960, 1040))
    hand.settle()
    assert len(field.points) == points + 1
    entering = window.desk.previewer.probe(window.desk.ask(), 960, 1040, 2).entering
    luma = float(entering @ (sfumato.encodings()["Tarn Log"].to_xyz[1]))
    assert field.points[field.chosen][0] == pytest.approx(luma, abs=0.002)
    assert window.view.now.picking
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.view.now.picking
    x, y = field.points[field.chosen]
    hand.drag(field, field.place(x, y), field.place(x, y + 0.1))
    hand.settle()
    edited = hand.study
    assert edited != start

    for _ in range(window.model.undo_stack.count()):
        hand.act("undo")
    assert not window.model.undo_stack.canUndo()
    assert hand.study == start
    assert not window.model.is_edited
    for _ in range(window.model.undo_stack.count()):
        hand.act("redo")
    assert hand.study == edited

    hand.ports.save = tmp_path / "film"
    hand.act("save_study")
    assert not window.model.is_edited
    hand.act("new_study")
    assert hand.study.shots == ()
    hand.ports.study = tmp_path / "film.sfumato"
    hand.act("open_study")
    hand.settle()
    assert hand.study == edited
    assert str(tmp_path / "film.sfumato") in window.settings.recent

    window.settings.set("export_folder", str(tmp_path))
    hand.act("export_lut")
    sheet = window.findChild(ExportSheet, "export")
    assert sheet.go.text() == "Export low_tide_33.cube"
    hand.click(sheet.go)
    hand.settle()
    proof = window.rooms["look"].exports.proof
    assert proof is not None
    assert proof.off == 0
    assert proof.second is not None
    assert proof.second.loss.main.worst == pytest.approx(proof.own.main.worst, abs=1e-3)
    assert "FFmpeg" in hand.find(QLabel, "seal.second").text()
    hand.click(hand.find(QPushButton, "seal.difference"))
    hand.settle()
    assert window.view.now.mode == "difference"
    delta = hand.shown[-1].delta
    assert 0 < delta.max() <= proof.worst * 1.5 + 0.5
    lut = sfumato.read(tmp_path / "low_tide_33.cube")
    assert sfumato.proof(lut, hand.study.bake(33)).worst == 0


@pytest.mark.parametrize("kind", ["jpeg", "tiff16"])
def test_pictures_that_are_not_ours_come_out_the_same_on_the_command_line(
    hand, kind: str, tmp_path: Path, request
) -> None:
    """The command line's picture equals side B at the pixel."""
    file: Path = request.getfixturevalue(kind)
    window = hand.window
    hand.ports.pictures = [file]
    hand.click(hand.find(QPushButton, "empty.bring_in"))
    hand.settle()
    assert window.desk.shot.name == file.stem
    if kind == "tiff16":
        assert window.desk.shot.encoding is None
        hand.click(hand.find(QPushButton, "ask.encoding"))
        hand.menu("encoding.ACEScct")
        assert hand.study.working == "ACEScct"
    else:
        assert (window.desk.shot.encoding, hand.study.working) == ("sRGB", "sRGB")
    for key in ("add.contrast", "add.colourfulness", "add.curves"):
        hand.click(hand.find(QPushButton, "look.add"))
        hand.menu(key)
        hand.wait(30)
    ids = {c.key: c.id for c in hand.study.look.coats}
    study = hand.study.tuned(ids["contrast"], slope=1.4).tuned(ids["colourfulness"], amount=30.0)
    window.model.commit("Grade", study.tuned(ids["curves"], blue=((0.0, 0.1), (1.0, 0.9))))
    hand.settle()
    hand.ports.save = tmp_path / "own.sfumato"
    hand.act("save_study")
    out = tmp_path / "own.cube"
    assert _cli("bake", tmp_path / "own.sfumato", out) == 0
    graded = tmp_path / f"graded{file.suffix if kind == 'tiff16' else '.png'}"
    assert _cli("apply", out, file, graded) == 0
    written = open_still(graded).pixels
    w, h = open_still(file).size
    window.desk.set_geometry(w, h, (0.0, 0.0, 1.0, 1.0))
    hand.settle()
    shown = hand.shown[-1]
    assert shown.b.shape == (h, w, 3)
    if kind == "jpeg":
        assert np.abs(shown.b.astype(int) - written).max() <= 1
    else:
        side = window.desk.previewer.side(shown.ask, "lut")
        code = window.desk.previewer.working(shown.ask, w, h, (0.0, 0.0, 1.0, 1.0))
        exact = np.clip(side(code), 0, 1) * 65535
        assert np.abs(exact - written).max() <= 1
        np.testing.assert_array_equal(
            written, applied([sfumato.read(out)], open_still(file), bits=16)[0]
        )


def _cli(*words: object) -> int:
    from click.testing import CliRunner

    from sfumato.cli.main import cli

    return CliRunner().invoke(cli, [str(w) for w in words]).exit_code


def test_split_side_and_zoom_show_the_true_sides(demo) -> None:
    hand, window = demo, demo.window
    hand.click(window.rooms["look"].shots, window.rooms["look"].shots.box(4).center())
    easel = window.rooms["look"].easel_panel.easel
    hand.click(hand.find(QPushButton, "mode.split"))
    hand.settle()
    line = easel.split_line()
    hand.drag(easel, QPointF(line, 200), QPointF(line + 150, 200))
    assert easel.split == pytest.approx(
        0.5 + 150 / easel.picture_rect(easel.panes()[0][0]).width(), abs=0.01
    )
    hand.settle()
    shown = hand.shown[-1]
    place = (700, 800)
    a = shown.on_screen[0]
    left = a[place[1] * a.shape[0] // 1080, place[0] * a.shape[1] // 1920]
    assert np.abs(np.array(hand.colour_at(*place)) - left).max() <= 12
    hand.act("turn_split")
    assert easel.across
    easel.setFocus()
    hand.keys(easel, Qt.Key.Key_Down, Qt.Key.Key_Down)
    assert window.view.now.split > easel.split - 0.001
    hand.click(hand.find(QPushButton, "mode.side"))
    hand.settle()
    assert len(easel.panes()) == 2
    hand.act("zoom_actual")
    hand.settle()
    shown = hand.shown[-1]
    x0, y0, x1, y1 = shown.ask.region
    assert (round((x1 - x0) * 1920), round((y1 - y0) * 1080)) == (shown.ask.width, shown.ask.height)
    source = open_still(ROOT / "demo/jetty.tif").as_float()[round(y0 * 1080), round(x0 * 1920)]
    assert (
        np.abs(
            window.desk.frames.proxy(
                shown.ask.shot, shown.ask.width, shown.ask.height, shown.ask.region
            )[0, 0]
            - source
        ).max()
        < 1e-6
    )
    whole = window.desk.previewer.show(
        attrs.evolve(shown.ask, region=(0.0, 0.0, 1.0, 1.0), width=480, height=270, dragging=True),
        Cancel(),
    )
    apart = shown.instruments["parade"].astype(int) - whole.instruments["parade"]
    assert (
        np.abs(apart).mean() < 4
    )  # by a coarser table when the machine is busy: the instruments still see the whole picture
    QTest.mouseMove(easel, QPointF(200, 150).toPoint())
    hand.settle()
    assert "source 0." in hand.find(QLabel, "readout.source").text()
    hand.act("zoom_fit")


def test_numbers_are_scrubbed_stepped_typed_and_reset(demo) -> None:
    hand = demo
    hand.click(hand.find(CoatRow, "coat.l-contrast"))
    number = hand.find(ScrubNumber, "slope")
    number.setFocus()
    hand.keys(number, Qt.Key.Key_Up)
    assert hand.study.coat("l-contrast").parameters.slope == pytest.approx(1.13)
    hand.keys(number, Qt.Key.Key_Down, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert hand.study.coat("l-contrast").parameters.slope == pytest.approx(1.03)
    hand.keys(number, Qt.Key.Key_Return)
    typed = number.findChild(QLineEdit, "typed")
    typed.clear()
    QTest.keyClicks(typed, "3/2 + 0.1")
    hand.keys(typed, Qt.Key.Key_Return)
    assert hand.study.coat("l-contrast").parameters.slope == pytest.approx(1.6)
    QTest.mouseDClick(number, Qt.MouseButton.LeftButton)
    assert hand.study.coat("l-contrast").parameters.slope == 1.0
    hand.act("undo")
    assert number.value() == pytest.approx(1.6)
    hand.settle()


def test_expressions() -> None:
    assert evaluated("1/4") == 0.25
    assert evaluated("−0,5 stops", "stops") == -0.5
    for bad in ("", "import os", "2**9", "1/0", "x", "(" * 90, "'a'"):
        assert evaluated(bad) is None


def test_rows_move_switch_and_go(demo) -> None:
    hand, window = demo, demo.window
    rows = [c.id for c in hand.study.look.coats]
    row = hand.find(CoatRow, f"coat.{rows[0]}")
    target = hand.find(CoatRow, f"coat.{rows[2]}")
    end = QPointF(row.mapFromGlobal(target.mapToGlobal(target.rect().center()))) + QPointF(0, 4)
    hand.drag(row, QPointF(row.rect().center()), end)
    assert [c.id for c in hand.study.look.coats][:3] == [rows[1], rows[2], rows[0]]
    row = hand.find(CoatRow, f"coat.{rows[1]}")
    row.setFocus()
    hand.keys(row, Qt.Key.Key_Space)
    assert not hand.study.coat(rows[1]).on
    hand.click(row)
    hand.act("glaze_down")
    hand.act("duplicate_glaze")
    assert len(hand.study.look.coats) == 6
    hand.act("remove_glaze")
    assert len(hand.study.look.coats) == 5
    assert window.view.now.coat == ""
    for _ in range(5):
        hand.act("undo")
    assert [c.id for c in hand.study.look.coats] == rows
    hand.settle()


def test_the_ground_enters_the_lut_only_when_asked_and_stays_warned_of(demo) -> None:
    hand, window = demo, demo.window
    end = hand.find(SpanEnd, "span.start")
    end.setFocus()
    hand.keys(end, Qt.Key.Key_Up)
    assert hand.study.span.start is Joint.GROUND
    hand.menu("include")
    assert hand.study.span.start is Joint.SOURCE
    assert "Includes the Ground of furnace" in hand.find(QLabel, "seal.warning").text()
    hand.settle()
    end = hand.find(SpanEnd, "span.end")
    end.setFocus()
    hand.keys(end, Qt.Key.Key_Up)
    assert hand.study.span.end is Joint.LOOK
    hand.settle()
    hand.act("include_ground")
    assert not window.findChild(QLabel, "seal.warning").isVisible()
    hand.settle()


def test_all_actions_are_found_by_words(demo) -> None:
    hand, window = demo, demo.window
    hand.act("open_palette")
    palette = window.findChild(Palette, "palette")
    QTest.keyClicks(palette.search, "side by")
    assert palette.list.count() == 1
    hand.keys(palette.search, Qt.Key.Key_Return)
    assert window.view.now.mode == "side"
    hand.settle()


def test_every_control_is_named_for_those_who_cannot_see_it(demo) -> None:
    hand = demo
    for coat in hand.study.look.coats:
        hand.window.view.set(coat=coat.id)
        hand.wait(30)
        for number in hand.window.findChildren(ScrubNumber):
            assert number.accessibleName(), number.objectName()
            assert number.focusPolicy() & Qt.FocusPolicy.TabFocus
    hand.settle()


def test_broken_files_say_one_sentence_and_lose_nothing(demo, jpeg: Path, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    before = hand.study
    cut = tmp_path / "cut.png"
    cut.write_bytes((ROOT / "demo/sill_photo.png").read_bytes()[:4000])
    hand.drop(cut)
    hand.settle()
    assert "cut.png: the PNG is damaged or cut short" in window.strip.text()
    hand.drop(tmp_path / "notes.doc")
    assert "cannot be taken in" in window.strip.text()
    bad = tmp_path / "bad.sfumato"
    bad.write_text("{")
    hand.drop(bad)
    hand.settle()
    assert "this is not a study" in window.strip.text()
    assert hand.study == before
    hand.drop(jpeg)
    hand.settle()
    assert hand.study.shots[-1].name == "holiday"
    jpeg.unlink()
    window.desk.frames.__init__()
    window.desk.refresh()
    hand.settle()
    assert "no such file" in hand.find(QLabel, "broken.words").text()
    hand.click(window.rooms["look"].shots, window.rooms["look"].shots.box(0).center())
    hand.settle()
    assert window.rooms["look"].easel_panel.easel.isVisible()


def test_an_export_that_cannot_be_written_leaves_the_window_alive(
    demo, tmp_path: Path, monkeypatch
) -> None:
    from sfumato.app.rooms.look.export_sheet import ExportWish
    from sfumato.work import files

    hand, window = demo, demo.window

    def full(_fd: int) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as disk:
        disk.setattr(files.os, "fsync", full)
        window.rooms["look"].exports.export(
            ExportWish(tmp_path / "x.cube", Target("cube", 9), "x", False)
        )
        hand.settle()
    assert "the disk is full" in window.strip.text()
    assert list(tmp_path.glob("*.cube")) == []
    window.rooms["look"].exports.export(
        ExportWish(tmp_path / "x.cube", Target("cube", 9), "x", False)
    )
    window.queue.cancel()
    hand.settle()
    assert not (tmp_path / "x.cube").exists()
    assert "cancelled" in window.strip.text()


def test_unsaved_work_is_kept_and_offered_after_a_crash(demo) -> None:
    hand, window = demo, demo.window
    window.model.commit("Rename", hand.study.with_look(name="Half made"))
    hand.wait(100)
    hand.settle()
    assert window.files.slot.exists()  # at once, not after a rest
    ((copy,), damaged) = recoverable()
    assert (copy.study.look.name, damaged) == ("Half made", [])
    window.model.undo_stack.setClean()
    window.files.new_study()
    from sfumato.work.stores import study_store

    lost = study_store.new_slot()
    study_store.autosave(open_study(DEMO).with_look(name="Lost"), lost, None)
    window.files.offer_recovery()
    assert "was not saved" in window.strip.text()
    hand.click(hand.find(QPushButton, "notice.button"))
    hand.settle()
    assert hand.study.look.name == "Lost"
    assert window.model.is_edited
    assert hand.study.coats(LOOK)
    assert window.files.slot.exists()
    assert not lost.exists()


def test_layout_and_choices_come_back(demo, tmp_path: Path, ports, qtbot) -> None:
    from sfumato.app.services.settings import Settings
    from sfumato.app.window.main_window import MainWindow

    window = demo.window
    window.view.set(instruments=("vectorscope", "waveform"))
    window.view.set(mode="side")
    window.keep()
    again = MainWindow(Settings(tmp_path / "sfumato.ini"), ports, DEMO)
    assert again.view.now.instruments == ("vectorscope", "waveform")
    assert again.view.now.mode == "side"
    again.close()
    again.deleteLater()
    demo.settle()


def test_a_bug_opens_one_report_and_the_window_lives(demo) -> None:
    hand, window = demo, demo.window
    lane = window.desk._lanes["probe"]

    def reports() -> list[ReportDialog]:
        return window.findChildren(ReportDialog)

    def astray(_cancel):
        return [][1]

    for _frame in range(3):  # as work that is asked for with each frame of a clip
        lane.ask(lambda _cancel: 1 / 0)
        hand.until(lambda: not lane.is_busy)
    lane.ask(astray)
    hand.until(lambda: not lane.is_busy)
    (report,) = reports()
    assert report is QApplication.activeModalWidget()
    hand.click(report.findChild(QPushButton, "report.copy"))
    words = QApplication.clipboard().text()
    assert words.count("ZeroDivisionError") == words.count("IndexError") == 1
    assert "2 more times" in report.findChild(QLabel, "report.count").text()
    report.accept()
    hand.until(lambda: not reports())

    lane.ask(astray)  # what was told already is said beside the work
    hand.until(lambda: not lane.is_busy)
    assert not reports()
    assert "again" in window.strip.text()
    hand.click(window.strip.findChild(QPushButton, "notice.button"))
    assert "IndexError" in reports()[0].findChild(QPlainTextEdit).toPlainText()
    reports()[0].accept()
    hand.bugs.clear()
    hand.click(window.rooms["look"].shots, window.rooms["look"].shots.box(2).center())
    hand.settle()
    assert window.desk.shot.name == "causeway"


def test_files_do_not_wait_for_long_work_and_later_edits_are_asked_about(
    demo, tmp_path: Path
) -> None:
    hand, window = demo, demo.window
    going_on = threading.Event()
    window.queue.add("Something long", lambda _cancel, _progress: going_on.wait(60))
    lut = tmp_path / "plain.cube"
    lut.write_text(
        "LUT_3D_SIZE 2\n" + "\n".join(f"{i & 1} {i >> 1 & 1} {i >> 2}" for i in range(8))
    )
    hand.drop(lut)
    assert hand.study.look.coats[-1].name == "plain"  # in the Look, while the long work goes on
    assert window.queue.is_busy

    # What is done while a study is being read is not lost without a word.
    window.model.undo_stack.setClean()
    release = threading.Event()
    window.reading.add("Held up", lambda _cancel, _progress: release.wait(60))
    window.files.open_file(DEMO)
    window.model.commit("Meanwhile", hand.study.with_look(strength=0.3))
    mine = hand.study
    hand.ports.unsaved = "cancel"
    release.set()
    while window.reading.is_busy:
        hand.wait(10)
    assert hand.study is mine
    going_on.set()
    hand.ports.unsaved = "drop"
    hand.settle()
