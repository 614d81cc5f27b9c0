"""The middle of the Borrow page: the pictures that are compared, instruments, and what is known of places."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted, quiet, quiet_line
from sfumato.app.controls.invitation import Invitation
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.trip.loan_below import LoanBelow, flat_view
from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.app.rooms.trip.threads import Threads
from sfumato.app.theme import strong_font
from sfumato.app.views.easel import Easel
from sfumato.app.views.part_field import LOOK, PART, PartField
from sfumato.core.study.loan import Loan, Pick, Place, Region, Tie

_MODES = {"side": "Side by side", "split": "Split", "difference": "Difference"}
_EMPTY = {
    "pair": (
        "A look out of a picture and its original",
        "Give a picture as it was, and the same graded: an exported still, a preset's before and after, "
        "a scan beside its restoration. Size, crop, turn and file may differ. The look comes back as "
        "glazes that you go on with, and a LUT for the rest; it says how sure it is, and of what.",
    ),
    "reference": (
        "A look after a picture of something else",
        "Give a frame whose tones and colours you like. The shot is brought towards it, by a part: "
        "what comes from its grade and what from the things in it cannot be told apart. "
        "Tie a part with a part, or a colour with a colour, to say what should be like what.",
    ),
}
_BESIDE_TITLE = 440  # pixels that stand beside the title


class LoanMiddle(QWidget):
    """`part_tied(Region, Region)`, `colour_tied(Place, Place)`, `tool_left()`, `add_wanted(side)`."""

    part_tied = Signal(object, object)
    colour_tied = Signal(object, object)
    tool_left = Signal()
    add_wanted = Signal(str)

    def __init__(self, model: LoanModel) -> None:
        super().__init__()
        self._model = model
        self._tool = LOOK
        self._mode = "side"
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(6)
        column.addLayout(self._make_head())
        self._stack = QStackedWidget()
        self.easel = Easel()
        self.easel.setObjectName("borrow.easel")
        self.easel.setMinimumHeight(150)
        self._empty = self._make_empty()
        self._two = self._make_two()
        for page in (self._empty, self.easel, self._two):
            self._stack.addWidget(page)
        column.addWidget(self._stack, 6)
        self.verdict = Label()
        self.verdict.setObjectName("borrow.verdict")
        self.verdict.setProperty("strong", True)
        self.verdict.setWordWrap(True)
        self.verdict.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        column.addWidget(self.verdict)
        column.addWidget(self._make_work())
        self.below = LoanBelow(model)
        column.addWidget(self.below, 4)
        model.edited.connect(self.refresh)
        model.known.connect(self.refresh)
        model.told.connect(self._on_told)
        self.refresh()

    # --- parts -----------------------------------------------------------------------------------
    def _make_head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        self.title = Line()
        self.title.setFont(strong_font(15))
        self.title.setObjectName("borrow.title")
        head.addWidget(self.title)
        self.facts = quiet("")
        self.facts.setObjectName("borrow.facts")
        head.addWidget(self.facts, 1)
        self._modes = QButtonGroup(self)
        for key, words in _MODES.items():
            button = flat_view(words, f"borrow.view.{key}", "")
            button.clicked.connect(lambda _on, k=key: self._show_mode(k))
            self._modes.addButton(button)
            head.addWidget(button)
        self.was = flat_view("As it was", "borrow.was", "Show the shot without what is borrowed.")
        self.was.clicked.connect(lambda _on: self._show_pictures())
        head.addWidget(self.was)
        return head

    def _make_empty(self) -> Invitation:
        self._empty_add = QPushButton()
        self._empty_add.setObjectName("borrow.empty.add")
        set_tip(self._empty_add, "The picture as it was, and as it became.")
        self._empty_add.setProperty("main", True)
        self._empty_add.clicked.connect(self._add)
        return Invitation("", "", self._empty_add)

    def _add(self) -> None:
        loan = self._model.loan
        if self._is_ready():
            self._model.again()
            return
        side = "before" if not loan.before else "after"
        self.add_wanted.emit(side if self._model.is_pair else "references")

    def _make_two(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.ours = PartField("borrow.ours", "The shot")
        self.theirs = PartField("borrow.theirs", "The reference")
        for pane, words in ((self.ours, "A  the shot"), (self.theirs, "B  the reference")):
            column = QVBoxLayout()
            column.setSpacing(3)
            column.addWidget(quiet(words))
            column.addWidget(pane, 1)
            row.addLayout(column, 1)
            pane.marked.connect(lambda region, p=pane: self._on_mark(p, region))
            pane.picked.connect(lambda place, p=pane: self._on_mark(p, place))
        self._threads = Threads(page, self._thread_ends)
        return page

    def _thread_ends(self) -> list[tuple[QPointF, QPointF]]:
        """Return where the threads of the shown ties begin and end on the page of both pictures."""
        loan, page = self._model.loan, self._two
        file = self._model.reference
        found = []
        every: tuple[Tie | Pick, ...] = (*loan.ties, *loan.picks)
        for tie in every:
            if tie.file == file and self.ours.image is not None and self.theirs.image is not None:
                right, left = tie.ours[len(tie.ours) - 2], tie.theirs[0]
                heights = [(at[1] + at[-1]) / 2 for at in (tie.ours, tie.theirs)]
                found.append(
                    (
                        self.ours.mapTo(page, self.ours.on_screen((right, heights[0]))),
                        self.theirs.mapTo(page, self.theirs.on_screen((left, heights[1]))),
                    )
                )
        return found

    def _make_work(self) -> QWidget:
        self._work = QWidget()
        row = QHBoxLayout(self._work)
        row.setContentsMargins(0, 0, 0, 0)
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(180)
        self._bar.setAccessibleName("How far it is")
        row.addWidget(self._bar)
        self._doing = quiet_line("")
        self._doing.setObjectName("borrow.doing")
        row.addWidget(self._doing, 1)
        self.stop = flat_view("Cancel", "borrow.cancel", "Stop working it out.")
        self.stop.setCheckable(False)
        self.stop.clicked.connect(self._model.stop)
        row.addWidget(self.stop)
        return self._work

    # --- ties ------------------------------------------------------------------------------------
    def set_tool(self, tool: str) -> None:
        """Take up a tool: the first mark waits for its counterpart on the other picture."""
        self._tool = tool
        for pane in (self.ours, self.theirs):
            pane.waiting = None
            pane.set_tool(tool)
        if tool != LOOK:
            self.ours.setFocus()
        self._say()

    def _on_mark(self, pane: PartField, mark: Region | Place) -> None:
        pane.waiting = mark
        pane.update()
        one, two = self.ours.waiting, self.theirs.waiting
        if one is None or two is None:
            (self.theirs if pane is self.ours else self.ours).setFocus()
            self._say()
            return
        self.ours.waiting = self.theirs.waiting = None
        (self.part_tied if self._tool == PART else self.colour_tied).emit(one, two)
        self._say()

    def escape(self) -> bool:
        """Let go of a mark, else of the tool; whether there was one."""
        if self._tool == LOOK:
            return False
        if self.ours.waiting is not None or self.theirs.waiting is not None:
            self.set_tool(self._tool)
        else:
            self.tool_left.emit()
        return True

    # --- what is shown ---------------------------------------------------------------------------
    def _show_mode(self, mode: str) -> None:
        self._mode = mode
        self.easel.set_mode(mode)
        for button in self._modes.buttons():
            button.setChecked(button.objectName() == f"borrow.view.{mode}")

    def _on_told(self, share: float, words: str) -> None:
        self._bar.setValue(round(1000 * share))
        self._doing.setText(f"{words} …" if words else "")

    def refresh(self) -> None:
        """Show the loan and what came of it."""
        model, loan = self._model, self._model.loan
        found, refused = model.outcome, model.refused
        working = model.is_working
        self._work.setVisible(working)
        if not working:
            self._bar.setValue(0)
        for button in self._modes.buttons():
            button.setVisible(model.is_pair and found is not None)
        self.was.setVisible(not model.is_pair and found is not None)
        self._show_mode(self._mode)
        self.below.setVisible(found is not None)
        if not self._is_ready():
            self._show_empty(loan)
        elif found is None:
            self._stack.setCurrentWidget(self._empty)
            title, words = "Working it out", ""
            if refused is not None:
                title, words = "Nothing to borrow", refused.sentence()
            elif not working:
                title, words = "Stopped", "Nothing came of it yet; the pictures stay in the list."
            self._empty.say(title, words)
            self._empty_add.setText("Work it out")
            self._empty_add.setVisible(not working and refused is None)
        else:
            self._show_pictures()
        self._title()
        self._say()

    def _is_ready(self) -> bool:
        """Whether there is something to work it out from."""
        model = self._model
        return bool(model.pairs) if model.is_pair else bool(model.loan.references and model.shot)

    def _show_empty(self, loan: Loan) -> None:
        self._stack.setCurrentWidget(self._empty)
        title, words = _EMPTY[loan.mode]
        if not self._model.is_pair and self._model.shot is None:
            words = "Bring a shot into the Look room first: a reference is followed from there."
        elif loan.before or loan.after:
            other = "after" if loan.before else "before"
            words = f"Now give the pictures {other}."
            if loan.before and loan.after:
                words = (
                    "None of these belong together by name: a picture after has the name of the one "
                    "before, or begins with it. One before and one after need no names."
                )
        self._empty.say(title, words)
        self._empty_add.setVisible(self._model.is_pair or self._model.shot is not None)
        what = "the picture after" if loan.before else "the picture before"
        self._empty_add.setText(f"Choose {what if self._model.is_pair else 'a reference'}…")

    def _show_pictures(self) -> None:
        found, loan, seen = self._model.outcome, self._model.loan, self._model.services.seen
        if found is None:
            return
        made, wanted = found.sides(self._model.chosen, with_rest=loan.with_rest)
        if self._model.is_pair:
            pair = found.pairs[min(self._model.chosen, len(found.pairs) - 1)]
            delta = pair.delta if loan.with_rest else pair.glazed_delta
            self.easel.show_sides(seen(made), seen(wanted), delta)
            self._stack.setCurrentWidget(self.easel)
            return
        was = found.was if self.was.isChecked() else None
        self.ours.show_pixels(seen(made if was is None else was))
        self.theirs.show_pixels(seen(wanted))
        file = self._model.reference
        parts = list(enumerate(loan.ties, 1))
        picks = list(enumerate(loan.picks, 1 + len(loan.ties)))
        self.ours.show_marks(
            [(str(i), t.ours) for i, t in parts],
            [(str(i), p.ours) for i, p in picks],
            self.ours.waiting,
        )
        self.theirs.show_marks(
            [(str(i), t.theirs) for i, t in parts if t.file == file],
            [(str(i), p.theirs) for i, p in picks if p.file == file],
            self.theirs.waiting,
        )
        self._stack.setCurrentWidget(self._two)
        self._threads.update()

    def _title(self) -> None:
        model, loan = self._model, self._model.loan
        title, facts = "", ""
        if model.is_pair and model.pairs:
            one, two = model.pairs[min(model.chosen, len(model.pairs) - 1)]
            title = two.stem
            is_there = model.outcome is not None
            facts = "A  made of it    B  after" if is_there else f"from {one.name}"
        elif not model.is_pair and loan.references and model.shot is not None:
            title, facts = model.shot.name, f"after {Path(model.reference).name}"
        width = max(120, self.width() - _BESIDE_TITLE)
        elided = self.title.fontMetrics().elidedText(title, Qt.TextElideMode.ElideMiddle, width)
        self.title.setText(elided)
        set_tip(self.title, title if elided != title else "")
        self.facts.setText(facts)

    def _say(self) -> None:
        """Say in a sentence what is seen, or what the hand is to do."""
        model = self._model
        words, role = "", ""
        if self._tool != LOOK and model.outcome is not None and not model.is_pair:
            what = "part" if self._tool == PART else "colour"
            verb = "Drag over" if self._tool == PART else "Click"
            if self.ours.waiting is not None:
                words = f"Now {verb.lower()} the {what} of the reference that it should be like."
            elif self.theirs.waiting is not None:
                words = f"Now {verb.lower()} the {what} of the shot that should be like it."
            else:
                words = f"{verb} a {what} of the shot, then of the reference. Esc ends it."
        elif model.outcome is not None and model.is_pair:
            pair = model.outcome.pairs[min(model.chosen, len(model.outcome.pairs) - 1)]
            off = pair.off if model.loan.with_rest else pair.glazed_off
            share = 100 * float(pair.left_out.mean())
            out = f"; {share:.0f} % of it is left out" if share >= 0.5 else ""
            edges = ", edges and compression with it" if model.outcome.found.has_edges else ""
            words = (
                f"It makes of the picture before the one after to {off:.2f} ΔE mean{edges}{out}."
            )
        elif model.outcome is not None:
            words = model.outcome.found.remarks[-1]
            role = "quiet"
        self.verdict.setText(words)
        painted(self.verdict, role)
        self.verdict.setVisible(bool(words))
