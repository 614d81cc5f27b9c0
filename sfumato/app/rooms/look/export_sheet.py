"""The sheet from which the Look goes into a file of any LUT format."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted
from sfumato.app.controls.target_form import TargetForm
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, brief, set_tip
from sfumato.app.theme import strong_font
from sfumato.core.errors import ValueRefused
from sfumato.formats.parts.registry import formats
from sfumato.work.files import exists, is_folder, typed_folder
from sfumato.work.luts.target import Target
from sfumato.work.outlets.forms.lut_file import SHAPER

_USUAL_GRIDS = (17, 33, 65)
_WIDEST = "Shaper"  # of the words before rows


@frozen
class ExportWish:
    """What the person asked for."""

    file: Path
    target: Target
    title: str
    force: bool


@frozen
class ExportAsk:
    """What the sheet starts with: the Look, its Span, and the choices of last time.

    `grid` is the Seal's; `lost(target)` says what a file of that target would not keep, or raises
    nothing: a reason beginning with "!" is why it cannot be written.
    """

    look: str
    title: str
    span: str
    folder: Path
    grid: int
    target: Target
    lost: Callable[[Target], tuple[str, ...]]
    choose_folder: Callable[[Path], Path | None]
    warning: str = ""


def file_name(look: str, target: Target) -> str:
    """Return a file name of small letters for a Look: `Low tide`, 33 points -> `low_tide_33.cube`."""
    name = re.sub(r"[^a-z0-9]+", "_", look.casefold()).strip("_")[:60] or "look"
    grid = f"_{target.grid}" if target.spec.bakes and target.grid else ""
    return f"{name}{grid}{target.ending}"


class ExportSheet(QDialog):
    """Format and its choices, name, folder, title. `wish` is set when it was accepted."""

    def __init__(self, parent: QWidget, ask: ExportAsk) -> None:
        super().__init__(parent)
        self.wish: ExportWish | None = None
        self._ask, self._own_name = ask, True
        self.target = self._fitting(attrs.evolve(ask.target, grid=ask.grid))
        self.setWindowTitle("Export the LUT")
        self.setObjectName("export")
        self.setMinimumWidth(520)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = Line(f"Export “{ask.look}” as a LUT")
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        form.setHorizontalSpacing(14)
        self.format = Chooser()
        self.format.setObjectName("export.format")
        self.format.setAccessibleName("Format")
        set_tip(self.format, "The kind of file, by what will read it.")
        for spec in sorted(formats().values(), key=lambda s: (s.key != "cube", s.title)):
            if spec.write is not None:
                self.format.addItem(f"{spec.title}  {spec.suffixes[0]}", spec.key)
        self.format.setCurrentIndex(self.format.findData(self.target.key))
        self.format.activated.connect(lambda _i: self._take_format())
        form.addRow(self._label("Format"), self.format)
        self._choices = QVBoxLayout()
        self._choices.setContentsMargins(0, 0, 0, 0)
        form.addRow(self._choices)
        self.name = QLineEdit()
        self.name.setObjectName("export.name")
        set_tip(self.name, "The file's name; its ending follows the format.")
        self.name.textEdited.connect(self._on_typed)
        self.folder = QLineEdit(str(ask.folder))
        self.folder.setObjectName("export.folder")
        set_tip(self.folder, "The folder that the file is written into.")
        self.folder.textEdited.connect(lambda _t: self._check())
        browse = QPushButton("Choose…")
        set_tip(browse, "Choose the folder.")
        browse.clicked.connect(self._browse)
        folder_row = QHBoxLayout()
        folder_row.addWidget(self.folder, 1)
        folder_row.addWidget(browse)
        self.title = QLineEdit(ask.title)
        self.title.setObjectName("export.title")
        set_tip(
            self.title, "What the file says of itself: many programs show it instead of the name."
        )
        self.title.setMaxLength(200)
        form.addRow("Name", self.name)
        form.addRow("Folder", folder_row)
        form.addRow("Title", self.title)
        form.addRow("Covers", Label(ask.span))
        self.lost = Label()
        self.lost.setObjectName("export.lost")
        self.lost.setWordWrap(True)
        form.addRow("Loses", self.lost)
        column.addLayout(form)
        self.warning = Label(ask.warning)
        self.warning.setProperty("pigment", "cinnabar")
        self.warning.setWordWrap(True)
        self.warning.setVisible(bool(ask.warning))
        column.addWidget(self.warning)
        self.state = Label()
        self.state.setWordWrap(True)
        self.state.setObjectName("export.state")
        column.addWidget(self.state)
        row = QHBoxLayout()
        row.addStretch(1)
        stay = QPushButton("Not now")
        set_tip(stay, "Closes the sheet; nothing is written.")
        stay.clicked.connect(self.reject)
        self.go = QPushButton()
        self.go.setObjectName("export.go")
        set_tip(self.go, "Writes the file, reads it back and says what it lost.")
        self.go.setProperty("main", True)
        self.go.setDefault(True)
        self.go.clicked.connect(self._accept)
        row.addWidget(stay)
        row.addWidget(self.go)
        column.addLayout(row)
        self._fill_choices()
        self._show_name()
        self.name.setFocus()
        self.name.selectAll()

    # --- the format and its choices ----------------------------------------------------------------
    @staticmethod
    def _fitting(target: Target) -> Target:
        """Return a target with a grid that its format holds, and no shaper where it has none."""
        spec = target.spec
        grid = spec.grid_for(target.grid) if spec.bakes and target.grid else target.grid
        return attrs.evolve(target, grid=grid, shaper=target.shaper if spec.shaper else None)

    def _take_format(self) -> None:
        key = self.format.currentData()
        if key != self.target.key:
            self.target = self._fitting(Target(key, self._ask.grid))
            self._fill_choices()
            self._show_name()

    def _fill_choices(self) -> None:
        """Lay out what the chosen format lets one choose."""
        while self._choices.count():
            item = self._choices.takeAt(0)
            old = item.widget() if item is not None else None
            if old is not None:
                old.hide()
                old.deleteLater()
        spec = self.target.spec
        box = TargetForm(spec, "export.{}", self._label)
        box.form.setVerticalSpacing(8)
        box.form.setHorizontalSpacing(14)
        box.edited.connect(self._edit)
        if box.grid is not None:
            box.grid.setMinimumWidth(28)
            box.form.setWidget(0, QFormLayout.ItemRole.FieldRole, self._grid_row(box))
        if spec.shaper:
            shaper = Tick(f"{SHAPER} entries before the grid")
            shaper.setObjectName("export.shaper")
            set_tip(shaper, "A 1D table that gives the dark tones more of the grid.")
            shaper.setChecked(self.target.shaper is not None)
            shaper.clicked.connect(lambda on: self._edit("shaper", SHAPER if on else None))
            box.form.addRow(self._label("Shaper"), shaper)
        self.choices = box
        self._choices.addWidget(box)
        box.setVisible(box.form.rowCount() > 0)
        self._show_choices()
        QTimer.singleShot(0, self, self.adjustSize)

    def _label(self, words: str) -> Label:
        """Return a label as wide as those of the other rows."""
        label = Label(words)
        label.setFixedWidth(Label(_WIDEST).sizeHint().width())
        return label

    def _grid_row(self, box: TargetForm) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        assert box.grid is not None
        line.addWidget(box.grid)
        line.addWidget(Label("points a side"))
        spec = self.target.spec
        for points in dict.fromkeys(spec.grid_for(g) for g in _USUAL_GRIDS):
            button = QPushButton(str(points))
            button.setProperty("flat", True)
            button.setAccessibleName(f"{points} points")
            set_tip(button, f"A grid of {points} points a side.")
            button.clicked.connect(lambda _on, p=points: self._edit("grid", p))
            line.addWidget(button)
        line.addStretch(1)
        return row

    def _edit(self, field: str, value: Any) -> None:
        self.target = attrs.evolve(self.target, **{field: value})
        self._show_choices()
        self._show_name()

    def _show_choices(self) -> None:
        t = self.target
        self.choices.show_choices(t.grid, depth=t.depth, layout=t.layout, suffix=t.suffix)

    # --- name and place ----------------------------------------------------------------------------
    def _show_name(self) -> None:
        if self._own_name:
            self.name.setText(file_name(self._ask.look, self.target))
        else:
            stem = self.name.text()
            for spec in formats().values():
                stem = next((stem[: -len(s)] for s in spec.suffixes if stem.endswith(s)), stem)
            self.name.setText(f"{stem}{self.target.ending}")
        self._check()

    def _file(self) -> Path | None:
        """Return where the file goes, None when what is typed is no folder."""
        name = self.name.text().strip()
        if name and not name.lower().endswith(self.target.ending):
            name += self.target.ending
        try:
            return typed_folder(self.folder.text()) / name
        except ValueRefused:
            return None

    def _on_typed(self, _text: str) -> None:
        self._own_name = False
        self._check()

    def _browse(self) -> None:
        folder = self._ask.choose_folder(Path(self.folder.text()))
        if folder is not None:
            self.folder.setText(str(folder))
            self._check()

    def _check(self) -> None:
        """Say what is lost, and beside the button what stands in the way, or what would be replaced."""
        lost = self._ask.lost(self.target)
        held = not (lost and lost[0].startswith("!"))
        self.lost.setText("; ".join(lost).lstrip("!") or "nothing beside what lies between nodes")
        painted(self.lost, "" if held else "cinnabar")
        file = self._file()
        words, pigment, good = "", "", held
        if not self.name.text().strip() or "/" in self.name.text():
            words, pigment, good = "Give a file name without slashes.", "cinnabar", False
        elif file is None or not is_folder(file.parent):
            words, pigment, good = "There is no such folder.", "cinnabar", False
        elif exists(file):
            words, pigment = f"{file.name} exists and will be replaced.", "cinnabar"
        self.state.setText(words)
        painted(self.state, pigment)
        self.state.setVisible(bool(words))
        self.go.setEnabled(good)
        verb = "Export"
        if good and file is not None:
            verb = f"{'Replace' if exists(file) else 'Export'} {brief(file.name)}"
        self.go.setText(verb)

    def _accept(self) -> None:
        file = self._file()
        if file is None:
            return
        self.wish = ExportWish(file, self.target, self.title.text().strip(), exists(file))
        self.accept()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.reject()
        else:
            super().keyPressEvent(event)
