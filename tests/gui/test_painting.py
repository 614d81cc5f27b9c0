"""Painting on a still in the real window: strokes, undo, layers, keyboard, pen; results hold it, LUTs do not."""

from __future__ import annotations

import threading
from pathlib import Path

import numpy as np
import pytest
from conftest import DEMO
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QInputDevice, QPointingDevice, QPointingDeviceUniqueId, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QListWidget, QPushButton

from sfumato.app.controls.tick import Tick
from sfumato.core.study.mask import Brush, Gradient, Inverted, Stroke, rendered
from sfumato.work.cancel import Cancel
from sfumato.work.frames import WHOLE, open_still
from sfumato.work.preview.painting import Canvas, CanvasAsk
from sfumato.work.stores.study_store import open_study

LUT = DEMO.parent / "luts" / "low_tide_33.cube"


@pytest.fixture
def page(demo):
    """The demo study, painting on the second shot, its mask empty."""
    demo.act("room_apply")
    demo.window.rooms["apply"].shots_page.table.setCurrentCell(1, 0)
    demo.click(demo.find(QPushButton, "apply.paint"))
    demo.settle()
    demo.click(demo.find(QPushButton, "paint.empty"))
    demo.settle()
    return demo.window.rooms["apply"].paint_page


def at(page, x: float, y: float) -> QPointF:
    r = page.easel.picture_rect(page.easel.panes()[-1][0])
    return QPointF(r.left() + x * r.width(), r.top() + y * r.height())


def pixels(page) -> np.ndarray:
    return page._model.canvas.picture.astype(int)


def mask_of(hand):
    return hand.study.shot("sill").mask


def test_a_stroke_shows_at_once_is_one_undo_and_comes_back_exactly(demo, page) -> None:
    before = pixels(page)
    demo.drag(page.easel, at(page, 0.3, 0.4), at(page, 0.6, 0.5))
    demo.until(lambda: not page._model._hand.is_busy)
    moving = pixels(page)  # by the table, before it came to rest
    assert np.abs(moving - before).max() > 20
    demo.settle()
    rest = pixels(page)
    assert np.percentile(np.abs(rest - moving), 99.9) <= 6
    assert np.abs(rest - moving).max() <= 16  # few, at the edge of the gamut
    (stroke,) = mask_of(demo).marks
    assert isinstance(stroke, Stroke)
    assert stroke.points[0][:2] == pytest.approx((0.3, 0.4), abs=0.01)
    assert stroke.points[-1][:2] == pytest.approx((0.6, 0.5), abs=0.01)
    # Only under the stroke, and there it is the Look.
    h, w = rest.shape[:2]
    changed = np.abs(rest - before).max(-1) > 1
    reach = rendered(mask_of(demo), w, h) > 0.002
    assert not (changed & ~reach).any()
    demo.act("undo")
    demo.settle()
    assert mask_of(demo).marks == ()
    np.testing.assert_array_equal(pixels(page), before)
    demo.act("redo")
    demo.settle()
    np.testing.assert_array_equal(pixels(page), rest)
    # Where it goes is shown by greying the rest.
    demo.click(demo.find(Tick, "paint.show_mask"))
    shown = page._model.canvas.shown(0)
    assert (np.ptp(shown[5, 5].astype(int)), shown[5, 5].max() < rest[5, 5].max()) == (0, True)


def test_a_large_brush_keeps_the_hand_waiting_for_nothing(demo, page, monkeypatch) -> None:
    """Laying is slow; the window takes two strokes meanwhile, and all of both is there in the end."""
    lay, gate, layers = Canvas.lay, threading.Event(), []

    def slow(canvas, step, stroke, number):
        layers.append(threading.current_thread())
        assert gate.wait(20)
        return lay(canvas, step, stroke, number)

    monkeypatch.setattr(Canvas, "lay", slow)
    model, parts = page._model, []
    model.repaired.connect(lambda rect, part: parts.append((rect, part)))
    before = pixels(page)
    monkeypatch.setattr(model._later, "start", lambda: None)  # no exact canvas in between
    demo.drag(page.easel, at(page, 0.2, 0.3), at(page, 0.5, 0.3))
    demo.drag(page.easel, at(page, 0.4, 0.7), at(page, 0.8, 0.7))
    assert len(mask_of(demo).marks) == 2  # both are kept, though neither is laid yet
    np.testing.assert_array_equal(pixels(page), before)
    gate.set()
    demo.until(lambda: not model._hand.is_busy)
    assert threading.main_thread() not in layers
    laid = model.canvas.sheets[0].pixels
    np.testing.assert_allclose(laid, rendered(mask_of(demo), *laid.shape[::-1]), atol=1e-5)
    shown = before.copy()
    for (left, top, right, bottom), part in parts:
        shown[top:bottom, left:right] = part
    np.testing.assert_array_equal(shown, pixels(page))  # the easel was given all of it
    assert np.abs(shown - before).max() > 20


