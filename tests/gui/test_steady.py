"""The window stays steady when what is chosen goes away under the hand."""

from __future__ import annotations

import gc
import threading
import time

import attrs
import numpy as np
import pytest
from conftest import ROOT
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QDialog, QPushButton, QWidget
from shiboken6 import isValid

from sfumato.app import theme
from sfumato.app.guard import guarded
from sfumato.app.questions import Question
from sfumato.app.rooms.look.ledger import Ledger
from sfumato.app.rooms.look.preset_sheet import PresetSheet
from sfumato.app.services.view_state import ViewState, fitted
from sfumato.app.views.easel import Easel
from sfumato.app.views.scope import ScopeView
from sfumato.app.window.dress import Dress
from sfumato.app.window.rail import Rail
from sfumato.core.glaze import glazes
from sfumato.core.study.coat import new_coat
from sfumato.core.study.mask import Mask
from sfumato.core.study.shot import Layer
from sfumato.core.study.study import LOOK
from sfumato.work.cancel import Cancelled
from sfumato.work.preview import measures
from sfumato.work.preview.asks import Ask, Shown
from sfumato.work.preview.preview import Previewer


def test_a_shot_goes_while_a_glaze_of_its_ground_is_chosen(demo) -> None:
    hand, view = demo, demo.window.view
    view.set(shot="furnace", coat="g-furnace-exp")
    hand.settle()
    place = [s.id for s in hand.study.shots].index("furnace")
    hand.act("remove_shot")
    hand.settle()
    assert view.now.coat == ""
    assert view.now.shot == hand.study.shots[place].id  # its neighbour
    hand.act("undo")
    hand.settle()
    hand.act("redo")
    hand.settle()


def test_a_chosen_glaze_goes_after_painting(demo) -> None:
    """Layers have coats too, which lie on no path of the Ledger."""
    hand, window = demo, demo.window
    study = hand.study
    shot = attrs.evolve(study.shot("sill"), layers=(Layer(new_coat("exposure"), Mask()),))
    painted = attrs.evolve(study, shots=tuple(shot if s.id == "sill" else s for s in study.shots))
    window.model.commit("Paint", painted)
    window.model.commit("Add", hand.study.added(LOOK, attrs.evolve(new_coat("levels"), id="x")))
    window.view.set(shot="sill", coat="x", solo="x", picking="x", pick_part="reach", b="matte")
    hand.settle()
    hand.act("remove_glaze")
    hand.settle()
    now = window.view.now
    assert (now.coat, now.solo, now.picking, now.pick_part, now.b) == ("", "", "", "", "lut")
    hand.act("undo")
    window.view.set(coat="x")
    hand.act("undo")
    hand.settle()
    assert window.view.now.coat == ""
    window.view.set(coat=shot.layers[0].coat.id)
    assert window.view.now.coat == ""


def test_reverting_with_a_chosen_glaze(demo, tmp_path) -> None:
    hand, window = demo, demo.window
    hand.ports.save = tmp_path / "a.sfumato"
    hand.act("save_study_as")
    window.model.commit("Add", hand.study.added(LOOK, attrs.evolve(new_coat("levels"), id="y")))
    window.view.set(coat="y", marked=("y",))
    hand.settle()
    hand.act("revert_study")
    hand.settle()
    assert (window.view.now.coat, window.view.now.marked) == ("", ())
    hand.act("undo")
    hand.settle()


def test_a_shot_goes_between_press_and_release(demo) -> None:
    hand, strip = demo, demo.window.rooms["look"].shots
    start = strip.box(1).center().toPoint()
    end = strip.box(4).center().toPoint()
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 6):
        QTest.mouseMove(strip, start + (end - start) * step / 5)
    taken = hand.window.view.now.shot
    hand.act("remove_shot")
    assert taken not in {s.id for s in hand.study.shots}
    order = [s.id for s in hand.study.shots]
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=end)
    assert [s.id for s in hand.study.shots] == order
    # A press that was let go elsewhere does not drag on.
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=start)
    none = Qt.MouseButton.NoButton
    at = QPointF(end)
    move = QMouseEvent(
        QEvent.Type.MouseMove, at, strip.mapToGlobal(at), none, none, Qt.KeyboardModifier(0)
    )
    QApplication.sendEvent(strip, move)
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=end)
    assert [s.id for s in hand.study.shots] == order
    hand.settle()


