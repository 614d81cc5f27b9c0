"""The Seal: what the thread ends in: grid, Span, error, and the way out into a file."""

from __future__ import annotations

import attrs
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from sfumato.app.controls.editor import painted, quiet, quiet_line, strong
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.look.span_line import SpanLine
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.app.theme import colour
from sfumato.core.controls import Number, counted
from sfumato.core.lut.difference import CLOSE
from sfumato.core.path.span import Span
from sfumato.core.study.coat import every
from sfumato.formats.parts.contract import DEPTH_WORDS
from sfumato.work.luts.deliver import Delivered, Loss
from sfumato.work.luts.proof import GridLoss

GRID = counted(
    "Grid",
    2,
    129,
    "Points a side of the LUT: 33 is what most devices take, 65 loses less.",
    "points",
)

TOLERANCE = Number(
    title="Tolerance",
    least=0.1,
    most=10.0,
    step=0.1,
    digits=2,
    help="99 of 100 colours of the shots lie within it.",
)


_NAME = 110  # px for the name of a shot


def loss_words(loss: Loss) -> str:
    """Say a loss in one line."""
    words = f"99 % within {loss.main.p99:.2f} ΔE, worst {loss.main.worst:.2f}"
    return words if loss.shots is not None else f"{words}, over the cube"


