"""The sheet from which the Look goes into a file."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from attrs import frozen
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.rooms.look.seal import GRID
from sfumato.app.theme import strong_font


@frozen
class ExportWish:
    """What the person asked for."""

    file: Path
    grid: int
    title: str
    force: bool


def file_name(look: str, grid: int) -> str:
    """Return a plain file name for a Look: `Low tide`, 33 -> `low_tide_33.cube`."""
    stem = re.sub(r"[^a-z0-9]+", "_", look.casefold()).strip("_") or "look"
    return f"{stem[:60]}_{grid}.cube"


class ExportSheet(QDialog):
    """Name, folder, grid, title. `wish` is set when it was accepted."""

    def __init__(
        self,
        parent: QWidget,
        look: str,
        title: str,
        folder: Path,
        grid: int,
        span: str,
        warning: str,
        choose: Callable[[Path], Path | None],
    ) -> None:
        super().__init__(parent)
        self.wish: ExportWish | None = None
        self._own_name = True
        self._look = look
        self.setWindowTitle("Export the LUT")
        self.setObjectName("export")
        self.setMinimumWidth(520)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = QLabel(f"Export “{look}” as a LUT")
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        form.setHorizontalSpacing(14)
        self.grid = ScrubNumber(GRID, 33)
        self.grid.setObjectName("export.grid")
        self.grid.left = True
        self.grid.setMinimumWidth(28)
        self.grid.show_value(grid)
        self.grid.edited.connect(self._on_grid)
        self.name = QLineEdit(file_name(look, grid))
        self.name.setObjectName("export.name")
        self.name.textEdited.connect(self._on_typed)
        self.folder = QLineEdit(str(folder))
        self.folder.setObjectName("export.folder")
        self.folder.textEdited.connect(lambda _t: self._check())
        browse = QPushButton("Choose…")
        browse.clicked.connect(lambda: self._browse(choose))
        self.title = QLineEdit(title)
        self.title.setObjectName("export.title")
        self.title.setMaxLength(200)
        folder_row = QHBoxLayout()
        folder_row.addWidget(self.folder, 1)
        folder_row.addWidget(browse)
        grid_row = QHBoxLayout()
        grid_row.addWidget(self.grid)
        grid_row.addWidget(QLabel("points a side"))
        for points in (17, 33, 65):
            button = QPushButton(str(points))
            button.setProperty("flat", True)
            button.setAccessibleName(f"{points} points")
            button.clicked.connect(lambda _on, p=points: self.grid._set(p))
            grid_row.addWidget(button)
        grid_row.addStretch(1)
        form.addRow("Name", self.name)
        form.addRow("Folder", folder_row)
        form.addRow("Grid", grid_row)
        form.addRow("Title", self.title)
        covers = QLabel(span)
        form.addRow("Covers", covers)
        column.addLayout(form)
        self.warning = QLabel(warning)
        self.warning.setProperty("pigment", "cinnabar")
        self.warning.setWordWrap(True)
        self.warning.setVisible(bool(warning))
        column.addWidget(self.warning)
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.state.setObjectName("export.state")
        column.addWidget(self.state)
        row = QHBoxLayout()
        row.addStretch(1)
        stay = QPushButton("Not now")
        stay.clicked.connect(self.reject)
        self.go = QPushButton()
        self.go.setObjectName("export.go")
        self.go.setProperty("main", True)
        self.go.setDefault(True)
        self.go.clicked.connect(self._accept)
        row.addWidget(stay)
        row.addWidget(self.go)
        column.addLayout(row)
        self._check()
        self.name.setFocus()
        self.name.selectAll()

    def _file(self) -> Path:
        name = self.name.text().strip()
        if name and not name.lower().endswith(".cube"):
            name += ".cube"
        return Path(self.folder.text()).expanduser() / name

    def _on_grid(self, value: float) -> None:
        if self._own_name:
            self.name.setText(file_name(self._look, round(value)))
        self._check()

    def _on_typed(self, _text: str) -> None:
        self._own_name = False
        self._check()

    def _browse(self, choose: Callable[[Path], Path | None]) -> None:
        folder = choose(Path(self.folder.text()))
        if folder is not None:
            self.folder.setText(str(folder))
            self._check()

    def _check(self) -> None:
        """Say beside the button what stands in the way, or what would be replaced."""
        file = self._file()
        words, pigment, good = "", "", True
        if not self.name.text().strip() or "/" in self.name.text():
            words, pigment, good = "Give a file name without slashes.", "cinnabar", False
        elif not file.parent.is_dir():
            words, pigment, good = "There is no such folder.", "cinnabar", False
        elif file.exists():
            words, pigment = f"{file.name} exists and will be replaced.", "cinnabar"
        self.state.setText(words)
        painted(self.state, pigment)
        self.state.setVisible(bool(words))
        self.go.setEnabled(good)
        verb = "Replace" if good and file.exists() else "Export"
        self.go.setText(f"{verb} {file.name}" if good else "Export")

    def _accept(self) -> None:
        file = self._file()
        self.wish = ExportWish(
            file, round(self.grid.value()), self.title.text().strip(), file.exists()
        )
        self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.reject()
        else:
            super().keyPressEvent(event)
