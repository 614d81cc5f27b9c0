"""The Swatchbook: folders and filters on the left, the wall, and the chosen look on the right."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet, strong, strong_line
from sfumato.app.controls.guide_button import GuideButton
from sfumato.app.controls.parts import part
from sfumato.app.controls.rows import as_panel, panel_column
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_help, set_tip
from sfumato.app.rooms.swatchbook.selection import ALL, KEPT_ONES, NAME, SHOTS
from sfumato.app.rooms.swatchbook.swatch_card import SwatchCard
from sfumato.app.rooms.swatchbook.swatch_model import SwatchModel
from sfumato.app.rooms.swatchbook.wall import Tile, WallView
from sfumato.core.measure.swatch import ORDERS
from sfumato.work.luts.swatches import KEPT, PASSED, Swatch

_ROLE = Qt.ItemDataRole.UserRole
FILTERS = {
    "log": ("made for log", "Looks that expect log footage."),
    "display": ("made for display", "Looks that expect pictures for a display."),
    "kept_only": ("kept only", "Only those that you keep."),
    "noted_only": ("with notes", "Only those that you have noted something on."),
    "hide_passed": ("without those passed", "Not those that you pass."),
}


class SwatchPage(QWidget):
    """`put_wanted()`, `folder_wanted()`, and what else needs a question or a file."""

    put_wanted = Signal()
    folder_wanted = Signal()
    shipped_wanted = Signal()
    folder_dropped = Signal(str)
    save_wanted = Signal()
    sheet_wanted = Signal()
    convert_wanted = Signal()
    rename_wanted = Signal()
    move_wanted = Signal()
    trash_wanted = Signal()
    reveal_wanted = Signal()
    menu_wanted = Signal(object)

    def __init__(self, model: SwatchModel) -> None:
        super().__init__()
        self._model = model
        self._images: dict[str, QImage] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_left())
        row.addWidget(self._make_middle(), 1)
        self.card = SwatchCard(model)
        for name in ("put", "save", "convert", "rename", "move", "reveal"):
            getattr(self.card, f"{name}_wanted").connect(getattr(self, f"{name}_wanted"))
        row.addWidget(self.card)
        model.changed.connect(self._on_changed)
        model.tiles_changed.connect(self._on_tiles)
        model.chosen_changed.connect(self._show_chosen)
        self._on_changed()
        self._show_chosen()

    # --- left --------------------------------------------------------------------------------------
    def _make_left(self) -> QWidget:
        panel = QWidget()
        column = panel_column(panel, 226)
        column.addWidget(strong("Folders"))
        self.folders = QListWidget()
        self.folders.setObjectName("swatch.folders")
        set_tip(
            self.folders, "The folders whose LUT files and looks are on the wall; they are watched."
        )
        self.folders.setAccessibleName("Folders")
        self.folders.setMaximumHeight(150)
        self.folders.currentItemChanged.connect(self._on_folder)
        column.addWidget(self.folders)
        line = QHBoxLayout()
        for text, name, run, tip in (
            (
                "Add a folder…",
                "add_folder",
                self.folder_wanted.emit,
                "Shows the LUT files and looks of a folder, and of those in it.",
            ),
            (
                "Take it out",
                "drop_folder",
                lambda: self.folder_dropped.emit(self._model.wall.folder),
                "Takes the chosen folder from the wall; nothing on disk is touched.",
            ),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            set_tip(button, tip)
            button.setProperty("flat", True)
            button.clicked.connect(run)
            line.addWidget(button)
        column.addLayout(line)
        column.addSpacing(6)
        column.addWidget(strong("Show"))
        self.filters: dict[str, Tick] = {}
        for name, (words, tip) in FILTERS.items():
            mark = Tick(words)
            mark.setObjectName(f"swatch.{name}")
            set_tip(mark, tip)
            mark.clicked.connect(lambda on, n=name: self._model.show(**{n: on}))
            self.filters[name] = mark
            column.addWidget(mark)
        column.addSpacing(6)
        column.addWidget(strong("Order"))
        self.order = Chooser()
        self.order.setObjectName("swatch.order")
        set_tip(
            self.order,
            "By what the looks on the wall are sorted: name, date, or what they do to colour.",
        )
        self.order.setAccessibleName("Order")
        self.order.addItem("by name", NAME)
        for key, (words, _rank) in ORDERS.items():
            self.order.addItem(f"{key}: {words}", key)
        self.order.activated.connect(lambda _i: self._model.show(order=self.order.currentData()))
        column.addWidget(self.order)
        self.convert = Tick("as converted")
        self.convert.setObjectName("swatch.convert")
        set_tip(
            self.convert,
            "Show looks that expect something else as they would be once converted to this study.",
        )
        self.convert.clicked.connect(lambda on: self._model.show(convert=on))
        column.addSpacing(6)
        column.addWidget(self.convert)
        self.search = QLineEdit()
        self.search.setObjectName("swatch.search")
        set_tip(self.search, "Words in the names and notes of looks.")
        self.search.setPlaceholderText("Search")
        self.search.setAccessibleName("Search looks")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda t: self._model.show(search=t))
        column.addSpacing(6)
        column.addWidget(self.search)
        column.addStretch(1)
        self.state = quiet("")
        self.state.setObjectName("swatch.state")
        column.addWidget(self.state)
        return panel

    def _on_folder(self, item: QListWidgetItem | None, _before: Any) -> None:
        if item is not None:
            self._model.show(folder=item.data(_ROLE))

    # --- middle ------------------------------------------------------------------------------------
    def _make_middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QWidget()
        as_panel(head, height=40)
        row = QHBoxLayout(head)
        row.setContentsMargins(14, 0, 10, 0)
        self.title = strong_line("")
        row.addWidget(self.title, 1)
        self.on_tiles = Chooser()
        self.on_tiles.setObjectName("swatch.shots")
        self.on_tiles.setAccessibleName("Shots on the tiles")
        set_tip(self.on_tiles, "Which shots the tiles show; marks are set on the shots strip")
        self.on_tiles.addItems(SHOTS)
        self.on_tiles.textActivated.connect(lambda which: self._model.show(shots=which))
        row.addWidget(self.on_tiles)
        sheet = QPushButton("Contact sheet…")
        sheet.setObjectName("swatch.sheet")
        set_tip(sheet, "A picture of all looks on the wall, with their names, to print or to send.")
        sheet.setProperty("flat", True)
        sheet.clicked.connect(self.sheet_wanted)
        row.addWidget(sheet)
        column.addWidget(head)
        self.wall = WallView()
        self.wall.setObjectName("swatch.wall")
        set_help(self.wall, "The shot through every look; Enter puts the chosen one into the Look.")
        self.wall.chosen.connect(self._choose)
        self.wall.activated.connect(lambda _k: self.put_wanted.emit())
        self.wall.strength_moved.connect(self._move_strength)
        self.wall.key_pressed.connect(self._on_key)
        self.wall.menu_wanted.connect(lambda _k, at: self.menu_wanted.emit(at))
        self.wall.near_changed.connect(self._on_near)
        column.addWidget(self.wall, 1)
        self.empty = QWidget()
        under = QVBoxLayout(self.empty)
        under.setContentsMargins(14, 0, 14, 24)
        line = QHBoxLayout()
        under.addLayout(line)
        line.addStretch(1)
        add = QPushButton("Add a folder…")
        add.setObjectName("swatch.first_folder")
        set_tip(add, "Shows the LUT files and looks of a folder, and of those in it.")
        add.setProperty("main", True)
        add.clicked.connect(self.folder_wanted)
        shipped = QPushButton("Show the looks that come with Sfumato")
        shipped.setObjectName("swatch.shipped")
        set_tip(shipped, "Puts the looks that come with Sfumato on the wall.")
        shipped.clicked.connect(self.shipped_wanted)
        line.addWidget(add)
        line.addWidget(shipped)
        line.addStretch(1)
        under.addWidget(GuideButton(), 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self.empty)
        return middle

    def _swatch(self, key: str) -> Swatch | None:
        return next((s for s in self._model.visible if s.key == key), None)

    def _choose(self, key: str) -> None:
        self._model.choose(self._swatch(key))

    def _move_strength(self, key: str, strength: float) -> None:
        swatch = self._swatch(key)
        if swatch is not None:
            self._model.set_strength(swatch, strength)

    def _on_key(self, what: str) -> None:
        run = {
            "keep": lambda: self._model.toggle_mark(KEPT),
            "pass": lambda: self._model.toggle_mark(PASSED),
            "hold": self._model.hold,
            "rename": self.rename_wanted.emit,
            "trash": self.trash_wanted.emit,
        }[what]
        run()

    def _on_near(self, keys: list[str]) -> None:
        by_key = {s.key: s for s in self._model.visible}
        self._model.show_near([by_key[k] for k in keys if k in by_key])

    # --- showing -----------------------------------------------------------------------------------
    def _tile(self, swatch: Swatch) -> Tile:
        model = self._model
        facts, remark = model.facts.get(swatch.key), model.remark(swatch)
        image = self._images.get(swatch.key)
        if image is None and swatch.key in model.tiles and model.tiles[swatch.key].size:
            image = self._images[swatch.key] = image_of(model.tiles[swatch.key])
        unfit = model.misfit(swatch)
        if facts is not None and facts.fault:
            warning = "cannot be read"
        else:
            warning = unfit if not model.wall.convert or unfit.startswith("made for") else ""
        mark = remark.mark or ("converted" if unfit and not warning else "")
        tip = (
            f"{swatch.file}\n{facts.fault or facts.kind}" if facts is not None else str(swatch.file)
        )
        if unfit:
            tip += f"\n{unfit}"
        if remark.note:
            tip += f"\n{remark.note}"
        strength = model.strength(swatch)
        name, file = model.name(swatch), str(swatch.file)
        return Tile(swatch.key, name, file, image, mark, warning, strength, tip)

    def _on_changed(self) -> None:
        model = self._model
        wall = model.wall
        if not model.tiles:
            self._images.clear()
        rows = [
            (ALL, "All"),
            *((f, Path(f).name or f) for f in model.folders),
            (KEPT_ONES, "Kept"),
        ]
        self.folders.blockSignals(True)
        self.folders.clear()
        for key, words in rows:
            item = QListWidgetItem(f"{words}  ·  {model.count(key)}")
            item.setData(_ROLE, key)
            set_tip(item, key or "All folders")
            self.folders.addItem(item)
            if key == wall.folder:
                self.folders.setCurrentItem(item)
        self.folders.blockSignals(False)
        for name, mark in self.filters.items():
            mark.setChecked(getattr(wall, name))
        self.convert.setChecked(wall.convert)
        self.order.setCurrentIndex(self.order.findData(wall.order))
        part(self, QPushButton, "swatch.drop_folder").setEnabled(
            wall.folder not in (ALL, KEPT_ONES)
        )
        shown = model.visible
        names = ", ".join(s.name for s in model.shots) or "no shot"
        self.title.setText(f"{names} through {len(shown)} look{'s' * (len(shown) != 1)}")
        self.on_tiles.setCurrentText(wall.shots)
        self.wall.words = (
            "Nothing here is called that."
            if model.swatches
            else "Add a folder of LUT files or looks, or drop one here."
        )
        chosen = model.chosen.key if model.chosen is not None else ""
        self.empty.setVisible(not model.swatches)
        self.wall.show_tiles([self._tile(s) for s in shown], chosen)
        self._show_state()

    def _show_state(self) -> None:
        model = self._model
        left = sum(s.key not in model.facts for s in model.swatches)
        words = f"{len(model.swatches)} files"
        self.state.setText(f"{words} · examining {left} more" if left else f"{words} · watching")

    def _on_tiles(self, keys: list[str]) -> None:
        if not self._model.tiles:
            self._images.clear()
        by_key = {t.key for t in self.wall.tiles}
        swatches = {s.key: s for s in self._model.swatches}
        for key in keys:
            self._images.pop(key, None)
            if key in by_key and key in swatches:
                self.wall.change_tile(self._tile(swatches[key]))
        if not keys:
            self._on_changed()
        self._show_state()

    def _show_chosen(self) -> None:
        swatch = self._model.chosen
        self.wall.show_current(swatch.key if swatch is not None else "")

    def take_focus(self) -> None:
        """Give the keyboard to the wall, or to the first thing to do when there is none."""
        first = part(self, QPushButton, "swatch.add_folder")
        (self.wall if self._model.swatches else first).setFocus()

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self._model.set_size(round(280 * ratio), round(168 * ratio))