class Seal(QWidget):
    """At the foot of the Ledger. `export_wanted()`, `difference_wanted()`."""

    export_wanted = Signal()
    difference_wanted = Signal()
    smallest_wanted = Signal(float)

    def __init__(self, model: StudyModel, desk: Desk) -> None:
        super().__init__()
        self._model, self._desk = model, desk
        self._proof: Delivered | None = None
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 16, 14)
        column.setSpacing(3)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.grid = ScrubNumber(GRID, 33)
        self.grid.setObjectName("seal.grid")
        self.grid.setMinimumWidth(28)
        self.grid.left = True
        self.grid.edited.connect(self._edit_grid)
        self.grid.released.connect(self._release)
        row.addWidget(self.grid)
        row.addWidget(strong("points · float · cube"))
        row.addStretch(1)
        self.fit = Tick("Fitted")
        self.fit.setObjectName("seal.fit")
        set_tip(
            self.fit,
            "Choose the nodes so that the colours between them come out nearest to the grade; "
            "kept only where it measures better.",
        )
        self.fit.clicked.connect(self._edit_fit)
        row.addWidget(self.fit)
        column.addLayout(row)
        find = QHBoxLayout()
        find.setSpacing(4)
        words = quiet_line("smallest grid, 99 % within")
        words.setContentsMargins(4, 0, 0, 0)
        self.tolerance = ScrubNumber(TOLERANCE, 1.0)
        self.tolerance.setObjectName("seal.tolerance")
        self.smallest = QPushButton("Find")
        self.smallest.setObjectName("seal.smallest")
        self.smallest.setProperty("flat", True)
        set_tip(
            self.smallest,
            "Measure grid after grid on all shots, and take the first that holds "
            "99 of 100 colours within the tolerance.",
        )
        self.smallest.clicked.connect(lambda: self.smallest_wanted.emit(self.tolerance.value()))
        find.addWidget(words)
        find.addWidget(self.tolerance)
        find.addWidget(quiet("ΔE"))
        find.addStretch(1)
        find.addWidget(self.smallest)
        column.addLayout(find)
        self.span = SpanLine()
        self.span.chosen.connect(self._edit_span)
        column.addWidget(self.span, 0, Qt.AlignmentFlag.AlignLeft)
        bottom = QHBoxLayout()
        self._loss = Label()
        self._loss.setContentsMargins(4, 0, 0, 0)
        self._loss.setObjectName("seal.loss")
        bottom.addWidget(self._loss, 1)
        self.button = QPushButton("Export…")
        self.button.setObjectName("seal.export")
        set_tip(
            self.button,
            "Writes the Look as a LUT file, reads it back and lets other programs read it.",
        )
        self.button.setProperty("main", True)
        self.button.clicked.connect(self.export_wanted)
        bottom.addWidget(self.button, 0, Qt.AlignmentFlag.AlignBottom)
        column.addLayout(bottom)
        self._warning = Label()
        self._warning.setProperty("pigment", "cinnabar")
        self._warning.setWordWrap(True)
        self._warning.setObjectName("seal.warning")
        column.addWidget(self._warning)
        self._proof_box = QWidget()
        proof = QVBoxLayout(self._proof_box)
        proof.setContentsMargins(4, 8, 0, 0)
        proof.setSpacing(2)
        self._proof_name = Line()
        self._proof_name.setProperty("strong", True)
        self._nodes, self._grid, self._second = Label(), Label(), Label()
        self._nodes.setObjectName("seal.nodes")
        self._grid.setObjectName("seal.off")
        self._second.setObjectName("seal.second")
        self._second.setContentsMargins(0, 0, 0, 4)
        self._proof_button = QPushButton("Show the difference")
        self._proof_button.setObjectName("seal.difference")
        self._proof_button.clicked.connect(self.difference_wanted)
        proof.addWidget(self._proof_name)
        for label in (self._nodes, self._grid, self._second):
            label.setWordWrap(True)
            proof.addWidget(label)
        proof.addWidget(self._proof_button, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self._proof_box)
        model.changed.connect(lambda _b, _a: self.refresh())
        desk.loss.connect(self.show_loss)
        desk.loss_unknown.connect(self._forget)
        self._forget()

    def refresh(self) -> None:
        study, shot = self._model.study, self._desk.shot
        self.grid.show_value(study.grid)
        self.fit.setChecked(study.fit)
        self.smallest.setEnabled(bool(study.shots))
        self.span.show_study(study, shot)
        warnings = []
        if study.span.with_ground and shot is not None:
            warnings.append(f"Includes the Ground of {shot.name}: right for this shot only.")
        for top in study.look.coats:
            hard = [c for c in every((top,)) if c.spec and c.spec.is_hard and c.acts]
            if hard and top.acts:
                words = "makes edges that the grid blurs by up to one of its steps."
                warnings.append(f"{hard[0].title} {words}")
                break
        self._warning.setText("\n".join(warnings))
        self._warning.setVisible(bool(warnings))
        self._proof_box.setVisible(self._proof is not None)
        self.button.setEnabled(bool(study.look.coats or study.shots))

    def _forget(self) -> None:
        """The study moved, or the shot whose Ground goes into the LUT: what was measured no longer holds."""
        painted(self._loss, "")
        shots = len(self._model.study.shots)
        self._loss.setText(
            f"measuring on {shots} shots …" if shots else "no shots to measure on yet"
        )
        self._proof = None
        self.refresh()

    def show_loss(self, loss: GridLoss | None) -> None:
        if loss is None:
            return
        count = len(self._model.study.shots)
        where = f", on {count} shot{'s' if count != 1 else ''}" if loss.shots else ""
        if not loss.is_close and loss.worst_shot and count > 1:
            name = self.fontMetrics().elidedText(
                loss.worst_shot, Qt.TextElideMode.ElideMiddle, _NAME
            )
            where += f",\nmost on {name}"
        if loss.sampled is not None:
            better = (
                f"\nsampled 99 % within {loss.sampled.p99:.2f},\nworst {loss.sampled.worst:.2f}"
            )
            where += better if loss.fitted else "\nfitting does not help here: sampled"
        words = loss_words(loss).replace(
            ", worst", ",\nworst"
        )  # beside the button, in a narrow panel
        self._loss.setText(f"{_mark(loss.is_close)} {words}{where}")
        painted(self._loss, _pigment(loss.is_close))
        set_tip(
            self._loss,
            "How far the LUT lies from the exact grade as the display shows it.\n"
            f"✓ 99 of 100 colours within {CLOSE:g} ΔE, ! more: a finer grid loses less.",
        )

    def show_proof(self, proof: Delivered) -> None:
        """Say what the written file was proved to do."""
        self._proof = proof
        self._proof_name.setText(f"{proof.place.name} is written")
        words = f"Read back: nodes differ by up to {proof.off:.2g}"
        if proof.is_exact:
            depth = proof.target.depth_written
            to = "" if proof.off == 0 else f" to {DEPTH_WORDS[depth]}"
            words = f"Read back: every node the same{to}"
        _say(self._nodes, words, proof.is_exact)
        own, second = proof.own, proof.second
        self._grid.setVisible(own is not None and not own.is_close)
        if own is not None:
            _say(
                self._grid, f"Off the grade: {loss_words(own)};\n   a finer grid loses less", False
            )
        self._second.setVisible(second is not None)
        if second is not None and second.loss is not None:
            words = f"As {second.reader} reads it: {loss_words(second.loss)}"
            _say(self._second, words.replace(", ", ",\n   "), second.loss.is_close)
        elif second is not None:
            self._second.setText(f"– Not read by another program: {second.note}")
            painted(self._second, "")
        self.refresh()

    def _edit_grid(self, value: float) -> None:
        study = self._model.study
        self._desk.hold()
        self._model.commit("Grid", attrs.evolve(study, grid=round(value)), ("seal", "grid"))

    def _edit_span(self, span: Span) -> None:
        study = self._model.study
        if span != study.span:
            self._model.commit("Change the Span", attrs.evolve(study, span=span))

    def _edit_fit(self, on: bool) -> None:
        how = "Fit" if on else "Sample"
        self._model.commit(f"{how} the grid", attrs.evolve(self._model.study, fit=on))

    def _release(self) -> None:
        self._model.end_gesture()
        self._desk.release()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        r = QRectF(self.rect()).adjusted(10, 4, -10, -8)
        painter.fillRect(r, colour("rail"))
        painter.fillRect(QRectF(r.left(), r.top(), 4, r.height()), colour("yellow"))


def _mark(good: bool) -> str:
    return "✓" if good else "!"


def _pigment(good: bool) -> str:
    return "malachite" if good else "cinnabar"


def _say(label: Label, words: str, good: bool) -> None:
    """Show one line of a proof with its own mark: what holds is not painted as what does not."""
    label.setText(f"{_mark(good)} {words}")
    painted(label, _pigment(good))
