"""A room and an instrument that were put beside the others: nothing else was told of them."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QPlainTextEdit

from sfumato.app.views.scope import ScopeView, instruments
from sfumato.app.window.house import room_specs

KEYS = {s.key for s in room_specs()}


@pytest.mark.skipif("notes" not in KEYS, reason="only with the room of the guide")
def test_a_new_room_is_opened_undone_kept_and_closed(demo) -> None:
    hand, window = demo, demo.window
    assert not window.actions_table.by_id["clear_notes"].isEnabled()
    buttons = [
        b for b in window.findChildren(QAbstractButton) if b.accessibleName() == "Room Notes"
    ]
    hand.click(buttons[0])
    text = hand.find(QPlainTextEdit, "notes.text")
    text.setPlainText("Rain from the third shot on")
    assert hand.study.notes == "Rain from the third shot on"
    hand.act("clear_notes")
    assert hand.study.notes == ""
    hand.act("undo")
    assert text.toPlainText() == hand.study.notes != ""
    hand.act("room_look")
    assert not window.actions_table.by_id["clear_notes"].isEnabled()
    assert (
        window.actions_table.by_id["room_notes"].shortcut().toString()
        == f"Alt+{len(window.rooms.specs)}"
    )


@pytest.mark.skipif(
    "brightest" not in instruments(), reason="only with the instrument of the guide"
)
def test_a_new_instrument_is_offered_and_measured(demo) -> None:
    hand = demo
    box = hand.find(QComboBox, "instrument.0")
    box.setCurrentIndex(box.findData("brightest"))
    box.activated.emit(box.currentIndex())
    hand.settle()
    scope = hand.find(ScopeView, "scope.0")
    assert scope.data is not None
    assert 0.3 < scope.data.max() <= 1.0
    assert scope.grab().toImage() != ScopeView("brightest").grab().toImage()
    demo.window.keep()
    assert "brightest" in str(demo.window.settings.get("view/instruments"))
