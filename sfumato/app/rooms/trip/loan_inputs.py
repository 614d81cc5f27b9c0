"""The left side of the Borrow page: what is borrowed from, and how much of it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import strong
from sfumato.app.controls.page_tabs import PageTabs
from sfumato.app.controls.rows import Row, chooser, panel_column
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.rooms.trip.loan_model import MODES, LoanModel
from sfumato.app.rooms.trip.trip_model import BORROW, PAGES
from sfumato.app.views.part_field import LOOK, PART, PICK
from sfumato.core.colour.encodings import encodings
from sfumato.core.controls import Number, kinds
from sfumato.core.study.loan import PAIR, REFERENCE, Amounts

_AS_SAID = "as the file says"
_AMOUNTS = kinds(Amounts)


class _Pictures(QListWidget):
    """A list whose chosen rows Delete takes out."""

    out_wanted = Signal(object)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.out_wanted.emit(sorted(self.row(i) for i in self.selectedItems()))
        else:
            super().keyPressEvent(event)


class LoanInputs(QWidget):
    """`add_wanted(side)`, `take_out_wanted(side, rows)`, `this_wanted()`, `swap_wanted()`, `tool_chosen(tool)`."""

    add_wanted = Signal(str)
    take_out_wanted = Signal(str, object)
    this_wanted = Signal()
    swap_wanted = Signal()
    tool_chosen = Signal(str)

    def __init__(self, model: LoanModel) -> None:
        super().__init__()
        self._model = model
        column = panel_column(self, 290)
        self.tabs = PageTabs("trip", PAGES, BORROW)
        column.addWidget(self.tabs)
        row = QHBoxLayout()
        row.setSpacing(2)
        self.modes: dict[str, QPushButton] = {}
        for mode, words in MODES.items():
            button = QPushButton(words)
            button.setObjectName(f"borrow.mode.{mode}")
            set_tip(button, f"Borrow a look from {words[:1].lower()}{words[1:]}.")
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.clicked.connect(
                lambda _on, m=mode: self._model.edit(f"Borrow from {MODES[m].lower()}", mode=m)
            )
            row.addWidget(button, 1)
            self.modes[mode] = button
        column.addLayout(row)
        self._stack = QStackedWidget()
        self._pages = {PAIR: self._make_pairs(), REFERENCE: self._make_references()}
        for page in self._pages.values():
            self._stack.addWidget(page)
        column.addWidget(self._stack, 1)
        model.edited.connect(self.refresh)
        model.known.connect(self.refresh)
        self.refresh()

    # --- pairs -----------------------------------------------------------------------------------
    def _make_pairs(self) -> QWidget:
        page = QWidget()
        column = _column(page)
        self.wells: dict[str, QPushButton] = {}
        for side, heading, more in (("before", "Before", True), ("after", "After", False)):
            head = QHBoxLayout()
            head.addWidget(strong(heading), 1)
            if more:
                self.this = _flat("This shot", "borrow.this", "Take the shot of the Look room.")
                self.this.clicked.connect(self.this_wanted)
                head.addWidget(self.this)
            else:
                swap = _flat("Swap", "borrow.swap", "What is before becomes after.")
                swap.clicked.connect(self.swap_wanted)
                head.addWidget(swap)
            column.addLayout(head)
            self.wells[side] = self._well(column, side)
        self.source = self._encodings(column, "Before is", "borrow.source", "source")
        self.result = self._encodings(column, "After is", "borrow.result", "result")
        column.addSpacing(4)
        self.pairs = self._list("borrow.pairs", "Pairs", "pair")
        self.pairs.currentRowChanged.connect(self._choose)
        column.addWidget(strong("Pairs"))
        column.addWidget(self.pairs, 1)
        return page

    def _well(self, column: QVBoxLayout, side: str) -> QPushButton:
        well = QPushButton("")
        well.setObjectName(f"borrow.{side}")
        well.setProperty("dashed", True)
        well.setMinimumHeight(40)
        set_tip(well, "Drop pictures or a folder here, or press to choose them.")
        well.clicked.connect(lambda: self.add_wanted.emit(side))
        column.addWidget(well)
        return well

    def _encodings(self, column: QVBoxLayout, title: str, name: str, field: str) -> Chooser:
        box = chooser(name, (_AS_SAID,))
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(8)
        set_tip(box, "What the numbers in the pictures are, where the files do not say it.")
        box.activated.connect(
            lambda i: self._model.edit(
                f"{title} {box.itemText(i)}", **{field: box.itemText(i) if i else ""}
            )
        )
        column.addWidget(Row(title, box, title_width=66))
        return box

    def _list(self, name: str, title: str, side: str) -> QListWidget:
        found = _Pictures()
        found.setObjectName(name)
        found.setAccessibleName(title)
        set_tip(found, "Pictures that a look is borrowed from; Delete takes one out.")
        found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        found.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        found.out_wanted.connect(lambda rows: self.take_out_wanted.emit(side, rows))
        return found

    # --- references ------------------------------------------------------------------------------
    def _make_references(self) -> QWidget:
        page = QWidget()
        column = _column(page)
        self.shot = chooser("borrow.shot", ())
        self.shot.setSizeAdjustPolicy(
            Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.shot.activated.connect(self._choose_shot)
        column.addWidget(Row("For", self.shot, title_width=66))
        self.over = Tick("begin over the Look as it is")
        self.over.setObjectName("borrow.over")
        set_tip(self.over, "Off: from the Ground, to take the place of the Look.")
        self.over.clicked.connect(
            lambda on: self._model.edit(
                "Begin over the Look" if on else "Begin at the Ground", over_look=on
            )
        )
        column.addWidget(self.over)
        column.addWidget(strong("References"))
        self.references = self._list("borrow.references", "References", "references")
        self.references.setFixedHeight(66)
        self.references.currentRowChanged.connect(self._choose)
        column.addWidget(self.references)
        self.wells["references"] = self._well(column, "references")
        self.said = self._encodings(column, "They are", "borrow.said", "said")
        self.numbers: dict[str, ScrubNumber] = {}
        self.ticks: dict[str, Tick] = {}
        ticks = QHBoxLayout()
        for field, kind in _AMOUNTS.items():
            usual = getattr(Amounts(), field)
            if isinstance(kind, Number):
                number = ScrubNumber(kind, usual)
                number.setObjectName(f"borrow.{field}")
                number.edited.connect(lambda v, f=field: self._amount(f, v))
                number.released.connect(self._model.services.model.end_gesture)
                set_tip(number, kind.help)
                self.numbers[field] = number
                column.addWidget(Row(kind.title, number, title_width=66))
            else:
                tick = Tick(kind.title)
                tick.setObjectName(f"borrow.{field}")
                set_tip(tick, kind.help)
                tick.clicked.connect(lambda on, f=field: self._amount(f, on))
                self.ticks[field] = tick
                ticks.addWidget(tick)
        ticks.addStretch(1)
        column.addLayout(ticks)
        column.addSpacing(4)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        tools.addWidget(strong("Ties"), 1)
        self.tools: dict[str, QPushButton] = {}
        for tool, words, help_ in (
            (PART, "Parts", "Mark a part of the shot, then the part that it should be like."),
            (PICK, "Colours", "Click a colour of the shot, then the colour that it should be."),
        ):
            button = _flat(words, f"borrow.tool.{tool}", help_)
            button.setCheckable(True)
            button.clicked.connect(lambda on, t=tool: self.use(t if on else LOOK))
            tools.addWidget(button)
            self.tools[tool] = button
        column.addLayout(tools)
        self.ties = self._list("borrow.ties", "Ties", "ties")
        column.addWidget(self.ties, 1)
        return page

    def use(self, tool: str) -> None:
        """Take up a tool for the pictures."""
        for key, button in self.tools.items():
            button.setChecked(key == tool)
        self.tool_chosen.emit(tool)

    def _amount(self, field: str, value: float | bool) -> None:
        amounts = self._model.loan.amounts
        changed = type(amounts)(**{f: getattr(amounts, f) for f in _AMOUNTS} | {field: value})
        title = f"{_AMOUNTS[field].title} of the reference"
        self._model.edit(title, key=field, amounts=changed)

    def _choose_shot(self, index: int) -> None:
        shots = self._model.study.shots
        if 0 <= index < len(shots):
            self._model.services.view.set(shot=shots[index].id)

    def _choose(self, row: int) -> None:
        if row >= 0 and not self._filling:
            self._model.choose(row)

    _filling = False

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Bring everything in line with the loan and with what came of it."""
        loan, study = self._model.loan, self._model.study
        self._filling = True
        for mode, button in self.modes.items():
            button.setChecked(mode == loan.mode)
        self._stack.setCurrentWidget(self._pages[loan.mode])
        for side, well in self.wells.items():
            well.setText(self._said(getattr(loan, side), well))
        names = tuple(n for n, e in encodings().items() if not e.is_view)
        for box, name in (
            (self.source, loan.source),
            (self.result, loan.result),
            (self.said, loan.said),
        ):
            box.offer((_AS_SAID, *names))
            box.setCurrentIndex(box.findText(name) if name else 0)
        self.this.setEnabled(self._model.shot is not None)
        self.shot.offer(tuple(s.name for s in study.shots))
        ids = [s.id for s in study.shots]
        shot = self._model.shot
        self.shot.setCurrentIndex(ids.index(shot.id) if shot is not None else -1)
        self.over.setChecked(loan.over_look)
        for field, number in self.numbers.items():
            number.show_value(getattr(loan.amounts, field))
        for field, tick in self.ticks.items():
            tick.setChecked(getattr(loan.amounts, field))
        self._fill(self.pairs, self._pair_rows(), self._model.chosen)
        files = [(Path(f).name, f, "") for f in loan.references]
        self._fill(self.references, files, self._model.chosen)
        self._fill(self.ties, self._tie_rows(), -1)
        self._filling = False

    @staticmethod
    def _said(files: tuple[str, ...], well: QPushButton) -> str:
        if not files:
            return "Drop pictures or a folder here"
        if len(files) > 1:
            return f"{len(files)} pictures; drop more"
        name = Path(files[0]).name
        return well.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, 230)

    def _pair_rows(self) -> list[tuple[str, str, str]]:
        """Return words, tip and pigment of each pair, then of what is alone."""
        rows = []
        found = self._model.outcome
        seen = found.pairs if found is not None else ()
        pairs = self._model.pairs
        for i, (one, two) in enumerate(pairs):
            off = f"   {seen[i].off:.2f} ΔE" if len(seen) == len(pairs) else ""
            rows.append((f"{one.name} → {two.name}{off}", f"{one}\n{two}", ""))
        before, after = self._model.alone
        rows += [(f"{f.name}: nothing after it by name", str(f), "quiet") for f in before]
        rows += [(f"{f.name}: nothing before it by name", str(f), "quiet") for f in after]
        return rows

    def _tie_rows(self) -> list[tuple[str, str, str]]:
        loan, found = self._model.loan, self._model.outcome
        parts = found.parts if found is not None else ()
        every = [("parts", t) for t in loan.ties] + [("colours", p) for p in loan.picks]
        rows = []
        for i, (what, tie) in enumerate(every):
            off = f"   {parts[i][0]:.1f} → {parts[i][1]:.1f} ΔE" if len(parts) == len(every) else ""
            tip = (
                f"With {Path(tie.file).name}. How far the means lie apart, before and after. "
                "Delete unties them."
            )
            rows.append((f"{i + 1}  {what}{off}", tip, ""))
        return rows

    @staticmethod
    def _fill(box: QListWidget, rows: list[tuple[str, str, str]], chosen: int) -> None:
        texts = [box.item(i).text() for i in range(box.count())]
        if texts != [words for words, _tip, _role in rows]:
            kept = box.currentRow()
            box.clear()
            for words, tip, role in rows:
                item = QListWidgetItem(words)
                set_tip(item, tip)
                if role:
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsSelectable)
                box.addItem(item)
            if chosen < 0 and 0 <= kept < len(rows):
                box.setCurrentRow(kept)
        if 0 <= chosen < box.count() and box.currentRow() != chosen:
            box.setCurrentRow(chosen)


def _column(page: QWidget) -> QVBoxLayout:
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 4, 0, 0)
    column.setSpacing(5)
    return column


def _flat(words: str, name: str, tip: str) -> QPushButton:
    button = QPushButton(words)
    button.setObjectName(name)
    button.setProperty("flat", True)
    set_tip(button, tip)
    return button
