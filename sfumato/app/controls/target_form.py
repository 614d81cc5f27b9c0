"""The choices that a LUT format offers: grid, depth, layout, file; made from its declaration."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.core.controls import counted
from sfumato.formats.parts.contract import DEPTH_WORDS, FormatSpec

GRID = counted("Grid", 2, 256, "Points a side of the 3D table.")
AS_IT_IS = "as it is"


def choices_of(spec: FormatSpec) -> list[tuple[str, str, dict[str, str]]]:
    """Return what there is to choose besides the grid: title, field, and values by their words."""
    every = (
        ("Depth", "depth", {DEPTH_WORDS[d]: d for d in spec.depths}),
        ("Layout", "layout", {layout: layout for layout in spec.layouts}),
        ("File", "suffix", {s: s for s in spec.suffixes}),
    )
    return [each for each in every if len(each[2]) > 1]


class TargetForm(QWidget):
    """`edited(field, value)`: a choice was made; a format that has none leaves the form empty.

    `naming` makes object names of fields, as `"{}.cube"`; `label` the words before them.
    """

    edited = Signal(str, object)

    def __init__(
        self, spec: FormatSpec, naming: str, label: Callable[[str], QWidget] = quiet
    ) -> None:
        super().__init__()
        self._spec, self._naming, self._label = spec, naming, label
        self.form = QFormLayout(self)
        self.form.setContentsMargins(0, 0, 0, 0)
        self.grid: ScrubNumber | None = None
        self._own = 0
        self._boxes: dict[str, tuple[Chooser, str]] = {}  # with what "" stands for
        if spec.bakes:
            self.grid = ScrubNumber(GRID, spec.default_grid)
            self.grid.setObjectName(naming.format("grid"))
            self.grid.left = True
            self.grid.released.connect(self._edit_grid)
            self.form.addRow(label("Grid"), self.grid)
        for title, field, choices in choices_of(spec):
            self._add(title, field, choices)

    def _add(self, title: str, field: str, choices: dict[str, str]) -> None:
        box = Chooser()
        box.setObjectName(self._naming.format(field))
        box.setAccessibleName(f"{title}, {self._spec.title}")
        for words, value in choices.items():
            box.addItem(words, value)
        box.activated.connect(lambda _i: self.edited.emit(field, box.currentData()))
        self.form.addRow(self._label(title), box)
        self._boxes[field] = (box, next(iter(choices.values())))

    def _edit_grid(self) -> None:
        assert self.grid is not None
        points = self._spec.grid_for(round(self.grid.value()))
        self.edited.emit("grid", None if points == self._own else points)

    def show_choices(self, grid: int | None, own: int = 0, **choices: str) -> None:
        """Show what is chosen; None and "" are what the format has by itself.

        `own`: the points that the file gets when no grid is chosen, 0 when that is not known.
        """
        self._own = own
        if self.grid is not None:
            self.grid.default = own or self._spec.default_grid
            self.grid.show_value(grid or self.grid.default)
            if not (grid or own):
                self.grid.show_words(AS_IT_IS)
            self.grid.update()
        for field, value in choices.items():
            if field in self._boxes:
                box, usual = self._boxes[field]
                box.setCurrentIndex(box.findData(value or usual))
