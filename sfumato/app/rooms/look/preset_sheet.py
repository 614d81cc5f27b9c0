"""Presets as tiles on the current shot: search, look, put into the study."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import attrs
from PySide6.QtCore import QMimeData, QSize, Qt, QUrl, Signal
from PySide6.QtGui import QCloseEvent, QIcon, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet_line
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, set_help, set_tip
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane
from sfumato.app.services.notices import Notices
from sfumato.core.arrays import Array
from sfumato.core.study.preset import DISPLAY, LOG, suits
from sfumato.core.study.study import LOOK
from sfumato.work.stores.presets import GLAZE, Shelved, shelf

TILE = QSize(176, 99)
ALL, OWN = "All presets", "My own"
_FILTERS = {ALL: "", "Made for log": LOG, "Made for display": DISPLAY, OWN: OWN}
_ROLE = Qt.ItemDataRole.UserRole


def _icon(picture: QPixmap) -> QIcon:
    """Return a picture as an icon that looks the same when it is chosen: else the style tints it."""
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)
    return icon


class Tiles(QListWidget):
    """The wall; a tile is dragged as its file. `dropped()`: a drag is over."""

    dropped = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setMovement(QListWidget.Movement.Static)
        self.setIconSize(TILE)
        self.setGridSize(QSize(TILE.width() + 12, TILE.height() + 30))
        self.setUniformItemSizes(True)
        self.setDragEnabled(True)
        self.setAccessibleName("Presets")
        self.is_dragging = False

    @guarded
    def startDrag(self, actions: Qt.DropAction) -> None:
        self.is_dragging = True
        try:
            super().startDrag(actions)  # in a loop of its own, in which the sheet may be closed
        finally:
            self.is_dragging = False
            self.dropped.emit()

    @guarded
    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(i.data(_ROLE).file)) for i in items])
        return data


class PresetSheet(QDialog):
    """`wanted(preset, where)` puts one into the study; `remove_wanted(Shelved)` takes a file away."""

    wanted = Signal(object, str)
    remove_wanted = Signal(object)

    def __init__(self, desk: Desk, notices: Notices, parent: QWidget) -> None:
        super().__init__(parent)
        self._is_over = False
        self.setWindowTitle("Presets")
        self.setObjectName("presets")
        self.resize(800, 640)
        self._desk = desk
        self._shelf: list[Shelved] = []
        self._todo: list[Shelved] = []
        self._lane = Lane("presets", self)
        self._lane.answered.connect(lambda answer: self._show_tile(*answer))
        self._reader = Lane("shelf", self)  # of its own: a search drops tiles, never the shelf
        self._reader.answered.connect(self._show_shelf)
        self._reader.crashed.connect(notices.bug)
        self._lane.refused.connect(lambda _e: self._next())
        self._lane.crashed.connect(notices.bug)
        self._lane.crashed.connect(lambda _words: self._next())
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search presets by name or by what they do")
        self.search.setAccessibleName("Search presets")
        set_tip(self.search, "Narrows the presets to those with these words.")
        self.search.setClearButtonEnabled(True)
        self.filter = Chooser()
        self.filter.setObjectName("presets.filter")
        self.filter.setAccessibleName("Which presets")
        set_tip(self.filter, "Shows all presets, or some of them.")
        self.filter.addItems(list(_FILTERS))
        row.addWidget(self.search, 1)
        row.addWidget(self.filter)
        column.addLayout(row)
        self.tiles = Tiles()
        self.tiles.dropped.connect(self._go)
        set_help(
            self.tiles, "This shot through each preset. Enter puts the chosen one into the Look."
        )
        column.addWidget(self.tiles, 1)
        self.about = Label()
        self.about.setWordWrap(True)
        self.about.setMinimumHeight(36)
        self.where = quiet_line("")
        column.addWidget(self.about)
        column.addWidget(self.where)
        row = QHBoxLayout()
        self.remove = QPushButton("Delete the file")
        self.remove.setObjectName("presets.remove")
        set_tip(
            self.remove, "Moves the preset's file to the trash; undo in the notice brings it back."
        )
        self.to_ground = QPushButton("Put into this shot's Ground")
        self.to_ground.setObjectName("presets.ground")
        set_tip(self.to_ground, "For this shot alone, before the Look.")
        self.to_look = QPushButton("Put into the Look")
        self.to_look.setObjectName("presets.look")
        set_tip(self.to_look, "For every shot, and into the LUTs that are exported.")
        self.to_look.setProperty("main", True)
        self.to_look.setDefault(True)
        row.addWidget(self.remove)
        row.addStretch(1)
        row.addWidget(self.to_ground)
        row.addWidget(self.to_look)
        column.addLayout(row)
        self.search.textChanged.connect(lambda _t: self._fill())
        self.filter.currentTextChanged.connect(lambda _t: self._fill())
        self.tiles.currentItemChanged.connect(lambda _a, _b: self._show_chosen())
        self.tiles.itemActivated.connect(lambda _i: self._put(LOOK))
        self.to_look.clicked.connect(lambda: self._put(LOOK))
        self.to_ground.clicked.connect(lambda: self._put("ground"))
        self.remove.clicked.connect(self._remove)
        kind = suits(desk.model.study.working)
        self.filter.setCurrentText("Made for log" if kind == LOG else "Made for display")
        self.refill()

    def refill(self) -> None:
        """Read all preset files anew, in the background, and show them."""
        self._reader.ask(lambda _cancel: shelf())

    def _show_shelf(self, found: list[Shelved]) -> None:
        self._shelf = found
        self._fill()

    # --- tiles -------------------------------------------------------------------------------------
    @staticmethod
    def _fits(each: Shelved, wish: str) -> bool:
        if wish == OWN:
            return not each.shipped
        return not wish or each.preset is None or each.preset.made_for == wish

    def _fill(self) -> None:
        words = self.search.text().casefold().split()
        wish = _FILTERS[self.filter.currentText()]
        self._lane.drop()
        self.tiles.clear()
        self._todo = []
        blank = QPixmap(TILE)
        blank.fill(Qt.GlobalColor.black)
        for each in self._shelf:
            name = each.preset.name if each.preset else each.file.name
            text = f"{name} {each.preset.note if each.preset else ''}".casefold()
            if not self._fits(each, wish) or not all(w in text for w in words):
                continue
            item = QListWidgetItem(_icon(blank), name)
            item.setData(_ROLE, each)
            set_tip(item, each.preset.note if each.preset else str(each.fault))
            self.tiles.addItem(item)
            self._todo.append(each)
        if self.tiles.count():
            self.tiles.setCurrentRow(0)
        self._show_chosen()
        self._next()

    def _next(self) -> None:
        """Ask for the picture of the next tile."""
        shot, study = self._desk.shot, self._desk.model.study
        if shot is None:
            self._todo = []  # nothing to show them on
        if not self._todo or shot is None:
            return
        each = self._todo.pop(0)
        preset, previewer = each.preset, self._desk.previewer
        if preset is None:
            self._next()
            return
        after = attrs.evolve(study, look=preset.as_look())

        def work(_cancel: Any) -> Any:
            return each, previewer.thumbnail(after, shot, TILE.width(), TILE.height())

        self._lane.ask(work)

    def _show_tile(self, each: Shelved, picture: Array) -> None:
        for row in range(self.tiles.count()):
            item = self.tiles.item(row)
            if item.data(_ROLE) is each:
                item.setIcon(_icon(QPixmap.fromImage(image_of(picture))))
        self._next()

    @property
    def is_busy(self) -> bool:
        return bool(self._todo) or self._lane.is_busy or self._reader.is_busy

    # --- the chosen one ----------------------------------------------------------------------------
    def chosen(self) -> Shelved | None:
        item = self.tiles.currentItem()
        found: Shelved | None = item.data(_ROLE) if item is not None else None
        return found

    def _show_chosen(self) -> None:
        each = self.chosen()
        preset = each.preset if each else None
        for button in (self.to_look, self.to_ground):
            button.setEnabled(preset is not None)
        self.to_ground.setEnabled(preset is not None and self._desk.shot is not None)
        self.remove.setEnabled(each is not None and not each.shipped)
        if each is None:
            self.about.setText(
                "Nothing is called that. Save a glaze or the Look to fill this wall."
            )
            self.where.setText("")
        elif preset is None:
            assert each.fault is not None
            self.about.setText(f"{each.file.name}: {each.fault.summary}; {each.fault.hint}.")
            self.where.setText(str(each.file))
        else:
            kind = "One glaze" if each.file.suffix == GLAZE else f"{len(preset.coats)} glazes"
            self.about.setText(preset.note or preset.name)
            place = "comes with Sfumato" if each.shipped else str(each.file)
            self.where.setText(
                f"{kind}, set in {preset.working}, made for {preset.made_for} · {place}"
            )

    def _put(self, where: str) -> None:
        each = self.chosen()
        if each is not None and each.preset is not None:
            self.wanted.emit(each.preset, where)

    def _remove(self) -> None:
        each = self.chosen()
        if each is not None and not each.shipped:
            self.remove_wanted.emit(each)

    @guarded
    def done(self, code: int) -> None:
        self._end()
        super().done(code)

    @guarded
    def closeEvent(self, event: QCloseEvent) -> None:
        self._end()
        super().closeEvent(event)

    def _end(self) -> None:
        self._todo = []
        for lane in (self._lane, self._reader):
            lane.close()
        self._is_over = True
        self._go()

    def _go(self) -> None:
        """Be deleted once closed: not while the loop of a drag still runs in it."""
        if self._is_over and not self.tiles.is_dragging:
            self.deleteLater()
