"""Encodings of the user's own: numbers on the left, curve, primaries and checks on the right."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted, quiet
from sfumato.app.controls.parts import part, taken
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import Label, set_help, set_tip
from sfumato.app.window.encoding_plot import EncodingPlot
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.user_encoding import (
    DECODER,
    GAMMA,
    LINEAR,
    LOG,
    OWN,
    Decoder,
    UserEncoding,
    checks,
)
from sfumato.core.errors import ValueRefused
from sfumato.work.stores.encoding_store import own_encodings

_KINDS = (LOG, LINEAR, GAMMA, DECODER)
_PARTS = {"curve": LOG, "power": GAMMA}

_TIPS = {
    "new": "Begins an encoding from the numbers that are shown.",
    "open": "Reads an encoding that somebody saved to a file.",
    "save": "Writes the shown encoding to a file, for others or for another computer.",
    "remove": "Takes it out of your own. Shots that are in it keep its numbers.",
}


class EncodingSheet(QDialog):
    """`kept(UserEncoding, use)`, `remove_wanted(name)`, `file_wanted(what)`: decoder, open or save."""

    kept = Signal(object, bool)
    remove_wanted = Signal(str)
    file_wanted = Signal(str)

    def __init__(self, parent: QWidget, has_shot: bool) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("encodings")
        self.setWindowTitle("Encodings of my own")
        self.resize(940, 660)
        self.draft = UserEncoding()
        self._past: list[UserEncoding] = []
        self._ahead: list[UserEncoding] = []
        self._moving = False
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 14, 14, 14)
        row.setSpacing(14)
        row.addLayout(self._make_list())
        row.addLayout(self._make_numbers(), 1)
        row.addLayout(self._make_sight(has_shot), 1)
        for keys, run in (
            (QKeySequence.StandardKey.Undo, self.undo),
            (QKeySequence.StandardKey.Redo, self.redo),
        ):
            QShortcut(QKeySequence(keys), self, run)
        self.refill()
        self._show()

    # --- parts -------------------------------------------------------------------------------------
    def _make_list(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self._words = quiet("")
        self._words.setWordWrap(True)
        column.addWidget(self._words)
        self.list = QListWidget()
        self.list.setObjectName("encodings.list")
        self.list.setAccessibleName("Encodings of my own")
        set_help(
            self.list, "Every encoding you made; the chosen one is shown and edited beside it."
        )
        self.list.setFixedWidth(170)
        self.list.currentTextChanged.connect(self._choose)
        column.addWidget(self.list, 1)
        for text, name, run in (
            ("New", "new", self._start_new),
            ("Open a file…", "open", lambda: self.file_wanted.emit("open")),
            ("Save to a file…", "save", lambda: self.file_wanted.emit("save")),
            ("Delete it", "remove", lambda: self.remove_wanted.emit(self.draft.name)),
        ):
            button = QPushButton(text)
            button.setObjectName(f"encodings.{name}")
            set_tip(button, _TIPS[name])
            button.setAutoDefault(False)
            button.clicked.connect(run)
            column.addWidget(button)
        return column

    def _line(self, name: str, title: str, help_: str, column: QVBoxLayout) -> QLineEdit:
        row = QHBoxLayout()
        label = Label(title)
        label.setFixedWidth(112)
        line = QLineEdit()
        line.setObjectName(f"encodings.{name}")
        line.setAccessibleName(title)
        set_tip(line, help_)
        line.setMaxLength(60 if name == "name" else 200)
        line.editingFinished.connect(lambda: self._edit(**{name: line.text().strip()}))
        row.addWidget(label)
        row.addWidget(line, 1)
        column.addLayout(row)
        return line

    def _make_numbers(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.name = self._line("name", "Name", "What the encoding is called in every list.", column)
        self.note = self._line("note", "Where from", "Where its numbers stand.", column)
        self.note.setPlaceholderText("the paper with these numbers")
        row = QHBoxLayout()
        label = Label("Curve")
        label.setFixedWidth(112)
        self.kind = Chooser()
        self.kind.setObjectName("encodings.kind")
        self.kind.setAccessibleName("Kind of curve")
        set_tip(self.kind, "How codes become light: a formula with numbers, or a table.")
        self.kind.addItems(_KINDS)
        self.kind.textActivated.connect(lambda k: self._edit(kind=k))
        row.addWidget(label)
        row.addWidget(self.kind, 1)
        column.addLayout(row)
        inner = QWidget()
        fields = QVBoxLayout(inner)
        fields.setContentsMargins(0, 6, 8, 0)
        fields.setSpacing(10)
        self._panels: dict[str, RecordPanel] = {}
        for name in ("curve", "power", "gamut"):
            panel = RecordPanel(getattr(self.draft, name))
            panel.edited.connect(lambda f, v, p=name: self._edit_part(p, f, v))
            panel.released.connect(self._released)
            self._panels[name] = panel
            if name == "gamut":
                fields.addWidget(self._make_decoder())
            fields.addWidget(panel)
        fields.addStretch(1)
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # its fields are reached, and seen then
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        column.addWidget(area, 1)
        return column

    def _make_decoder(self) -> QWidget:
        self._decoder = QWidget()
        column = QVBoxLayout(self._decoder)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        label = Label("Code to light")
        label.setFixedWidth(112)
        self.decoder = QPushButton("Choose a 1D LUT or CLF file…")
        self.decoder.setObjectName("encodings.decoder")
        set_tip(self.decoder, "The table that turns a code into light.")
        self.decoder.setAutoDefault(False)
        self.decoder.clicked.connect(lambda: self.file_wanted.emit("decoder"))
        row.addWidget(label)
        row.addWidget(self.decoder, 1)
        column.addLayout(row)
        self.display = Tick("The light is a display's, not the scene's")
        self.display.setObjectName("encodings.display")
        set_tip(self.display, "Display light ends at white; scene light goes on above it.")
        self.display.clicked.connect(self._edit_display)
        column.addWidget(self.display, 0, Qt.AlignmentFlag.AlignLeft)
        return self._decoder

    def _make_sight(self, has_shot: bool) -> QVBoxLayout:
        column = QVBoxLayout()
        self.plot = EncodingPlot()
        column.addWidget(self.plot, 1)
        self.checks = QVBoxLayout()
        self.checks.setSpacing(1)
        column.addLayout(self.checks)
        row = QHBoxLayout()
        row.addStretch(1)
        self.use = QPushButton("Keep it, use it for this shot")
        self.use.setObjectName("encodings.use")
        set_tip(self.use, "Keeps the encoding, and says that the chosen shot is in it.")
        self.use.setAutoDefault(False)
        self.use.setVisible(has_shot)
        self.use.clicked.connect(lambda: self.kept.emit(self.draft, True))
        self.keep = QPushButton("Keep it")
        self.keep.setObjectName("encodings.keep")
        set_tip(
            self.keep, "Keeps the encoding among your own: it is then in every list of encodings."
        )
        self.keep.setProperty("main", True)
        self.keep.setAutoDefault(False)
        self.keep.clicked.connect(lambda: self.kept.emit(self.draft, False))
        row.addWidget(self.use)
        row.addWidget(self.keep)
        column.addLayout(row)
        return column

    # --- editing -----------------------------------------------------------------------------------
    def _edit(self, **values: Any) -> None:
        after = attrs.evolve(self.draft, **values)
        if after != self.draft:
            if not self._moving:
                self._past.append(self.draft)
                self._ahead.clear()
            self.draft = after
            self._show()

    def _edit_part(self, part: str, field: str, value: Any) -> None:
        record = attrs.evolve(getattr(self.draft, part), **{field: value})
        if field == "own_slope" and value:  # begin smoothly
            least, most = 1e-6, 1e6
            record = attrs.evolve(record, linear_slope=min(max(record.tangent, least), most))
        self._edit(**{part: record})
        self._moving = True

    def _released(self) -> None:
        self._moving = False

    def _edit_display(self, on: bool) -> None:
        if self.draft.decoder is not None:
            self._edit(decoder=attrs.evolve(self.draft.decoder, display=on))

    def take_decoder(self, decoder: Decoder) -> None:
        """Take a decoder that was read from a file."""
        self._edit(kind=DECODER, decoder=decoder)

    def take(self, own: UserEncoding) -> None:
        """Show another definition, as one step that can be undone."""
        self._edit(**attrs.asdict(own, recurse=False))

    def undo(self) -> None:
        if self._past:
            self._ahead.append(self.draft)
            self.draft = self._past.pop()
            self._show()

    def redo(self) -> None:
        if self._ahead:
            self._past.append(self.draft)
            self.draft = self._ahead.pop()
            self._show()

    def _start_new(self) -> None:
        self.list.setCurrentRow(-1)
        self.take(UserEncoding())
        self.name.setFocus()
        self.name.selectAll()

    def _choose(self, name: str) -> None:
        own = next((e for e in own_encodings() if e.name == name), None)
        if own is not None:
            self.take(own)

    # --- showing -----------------------------------------------------------------------------------
    def refill(self) -> None:
        """List the encodings that are known now."""
        names = [e.name for e in own_encodings()]
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems(names)
        if self.draft.name in names:
            self.list.setCurrentRow(names.index(self.draft.name))
        self.list.blockSignals(False)
        self._words.setText(
            "Encodings of my own"
            if names
            else "Enter the numbers of a camera's paper; what you keep stands here."
        )
        self._show_buttons()

    def _show_buttons(self) -> None:
        known = self.draft.name in [e.name for e in own_encodings()]
        part(self, QPushButton, "encodings.remove").setEnabled(known)

    def _show(self) -> None:
        draft = self.draft
        self.name.setText(draft.name)
        self.note.setText(draft.note)
        self.kind.setCurrentText(draft.kind)
        for name, panel in self._panels.items():
            panel.show_record(getattr(draft, name))
            panel.setVisible(_PARTS.get(name, draft.kind) == draft.kind)
        curve = draft.curve
        every = {a.name for a in attrs.fields(type(curve))}
        hidden = set() if curve.has_break else {"lin_break", "own_slope", "linear_slope"}
        if not curve.own_slope:
            hidden.add("linear_slope")
        self._panels["curve"].show_only(every - hidden)
        names = {a.name for a in attrs.fields(type(draft.gamut))}
        self._panels["gamut"].show_only(names if draft.gamut.named == OWN else {"named"})
        self._decoder.setVisible(draft.kind == DECODER)
        if draft.decoder is not None:
            many = f"{len(draft.decoder.values)} entries"
            self.decoder.setText(f"{draft.decoder.file or 'a table'} · {many}")
            self.display.setChecked(draft.decoder.display)
        self.display.setEnabled(draft.decoder is not None)
        space: Encoding | None = None
        lines: list[tuple[bool, str]] = []
        try:
            space = draft.made()
            lines = [(c.well, c.words) for c in checks(space)]
        except ValueRefused as error:
            lines = [(False, f"{error.summary}{'; ' + error.hint if error.hint else ''}")]
        self.plot.show_encoding(space)
        for widget in taken(self.checks):
            widget.deleteLater()
        for well, words in lines:
            label = Label(f"{'✓' if well else '!'} {words}")
            label.setObjectName("encodings.check")
            label.setWordWrap(True)
            painted(label, "malachite" if well else "cinnabar")
            self.checks.addWidget(label)
        for button in (self.keep, self.use, part(self, QPushButton, "encodings.save")):
            button.setEnabled(space is not None)
        self._show_buttons()