def test_an_unseen_canvas_costs_nothing(demo, page) -> None:
    view = demo.window.view
    assert page._model.canvas is not None
    view.set(room="look")
    demo.settle()
    for strength in (0.5, 0.7):
        demo.window.model.commit("Softer", demo.study.with_look(strength=strength))
        assert not page._model.is_busy
    demo.settle()
    assert page._model.canvas is None  # nor does it stay in memory
    view.set(room="apply")
    demo.settle()
    assert page._model.canvas.ask.study is demo.study


def test_erase_gradient_invert_and_keys(demo, page) -> None:
    easel = page.easel
    demo.click(demo.find(QPushButton, "paint.gradient"))
    demo.drag(easel, at(page, 0.2, 0.5), at(page, 0.8, 0.5))
    demo.settle()
    (gradient,) = mask_of(demo).marks
    assert isinstance(gradient, Gradient)
    h, w = pixels(page).shape[:2]
    ramp = rendered(mask_of(demo), w, h)[h // 2]
    assert (ramp[0], ramp[-1]) == (1.0, 0.0)
    assert ramp[w // 2] == pytest.approx(0.5, abs=0.02)
    demo.click(demo.find(QPushButton, "paint.invert"))
    demo.settle()
    assert isinstance(mask_of(demo).marks[-1], Inverted)
    assert rendered(mask_of(demo), w, h)[h // 2, 0] == 0.0
    demo.click(demo.find(QPushButton, "paint.brush"))
    demo.click(demo.find(Tick, "erase"))
    easel.setFocus()
    QTest.mouseMove(easel, at(page, 0.9, 0.5).toPoint())
    demo.wait(10)
    demo.keys(easel, Qt.Key.Key_Left, Qt.Key.Key_Return)
    demo.settle()
    dab = mask_of(demo).marks[-1]
    assert dab.brush.erase
    assert 0.85 < dab.points[0][0] < 0.9
    x, y = (int(v) for v in (dab.points[0][0] * w, dab.points[0][1] * h))
    assert rendered(mask_of(demo), w, h)[y, x] == 0.0
    demo.act("zoom_actual")
    assert (easel.zoom, demo.window.rooms["look"].easel_panel.easel.zoom) == (1.0, None)
    demo.act("zoom_fit")
    demo.settle()
    size = page._model.brush.size
    page.easel.resized.emit(3)
    assert page._model.brush.size == pytest.approx(size * 1.1**3, rel=0.01)
    kept = page._model.brush
    demo.window.rooms["apply"].keep()
    page._model.set_brush(Brush())
    for text in (str(demo.window.settings.get("brush")), "", '{"size": -4}', "[3]"):
        demo.window.rooms["apply"].paint_edits._take_brush(text)
        assert page._model.brush == kept
    # Esc lets go of a stroke under way, then leads back to the shots.
    marks = mask_of(demo).marks
    QTest.mousePress(easel, Qt.MouseButton.LeftButton, pos=at(page, 0.5, 0.5).toPoint())
    demo.keys(easel, Qt.Key.Key_Escape)
    QTest.mouseRelease(easel, Qt.MouseButton.LeftButton, pos=at(page, 0.5, 0.5).toPoint())
    demo.settle()
    assert mask_of(demo).marks == marks
    demo.keys(easel, Qt.Key.Key_Escape)
    assert demo.window.rooms["apply"].pages.currentWidget() is demo.window.rooms["apply"].shots_page
    assert demo.window.rooms["apply"].shots_page.table.item(1, 2).text() == "mask"


def test_a_pen_presses(demo, page) -> None:
    pen = QPointingDevice(
        "pen",
        7,
        QInputDevice.DeviceType.Stylus,
        QPointingDevice.PointerType.Pen,
        QInputDevice.Capability.Position | QInputDevice.Capability.Pressure,
        1,
        1,
        "",
        QPointingDeviceUniqueId(),
    )
    kinds = (QEvent.Type.TabletPress, QEvent.Type.TabletMove, QEvent.Type.TabletRelease)
    for kind, place, pressure in zip(kinds, (0.3, 0.5, 0.5), (0.2, 0.6, 0.0), strict=True):
        where = at(page, place, 0.5)
        event = QTabletEvent(
            kind,
            pen,
            where,
            QPointF(page.easel.mapToGlobal(where.toPoint())),
            pressure,
            0.0,
            0.0,
            0.0,
            0.0,
            0.0,
            Qt.KeyboardModifier.NoModifier,
            Qt.MouseButton.LeftButton,
            Qt.MouseButton.LeftButton,
        )
        QApplication.sendEvent(page.easel, event)
    demo.settle()
    (stroke,) = mask_of(demo).marks
    assert [p[2] for p in stroke.points] == pytest.approx([0.2, 0.6], abs=0.01)
    h, w = pixels(page).shape[:2]
    middle = rendered(mask_of(demo), w, h)[h // 2]
    assert middle[int(0.32 * w)] < middle[int(0.48 * w)] < 1.0


def test_layers_have_their_own_lut_strength_blend_and_mask(
    demo, page, ports, tmp_path: Path
) -> None:
    demo.drop(LUT)  # in the middle of the picture
    demo.settle()
    layers = demo.find(QListWidget, "paint.layers")
    assert [layers.item(i).text() for i in range(layers.count())] == ["The Look", LUT.stem]
    demo.drag(page.easel, at(page, 0.5, 0.7), at(page, 0.8, 0.7))
    page.strength.edited.emit(60.0)
    page.blend.textActivated.emit("colour only")
    demo.settle()
    (layer,) = demo.study.shot("sill").layers
    assert (layer.coat.strength, layer.coat.laying.blend) == (0.6, "colour only")
    assert len(layer.mask.marks) == 1
    assert mask_of(demo).marks == ()
    ports.luts = [LUT]
    demo.click(demo.find(QPushButton, "paint.add"))
    demo.settle()
    # The tick of a layer that is not the chosen one: choosing it fills the list anew.
    for row in (1, 2):
        layers.item(row).setCheckState(Qt.CheckState.Unchecked)
        assert not demo.study.shot("sill").layers[row - 1].coat.on
        demo.act("undo")
    assert all(each.coat.on for each in demo.study.shot("sill").layers)
    layers.setCurrentRow(2)
    demo.click(demo.find(QPushButton, "paint.up"))
    assert demo.study.shot("sill").layers[1].coat.id == layer.coat.id
    demo.click(demo.find(QPushButton, "paint.remove"))
    demo.settle()
    assert demo.study.shot("sill").layers == (layer,)
    assert "never into a LUT" in demo.find(QLabel, "paint.note").text()
    # It is in the study file, and in the result, as it was on the screen.
    ports.save = tmp_path / "painted.sfumato"
    demo.act("save_study_as")
    demo.settle()
    again = open_study(ports.save)
    kept = again.shot("sill").layers[0]
    assert kept.coat.parameters.file.transform is not None
    assert kept.mask.marks[0].points[0] == pytest.approx(layer.mask.marks[0].points[0], abs=1e-5)
    seen = pixels(page)
    demo.click(demo.find(QPushButton, "paint.back"))
    room = demo.window.rooms["apply"].shots_page
    room.settings.folder.setText(str(tmp_path / "out"))
    for row in (0, 2, 3, 4, 5):
        room.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    demo.wait(300)
    demo.click(room.apply)
    demo.settle()
    assert "every pixel as meant" in room.table.item(1, 3).text()
    result = open_still(tmp_path / "out" / "sill.tif").as_float()
    shot, size = demo.study.shot("sill"), (result.shape[1], result.shape[0])
    previewer = demo.window.desk.previewer
    canvas = Canvas(previewer, CanvasAsk(demo.study, shot, *size, WHOLE), Cancel())
    there = previewer.screened(demo.study, result)
    assert np.abs(canvas.picture.astype(int) - there).max() <= 1
    assert seen.shape[1] < result.shape[1]


def test_a_still_taken_out_before_it_opens_is_not_painted_on(demo) -> None:
    """Its size is read in the background; the answer finds no shot of that kind any more."""
    room = demo.window.rooms["apply"]
    demo.act("room_apply")
    demo.settle()
    first = demo.study.shots[0].id
    room.paint_edits.open(first)
    demo.window.model.commit("Take out", demo.study.without_shot(first))
    demo.settle()
    for action in ("mask_invert", "mask_full"):
        demo.window.actions_table.run(action)
    demo.settle()
    assert room.paint_edits._paint.shot_id == ""
    assert not demo.window.strip.text().startswith("A fault")
