"""A profile of the Look: for pictures in Lab, RGB or inks; made, measured by LittleCMS, then written."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.look.lane_sheet import LaneSheet
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.files import cut_name
from sfumato.work.luts.print_profiles import (
    ABSTRACT,
    GRIDS,
    INKS,
    KINDS,
    PRESS,
    VERSIONS,
    MadeProfile,
    ProfileWish,
    natural_codes,
    profile_of_study,
)
from sfumato.work.press_files import press_bytes

_FOR = {
    ABSTRACT: "For pictures that are kept in Lab, and any program that puts an abstract profile between two others.",
    "link": "From sRGB to the View's display, node for node as the LUT; Lab is not in it.",
    INKS: "From sRGB through the Look to the inks of the press, by the intent and the limit of the print.",
    PRESS: "Inks stay inks: what becomes of black, and the limit, are as the print has them.",
}
_GOOD = 1.0  # ΔE at 99 %


class ProfileSheet(LaneSheet):
    """`write_wanted(MadeProfile, name)`: what was made and measured is to become a file."""

    write_wanted = Signal(object, str)

    def __init__(self, model: StudyModel, desk: Desk, parent: QWidget) -> None:
        words = "An ICC profile does what the Look does, in any program that knows profiles."
        super().__init__(model, desk, parent, "profile", "Profile of the Look", words, 420)
        self._made: MadeProfile | None = None
        self.column.addLayout(self._make_choices())
        self.about = quiet("")
        self.about.setWordWrap(True)
        self.column.addWidget(self.about)
        self.column.addWidget(self.loss)
        row = QHBoxLayout()
        row.addStretch(1)
        self.go = QPushButton("Write…")
        self.go.setObjectName("profile.write")
        set_tip(self.go, "Chooses a place and writes the profile.")
        self.go.setProperty("main", True)
        self.go.clicked.connect(self._write)
        row.addWidget(self.go)
        self.column.addLayout(row)
        self.column.addStretch(1)
        model.changed.connect(self._on_changed)
        self._make()

    def _make_choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        self.kind = Chooser()
        self.kind.setObjectName("profile.kind")
        set_tip(self.kind, "What the profile joins: what will use it decides.")
        self.kind.setAccessibleName("Kind")
        for key, title in KINDS.items():
            self.kind.addItem(title, key)
        self.version = Chooser()
        self.version.setObjectName("profile.version")
        for version in VERSIONS:
            self.version.addItem(f"version {version}", version)
        set_tip(self.version, "Old programs read version 2 only.")
        rows = (("Kind", self.kind), ("ICC", self.version))
        for i, (title, box) in enumerate(rows):
            grid.addWidget(Label(title), i, 0)
            box.setAccessibleName(title)
            box.activated.connect(self._make)
            grid.addWidget(box, i, 1)
        return grid

    @property
    def wish(self) -> ProfileWish:
        study = self._model.study
        return ProfileWish(
            self.kind.currentData(), self.version.currentData(), title=study.look.name or study.name
        )

    def _on_changed(self, before: Study, after: Study) -> None:
        if attrs.evolve(before, results=after.results) != after:
            self._make()

    def _make(self) -> None:
        wish, study, frames = self.wish, self._model.study, self._desk.frames
        points = GRIDS[wish.kind]
        side = "an axis of four" if wish.kind == PRESS else "an axis"
        self.about.setText(f"{_FOR[wish.kind]} {points} points {side}.")
        self._made = None
        self.go.setEnabled(False)
        self.say("Making it, and asking LittleCMS what it does …")

        def work(cancel: Cancel) -> MadeProfile:
            press = press_bytes(study.printing.press)
            natural = natural_codes(study, frames, cancel.check)
            return profile_of_study(study, wish, natural, press, cancel.check)

        self._lane.ask(work)

    def _on_answer(self, answer: Any) -> None:
        self._made = made = answer
        self.go.setEnabled(True)
        found = made.pictures or made.gamut
        words = f"As LittleCMS applies it, it misses the Look {'; '.join(made.words())}."
        self.say(words, is_good=found.p99 <= _GOOD)

    def _write(self) -> None:
        if self._made is not None:
            name = cut_name(self.wish.title.replace("/", "_"), 120) or "look"
            self.write_wanted.emit(self._made, name)
