"""The press by which the picture is shown as printed: its profile, how colours go to ink, and what that costs."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.look.record_sheet import RecordSheet
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.core.lut.difference import CLOSE
from sfumato.core.study.printing import Printing
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.preview.asks import Ask
from sfumato.work.preview.prints import PrintLoss

_OURS = "Saltglass press, which ships"


class PrintSheet(RecordSheet):
    """`press_wanted()`, `profile_wanted()`: another press is to be chosen, a profile of the Look to be written."""

    LABEL = "Print"
    press_wanted = Signal()
    profile_wanted = Signal()

    def __init__(self, model: StudyModel, desk: Desk, parent: QWidget) -> None:
        words = (
            "Side B shows the picture as this press prints it. F3 marks what ink does not give, "
            "and where there is more of it than the limit."
        )
        super().__init__(model, desk, parent, "print", "As printed", words)

    def record(self, study: Study) -> Printing:
        return study.printing

    def evolved(self, study: Study, **values: Any) -> Study:
        return attrs.evolve(study, printing=attrs.evolve(study.printing, **values))

    def measured(self, ask: Ask, cancel: Cancel) -> Any:
        press, is_own = self._desk.previewer.press(ask)
        title = f"the picture's own, {press.title}" if is_own else press.title
        return title, self._desk.previewer.print_loss(ask, cancel)

    def said(self, loss: Any) -> tuple[str, bool]:
        title, found = loss
        self._show_press(title)
        return _words(found), found.off.p99 <= CLOSE

    def _fill_top(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        self.press = Label()
        self.press.setObjectName("print.press")
        self.press.setWordWrap(True)
        row.addWidget(self.press, 1)
        self._choose = QPushButton("Choose a press…")
        self._choose.setObjectName("print.choose")
        set_tip(self._choose, "Take the ICC profile of a CMYK press.")
        self._choose.clicked.connect(self.press_wanted)
        row.addWidget(self._choose)
        column.addLayout(row)
        self._ours = QPushButton("Take the press that ships")
        self._ours.setObjectName("print.ours")
        self._ours.setProperty("flat", True)
        self._ours.clicked.connect(lambda: self.take_press(""))
        column.addWidget(self._ours)

    def _fill_foot(self, column: QVBoxLayout) -> None:
        write = QPushButton("Write a profile of the Look…")
        write.setObjectName("print.profile")
        set_tip(
            write, "An ICC profile that does to pictures in Lab, RGB or CMYK what the Look does."
        )
        write.clicked.connect(self.profile_wanted)
        column.addWidget(write)

    def show_study(self, study: Study) -> None:
        super().show_study(study)
        self._show_press("")
        self._ours.setVisible(bool(study.printing.press))

    def _show_press(self, title: str) -> None:
        path = self._model.study.printing.press
        name = path.replace("\\", "/").rpartition("/")[2]
        if not path:
            title = title if title.startswith("the picture's") else _OURS
        elif not title.startswith("the picture's"):
            title = f"{title} ({name})" if title else name
        self.press.setText(f"Press: {title}")
        set_tip(self.press, path or "Made up: no press was measured.")

    def take_press(self, path: str) -> None:
        """Print by the profile in a file from now on, "" by the one that ships."""
        if path != self._model.study.printing.press:
            self._model.commit("Print: Press", self.evolved(self._model.study, press=path))


def _words(found: PrintLoss) -> str:
    of = "its own inks, as they will be written" if found.of_plates else "this shot"
    return (
        f"What print can show lies {found.off.words()} from what the Look wants, on {of}. "
        f"Colours that print does not give: {found.outside * 100:.1f} %. Most ink: {found.most * 100:.0f} %."
    )
