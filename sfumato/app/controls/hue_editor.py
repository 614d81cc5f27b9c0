"""The hue curves of a glaze in one table, with numbers for the chosen point."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from sfumato.app.controls.editor import Editor, quiet, quiet_line
from sfumato.app.controls.hue_field import HueField
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.core.controls import HueCurve, Number
from sfumato.core.glazes.hue_table import newest


class HueEditor(Editor):
    """All HueCurve fields of a record in one table, with numbers for the chosen point."""

    def __init__(self, curves: dict[str, HueCurve]) -> None:
        super().__init__()
        self._curves = curves
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.field = HueField({name: kind.title for name, kind in curves.items()})
        self.field.setObjectName("hues")
        column.addWidget(self.field)
        row = QHBoxLayout()
        row.setSpacing(4)
        hue = Number(
            title="Hue of the point",
            help="Where the point lies.",
            least=0,
            most=359,
            step=1,
            digits=0,
        )
        value = Number(
            title="Value of the point",
            help="How far it moves its hue.",
            least=-100,
            most=100,
            step=1,
            digits=0,
            signed=True,
        )
        self.hue, self.value = ScrubNumber(hue, 0.0), ScrubNumber(value, 0.0)
        self.hue.setObjectName("point.hue")
        self.value.setObjectName("point.value")
        self._words = quiet_line("")
        for label, number in (("hue", self.hue), ("value", self.value)):
            row.addWidget(quiet(label))
            row.addWidget(number)
            number.edited.connect(self._typed)
            number.released.connect(self.released)
        row.addWidget(self._words, 1)
        column.addLayout(row)
        self.field.edited.connect(self._moved)
        self.field.released.connect(self.released)
        self.field.chosen_changed.connect(self._on_chosen)
        self._show_point()

    @property
    def part(self) -> str:
        return self.field.row

    def choose_new(self, before: Any, after: Any) -> None:
        name = self.field.row
        index = newest(getattr(before, name), getattr(after, name))
        if index is not None:
            self.field.choose(name, index)

    def _moved(self, name: str, points: Any) -> None:
        self.edited.emit(name, points)
        self._show_point()

    def _on_chosen(self) -> None:
        self._show_point()
        self.part_changed.emit(self.field.row)

    def _typed(self, _value: float) -> None:
        self.field.move_point(self.hue.value(), self.value.value() / 100)
        self._show_point()

    def _show_point(self) -> None:
        point = self.field.point()
        for number in (self.hue, self.value):
            number.setEnabled(point is not None)
        if point is None:
            for number in (self.hue, self.value):
                number.show_words("–")
            self._words.setText("click a row to add a point")
            return
        kind = self._curves[self.field.row]
        self.hue.show_value(point[0])
        self.value.show_value(point[1] * 100)
        self._words.setText(f"{kind.title.lower()} {point[1] * kind.scale:+.0f} {kind.unit}")

    def show_record(self, record: Any) -> None:
        self.field.show_rows({name: getattr(record, name) for name in self._curves})
        self._show_point()