def test_a_glaze_goes_while_its_row_is_dragged(demo) -> None:
    """The row is there until the loop's next turn, and the hand still moves it."""
    hand, window = demo, demo.window
    new = attrs.evolve(new_coat("levels"), id="gone")
    window.model.commit("Add", hand.study.added(LOOK, new))
    hand.settle()
    ledger = hand.window.findChild(Ledger)
    row = ledger.row("gone")
    QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=QPoint(30, 8))
    QTest.mouseMove(row, QPoint(30, -40))
    assert ledger.body.drop is not None
    window.model.commit("Take out", hand.study.removed("gone"))
    assert ledger.body.drop is None
    before = hand.study
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier(0)
    for kind in (QEvent.Type.MouseMove, QEvent.Type.MouseButtonRelease):
        at = QPointF(30, -60)
        QApplication.sendEvent(row, QMouseEvent(kind, at, row.mapToGlobal(at), left, left, none))
    row.toggled.emit("gone", False)
    row.strength_edited.emit("gone", 0.5)
    row.renamed.emit("gone", "Typed before")
    assert hand.study == before
    assert ledger.body.drop is None
    hand.settle()


def test_a_tile_is_hidden_between_press_and_drag(demo) -> None:
    hand, window = demo, demo.window
    window.rooms["swatchbook"].edits.add_folders([ROOT / "demo" / "luts"])
    hand.act("room_swatchbook")
    hand.settle()
    model, wall = window.rooms["swatchbook"].model, window.rooms["swatchbook"].page.wall
    place = QPoint(40, 40)
    QTest.mousePress(wall.viewport(), Qt.MouseButton.LeftButton, pos=place)
    assert wall._press is not None
    model.show(search="nothing is called that")
    QTest.mouseMove(wall.viewport(), place + QPoint(60, 40))
    QTest.mouseRelease(wall.viewport(), Qt.MouseButton.LeftButton, pos=place)
    assert wall._press is None
    hand.settle()


def test_the_presets_may_be_closed_while_a_tile_is_dragged(demo, monkeypatch) -> None:
    """Closed within the drag's own loop, the sheet lives until that is over."""
    hand = demo
    hand.click(hand.find(QPushButton, "look.presets"))
    hand.settle()
    sheet = hand.window.findChild(PresetSheet, "presets")
    gone: list[bool] = []
    sheet.destroyed.connect(lambda: gone.append(True))

    def loop(_tiles, _actions) -> None:
        sheet.close()
        for _ in range(3):
            QApplication.processEvents()
            QApplication.sendPostedEvents(None, 52)  # DeferredDelete
        assert not gone

    monkeypatch.setattr("PySide6.QtWidgets.QListWidget.startDrag", loop, raising=False)
    sheet.tiles.is_dragging = True
    loop(sheet.tiles, None)
    sheet.tiles.is_dragging = False
    sheet.tiles.dropped.emit()
    hand.wait(50)
    assert gone


def test_errors_in_overrides_are_reported_and_answered_by_qt(qtbot, monkeypatch) -> None:
    class Button(QPushButton):
        @guarded
        def sizeHint(self):
            return [][1]

        @guarded
        def keyPressEvent(self, _event):
            raise ValueError("no")

    told: list[type] = []
    monkeypatch.setattr("sys.excepthook", lambda kind, _error, _trace: told.append(kind))
    button = Button("press")
    qtbot.addWidget(button)
    assert button.sizeHint() == QPushButton.sizeHint(button)
    pressed: list[bool] = []
    button.clicked.connect(lambda: pressed.append(True))
    QTest.keyClick(button, Qt.Key.Key_Space)
    assert pressed
    assert set(told) == {IndexError, ValueError}


