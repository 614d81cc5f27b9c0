"""Where the Look goes on one still: layers and brush on the left, the picture on the right."""

from __future__ import annotations

from pathlib import Path

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.controls.rows import STRENGTH, Row, as_panel, chooser
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.apply.paint_easel import PaintEasel
from sfumato.app.rooms.apply.paint_model import BRUSH, GRADIENT, PaintModel
from sfumato.app.theme import colour
from sfumato.core.path.laying import BLENDS
from sfumato.work.preview.painting import Canvas

NOT_IN_THE_LUT = "Masks and layers go into results, never into a LUT."


def _button(name: str, text: str, tip: str, then: object) -> QPushButton:
    button = QPushButton(text)
    button.setObjectName(f"paint.{name}")
    set_tip(button, tip)
    button.clicked.connect(then)
    return button


class PaintPage(QWidget):
    """`back_wanted()`, `lut_wanted()` (a layer more), `file_wanted()` (another LUT for the layer)."""

    back_wanted = Signal()
    lut_wanted = Signal()

    def __init__(self, model: PaintModel) -> None:
        super().__init__()
        self._model = model
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_left())
        row.addWidget(self._make_right(), 1)
        model.chosen_changed.connect(self.refresh)
        model.canvas_changed.connect(self._on_canvas)
        easel = self.easel
        model.repaired.connect(lambda rect, pixels: easel.show_part(pixels, rect))
        easel.geometry_changed.connect(lambda: model.set_geometry(*easel.wanted()))
        easel.began.connect(model.begin)
        easel.moved.connect(self._on_moved)
        easel.ended.connect(self._on_ended)
        easel.given_up.connect(self._on_given_up)
        easel.resized.connect(model.resize)
        self.refresh()

    # --- laying out ----------------------------------------------------------------------------------
    def _make_left(self) -> QWidget:
        panel = QWidget()
        as_panel(panel, width=340)
        column = QVBoxLayout(panel)
        column.setContentsMargins(18, 16, 18, 14)
        column.setSpacing(7)
        head = QHBoxLayout()
        self.back = _button("back", "‹ Shots", "Back to the shots (Esc)", self.back_wanted.emit)
        self.title = Line()
        head.addWidget(self.back)
        head.addWidget(self.title, 1)
        column.addLayout(head)
        column.addWidget(quiet("What acts on this still, in this order"))
        self.layers = QListWidget()
        self.layers.setObjectName("paint.layers")
        self.layers.setAccessibleName("Layers")
        self.layers.setFixedHeight(128)
        self.layers.currentRowChanged.connect(self._on_row)
        self.layers.itemChanged.connect(self._on_ticked)
        column.addWidget(self.layers)
        line = QHBoxLayout()
        line.setSpacing(4)
        model = self._model
        self.add = _button(
            "add", "Add a LUT…", "Lays a LUT over what is there", self.lut_wanted.emit
        )
        self.up = _button(
            "up", "Under", "Lays the layer under its neighbour", lambda: model.shift(-1)
        )
        self.down = _button(
            "down", "Over", "Lays the layer over its neighbour", lambda: model.shift(1)
        )
        self.remove = _button("remove", "Remove", "Takes the layer away", model.remove)
        for button in (self.add, self.up, self.down, self.remove):
            line.addWidget(button)
        column.addLayout(line)
        self.strength = ScrubNumber(STRENGTH, 100)
        self.strength.setObjectName("paint.strength")
        self.strength.setFixedWidth(62)
        self.strength.edited.connect(self._on_strength)
        self.strength.released.connect(lambda: model.end_gesture())
        self.blend = chooser("paint.blend", BLENDS)
        self.blend.textActivated.connect(self._on_blend)
        self._strength_row = Row("Strength", SlimBar(self.strength), self.strength)
        self._blend_row = Row("Blend", self.blend)
        column.addWidget(self._strength_row)
        column.addWidget(self._blend_row)
        column.addSpacing(8)
        column.addWidget(quiet("Mask of the chosen one"))
        line = QHBoxLayout()
        self.tools = {
            BRUSH: _button("brush", "Brush", "Paint by hand", lambda: model.set_tool(BRUSH)),
            GRADIENT: _button(
                "gradient",
                "Gradient",
                "Pull a line: all of it where it begins, nothing where it ends",
                lambda: model.set_tool(GRADIENT),
            ),
        }
        for button in self.tools.values():
            button.setCheckable(True)
            button.setProperty("flat", True)
            line.addWidget(button)
        line.addStretch(1)
        column.addLayout(line)
        self.brush = RecordPanel(model.brush)
        self.brush.edited.connect(
            lambda field, value: model.set_brush(attrs.evolve(model.brush, **{field: value}))
        )
        column.addWidget(self.brush)
        line = QHBoxLayout()
        for button in (
            _button("invert", "Invert", "What was masked is free", model.invert),
            _button("full", "Everywhere", "The layer acts everywhere", lambda: model.fill(True)),
            _button("empty", "Nowhere", "The layer acts nowhere", lambda: model.fill(False)),
        ):
            line.addWidget(button)
        column.addLayout(line)
        self.show_mask = Tick("Show where it goes: the rest is grey")
        self.show_mask.setObjectName("paint.show_mask")
        self.show_mask.toggled.connect(self._show_mask)
        column.addWidget(self.show_mask)
        column.addStretch(1)
        note = Label(f"Not in the LUT. {NOT_IN_THE_LUT}")
        note.setWordWrap(True)
        note.setObjectName("paint.note")
        column.addWidget(note)
        return panel

    def _make_right(self) -> QWidget:
        page = QWidget()
        as_panel(page)
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.easel = PaintEasel()
        self.easel.setObjectName("paint.easel")
        column.addWidget(self.easel, 1)
        self.state = quiet("")
        self.state.setObjectName("paint.state")
        self.state.setContentsMargins(14, 6, 14, 6)
        column.addWidget(self.state)
        return page

    # --- the hand ------------------------------------------------------------------------------------
    def _on_moved(self, x: float, y: float, pressure: float) -> None:
        self._model.move(x, y, pressure)
        pulled = self._model.pulled
        if pulled is not None:
            self.easel.show_gradient((pulled[0][:2], pulled[1][:2]))

    def _on_ended(self) -> None:
        self.easel.show_gradient(None)
        self._model.end()

    def _on_given_up(self) -> None:
        self.easel.show_gradient(None)
        if self._model.is_painting:
            self._model.give_up()
        else:
            self.back_wanted.emit()

    def _on_row(self, row: int) -> None:
        if row >= 0:
            self._model.choose(row)
            self._show_canvas()

    def _on_ticked(self, item: QListWidgetItem) -> None:
        row, on = self.layers.row(item), item.checkState() == Qt.CheckState.Checked
        if row > 0:
            self._model.choose(row)  # which fills the list anew: the item is gone
            self._model.set_coat("Switch the layer on or off", on=on)

    def _on_strength(self, value: float) -> None:
        self._model.set_coat("Strength of the layer", "strength", strength=value / 100)

    def _on_blend(self, blend: str) -> None:
        coat = self._model.coat
        if coat is not None:
            laying = attrs.evolve(coat.laying, blend=blend)
            self._model.set_coat("Blend of the layer", laying=laying)

    # --- showing -------------------------------------------------------------------------------------
    def open_with(self, size: tuple[int, int]) -> None:
        """A still of this size is to be painted on."""
        self.easel.show_picture(size)
        self._model.set_geometry(*self.easel.wanted())

    def _on_canvas(self, _canvas: Canvas) -> None:
        self._show_canvas()

    def _show_mask(self, on: bool) -> None:
        self._model.shows_mask = on
        self._show_canvas()

    def _show_canvas(self) -> None:
        canvas = self._model.canvas
        if canvas is not None:
            step = self._model.step if self.show_mask.isChecked() else None
            self.easel.show_whole(canvas.shown(step), canvas.ask.region)

    def refresh(self) -> None:
        """Show the chosen layer and the brush."""
        model = self._model
        shot = model.shot
        self.title.setText(shot.name if shot else "")
        self.layers.blockSignals(True)
        self.layers.clear()
        if shot is not None:
            self.layers.addItem(QListWidgetItem("The Look"))
            for layer in shot.layers:
                item = QListWidgetItem(
                    layer.coat.name or Path(layer.coat.parameters.file.path).stem
                )
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                on = Qt.CheckState.Checked if layer.coat.on else Qt.CheckState.Unchecked
                item.setCheckState(on)
                set_tip(item, layer.coat.parameters.file.path)
                if layer.coat.parameters.file.is_missing:
                    item.setText(f"{item.text()}: the file is missing")
                    item.setForeground(colour("cinnabar"))
                self.layers.addItem(item)
            self.layers.setCurrentRow(model.layer)
        self.layers.blockSignals(False)
        coat = model.coat
        for row in (self._strength_row, self._blend_row):
            row.setEnabled(coat is not None)
        if coat is not None:
            self.strength.show_value(coat.strength * 100)
            self.blend.setCurrentText(coat.laying.blend)
        else:
            self.strength.show_value(100)
            self.blend.setCurrentIndex(0)
        layers = len(shot.layers) if shot else 0
        self.up.setEnabled(model.layer > 1)
        self.down.setEnabled(0 < model.layer < layers)
        self.remove.setEnabled(model.layer > 0)
        for name, button in self.tools.items():
            button.setChecked(model.tool == name)
        self.brush.show_record(model.brush)
        self.brush.show_only(
            {"erase"} if model.tool == GRADIENT else set(attrs.asdict(model.brush))
        )
        brush = model.brush
        self.easel.show_brush(brush.size / 100, 1 - brush.softness / 100, model.tool == BRUSH)
        mask = model.mask
        where = "everywhere" if mask.full else "nowhere"
        count = len(mask.marks)
        marks = f" at first, then {count} stroke{'s' * (count != 1)}" if count else ""
        whose = "The Look acts" if model.layer == 0 else "The layer acts"
        self.state.setText(f"{whose} {where}{marks}")

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.easel.setFocus()
