"""The curves of a glaze: one field with a tab for each, and numbers for the chosen point."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from sfumato.app.controls.curve_field import CurveField
from sfumato.app.controls.editor import TabbedEditor, fresh, quiet
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.core.controls import Curve, Number
from sfumato.work.colours import Incoming


class CurveEditor(TabbedEditor):
    """All Curve fields of a record in one field, a tab each, with numbers for the chosen point."""

    def __init__(self, curves: dict[str, Curve]) -> None:
        super().__init__(curves)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(self.tabs)
        self.field = CurveField()
        self.field.setObjectName("curve")
        column.addWidget(self.field)
        numbers = QHBoxLayout()
        numbers.setSpacing(4)
        self.numbers: list[ScrubNumber] = []
        for axis in ("in", "out"):
            kind = Number(
                title=f"Point, {axis}",
                help="Code value of the chosen point.",
                least=-0.5,
                most=1.5,
                step=0.005,
                digits=4,
            )
            number = ScrubNumber(kind, -9.0)
            number.setObjectName(f"point.{axis}")
            number.edited.connect(self._typed)
            number.released.connect(self.released)
            numbers.addWidget(quiet(axis))
            numbers.addWidget(number)
            self.numbers.append(number)
        self.codes = quiet("")
        numbers.addWidget(self.codes)
        numbers.addStretch(1)
        column.addLayout(numbers)
        self.field.edited.connect(self._moved)
        self.field.released.connect(self.released)
        self.field.chosen_changed.connect(lambda _i: self._show_point())
        self.show_part(self.current)

    def show_entry(self, entry: Incoming) -> None:
        self.field.show_histogram(entry.histogram)

    def choose_new(self, before: Any, after: Any) -> None:
        index = fresh(getattr(before, self.current), getattr(after, self.current))
        if index is not None:
            self.field.choose(index)

    def _moved(self, points: Any) -> None:
        self.edited.emit(self.current, points)
        self._show_point()

    def _typed(self, _value: float) -> None:
        x, y = (n.value() for n in self.numbers)
        self.field.move_point(self.field.chosen, x, y)
        self._show_point()

    def _show_point(self) -> None:
        point = self.field.points[self.field.chosen]
        for number, value in zip(self.numbers, point, strict=True):
            number.show_value(value)
        x, y = (round(v * 1023) for v in point)
        self.codes.setText(f"{x} → {y} of 1023")

    def show_record(self, record: Any) -> None:
        self._record = record
        behind = [
            (getattr(record, n), k.pigment)
            for n, k in self._kinds.items()
            if n != self.current and getattr(record, n) != ((0.0, 0.0), (1.0, 1.0))
        ]
        self.field.show_curve(
            getattr(record, self.current), self._kinds[self.current].pigment, behind
        )
        self._show_point()