@pytest.mark.parametrize("gone", ["sill", "jetty", "portrait"])
def test_the_rule_of_what_is_chosen(demo, gone: str) -> None:
    before = demo.study
    after = attrs.evolve(before, shots=tuple(s for s in before.shots if s.id != gone))
    ids = [s.id for s in before.shots]
    state = ViewState(
        shot=gone, pinned=gone, a="pinned", marked_shots=(gone, "fog"), play=4, coat="l-cdl"
    )
    now = fitted(state, before, after)
    left = [i for i in ids if i != gone]
    assert now.shot == left[min(ids.index(gone), len(left) - 1)]
    assert (now.pinned, now.a, now.marked_shots, now.play) == ("", "ground", ("fog",), None)
    assert now.coat == "l-cdl"
    assert fitted(now, after, after) == now
    empty = attrs.evolve(before, shots=(), look=attrs.evolve(before.look, coats=()))
    assert (fitted(now, after, empty).shot, fitted(now, after, empty).coat) == ("", "")


def _dress_of(widget: QWidget) -> str:
    """Return the sheet that a widget is shown in: its own, or that of what it lies in."""
    while not widget.styleSheet():
        widget = widget.parentWidget()
    return widget.styleSheet()


def test_the_theme_changes_what_is_seen_first_and_the_rest_when_it_is_shown(
    demo, monkeypatch
) -> None:
    window = demo.window
    for key in window.rooms.specs:  # many parts that nobody sees
        assert window.rooms[key].page
    demo.act("keyboard_sheet")
    keys = window.findChild(QDialog, "keys")
    seen, hidden = window.rooms["look"].easel_panel.easel, window.rooms["convert"].page.list
    page = window.rooms["trip"].page.findChild(QWidget, "borrow.over")
    before = theme.sheet()
    demo.act("toggle_theme")
    demo.settle()  # part by part, so that the window stays live
    after = theme.sheet()
    assert after != before
    assert _dress_of(seen) == keys.styleSheet() == after
    assert hidden.styleSheet() == before  # nobody sees it
    window.view.set(room="trip")
    assert _dress_of(page) != after  # on a page of the room that is not shown
    window.view.set(room="look")
    keys.hide()
    demo.act("toggle_theme")
    demo.act("toggle_theme")
    demo.settle()
    with monkeypatch.context() as patch:
        patch.setattr("sfumato.app.window.dress._AT_ONCE", 0)  # as if each part took long
        window.view.set(room="convert")
        keys.show()
    assert hidden.isVisible()
    assert hidden.styleSheet() != after  # the window has turns between
    assert window.is_busy
    demo.settle()
    assert hidden.styleSheet() == keys.styleSheet() == after
    demo.act("toggle_theme")
    fresh = Question(window, "Whole?", "It is.", (("Yes", "yes"),))
    fresh.show()
    assert fresh.styleSheet() == theme.sheet() == before
    fresh.close()


def test_a_room_built_ahead_is_dressed_in_later_turns_or_when_it_is_opened(
    demo, monkeypatch
) -> None:
    # Other tests come after this one.
    monkeypatch.setattr("sfumato.app.window.house.keep_for_good", lambda: None)
    house, dress = demo.window.rooms, demo.window.dress
    # What a room reads when it is built ends in turns of the window, which there are none of here.
    monkeypatch.setattr(house, "_is_idle", lambda: True)
    while len(list(house)) < len(house.specs):
        house._build_ahead()
    opened, bare = house["convert"].page.list, [p for p in dress._parts if not p.styleSheet()]
    assert opened in bare
    assert all(any(r.page.isAncestorOf(p) for p in bare) for r in house if r.key != "look")
    demo.window.view.set(room="convert")
    demo.settle()
    assert opened.styleSheet() == theme.sheet()
    demo.until(lambda: not dress._waiting)
    assert {p.styleSheet() for p in bare} == {theme.sheet()}


