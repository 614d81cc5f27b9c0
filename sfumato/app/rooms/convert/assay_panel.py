"""The middle of the Convert room: what the chosen file is, what is wrong with it, and the repairs."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted, quiet
from sfumato.app.controls.pigment_row import PigmentRow
from sfumato.app.labels import Label, Line, set_help, set_tip
from sfumato.app.rooms.convert.convert_model import Chosen, ConvertModel
from sfumato.app.rooms.convert.lut_scope import LUT_TITLES, LutScope
from sfumato.app.services.jobs import single_shot
from sfumato.app.theme import strong_font
from sfumato.core.errors import SfumatoError
from sfumato.core.measure.checks.findings import Finding, Level
from sfumato.core.measure.checks.repairs import REPAIRS

_PIGMENTS = {
    Level.FAULT: "cinnabar",
    Level.WARN: "yellow",
    Level.NOTE: "quiet",
    Level.GOOD: "malachite",
}
_WORDS = {Level.FAULT: "Fault", Level.WARN: "Warning", Level.NOTE: "Note", Level.GOOD: "Good"}


def _row(finding: Finding, offered: bool, done: bool, toggle: Callable[[str], None]) -> PigmentRow:
    """Return one finding: what it is, the figure, and the repair as a button."""
    row = PigmentRow(
        _PIGMENTS[finding.level],
        finding.title,
        (finding.sentence,),
        f"{_WORDS[finding.level]}: {finding.title}. {finding.sentence}",
    )
    row.setObjectName(f"finding.{finding.key}")
    if offered:
        repair = REPAIRS[finding.repair]
        button = QPushButton(f"Undo {repair.title.casefold()}" if done else repair.title)
        button.setObjectName(f"repair.{finding.repair}")
        set_tip(button, repair.help)
        button.clicked.connect(lambda: toggle(finding.repair))
        row.line.addWidget(button, 0, Qt.AlignmentFlag.AlignVCenter)
    return row


class LutInstruments(QWidget):
    """Three instruments of a LUT side by side, each choosable."""

    def __init__(self, kinds: tuple[str, ...], prefix: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.scopes: list[LutScope] = []
        for i, kind in enumerate(kinds):
            column = QVBoxLayout()
            column.setSpacing(2)
            scope = LutScope(kind)
            scope.setObjectName(f"{prefix}.scope.{i}")
            box = Chooser()
            box.setObjectName(f"{prefix}.kind.{i}")
            set_tip(box, "Which picture of the LUT stands here.")
            box.setAccessibleName(f"Instrument {i + 1}")
            for key, title in LUT_TITLES.items():
                box.addItem(title, key)
            box.setCurrentIndex(box.findData(kind))
            box.activated.connect(lambda _n, b=box, s=scope: s.show_kind(b.currentData()))
            column.addWidget(box, 0, Qt.AlignmentFlag.AlignLeft)
            column.addWidget(scope, 1)
            row.addLayout(column, 1)
            self.scopes.append(scope)

    def show_view(self, view: Any, other: Any = None) -> None:
        for scope in self.scopes:
            scope.show_view(view, other)


class AssayPanel(QWidget):
    """`compare_wanted()` opens the comparison."""

    compare_wanted = Signal()

    def __init__(self, model: ConvertModel) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        self._name = Line()
        self._name.setFont(strong_font(15))
        self._name.setObjectName("assay.name")
        self._name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head.addWidget(self._name, 1)
        self._compare = QPushButton("Compare with…")
        self._compare.setObjectName("assay.compare")
        set_tip(
            self._compare, "Measures the chosen file against another of the list, or a new one."
        )
        self._compare.setProperty("flat", True)
        self._compare.clicked.connect(self.compare_wanted)
        head.addWidget(self._compare)
        column.addLayout(head)
        line = QHBoxLayout()
        self._facts = quiet("")
        self._facts.setObjectName("assay.facts")
        self._facts.setWordWrap(True)
        line.addWidget(self._facts, 1)
        self._read_as = quiet("read as")
        line.addWidget(self._read_as)
        self.reading = Chooser()
        self.reading.setObjectName("assay.reading")
        self.reading.setAccessibleName("Read as")
        set_tip(self.reading, "How the file is taken, where there are several ways.")
        self.reading.activated.connect(self._read_otherwise)
        line.addWidget(self.reading)
        column.addLayout(line)
        self.instruments = LutInstruments(("neutral", "cloud", "slices"), "assay")
        self.instruments.setFixedHeight(222)
        column.addWidget(self.instruments)
        self._heading = Label("What it is and what is wrong with it")
        self._heading.setProperty("strong", True)
        column.addWidget(self._heading)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        area.setObjectName("assay.findings")
        area.setAccessibleName("What was found in the file")
        set_help(area, "What is right and wrong with the file, with a repair where there is one.")
        holder = QWidget()
        self._findings = QVBoxLayout(holder)
        self._findings.setContentsMargins(0, 0, 6, 0)
        self._findings.setSpacing(5)
        self._findings.addStretch(1)
        area.setWidget(holder)
        column.addWidget(area, 1)
        self._after = Label()
        self._after.setObjectName("assay.after")
        self._after.setWordWrap(True)
        column.addWidget(self._after)
        # In a turn of its own, and once for all that comes together: an undo fills the list, chooses a
        # file and shows it, and a dozen findings take 27 ms to lay out.
        self._soon = single_shot(self, 0, self.refresh)
        model.changed.connect(lambda _b, _a: self._soon.start())
        model.chosen_changed.connect(self._soon.start)
        model.examined.connect(self._on_examined)
        model.shown.connect(self._on_shown)
        model.refused.connect(self._on_refused)
        self.refresh()

    def _on_examined(self, path: Any) -> None:
        if path == self._model.chosen:
            self._soon.start()

    def refresh(self) -> None:
        """Show what is known of the chosen file."""
        entry = self._model.entry()
        while self._findings.count() > 1:
            item = self._findings.takeAt(0)
            row = item.widget() if item is not None else None
            if row is not None:
                row.hide()
                row.deleteLater()
        self._after.hide()
        self.instruments.show_view(None)
        self._compare.setEnabled(entry is not None)
        self.reading.hide()
        self._read_as.hide()
        self._heading.setVisible(entry is not None)
        self.instruments.setVisible(entry is not None)
        if entry is None:
            self._name.setText("Nothing to examine yet")
            self._facts.setText(
                "Add LUT files at the left. Their assay stands here: what each is, what it expects, "
                "what is wrong with it, and how it can be mended."
            )
            return
        seen = self._model.of(entry)
        self._name.setText(entry.path.name)
        title = seen.found.transform.title if seen.found else ""
        self._facts.setText(seen.facts + (f" · “{title}”" if title else ""))
        if seen.error is not None:
            self._facts.setText(f"{seen.facts[0].upper()}{seen.facts[1:]}; {seen.error.hint}.")
            return
        if seen.found is None or seen.assay is None:
            return
        if len(seen.found.readings) > 1:
            self.reading.clear()
            self.reading.addItems(list(seen.found.readings))
            self.reading.setCurrentText(seen.found.reading)
            self.reading.show()
            self._read_as.show()
        offered = (*seen.assay.repairs(), "limit")
        rows = [
            Finding("remark", Level.NOTE, "Reading it", f"{r[0].upper()}{r[1:]}.")
            for r in seen.found.remarks
        ]
        findings = seen.assay.findings
        grave = [f for f in findings if f.level in (Level.FAULT, Level.WARN)]
        rest = [f for f in findings if f.level not in (Level.FAULT, Level.WARN)]
        for i, finding in enumerate([*grave, *rows, *rest]):
            row = _row(
                finding,
                finding.repair in offered,
                finding.repair in entry.repairs,
                self._toggle_repair,
            )
            self._findings.insertWidget(i, row)
        now = self._model.now
        if now is not None and now.entry == entry:
            self._on_shown(now)

    def _toggle_repair(self, key: str) -> None:
        entry = self._model.entry()
        if entry is None:
            return
        on = key not in entry.repairs
        keys = {*entry.repairs, key} if on else set(entry.repairs) - {key}
        ordered = tuple(k for k in REPAIRS if k in keys)
        title = REPAIRS[key].title if on else f"Undo {REPAIRS[key].title.casefold()}"
        self._model.commit(title, self._model.bench.with_entry(entry.path, repairs=ordered))

    def _read_otherwise(self, _index: int) -> None:
        entry = self._model.entry()
        if entry is not None:
            after = self._model.bench.with_entry(
                entry.path, reading=self.reading.currentText(), repairs=()
            )
            self._model.commit("Read as " + self.reading.currentText(), after)

    def _on_shown(self, chosen: Chosen) -> None:
        self.instruments.show_view(chosen.view)
        words = list(chosen.notes)
        if chosen.entry.repairs:
            names = ", ".join(REPAIRS[k].title.casefold() for k in chosen.entry.repairs)
            words.insert(0, f"Mended: {names}; the instruments show the result.")
        self._after.setText("\n".join(words))
        painted(self._after, "malachite")
        self._after.setVisible(bool(words))

    def _on_refused(self, error: SfumatoError) -> None:
        if self._soon.isActive():  # it would take away what is said here
            self._soon.stop()
            self.refresh()
        self._after.setText(f"{error.sentence()}.")
        painted(self._after, "cinnabar")
        self._after.show()
