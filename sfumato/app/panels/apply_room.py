"""The Apply room: shots through their Ground and the Look into new files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import Chooser, painted, quiet
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.model.jobs import single_shot
from sfumato.app.model.study_model import StudyModel
from sfumato.app.panels.swatch_room import STRENGTH
from sfumato.app.theme import colour
from sfumato.core.encodings import Family, encodings
from sfumato.work.apply import ApplyWish, Job, is_done, jobs_of
from sfumato.work.clips import CODECS

STILLS = {"PNG": ".png", "TIFF": ".tif", "JPEG": ".jpg"}
AS_VIEW = "as the View"
AS_SOURCE = "as the source"
_DEPTHS = {AS_SOURCE: 0, "8 bit": 8, "16 bit": 16}
_REST_MS = 150
_ROLE = Qt.ItemDataRole.UserRole


class ApplyRoom(QWidget):
    """`apply_wanted()`, `pause_wanted()`, `folder_wanted()`."""

    apply_wanted = Signal()
    pause_wanted = Signal()
    folder_wanted = Signal()

    def __init__(self, model: StudyModel) -> None:
        super().__init__()
        self._model = model
        self._off: set[str] = set()  # shots that are left out
        self._states: dict[str, tuple[str, str]] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_settings())
        row.addWidget(self._make_table(), 1)
        # Looking for results that are there reads files: only while the room is seen, and at rest.
        self._later = single_shot(self, _REST_MS, lambda: self.refresh(fresh=self._is_stale))
        self._is_stale = False
        model.changed.connect(lambda _b, _a: self._on_changed())
        self.refresh()

    def _on_folder(self, text: str) -> None:
        self.apply.setEnabled(bool(text.strip()) and bool(self.jobs()))
        self._later.start()

    def _on_changed(self) -> None:
        self._is_stale = True
        if self.isVisible():
            self._later.start()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh(fresh=self._is_stale)

    def _chooser(self, name: str, title: str, options: tuple[str, ...], column: Any) -> Chooser:
        line = QHBoxLayout()
        label = QLabel(title)
        label.setFixedWidth(96)
        box = Chooser()
        box.setObjectName(f"apply.{name}")
        box.setAccessibleName(title)
        box.addItems(options)
        box.textActivated.connect(lambda _t: self.refresh(fresh=True))
        line.addWidget(label)
        line.addWidget(box, 1)
        column.addLayout(line)
        return box

    def _make_settings(self) -> QWidget:
        panel = QWidget()
        panel.setObjectName("panel")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(340)
        column = QVBoxLayout(panel)
        column.setContentsMargins(18, 16, 18, 14)
        column.setSpacing(8)
        words = QLabel("Every shot through its own Ground and the one Look, into new files.")
        words.setWordWrap(True)
        column.addWidget(words)
        column.addSpacing(6)
        self.still = self._chooser("still", "Stills as", tuple(STILLS), column)
        self.still.setCurrentText("TIFF")
        self.depth = self._chooser("depth", "Depth", tuple(_DEPTHS), column)
        titles = tuple(c.title for c in CODECS.values())
        self.codec = self._chooser("codec", "Clips as", titles, column)
        self.codec.setCurrentText(CODECS["prores"].title)
        self.display = self._chooser("display", "Made for", (AS_VIEW,), column)
        line = QHBoxLayout()
        label = QLabel("Strength")
        label.setFixedWidth(96)
        self.strength = ScrubNumber(STRENGTH, 100)
        self.strength.setObjectName("apply.strength")
        self.strength.setFixedWidth(62)
        self.strength.edited.connect(lambda _v: self.refresh(fresh=True))
        line.addWidget(label)
        line.addWidget(SlimBar(self.strength), 1)
        line.addWidget(self.strength)
        column.addLayout(line)
        line = QHBoxLayout()
        label = QLabel("Folder")
        label.setFixedWidth(96)
        self.folder = QLineEdit()
        self.folder.setObjectName("apply.folder")
        self.folder.setAccessibleName("Folder for the results")
        self.folder.textChanged.connect(self._on_folder)
        choose = QPushButton("Choose…")
        choose.setObjectName("apply.choose")
        choose.clicked.connect(self.folder_wanted)
        line.addWidget(label)
        line.addStretch(1)
        line.addWidget(choose)
        column.addLayout(line)
        column.addWidget(self.folder)
        column.addStretch(1)
        final = quiet(
            "Baking is final: a result holds Ground and Look for good. Originals are never touched; "
            "a small file beside each result says what was done."
        )
        final.setWordWrap(True)
        column.addWidget(final)
        self.state = QLabel()
        self.state.setObjectName("apply.state")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        line = QHBoxLayout()
        self.pause = QPushButton("Pause")
        self.pause.setObjectName("apply.pause")
        self.pause.setVisible(False)
        self.pause.clicked.connect(self.pause_wanted)
        self.apply = QPushButton("Apply")
        self.apply.setObjectName("apply.apply")
        self.apply.setProperty("main", True)
        self.apply.clicked.connect(self.apply_wanted)
        line.addWidget(self.pause)
        line.addWidget(self.apply, 1)
        column.addLayout(line)
        return panel

    def _make_table(self) -> QWidget:
        self.table = QTableWidget(0, 3)
        self.table.setObjectName("apply.table")
        self.table.setAccessibleName("Shots to be applied")
        self.table.setHorizontalHeaderLabels(["Shot", "becomes", "state"])
        self.table.verticalHeader().setVisible(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(0, 220)
        self.table.setColumnWidth(1, 260)
        self.table.itemChanged.connect(self._on_item)
        return self.table

    # --- what is wished ------------------------------------------------------------------------------
    def wish(self) -> ApplyWish:
        shown = self.display.currentText()
        codec = next(c for c in CODECS.values() if c.title == self.codec.currentText())
        return ApplyWish(
            "" if shown == AS_VIEW else shown,
            self.strength.value() / 100,
            _DEPTHS[self.depth.currentText()],
            codec.key,
        )

    def jobs(self) -> list[Job]:
        """Return what would be written now, for the shots that are ticked."""
        study = self._model.study
        codec = CODECS[self.wish().codec]
        ids = tuple(s.id for s in study.shots if s.id not in self._off)
        folder = Path(self.folder.text().strip() or ".").expanduser()
        return jobs_of(study, ids, folder, STILLS[self.still.currentText()], codec.suffixes[0])

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
            if self.table.item(row, 0).data(_ROLE) == shot:
                self._paint_state(row, shot)

    def _paint_state(self, row: int, shot: str) -> None:
        words, pigment = self._states.get(shot, ("", ""))
        item = self.table.item(row, 2)
        self.table.blockSignals(True)
        item.setText(words)
        item.setToolTip(words)
        item.setForeground(colour(pigment or "text"))
        self.table.blockSignals(False)

    def show_running(self, running: bool, paused: bool = False) -> None:
        self.pause.setVisible(running)
        self.pause.setText("Go on" if paused else "Pause")
        self.apply.setEnabled(
            not running and bool(self.jobs()) and bool(self.folder.text().strip())
        )

    def refresh(self, *, fresh: bool = False) -> None:
        """Show the study's shots; `fresh` forgets how earlier results went."""
        if fresh:
            self._states.clear()
            self._is_stale = False
        study = self._model.study
        displays = tuple(
            n for n, e in encodings().items() if e.family is Family.DISPLAY and not e.is_view
        )
        self.display.offer((AS_VIEW, *displays))
        files = {j.shot.id: j.file for j in self.jobs()}
        self.table.blockSignals(True)
        self.table.setRowCount(len(study.shots))
        for row, shot in enumerate(study.shots):
            first = QTableWidgetItem(shot.name)
            first.setFlags(first.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            ticked = Qt.CheckState.Unchecked if shot.id in self._off else Qt.CheckState.Checked
            first.setCheckState(ticked)
            first.setData(_ROLE, shot.id)
            first.setToolTip(shot.path)
            name = files[shot.id].name if shot.id in files else ""
            for column, item in enumerate((first, QTableWidgetItem(name), QTableWidgetItem(""))):
                self.table.setItem(row, column, item)
        self.table.blockSignals(False)
        for row, shot in enumerate(study.shots):
            self._paint_state(row, shot.id)
        count, place = len(files), self.folder.text().strip()
        self.apply.setText(f"Apply to {count} shot{'s' * (count != 1)}")
        words = ""
        if not study.shots:
            words = "Bring in pictures or clips in the Look room first."
        elif not place:
            words = "Choose a folder for the results."
        else:
            done = sum(is_done(study, j, self.wish()) for j in self.jobs())
            words = f"{done} of {count} are there already and stay as they are." if done else ""
        self.state.setText(words)
        painted(self.state, "")
        self.apply.setEnabled(bool(files) and bool(place))
