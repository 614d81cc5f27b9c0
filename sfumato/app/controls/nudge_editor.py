"""The pairs of a Nudges glaze: the map, the list of pairs, and the numbers of the chosen one."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout

from sfumato.app.controls.editor import Editor, quiet
from sfumato.app.controls.hand import qcolor
from sfumato.app.controls.nudge_map import NudgeMap
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import set_tip
from sfumato.app.theme import colour
from sfumato.core.controls import DEPTH, REACH, Pair, Pairs
from sfumato.core.errors import ValueRefused
from sfumato.work.colours import Colours, Incoming

_SWATCHES = QSize(58, 14)


def words(pair: Pair) -> str:
    """Return what a pair does, in hues and chromas."""

    def hue(lab: Any) -> str:
        chroma = math.hypot(lab[1], lab[2])
        angle = math.degrees(math.atan2(lab[2], lab[1])) % 360
        return f"{angle:.0f}° {chroma:.3f}" if chroma > 0.002 else "grey"

    return f"{hue(pair.source)} → {hue(pair.goal)}"


class NudgeEditor(Editor):
    """`pick_wanted(on)` asks for the target of the chosen pair from the picture."""

    pick_wanted = Signal(bool)

    def __init__(self, field: str, kind: Pairs, _default: Any) -> None:
        super().__init__()
        self._field = field
        self._colours: Colours | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.map = NudgeMap()
        self.map.setObjectName("nudge.map")
        self.map.setMouseTracking(True)
        set_tip(self, kind.help)
        column.addWidget(self.map)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(1)
        self.rows: list[QPushButton] = []
        column.addLayout(self._rows)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.typed = QLineEdit()
        self.typed.setObjectName("nudge.typed")
        self.typed.setPlaceholderText("target: #hex, lab, oklch")
        self.typed.setAccessibleName("Target, typed")
        set_tip(
            self.typed,
            "The colour it should be, as the View shows it: #1f8fa0, lab 55 -22 -18 (D50), "
            "oklab 0.6 -0.08 -0.05 or oklch 0.6 0.09 212.",
        )
        self.typed.returnPressed.connect(self._take_typed)
        self.pick = QPushButton("Pick target")
        self.pick.setObjectName("nudge.pick")
        self.pick.setCheckable(True)
        set_tip(
            self.pick, "Click the colour it should be, in this shot or in another one; Esc ends it."
        )
        self.pick.clicked.connect(self.pick_wanted)
        row.addWidget(self.typed, 1)
        row.addWidget(self.pick)
        column.addLayout(row)
        self.refusal = quiet("")
        self.refusal.setProperty("pigment", "cinnabar")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.reach, self.depth_number = ScrubNumber(REACH, 0.08), ScrubNumber(DEPTH, 0.4)
        for number, kind_of in ((self.reach, REACH), (self.depth_number, DEPTH)):
            number.setObjectName(f"nudge.{kind_of.title.lower()}")
            label = quiet(kind_of.title.lower())
            set_tip(label, kind_of.help)
            row.addWidget(label)
            row.addWidget(number)
            number.released.connect(self.released)
        self.reach.edited.connect(self.map.set_reach)
        self.depth_number.edited.connect(lambda v: self.map.put(depth=v))
        self.keep = Tick("Keep lightness")
        self.keep.setObjectName("nudge.keep")
        set_tip(self.keep, "The target gives hue and chroma; the lightness stays as it was.")
        self.keep.clicked.connect(self._keep)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.keep)
        self.map.edited.connect(self._moved)
        self.map.released.connect(self.released)
        self.map.chosen_changed.connect(self._show_chosen)
        self._show_chosen()

    @property
    def part(self) -> str:
        return f"target.{self.map.chosen}" if self.pick.isChecked() else ""

    def _moved(self, pairs: Any) -> None:
        self.edited.emit(self._field, pairs)
        self._show_rows()
        self._show_chosen()

    def _keep(self, on: bool) -> None:
        self.map.put(keep=on)
        self.released.emit()

    def _take_typed(self) -> None:
        if self._colours is None or self.map.pair() is None:
            return
        try:
            lab = self._colours.meant(self.typed.text())
        except ValueRefused as error:
            self.refusal.setText(f"{error.summary}: {error.hint}")
            self.refusal.show()
            return
        self.refusal.hide()
        self.typed.clear()
        self.map.put(target=lab, keep=False)
        self.released.emit()

    # --- showing ---------------------------------------------------------------------------------
    def show_colours(self, colours: Colours) -> None:
        self._colours = colours
        self._show_rows()

    def show_entry(self, entry: Incoming) -> None:
        self.map.show_entry(entry)

    def show_record(self, record: Any) -> None:
        self.map.show_pairs(getattr(record, self._field))
        self._show_rows()
        self._show_chosen()

    def choose_new(self, before: Any, after: Any) -> None:
        old, new = getattr(before, self._field), getattr(after, self._field)
        if len(new) > len(old):
            self.map.choose(len(new) - 1)

    def _show_rows(self) -> None:
        pairs = self.map.pairs
        while len(self.rows) > len(pairs):
            self.rows.pop().deleteLater()
        while len(self.rows) < len(pairs):
            button = QPushButton()
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.setStyleSheet("text-align: left; padding: 3px 4px;")
            button.setIconSize(_SWATCHES)
            index = len(self.rows)
            button.setObjectName(f"nudge.{index}")
            button.clicked.connect(lambda _on, i=index: self.map.choose(i))
            self.rows.append(button)
            self._rows.addWidget(button)
        for i, (button, pair) in enumerate(zip(self.rows, pairs, strict=True)):
            button.setText(words(pair))
            button.setAccessibleName(f"Nudge {i + 1}: {words(pair)}")
            button.setChecked(i == self.map.chosen)
            if self._colours is not None:
                button.setIcon(self._icon(pair))

    def _icon(self, pair: Pair) -> QIcon:
        """Return the swatches of source and goal with an arrow between."""
        assert self._colours is not None
        ratio = self.devicePixelRatioF()
        picture = QPixmap(_SWATCHES * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        left, right = (qcolor(c) for c in self._colours.shown([pair.source, pair.goal]))
        with QPainter(picture) as painter:
            painter.fillRect(QRect(0, 0, 22, 14), left)
            painter.fillRect(QRect(36, 0, 22, 14), right)
            painter.setPen(colour("quiet"))
            painter.drawText(QRect(22, 0, 14, 14), Qt.AlignmentFlag.AlignCenter, "→")
        return QIcon(picture)

    def _show_chosen(self) -> None:
        pair = self.map.pair()
        for each in (self.reach, self.depth_number, self.keep, self.typed, self.pick):
            each.setEnabled(pair is not None)
        for i, button in enumerate(self.rows):
            button.setChecked(i == self.map.chosen)
        if pair is not None:
            self.reach.show_value(pair.reach)
            self.depth_number.show_value(pair.depth)
            self.keep.setChecked(pair.keep)
