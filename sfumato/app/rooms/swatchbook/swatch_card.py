"""The chosen look of the Swatchbook: seen beside the shot, mixed, stacked, described and noted on."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted, quiet
from sfumato.app.controls.parts import part
from sfumato.app.controls.rows import STRENGTH, panel_column
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.swatchbook.swatch_model import SwatchModel
from sfumato.app.theme import strong_font
from sfumato.app.views.easel import Easel
from sfumato.core.colour.encodings import encodings
from sfumato.core.controls import Number
from sfumato.work.luts.swatches import KEPT, PASSED

_AS_IT_LOOKS = "as it says or looks"
MIX = Number(
    title="Mix",
    least=0,
    most=100,
    step=1,
    digits=0,
    unit="%",
    help="How much of the look on side A is in the mix.",
)


def _by(value: float, more: str, less: str, same: str) -> str:
    """Say by how much a look is more or less of something."""
    number = f"{abs(value):.1f}"
    return same if number == "0.0" else f"{more if value > 0 else less} by {number}"


class _Note(QPlainTextEdit):
    left = Signal()

    @guarded
    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left.emit()


class SwatchCard(QWidget):
    """`put_wanted()`, `save_wanted()`, and what else needs a question or a file."""

    put_wanted = Signal()
    save_wanted = Signal()
    convert_wanted = Signal()
    rename_wanted = Signal()
    move_wanted = Signal()
    reveal_wanted = Signal()

    def __init__(self, model: SwatchModel) -> None:
        super().__init__()
        self._model = model
        self._lay_out()
        model.chosen_changed.connect(self._show_chosen)
        model.seen.connect(self._on_seen)
        self._show_chosen()

    def _lay_out(self) -> None:
        whole = panel_column(self, 316)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(6)
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inner)
        whole.addWidget(area, 1)
        self.name = Label()
        self.name.setFont(strong_font(15))
        self.name.setObjectName("swatch.name")
        self.name.setWordWrap(True)
        column.addWidget(self.name)
        self.easel = Easel()
        self.easel.setObjectName("swatch.easel")
        self.easel.setMinimumSize(270, 160)
        self.easel.setFixedHeight(176)
        self.easel.mode = "split"
        self.easel.mount = "dark"
        column.addWidget(self.easel)
        line = QHBoxLayout()
        self.side_a = quiet("A the shot")
        self.side_a.setObjectName("swatch.side_a")
        self.side_b = quiet("")
        self.side_b.setAlignment(Qt.AlignmentFlag.AlignRight)
        line.addWidget(self.side_a, 1)
        line.addWidget(self.side_b, 1)
        column.addLayout(line)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.strength = ScrubNumber(STRENGTH, 100)
        self.strength.setObjectName("swatch.strength")
        self.strength.edited.connect(self._edit_strength)
        self.mix = ScrubNumber(MIX, 0)
        self.mix.setObjectName("swatch.mix")
        self.mix.edited.connect(lambda v: self._model.set_share(v / 100))
        self._mix_label = Label("Mix with A")
        for i, (label, number) in enumerate(
            ((Label("Strength"), self.strength), (self._mix_label, self.mix))
        ):
            label.setFixedWidth(76)
            number.setFixedWidth(62)
            grid.addWidget(label, i, 0)
            grid.addWidget(SlimBar(number), i, 1)
            grid.addWidget(number, i, 2)
        column.addLayout(grid)
        line = QHBoxLayout()
        self.hold = QPushButton("Hold on A")
        self.hold.setObjectName("swatch.hold")
        set_tip(self.hold, "Keep this look on side A, to compare others with it or to mix them.")
        self.hold.clicked.connect(self._model.hold)
        self.save = QPushButton("Save as a LUT…")
        self.save.setObjectName("swatch.save")
        set_tip(self.save, "Write what side B shows, a mix or a stack, as a LUT of its own.")
        self.save.clicked.connect(self.save_wanted)
        line.addWidget(self.hold)
        line.addWidget(self.save)
        column.addLayout(line)
        self.stack = QListWidget()
        self.stack.setObjectName("swatch.stack")
        self.stack.setAccessibleName("Stack")
        self.stack.setMaximumHeight(74)
        set_tip(self.stack, "Several looks one after the other; side B shows them all.")
        column.addWidget(self.stack)
        line = QHBoxLayout()
        for text, name, run, tip in (
            ("Stack it", "stack_add", self._model.add_to_stack, "Put this look on the stack."),
            ("▲", "stack_up", lambda: self._shift(-1), "One place earlier"),
            ("▼", "stack_down", lambda: self._shift(1), "One place later"),
            ("Take off", "stack_drop", self._drop_layer, "Take it off the stack."),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            button.setProperty("flat", True)
            set_tip(button, tip)
            button.setAccessibleName(tip)
            button.clicked.connect(run)
            line.addWidget(button)
        column.addLayout(line)
        self.facts = quiet("")
        self.facts.setObjectName("swatch.facts")
        self.facts.setWordWrap(True)
        column.addWidget(self.facts)
        ends = QGridLayout()
        ends.setHorizontalSpacing(8)
        self.expects, self.gives = self._end_chooser("expects"), self._end_chooser("gives")
        for i, box in enumerate((self.expects, self.gives)):
            ends.addWidget(quiet(box.accessibleName()), i, 0)
            ends.addWidget(box, i, 1)
        ends.setColumnStretch(1, 1)
        column.addLayout(ends)
        self.note = _Note()
        self.note.setObjectName("swatch.note")
        set_tip(self.note, "Words of yours about the look; they are kept with its mark.")
        self.note.setPlaceholderText("Notes")
        self.note.setAccessibleName("Notes")
        self.note.setFixedHeight(48)
        self.note.setTabChangesFocus(True)
        self.note.left.connect(self._keep_note)
        column.addWidget(self.note)
        column.addStretch(1)
        column = whole  # what is always at hand
        line = QHBoxLayout()
        self.keep, self.passing = QPushButton("Keep"), QPushButton("Pass")
        for button, mark, wanted in (
            (self.keep, KEPT, "want"),
            (self.passing, PASSED, "do not want"),
        ):
            button.setObjectName(f"swatch.{mark}")
            set_tip(button, f"Marks the look as one that you {wanted}.")
            button.clicked.connect(lambda _on, m=mark: self._model.toggle_mark(m))
            line.addWidget(button)
        column.addLayout(line)
        self.put = QPushButton("Put into the Look")
        self.put.setObjectName("swatch.put")
        set_tip(self.put, "Lays the look into the study's Look as a glaze.")
        self.put.setProperty("main", True)
        self.put.clicked.connect(self.put_wanted)
        column.addWidget(self.put)
        line = QHBoxLayout()
        for text, name, signal, tip in (
            ("Convert…", "convert_file", self.convert_wanted, "Opens it in the Convert room."),
            ("Rename…", "rename", self.rename_wanted, "Gives the file another name."),
            ("Move…", "move", self.move_wanted, "Moves the file into another folder."),
            ("Reveal", "reveal", self.reveal_wanted, "Shows it in the desktop's file manager."),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            set_tip(button, tip)
            button.setProperty("flat", True)
            button.clicked.connect(signal)
            line.addWidget(button)
        column.addLayout(line)

    def _end_chooser(self, which: str) -> Chooser:
        box = Chooser()
        box.setObjectName(f"swatch.{which}")
        box.setAccessibleName(which.capitalize())
        set_tip(
            box, f"The encoding that the file {which}; it decides how the shot goes through it."
        )
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.activated.connect(lambda _i: self._edit_ends())
        return box

    def _edit_ends(self) -> None:
        swatch = self._model.chosen
        if swatch is None:
            return
        texts = [b.currentText() for b in (self.expects, self.gives)]
        if _AS_IT_LOOKS in texts:
            other = next((t for t in texts if t != _AS_IT_LOOKS), None)
            before = self._model.remark(swatch).ends
            self._model.set_remark(
                swatch, ends=(other, other) if other and before is None else None
            )
        else:
            self._model.set_remark(swatch, ends=tuple(texts))

    def _edit_strength(self, value: float) -> None:
        if self._model.chosen is not None:
            self._model.set_strength(self._model.chosen, value / 100)

    def _keep_note(self) -> None:
        if self._model.chosen is not None:
            self._model.set_remark(self._model.chosen, note=self.note.toPlainText().strip())

    def _shift(self, by: int) -> None:
        at = self.stack.currentRow()
        layers = list(self._model.stack)
        if 0 <= at < len(layers) and 0 <= at + by < len(layers):
            layers[at], layers[at + by] = layers[at + by], layers[at]
            self._model.set_stack(layers)
            self.stack.setCurrentRow(at + by)

    def _drop_layer(self) -> None:
        at = self.stack.currentRow()
        layers = list(self._model.stack)
        if layers:
            layers.pop(at if 0 <= at < len(layers) else -1)
            self._model.set_stack(layers)

    # --- showing -----------------------------------------------------------------------------------
    def _show_chosen(self) -> None:
        model = self._model
        swatch = model.chosen
        for name in (
            "hold",
            "save",
            "put",
            "keep",
            "passing",
            "note",
            "strength",
            "expects",
            "gives",
        ):
            getattr(self, name).setEnabled(swatch is not None)
        self.stack.clear()
        for layer in model.stack:
            self.stack.addItem(f"{model.name(layer.swatch)} · {layer.strength * 100:.0f} %")
        self.stack.setVisible(bool(model.stack))
        for name in ("stack_up", "stack_down", "stack_drop"):
            part(self, QPushButton, f"swatch.{name}").setVisible(bool(model.stack))
        held = model.held
        self.side_a.setText(f"A {model.name(held)}" if held is not None else "A the shot")
        can_mix = held is not None and held != swatch and not model.stack
        self.mix.setEnabled(can_mix)
        self._mix_label.setText("Mix with A" if can_mix else "Mix")
        self.mix.show_value(model.share * 100)
        self.hold.setText("Let A go" if held is not None and held == swatch else "Hold on A")
        if swatch is None:
            self.name.setText("No look chosen")
            self.facts.setText("")
            self.side_b.setText("")
            return
        facts, remark = model.facts.get(swatch.key), model.remark(swatch)
        self.name.setText(model.name(swatch))
        self.side_b.setText(
            "B the stack" if model.stack else "B a mix" if model.share else "B this look"
        )
        self.strength.show_value(model.strength(swatch) * 100)
        for box, end in ((self.expects, 0), (self.gives, 1)):
            box.offer((_AS_IT_LOOKS, *(n for n, e in encodings().items() if not e.is_view)))
            box.setCurrentText(remark.ends[end] if remark.ends else _AS_IT_LOOKS)
        self.keep.setText("Kept" if remark.mark == KEPT else "Keep")
        self.passing.setText("Passed" if remark.mark == PASSED else "Pass")
        if self.note.toPlainText().strip() != remark.note:
            self.note.setPlainText(remark.note)
        unfit = model.misfit(swatch)
        part(self, QPushButton, "swatch.convert_file").setEnabled(
            bool(unfit) and facts is not None and facts.kind not in ("look", "glaze")
        )
        self._show_facts(facts, unfit)

    def _show_facts(self, facts: Any, unfit: str) -> None:
        painted(self.facts, "")
        if facts is None:
            self.facts.setText("being examined …")
            return
        if facts.fault:
            self.facts.setText(facts.fault)
            painted(self.facts, "cinnabar")
            return
        c = facts.character
        words = [facts.kind]
        if facts.expects:
            words.append(f"says it expects {facts.expects}, gives {facts.gives or facts.expects}")
        elif facts.made_for:
            words.append(f"made for {facts.made_for}")
        elif facts.log is not None:
            words.append(f"seems to expect {'log' if facts.log else 'display'}")
        if unfit:
            words.append(f"here: {unfit}")
        if c is not None:
            words.append(
                f"{_by(c.warmth, 'warmer', 'colder', 'as warm')}, contrast × {c.contrast:.2f}, "
                f"colour × {c.colourfulness:.2f}, {_by(c.darkness, 'darker', 'lighter', 'as dark')}"
            )
        self.facts.setText("\n".join(words))

    def _on_seen(self, answer: Any) -> None:
        a, b = answer
        self.easel.show_sides(a, b)
