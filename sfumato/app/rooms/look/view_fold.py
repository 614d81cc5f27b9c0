"""The controls of the View, and of the working encoding, which unfold under the View's row."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import Title
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.labels import set_tip
from sfumato.app.rooms.look.thread import INDENT
from sfumato.core.colour.encodings import Family, encoding, encodings
from sfumato.core.controls import kinds
from sfumato.core.study.study import Study


class ViewFold(QWidget):
    """`edited(field, value)`, `released()`, `working_chosen(name)`."""

    edited = Signal(str, object)
    released = Signal()
    working_chosen = Signal(str)
    explain_wanted = Signal(str, object)
    noise_wanted = Signal()

    def __init__(self, study: Study) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(INDENT, 0, 6, 4)
        row = QHBoxLayout()
        label = Title("Working in")
        self._working = Chooser()
        self._working.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._working.setObjectName("working")
        self._working.setAccessibleName("Working encoding")
        set_tip(self._working, "The encoding in whose code values the glazes act.")
        self._working.textActivated.connect(self.working_chosen)
        row.addWidget(label)
        row.addWidget(self._working, 1)
        column.addLayout(row)
        self._record = RecordPanel(study.view)
        self._record.edited.connect(self.edited)
        self._record.released.connect(self.released)
        self._record.explain_wanted.connect(self.explain_wanted)
        column.addWidget(self._record)
        self._noise = QPushButton("Noise floor from the shots")
        self._noise.setObjectName("view.noise")
        set_tip(self._noise, "Measures how much colour noise the shots have in the dark.")
        self._noise.clicked.connect(self.noise_wanted)
        column.addWidget(self._noise)
        self.show_study(study)

    def show_study(self, study: Study) -> None:
        spaces = [
            s for s in encodings().values() if s.family is not Family.LINEAR and not s.is_view
        ]
        self._working.offer(tuple(s.name for s in spaces))
        self._working.setCurrentText(study.working)
        self._record.show_record(study.view)
        self._noise.setEnabled(bool(study.shots))
        is_wide = encoding(study.view.encoding).is_wide
        self._record.show_only({n for n in kinds(study.view) if is_wide or n != "peak"})