def test_what_is_seen_is_painted_in_the_new_theme_in_a_turn_of_its_own(demo, monkeypatch) -> None:
    turns: list[list[str]] = []
    for method in ("_dress_next", "_set_ground", "_renew"):
        real = getattr(Dress, method)

        def noted(self, *given, method=method, real=real):
            if method == "_dress_next":
                turns.append([])
            turns[-1].append(method)
            return real(self, *given)

        monkeypatch.setattr(Dress, method, noted)
    demo.window.dress._next.timeout.disconnect()
    demo.window.dress._next.timeout.connect(demo.window.dress._dress_next)
    painted = dict[str, str]()

    class Witness(QObject):
        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            if event.type() == QEvent.Type.Paint:
                painted[watched.accessibleName()] = theme.colour("text").name()
            return False

    witness = Witness()
    watched = demo.window.findChild(Rail).findChildren(QAbstractButton)
    watched += [w for w in demo.window.findChildren(ScopeView) if w.isVisible()]
    for widget in watched:
        widget.installEventFilter(witness)
    before = theme.colour("text").name()
    demo.act("toggle_theme")
    demo.settle()
    assert set(painted) == {w.accessibleName() for w in watched}
    assert set(painted.values()) == {theme.colour("text").name()} != {before}
    (last,) = [turn for turn in turns if "_set_ground" in turn]
    assert last == ["_dress_next", "_set_ground"]


def test_an_instrument_is_drawn_when_what_it_shows_changes_and_else_kept(demo, monkeypatch) -> None:
    drawn = list[str]()
    real = ScopeView.paint_data

    def noted(self, painter) -> None:
        drawn.append(self.spec.key)
        real(self, painter)

    monkeypatch.setattr(ScopeView, "paint_data", noted)
    scopes = [w for w in demo.window.findChildren(ScopeView) if w.isVisible()]

    def after(change) -> set[str]:
        drawn.clear()
        change()
        demo.settle()
        return set(drawn)

    every = {s.spec.key for s in scopes}
    model = demo.window.model
    assert after(demo.window.update) == set()
    assert after(lambda: model.commit("Less", model.study.with_look(strength=0.3))) == every
    assert after(scopes[0].setFocus) == set()  # the ring lies over it
    assert after(lambda: scopes[0].zoom_by(2)) == {scopes[0].spec.key}
    assert after(lambda: demo.act("toggle_theme")) == every


def test_what_nobody_sees_is_dressed_when_there_is_nothing_else_to_do(demo) -> None:
    for key in demo.window.rooms.specs:
        assert demo.window.rooms[key].page

    def stale() -> int:
        parts = [p for p in demo.window.dress._parts if isValid(p)]
        return sum(p.styleSheet() != theme.sheet() for p in parts)

    demo.act("toggle_theme")
    demo.settle()
    many = stale()
    assert many > 20
    much = QTimer()  # other work, in every turn of the loop
    much.timeout.connect(lambda: time.sleep(0.1))
    much.start(0)
    demo.wait(2000)
    assert stale() > many - 10  # of 20 that there was a turn for
    much.stop()
    demo.until(lambda: stale() == 0)


def test_a_drag_in_a_long_stack_waits_for_nothing(demo, monkeypatch) -> None:
    """Its first step ends the exact picture under way; an instrument that takes long rests meanwhile."""
    hand, window = demo, demo.window
    keys = ("contrast", "colourfulness", "balance", "tints")
    coats = [new_coat(keys[i % 4], **glazes()[keys[i % 4]].mild) for i in range(60)]
    coats = tuple(attrs.evolve(c, strength=0.05) for c in coats)
    window.model.commit("Many", window.model.study.with_look(coats=coats))
    chosen = coats[3].id
    window.view.set(coat=chosen, instruments=("neutral", "waveform"))
    hand.settle()
    show, ended, begun = Previewer.show, list[Ask](), threading.Event()

    def slowly(self, ask, cancel):
        if not ask.dragging:
            begun.set()
            try:
                for _ in range(1000):
                    cancel.check()
                    time.sleep(0.01)
            except Cancelled:
                ended.append(ask)
                raise
        return show(self, ask, cancel)

    monkeypatch.setattr(Previewer, "show", slowly)
    monkeypatch.setattr(measures, "_SLOW", 0.0)  # so that the line of greys is one that takes long
    window.model.commit("Another", window.model.study.set_coat(coats[50].id, on=False))
    hand.until(begun.is_set)
    seen: list[Shown] = []
    window.desk.shown.connect(seen.append)
    monkeypatch.setattr(
        window.desk._rest, "start", lambda *_: None
    )  # the hand stays on the control
    for i in range(4):
        window.rooms["look"].ledger.edits.strength(chosen, 0.1 + 0.2 * i)
        hand.until(lambda i=i: len(seen) > i)
    assert len(ended) == 1
    assert all(s.ask.dragging for s in seen)
    assert "neutral" not in seen[0].instruments.keys() | seen[-1].instruments.keys()
    assert not np.array_equal(seen[0].b, seen[-1].b)
    monkeypatch.setattr(Previewer, "show", show)
    window.rooms["look"].ledger.edits.release()
    hand.settle()
    assert "neutral" in seen[-1].instruments
    row = window.rooms["look"].ledger.row(chosen)
    assert row.strength.value() == pytest.approx(70)


