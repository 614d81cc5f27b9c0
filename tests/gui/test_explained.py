"""Every control explains itself: it has a name, and words that a right click and Shift+F1 show."""

from __future__ import annotations

import pytest
from hand import ROOMS
from PySide6.QtCore import Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QPushButton, QTextBrowser, QWidget

from sfumato.app.controls.explanation import Explanation
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.app.window.explainer import said_of


def controls(inside: QWidget) -> list[QWidget]:
    """Return what Tab reaches."""
    return [
        w
        for w in inside.findChildren(QWidget)
        if w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus
    ]


def name_of(widget: QWidget) -> str:
    text = getattr(widget, "text", None)
    return widget.accessibleName() or (str(text()) if callable(text) else "")


def explained(hand) -> str:
    """Return the heading of the explanation that stands open, and close it."""
    shown = [e for e in hand.window.findChildren(Explanation) if e.isVisible()]
    assert len(shown) == 1
    heading = shown[0].accessibleName()
    shown[0].close()
    hand.wait(5)
    return heading


@pytest.mark.parametrize("room", ROOMS)
def test_every_control_has_room_a_name_and_words(demo, room: str) -> None:
    hand, window = demo, demo.window
    window.view.set(coat="l-curves")
    if room != "room_look":
        hand.act(room)
    hand.settle()
    if ROOMS[room]:
        hand.click(hand.find(QPushButton, ROOMS[room]))
        hand.settle()
    needed, smallest = window.minimumSizeHint(), window.minimumSize()
    assert smallest.expandedTo(needed) == smallest, "words would be cut in the smallest window"
    found = controls(window.room.page)
    assert len(found) > 5
    for widget in found:
        what = (type(widget).__name__, widget.objectName())
        assert name_of(widget), what
        assert said_of(widget)[1], what
    for widget in found[:: max(1, len(found) // 12)]:
        if isinstance(widget, CoatRow):
            continue
        widget.setFocus()
        hand.act("explain_control")
        assert explained(hand)


def test_a_right_click_explains_what_has_no_menu_of_its_own(demo) -> None:
    hand, window = demo, demo.window
    button = hand.find(QPushButton, "mode.split")
    at = button.rect().center()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, button.mapToGlobal(at))
    QApplication.sendEvent(button, event)
    assert explained(hand) == "Split"
    window.view.set(coat="l-contrast")
    hand.settle()
    hand.act("explain_control")  # on the first control of the glaze, which has the keyboard
    assert explained(hand) == "Contrast: Slope"
    window.rooms["look"].ledger.row("l-contrast").setFocus()
    hand.act("explain_control")
    assert explained(hand)


SHEETS = {
    "export_lut": "",
    "open_presets": "",
    "open_encodings": "",
    "open_config": "",
    "match_sheet": "",
    "simulate_target": "",
    "show_printed": "",
    "write_profile": "",
    "bench_new": "room_bench",  # where it can be asked for
    "keyboard_sheet": "",
    "open_palette": "",
    "open_guide": "",
}


@pytest.mark.parametrize("action", SHEETS)
def test_every_control_of_a_sheet_has_a_name_and_words(demo, action: str) -> None:
    hand, window = demo, demo.window
    if SHEETS[action]:
        hand.act(SHEETS[action])
        hand.settle()
    hand.act(action)
    hand.settle()
    sheet = next(d for d in window.findChildren(QDialog) if d.isVisible())
    found = [w for w in controls(sheet) if not isinstance(w, QTextBrowser)]
    missing = [  # all of them at once
        (type(w).__name__, w.objectName(), name_of(w))
        for w in found
        if not name_of(w) or not said_of(w)[1]
    ]
    assert not missing
    found[0].setFocus()
    QTest.keyClick(found[0], Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    assert explained(hand)
