"""The fault finder: a screenshot in, and what explains it out."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.bars import Bar, Bars
from sfumato.app.controls.editor import painted, quiet, strong
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.bench.engine_model import EngineModel
from sfumato.core.bench.engine import right, set_faults, with_faults
from sfumato.work.bench.finder import AS_MEANT

_ROWS = 5
_EMPTY = (
    "Give it a screenshot of your engine: this frame, put through the same look there. "
    "It says what was done to the look on the way."
)


class FinderBox(QWidget):
    """`screenshot_wanted()`, `mend_wanted()`."""

    screenshot_wanted = Signal()
    mend_wanted = Signal()

    def __init__(self, model: EngineModel) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.addWidget(strong("Fault finder"), 1)
        self.give = QPushButton("Give it a screenshot…")
        self.give.setObjectName("bench.screenshot")
        set_tip(self.give, "Or drop one on the picture.")
        self.give.clicked.connect(self.screenshot_wanted)
        row.addWidget(self.give)
        column.addLayout(row)
        self.says = Label("")
        self.says.setObjectName("bench.finding")
        self.says.setWordWrap(True)
        column.addWidget(self.says)
        self.bars = Bars("bench.guesses", "What is left after each guess, ΔE", 190)
        column.addWidget(self.bars)
        self.mend = QPushButton("Set it right")
        self.mend.setObjectName("bench.mend_import")
        self.mend.clicked.connect(self.mend_wanted)
        column.addWidget(self.mend)
        self.note = quiet("")
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        model.found.connect(self.refresh)
        model.edited.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the answer."""
        model, found = self._model, self._model.finding
        self.give.setEnabled(not model.is_looking)
        if found is None:
            self.says.setText(f"Looking into {model.screenshot} …" if model.is_looking else _EMPTY)
            painted(self.says, "")
            self.bars.show_rows(())
            self.mend.hide()
            self.note.hide()
            return
        words = found.says
        self.says.setText(f"{words[:1].upper()}{words[1:]}.")
        is_good = found.explained and found.best.words == AS_MEANT
        painted(self.says, "malachite" if is_good else "cinnabar")
        most = max(found.before, 1e-6)
        rows = found.guesses[:_ROWS]
        self.bars.show_rows(
            tuple(
                Bar(
                    g.words,
                    min(g.left / most, 1.0),
                    f"{g.left:.1f} ΔE",
                    "yellow" if i == 0 else "quiet",
                )
                for i, g in enumerate(rows)
            )
        )
        same = set(found.best.faults) & set(set_faults(model.settings))
        self.mend.setVisible(bool(same))
        others = bool(found.best.faults) and not same
        self.note.setVisible(others)
        self.note.setText(
            "Switch that off where your engine takes the texture in." if others else ""
        )

    def mended(self) -> None:
        """Put right what was found, where it is set here."""
        model, found = self._model, self._model.finding
        if found is None:
            return
        settings = model.settings
        left = [f for f in set_faults(settings) if f not in found.best.faults]

        model.set(settings=with_faults(right(settings), left))
