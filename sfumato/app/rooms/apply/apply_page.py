"""The Apply room: shots through their Ground and the Look into new files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted
from sfumato.app.controls.invitation import Invitation
from sfumato.app.controls.parts import passing_menu
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.table_row import TableRow
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.apply.apply_settings import ApplySettings
from sfumato.app.services.jobs import single_shot
from sfumato.app.services.rests import Rests
from sfumato.app.services.study_model import StudyModel
from sfumato.app.theme import colour
from sfumato.core.errors import ValueRefused
from sfumato.core.study.shot import Shot
from sfumato.work.files import typed_folder
from sfumato.work.frames import is_clip
from sfumato.work.results.apply import Job, is_done, jobs_of

_STATE = 3  # its column
_ROLE = Qt.ItemDataRole.UserRole
_EMPTY = (
    "Bring in the stills and clips that are to have it. They are written with their Ground and the Look, "
    "under names that you choose; the files themselves stay as they are."
)


class ApplyPage(QWidget):
    """`apply_wanted()`, `pause_wanted()`, `bring_in()`, `paint_wanted(shot)`, `reveal_wanted(path)`."""

    apply_wanted = Signal()
    pause_wanted = Signal()
    bring_in = Signal()
    paint_wanted = Signal(str)
    reveal_wanted = Signal(object)

    def __init__(self, model: StudyModel, rests: Rests) -> None:
        super().__init__()
        self._model = model
        self._off: set[str] = set()  # shots that are left out
        self._states: dict[str, tuple[str, str]] = {}
        self._running, self._count, self._fault = False, 0, ""
        self._files: dict[str, Path] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.settings = ApplySettings(model)
        self.settings.changed.connect(self._on_settings)
        self._fill_foot()
        row.addWidget(self.settings)
        row.addWidget(self._make_table(), 1)
        # Looking for results that are there reads files: only while the room is seen, and at rest.
        self._later = single_shot(self, rests.picture, lambda: self.refresh(fresh=self._is_stale))
        self._is_stale = False
        model.changed.connect(lambda _b, _a: self._on_changed())
        self.refresh()

    def _on_settings(self) -> None:
        self._is_stale = True  # what was done before was done by other settings
        self._later.start()

    def _on_changed(self) -> None:
        self._is_stale = True
        if self.isVisible():
            self._later.start()

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh(fresh=self._is_stale)

    def _fill_foot(self) -> None:
        """Put the state and the buttons under the settings."""
        column = QVBoxLayout()
        self.state = Label()
        self.state.setObjectName("apply.state")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        self.unusual = Label()
        self.unusual.setObjectName("apply.unusual")
        self.unusual.setWordWrap(True)
        self.unusual.setProperty("pigment", "yellow")
        column.addWidget(self.unusual)
        line = QHBoxLayout()
        self.pause = QPushButton("Pause")
        self.pause.setObjectName("apply.pause")
        self.pause.setVisible(False)
        self.pause.clicked.connect(self.pause_wanted)
        self.apply = QPushButton("Apply")
        self.apply.setObjectName("apply.apply")
        set_tip(self.apply, "Writes every shot that is ticked, decodes it again and compares.")
        self.apply.setProperty("main", True)
        self.apply.clicked.connect(self.apply_wanted)
        line.addWidget(self.pause)
        line.addWidget(self.apply, 1)
        column.addLayout(line)
        self.settings.foot.addLayout(column)

    def _make_table(self) -> QWidget:
        page = QWidget()
        as_panel(page)
        column = QVBoxLayout(page)
        column.setContentsMargins(14, 12, 14, 12)
        head_line = QHBoxLayout()
        self.paint = QPushButton("Paint where the Look goes…")
        self.paint.setObjectName("apply.paint")
        set_tip(self.paint, "A mask for the Look on the chosen still, and LUTs laid on parts of it")
        self.paint.clicked.connect(lambda: self.paint_wanted.emit(self.chosen_still))
        head_line.addStretch(1)
        head_line.addWidget(self.paint)
        self.table = QTableWidget(0, 4)
        self.table.setObjectName("apply.table")
        set_tip(
            self.table,
            "The shots, the files that they become, and what became of them.",
        )
        self.table.setAccessibleName("Shots to be applied")
        self.table.setHorizontalHeaderLabels(["Shot", "becomes", "painted", "state"])
        self.table.verticalHeader().setVisible(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setItemDelegate(TableRow(self.table))
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        for i, width in enumerate((120, 190, 84)):
            self.table.setColumnWidth(i, width)
        self.table.itemChanged.connect(self._on_item)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._show_menu)
        self.table.doubleClicked.connect(lambda _i: self._reveal())
        self.table.currentCellChanged.connect(lambda *_places: self._on_row())
        column.addWidget(self.table, 1)
        bring = QPushButton("Bring in pictures or clips…")
        bring.setObjectName("apply.bring_in")
        bring.clicked.connect(self.bring_in)
        bring.setProperty("main", True)
        self.empty = Invitation("Nothing to apply the Look to yet", _EMPTY, bring)
        column.addWidget(self.empty, 1)
        column.addLayout(head_line)
        return page

    def _show_menu(self, at: Any) -> None:
        menu = passing_menu(self)
        menu.addAction("Show the result in the file manager", self._reveal)
        paint = menu.addAction(
            "Paint where the Look goes…", lambda: self.paint_wanted.emit(self.chosen_still)
        )
        paint.setEnabled(bool(self.chosen_still))
        menu.addSeparator()
        menu.addAction("Apply to this shot alone", lambda: self._tick(alone=True))
        menu.addAction("Apply to all shots", lambda: self._tick(alone=False))
        menu.popup(self.table.viewport().mapToGlobal(at))

    def _chosen(self) -> str:
        return self._shot_of(self.table.currentRow())

    def _shot_of(self, row: int) -> str:
        """The id of the shot in a row, "" where there is none."""
        item = self.table.item(row, 0)
        return str(item.data(_ROLE)) if item is not None else ""

    def _reveal(self) -> None:
        file = self._files.get(self._chosen())
        if file is not None:
            self.reveal_wanted.emit(file)

    def _tick(self, *, alone: bool) -> None:
        chosen = self._chosen()
        ids = {s.id for s in self._model.study.shots}
        self._off = ids - {chosen} if alone and chosen else set()
        self.refresh()

    def _on_row(self) -> None:
        self.paint.setEnabled(bool(self.chosen_still))

    # --- what is wished ------------------------------------------------------------------------------
    @property
    def folder(self) -> str:
        return self._model.study.results.folder.strip()

    def jobs(self) -> list[Job]:
        """Return what would be written now, for the shots that are ticked.

        Raises:
            ValueRefused: the folder is none, or the names have a field that is not known.
        """
        study = self._model.study
        ids = tuple(s.id for s in study.shots if s.id not in self._off)
        folder = typed_folder(self.folder) if self.folder else Path.home()  # not written to yet
        settings = self.settings
        encoding = study.results.made_for or study.view.encoding
        names = study.results.names
        return jobs_of(study, ids, folder, *settings.suffixes(), names, encoding)

    @property
    def chosen_still(self) -> str:
        """The still in the table's current row, "" when it is none."""
        shot, study = self._chosen(), self._model.study
        return shot if any(s.id == shot and not is_clip(s.path) for s in study.shots) else ""

    def _on_item(self, item: QTableWidgetItem) -> None:
        if item.column() == 0:
            shot = item.data(_ROLE)
            on = item.checkState() == Qt.CheckState.Checked
            (self._off.discard if on else self._off.add)(shot)
            self.refresh()

    # --- showing -------------------------------------------------------------------------------------
    def show_state(self, shot: str, words: str, pigment: str = "") -> None:
        """Say how far a shot is."""
        self._states[shot] = (words, pigment)
        for row in range(self.table.rowCount()):
            if self._shot_of(row) == shot:
                self._paint_state(row, shot)

    def _paint_state(self, row: int, shot: str) -> None:
        words, pigment = self._states.get(shot, ("", ""))
        item = self.table.item(row, _STATE)
        if item is None:
            return
        self.table.blockSignals(True)
        item.setText(words)
        set_tip(item, words)
        item.setForeground(colour(pigment or "text"))
        self.table.blockSignals(False)

    def show_running(self, running: bool, paused: bool = False) -> None:
        self._running = running
        self.pause.setVisible(running)
        self.pause.setText("Go on" if paused else "Pause")
        self._show_ready()

    def _show_ready(self) -> None:
        ready = bool(self._count) and bool(self.folder) and not (self._running or self._fault)
        self.apply.setEnabled(ready)

    def refresh(self, *, fresh: bool = False) -> None:
        """Show the study's shots; `fresh` forgets how earlier results went."""
        if fresh:
            self._states.clear()
            self._is_stale = False
        study = self._model.study
        self.settings.refresh()
        fault = ""
        try:
            jobs = self.jobs()
        except ValueRefused as error:
            jobs, fault = [], error.sentence()
        files = self._files = {j.shot.id: j.file for j in jobs}
        chosen = self.table.currentRow()
        self.table.blockSignals(True)
        self.table.setRowCount(len(study.shots))
        for row, shot in enumerate(study.shots):
            first = QTableWidgetItem(shot.name)
            first.setFlags(first.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            ticked = Qt.CheckState.Unchecked if shot.id in self._off else Qt.CheckState.Checked
            first.setCheckState(ticked)
            first.setData(_ROLE, shot.id)
            set_tip(first, shot.path)
            name = files[shot.id].name if shot.id in files else ""
            where = QTableWidgetItem(_painted_words(shot))
            set_tip(where, "Painted masks and layers go into results, never into a LUT.")
            items = (first, QTableWidgetItem(name), where, QTableWidgetItem(""))
            for column, item in enumerate(items):
                self.table.setItem(row, column, item)
        self.table.blockSignals(False)
        for row, shot in enumerate(study.shots):
            self._paint_state(row, shot.id)
        if study.shots:
            self.table.setCurrentCell(max(chosen, 0), 0)
        self.table.setVisible(bool(study.shots))
        self.empty.setVisible(not study.shots)
        self._on_row()
        self._count = len(files)
        unusual = study.results.unusual()
        self.apply.setText(f"Apply to {self._count} shot{'s' * (self._count != 1)}")
        self.unusual.setText(f"{unusual[:1].upper()}{unusual[1:]}." if unusual else "")
        self.unusual.setVisible(bool(unusual))
        words = fault
        if not study.shots:
            words = "Bring in pictures or clips first."
        elif not words and not self.folder:
            words = "Choose a folder for the results."
        elif not words:
            try:
                wish = self.settings.wish()
            except ValueRefused as error:
                words = fault = error.sentence()
            else:
                done = sum(is_done(study, j, wish) for j in jobs)
                there = f"{done} of {self._count} are there already and stay as they are."
                words = there if done else ""
        self._fault = fault
        self.state.setText(words)
        painted(self.state, "cinnabar" if fault else "")
        self._show_ready()


def _painted_words(shot: Shot) -> str:
    """Say in a word or two where the Look goes on a still, and what lies on it."""
    if is_clip(shot.path):
        return ""
    count = len(shot.layers)
    layers = f"{count} layer{'s' * (count != 1)}" if count else ""
    return " + ".join(w for w in ("" if shot.mask.is_plain else "mask", layers) if w)
