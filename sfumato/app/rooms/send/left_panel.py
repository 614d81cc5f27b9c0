"""The left side of the room: looks, outlets, and the button that sends the ones to the others."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal, SignalInstance
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import painted
from sfumato.app.controls.rows import panel_column
from sfumato.app.controls.tick import Tick
from sfumato.app.controls.tick_list import TickList, TickRow
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.send.send_model import OUTLET, SendModel, look_tick
from sfumato.core.study.outlet import Outlet
from sfumato.work.outlets import states
from sfumato.work.outlets.states import Standing

_PIGMENTS = {
    states.CURRENT: "malachite",
    states.BEHIND: "yellow",
    states.GONE: "cinnabar",
    states.CHANGED: "cinnabar",
}
WIDTH = 330


class LeftPanel(QWidget):
    """`add_wanted()`, `remove_wanted(look)`, `new_wanted()`, `forget_wanted(outlet)`, `send_wanted()`,
    `pack_wanted()`, `like_wanted()`, `menu_wanted(outlet, at)`, `keep_wanted(on)`."""

    add_wanted = Signal()
    remove_wanted = Signal(str)
    new_wanted = Signal()
    forget_wanted = Signal(str)
    send_wanted = Signal()
    pack_wanted = Signal()
    like_wanted = Signal()
    menu_wanted = Signal(str, object)
    keep_wanted = Signal(bool)

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        column = panel_column(self, WIDTH)
        self.add = self._head(column, "Looks", "Add looks…", "send.add", self.add_wanted)
        set_tip(
            self.add, "Looks of other studies, LUT files and presets, beside this study's Look."
        )
        self.looks = TickList("send.looks", "Looks")
        set_tip(self.looks, "The looks that are sent: those that are ticked.")
        self.looks.setFixedHeight(124)
        self.looks.ticked.connect(model.tick)
        self.looks.removed.connect(self.remove_wanted)
        column.addWidget(self.looks)
        column.addSpacing(6)
        self.new = self._head(column, "Outlets", "New…", "send.new", self.new_wanted)
        set_tip(self.new, "A place where looks are sent: a program, a camera, an engine, a folder.")
        self.outlets = TickList("send.outlets", "Outlets")
        set_tip(self.outlets, "The places where looks are sent: those that are ticked.")
        self.outlets.ticked.connect(model.tick)
        self.outlets.chosen.connect(model.choose)
        self.outlets.opened.connect(self._open)
        self.outlets.removed.connect(self.forget_wanted)
        self.outlets.customContextMenuRequested.connect(
            lambda at: self.menu_wanted.emit(self.outlets.key, self.outlets.mapToGlobal(at))
        )
        column.addWidget(self.outlets, 1)
        self.keep = Tick("Keep current while I work")
        self.keep.setObjectName("send.keep")
        set_tip(self.keep, "What was sent and is behind is sent again when the work rests.")
        self.keep.clicked.connect(self.keep_wanted)
        column.addWidget(self.keep)
        row = QHBoxLayout()
        for words, name, signal, tip in (
            (
                "Make it like a file…",
                "send.like",
                self.like_wanted,
                "An outlet by a file that the target accepts.",
            ),
            ("Pack…", "send.pack", self.pack_wanted, "Looks in all formats as one folder or zip."),
        ):
            button = QPushButton(words)
            button.setObjectName(name)
            button.setProperty("flat", True)
            set_tip(button, tip)
            button.clicked.connect(signal)
            row.addWidget(button)
        row.insertStretch(1, 1)
        column.addLayout(row)
        self.state = Label()
        self.state.setObjectName("send.state")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        self.send = QPushButton()
        self.send.setObjectName("send.send")
        set_tip(
            self.send, "Writes each look for each place, and measures what it holds of the look."
        )
        self.send.setProperty("main", True)
        self.send.setMinimumHeight(36)
        self.send.clicked.connect(self.send_wanted)
        column.addWidget(self.send)
        for signal in (model.known, model.ticks_changed, model.chosen_changed, model.rows_changed):
            signal.connect(self.refresh)
        model.services.model.changed.connect(
            lambda b, a: (
                self.refresh() if (b.outlets, b.look.name) != (a.outlets, a.look.name) else None
            )
        )
        self.refresh()

    def _head(
        self, column: QVBoxLayout, title: str, words: str, name: str, signal: SignalInstance
    ) -> QPushButton:
        row = QHBoxLayout()
        label = Label(title)
        label.setProperty("strong", True)
        row.addWidget(label, 1)
        button = QPushButton(words)
        button.setObjectName(name)
        button.setProperty("flat", True)
        button.clicked.connect(signal)
        row.addWidget(button)
        column.addLayout(row)
        return button

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        (self.outlets if self.outlets.count() else self.new).setFocus()

    def _open(self, key: str) -> None:
        self._model.choose(key)
        self._model.show_page(OUTLET)

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show looks and outlets as they are, and what would be sent."""
        model = self._model
        self.looks.show_rows([self._look_row(s.name) for s in model.looks], self.looks.key)
        self.outlets.show_rows([self._outlet_row(o) for o in model.study.outlets], model.chosen)
        looks, outlets = model.ticked_looks(), model.ticked_outlets()
        ready = bool(looks and outlets)
        one = "1 look" if len(looks) == 1 else f"{len(looks)} looks"
        two = "1 outlet" if len(outlets) == 1 else f"{len(outlets)} outlets"
        self.send.setText(f"Send {one} to {two}" if ready else "Send")
        self.send.setEnabled(ready)
        words, pigment = self._words(outlets)
        self.state.setText(words)
        painted(self.state, pigment)
        self.state.setVisible(bool(words))

    def _words(self, outlets: list[Outlet]) -> tuple[str, str]:
        if not self._model.study.outlets:
            return "An outlet is a place where looks go. Add one with New…", "quiet"
        lost = [o for o in outlets if not o.folder]
        if lost:
            return f"{lost[0].title} has no folder yet: press Enter on it.", "yellow"
        behind = len({key for _look, key in self._model.behind()})
        if behind:
            return f"{behind} outlet{'s are' if behind > 1 else ' is'} behind", "yellow"
        return "", "quiet"

    def _look_row(self, name: str) -> TickRow:
        found = [s for (look, _key), s in self._model.standings.items() if look == name]
        key = look_tick(name)
        state, pigment = _look_state(found)
        return TickRow(key, name, "", state, pigment, "", self._model.is_on(key))

    def _outlet_row(self, outlet: Outlet) -> TickRow:
        found = [s for (_look, key), s in self._model.standings.items() if key == outlet.key]
        where = self._model.where.get(outlet.key)
        state, pigment = _outlet_state(found)
        place = _short(outlet.folder)
        if outlet.places and where is not None and where.is_there:
            place = f"{where.used} of {outlet.places} · {place}"
        if not outlet.folder:
            place = "no folder"
        elif where is not None and not where.is_there:
            state, pigment = states.AWAY, "cinnabar"
        refused = [r for r in self._model.refused() if r.outlet.key == outlet.key]
        if refused and state != states.AWAY:
            state, pigment = "refused", "cinnabar"
        return TickRow(
            outlet.key,
            outlet.title,
            outlet.says,
            state,
            pigment,
            place,
            self._model.is_on(outlet.key),
            "\n".join(w for w in (outlet.target, outlet.folder, *(r.words for r in refused)) if w),
        )


def _short(folder: str) -> str:
    path = folder.replace(str(Path.home()), "~", 1)
    parts = [p for p in path.split("/") if p]
    return path if len(parts) < 3 else "… / " + " / ".join(parts[-2:])


def _look_state(found: list[Standing]) -> tuple[str, str]:
    sent = [s for s in found if s.file is not None]
    if not sent:
        return "not sent yet", "quiet"
    newest = max(s.version for s in sent)
    if any(s.state == states.BEHIND for s in sent):
        return f"version {newest}, edited since", "yellow"
    return f"version {newest}", "quiet"


def _outlet_state(found: list[Standing]) -> tuple[str, str]:
    """Return how an outlet stands for all looks that went there: what is worst, in words."""
    sent = [s.state for s in found if s.file is not None]
    for state in (states.GONE, states.CHANGED, states.BEHIND, states.CURRENT):
        if state in sent:
            return state, _PIGMENTS[state]
    return states.NOT_YET, "quiet"
