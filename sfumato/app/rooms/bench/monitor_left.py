"""The left side of the Monitor page: the device, its places, its card, and what it says of a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet, strong, strong_line
from sfumato.app.controls.page_tabs import PageTabs
from sfumato.app.controls.parts import passing_menu
from sfumato.app.controls.rows import scrolled_panel
from sfumato.app.controls.tick_list import TickList, TickRow
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.rooms.bench.pages import MONITOR, PAGES
from sfumato.app.rooms.bench.places_field import PlacesField


class MonitorLeft(QWidget):
    """`run(action)` asks for one of the room's commands; `loaded(place, file)`."""

    run = Signal(str)
    load_wanted = Signal(int, object)
    mount_wanted = Signal(object)

    def __init__(self, model: MonitorModel) -> None:
        super().__init__()
        self._model = model
        column = scrolled_panel(self, 330)
        self.tabs = PageTabs("bench", PAGES, MONITOR)
        column.addWidget(self.tabs)
        column.addLayout(self._make_device())
        self.says = quiet("")
        self.says.setObjectName("bench.says")
        self.says.setWordWrap(True)
        column.addWidget(self.says)
        column.addSpacing(4)
        column.addWidget(strong("Places"))
        self.places = PlacesField()
        column.addWidget(self.places)
        column.addSpacing(4)
        column.addLayout(self._make_card())
        self.files = TickList("bench.files", "What is on the card")
        self.files.chosen.connect(model.choose_file)
        self.files.opened.connect(self._on_opened)
        column.addWidget(self.files)
        self.empty = quiet("")
        self.empty.setObjectName("bench.card.empty")
        self.empty.setWordWrap(True)
        column.addWidget(self.empty)
        column.addStretch(1)
        whole = self.layout()
        assert whole is not None
        whole.addWidget(self._make_said())
        self._connect()
        model.known.connect(self.refresh)
        model.pictured.connect(self._show_places)
        model.recording_changed.connect(self.refresh)
        self.refresh()

    # --- parts -----------------------------------------------------------------------------------
    def _make_device(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(strong("Device"))
        self.device = Chooser()
        self.device.setObjectName("bench.device")
        set_tip(self.device, "The simulated monitor that is looked at.")
        self.device.setAccessibleName("Device")
        self.device.activated.connect(lambda _i: self._model.choose(self.device.currentData()))
        row.addWidget(self.device, 1)
        self.power = QPushButton("Off")
        self.power.setObjectName("bench.power")
        set_tip(self.power, "Switches the monitor off and on; it keeps its places.")
        self.power.setProperty("flat", True)
        self.power.clicked.connect(lambda: self.run.emit("bench_power"))
        row.addWidget(self.power)
        self.more = QPushButton("…")
        self.more.setObjectName("bench.more")
        self.more.setProperty("flat", True)
        self.more.setAccessibleName("More about the device")
        set_tip(self.more, "Make a device of your own, change it, throw it away.")
        self.more.clicked.connect(self._show_more)
        row.addWidget(self.more)
        return row

    def _make_card(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.card = strong_line("Card")
        self.card.setObjectName("bench.card")
        row.addWidget(self.card, 1)
        self.send = QPushButton("Send the Look")
        self.send.setObjectName("bench.send")
        self.send.setProperty("flat", True)
        set_tip(self.send, "Write the study's Look onto the card as this device takes it.")
        self.send.clicked.connect(lambda: self.run.emit("bench_send"))
        row.addWidget(self.send)
        self.pull = QPushButton("Pull it out")
        self.pull.setObjectName("bench.pull")
        set_tip(
            self.pull,
            "Pulls the card out, at any time: what is being recorded waits in the device.",
        )
        self.pull.setProperty("flat", True)
        self.pull.clicked.connect(lambda: self.run.emit("bench_pull"))
        row.addWidget(self.pull)
        return row

    def _make_said(self) -> QWidget:
        self.said = QFrame()
        self.said.setObjectName("explanation")
        column = QVBoxLayout(self.said)
        column.setContentsMargins(14, 8, 14, 10)
        column.setSpacing(4)
        self.word = Label("")
        self.word.setObjectName("bench.word")
        self.word.setProperty("pigment", "cinnabar")
        column.addWidget(self.word)
        self.why = quiet("")
        self.why.setObjectName("bench.why")
        self.why.setWordWrap(True)
        column.addWidget(self.why)
        self.mend = QPushButton("")
        self.mend.setObjectName("bench.mend")
        self.mend.clicked.connect(lambda: self.run.emit("bench_mend"))
        column.addWidget(self.mend, 0, Qt.AlignmentFlag.AlignLeft)
        return self.said

    def _connect(self) -> None:
        field = self.places
        field.load_wanted.connect(lambda place: self.load_wanted.emit(place, None))
        field.dropped.connect(
            lambda place, files: self.load_wanted.emit(place, Path(files[0])) if files else None
        )
        field.menu_wanted.connect(self._show_menu)

    def _menu(self, ids: tuple[str, ...], where: Any) -> None:
        menu = passing_menu(self)
        for name in ids:
            menu.addAction(self._model.services.actions.by_id[name])
        menu.popup(where)

    def _show_more(self) -> None:
        where = self.more.mapToGlobal(self.more.rect().bottomLeft())
        self._menu(("bench_new", "bench_edit", "bench_forget", "bench_mount", "bench_show"), where)

    def _show_menu(self, place: int, where: Any) -> None:
        self.places.chosen.emit(place)
        ids = ("bench_load", "bench_rename", "bench_move_back", "bench_move_on", "bench_clear")
        self._menu(ids, where)

    def _on_opened(self, name: str) -> None:
        self._model.choose_file(name)
        file = self._model.file
        if file is not None:
            self.run.emit("bench_load" if file.is_lut else "bench_bring")

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show the device, its places and its card."""
        model, rig = self._model, self._model.rig
        titles = [(r.monitor.title, r.folder.name) for r in model.rigs]
        if [
            (self.device.itemText(i), self.device.itemData(i)) for i in range(self.device.count())
        ] != titles:
            self.device.clear()
            for title, key in titles:
                self.device.addItem(title, key)
        for widget in (self.power, self.places, self.send, self.pull, self.files):
            widget.setEnabled(rig is not None)
        self.device.setEnabled(not model.is_recording)
        if rig is None:
            self.says.setText("No device can be read here.")
            self.said.hide()
            return
        self.device.setCurrentIndex(self.device.findData(rig.folder.name))
        self.says.setText(f"{rig.monitor.says[:1].upper()}{rig.monitor.says[1:]}.")
        self.power.setText("Switch off" if rig.state.is_on else "Switch on")
        self._show_places()
        has_card = rig.has_card
        free = f"  {model.room / 1e6:,.0f} MB free" if has_card else ""
        name = rig.card.name if rig.card is not None else ""
        self.card.setText(f"Card {name}" if name else "No card")
        set_tip(self.card, f"{rig.card}{free}" if rig.card is not None else "")
        self.pull.setText("Pull it out" if rig.card is not None else "Put it in")
        self.send.setVisible(has_card and bool(rig.monitor.formats))
        self._show_files()
        self._show_said()

    def _show_places(self) -> None:
        self.places.show_places(self._model.rig, self._model.pictures)

    def _show_files(self) -> None:
        model, rig = self._model, self._model.rig
        assert rig is not None
        rows = []
        for each in model.card:
            words, pigment = each.says
            tip = each.refused.why if each.refused is not None else words
            rows.append(
                TickRow(
                    each.file.name,
                    each.file.name,
                    state=words,
                    pigment=pigment,
                    is_on=None,
                    is_flush=True,
                    tip=tip,
                )
            )
        self.files.show_rows(rows, model.file_name)
        self.files.setVisible(bool(rows))
        self.files.setFixedHeight(min(max(len(rows), 3), 8) * 34 + 12)
        if rig.card is None:
            words = "Pulled out. What stands in the places stays; takes wait in the device."
        elif not rig.has_card:
            words = (
                f"The card is gone: {rig.card} is no longer there. Put it back, or put another in."
            )
        else:
            words = "Nothing is on the card. Send the Look to it, or drop LUT files here."
        self.empty.setText(words)
        self.empty.setVisible(not rows)

    def _show_said(self) -> None:
        said = self._model.said
        self.said.setVisible(said is not None)
        if said is not None:
            self.word.setText(f"The device says: {said.refused.word}")
            self.why.setText(f"{said.file.name}. {said.refused.why}")
            self.mend.setText(f"Write it as {said.name}")
            set_tip(
                self.mend, "The same LUT beside it, with a name, format and grid that it takes."
            )