def test_what_is_built_for_good_is_out_of_the_collectors_way(hand) -> None:
    """A full collection, in which nothing else of Python runs, looks at what came since."""
    house = hand.window.rooms
    for key in house.specs:
        assert house[key] is not None
    assert gc.get_freeze_count() == 0
    try:
        house._build_ahead()  # nothing is missing
        assert gc.get_freeze_count() > 50_000
        assert len(gc.get_objects()) < 5_000
    finally:
        gc.unfreeze()


def test_a_picture_that_moves_has_fewer_pixels_where_they_are_small(demo, monkeypatch) -> None:
    """On a screen of 200 % a step of a drag took 2.8 times as long as on one of 100 %."""
    hand, window = demo, demo.window
    monkeypatch.setattr(
        window.desk._rest, "start", lambda *_: None
    )  # the hand stays on the control
    easel = window.rooms["look"].easel
    width, height, region = window.desk.geometry
    width, height = width // 2 * 4, height // 2 * 4
    window.desk.set_geometry(width, height, region, 2.0)
    hand.settle()
    assert hand.shown[-1].b.shape[:2] == (height, width)
    coat = next(c for c in hand.study.look.coats if c.key == "contrast")
    moved: list = []
    window.desk.shown.connect(lambda s: moved.append(s) if s.ask.dragging else None)
    window.rooms["look"].ledger.edits.field(coat.id, "slope", coat.parameters.slope + 0.05)
    hand.until(lambda: moved)
    moving = moved.pop()
    assert moving.b.shape[:2] == (height // 2, width // 2)
    seen = easel.grab().toImage()  # as large as ever
    window.rooms["look"].ledger.edits.release()
    hand.settle()
    rested = hand.shown[-1]
    assert rested.b.shape[:2] == (height, width)
    halved = rested.b.reshape(height // 2, 2, width // 2, 2, 3).mean(axis=(1, 3))
    assert np.abs(halved - moving.b).mean() < 1.5, "the same picture, in the same place"
    after = easel.grab().toImage()
    middle = easel.rect().center()
    there, here = (i.pixelColor(middle) for i in (seen, after))
    assert abs(there.green() - here.green()) < 12
    # A picture that is there whole keeps its pixels when it is enlarged.
    whole = Easel()
    whole.resize(160, 160)
    whole.show_sides(None, (np.eye(4, dtype=np.uint8) * 255)[..., None].repeat(3, axis=-1))
    whole.set_zoom(16.0)
    pixels = whole.grab().toImage()
    box = whole.picture_rect(whole.panes()[0][0]).toAlignedRect().adjusted(2, 2, -2, -2)
    row = [pixels.pixelColor(x, box.center().y() + 4) for x in range(box.left(), box.right())]
    assert {tone.red() for tone in row} == {0, 255}
    window.desk.set_geometry(width, height, region, 1.0)
    hand.settle()
    moved.clear()
    window.rooms["look"].ledger.edits.field(coat.id, "slope", coat.parameters.slope + 0.1)
    hand.until(lambda: moved)
    assert moved[0].b.shape[:2] == (height, width)
