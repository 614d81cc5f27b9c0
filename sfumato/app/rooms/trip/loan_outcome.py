"""The right side of the Borrow page: the glazes, what each leaves, how sure it is, and adopting it."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QWidget

from sfumato.app.controls.bars import Bar, Bars
from sfumato.app.controls.editor import quiet, strong
from sfumato.app.controls.rows import scrolled_panel
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import Label, set_tip
from sfumato.app.rooms.trip.adopting import GLAZE, Adopting
from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.core.glaze import glazes
from sfumato.work.borrow.onpage import OnPage

_CODES = 255
_LAY = "As glazes of the Look"


class LoanOutcome(QWidget):
    """`adopting` says what it is to become."""

    def __init__(self, model: LoanModel) -> None:
        super().__init__()
        self._model = model
        column = scrolled_panel(self, 250)
        column.addWidget(strong("What it becomes"))
        self.share = quiet("")
        self.share.setObjectName("borrow.share")
        self.share.setWordWrap(True)
        column.addWidget(self.share)
        self.glazes = Bars("borrow.glazes", "Glazes, and the difference left after each")
        column.addWidget(self.glazes)
        self.rest = Tick("with the rest, as a LUT")
        self.rest.setObjectName("borrow.rest")
        set_tip(
            self.rest, "What the glazes leave: a LUT glaze after them, that can be switched off."
        )
        self.rest.clicked.connect(
            lambda on: model.edit("Take the rest" if on else "Leave the rest", with_rest=on)
        )
        column.addWidget(self.rest)
        column.addSpacing(6)
        self._sure_title = strong("How sure, of all colours")
        column.addWidget(self._sure_title)
        self.sure = Bars("borrow.sure", "How sure")
        column.addWidget(self.sure)
        self.on_shot = quiet("")
        self.on_shot.setObjectName("borrow.on_shot")
        self.on_shot.setWordWrap(True)
        column.addWidget(self.on_shot)
        self.guess = Label("")
        self.guess.setObjectName("borrow.guess")
        self.guess.setWordWrap(True)
        column.addWidget(self.guess)
        self.remarks = quiet("")
        self.remarks.setObjectName("borrow.remarks")
        self.remarks.setWordWrap(True)
        column.addWidget(self.remarks)
        column.addSpacing(6)
        self.adopting = Adopting(
            "borrow.{}",
            (
                _LAY,
                "A group at the end of the Look; a group laid before from here is renewed.",
            ),
            "A preset, a study, or any LUT format.",
        )
        self.name, self.buttons = self.adopting.name, self.adopting.buttons
        column.addWidget(self.adopting)
        column.addStretch(1)
        self._named = ""
        model.edited.connect(self.refresh)
        model.known.connect(self.refresh)
        model.sighted.connect(self.refresh)
        model.services.model.changed.connect(
            lambda b, a: self._show_laid() if b.look != a.look else None
        )
        self.refresh()

    def refresh(self) -> None:
        """Show what came of the loan."""
        model, found = self._model, self._model.outcome
        ready = found is not None and not model.is_working
        for button in self.buttons.values():
            button.setEnabled(ready)
        self.name.setEnabled(ready)
        if found is not None and found.found.name != self._named:
            self._named = found.found.name
            self.name.setText(self._named)
        has_rest = found is not None and found.found.rest is not None
        self.rest.setVisible(has_rest)
        self.rest.setChecked(model.loan.with_rest)
        is_pair = found is not None and model.is_pair
        for widget in (self._sure_title, self.sure, self.on_shot):
            widget.setVisible(is_pair)
        self.share.setText(_share(found))
        self.glazes.show_rows(_glazes(found))
        self.sure.show_rows(_sure(found) if is_pair else ())
        self._say_shot()
        guesses, rest = ((), ()) if found is None else found.remarks
        self.guess.setText(_doubt(guesses))
        set_tip(self.guess, "\n".join(guesses))
        self.guess.setVisible(bool(guesses))
        self.remarks.setText("\n".join(f"{d[:1].upper()}{d[1:]}." for d in rest))
        self.remarks.setVisible(bool(rest))
        self._show_laid()

    def _show_laid(self) -> None:
        there = any(c.id == self._model.laid for c in self._model.study.look.coats)
        self.buttons[GLAZE].setText("Renew the glazes laid" if there else _LAY)

    def _say_shot(self) -> None:
        sight, shot = self._model.sight, self._model.shot
        if sight is None or sight.on_shot is None or shot is None:
            words = "" if shot is not None else "Bring in a shot to see how sure it is there."
        else:
            off = float(np.median(sight.on_shot.off)) * _CODES
            words = (
                f"{100 * sight.on_shot.share:.0f} % of {shot.name} has colours that were seen; "
                f"half of it lies within {off:.1f} codes of 255."
            )
        self.on_shot.setText(words)


def _doubt(guesses: tuple[str, ...]) -> str:
    if not guesses:
        return ""
    which = "both" if len(guesses) == 2 else "several"
    said = f"What {which} pictures are was guessed"
    if len(guesses) == 1:
        said = guesses[0].partition(": ")[0]
    return f"{said}. Say at the left if it is not so."


def _share(found: OnPage | None) -> str:
    if found is None:
        return "Nothing yet."
    if not found.found.told.steps and not found.found.picked:
        return "Nothing to do: they look alike already."
    if found.mode == "pair":
        return f"The glazes explain {100 * found.found.told.share:.0f} % of the difference."
    return "Glazes to go on with:"


def _glazes(found: OnPage | None) -> tuple[Bar, ...]:
    if found is None:
        return ()
    told = found.found.told
    titles = [glazes()[s.key].title for s in told.steps]
    if found.mode != "pair":
        picked = [glazes()[c.key].title for c in found.found.picked]
        return tuple(Bar(t, None, "") for t in (*titles, *picked))
    whole = max(told.off, 1e-6)
    rows = [Bar("nothing done", 1.0, f"{told.off:.2f} ΔE", "azurite")]
    rows += [
        Bar(f"+ {t}", s.left / whole, f"{s.left:.2f} ΔE")
        for t, s in zip(titles, told.steps, strict=True)
    ]
    if found.found.rest is not None:
        left = found.found.rest_left
        rows.append(Bar("+ the rest", left / whole, f"{left:.2f} ΔE", "malachite"))
    return tuple(rows)


def _sure(found: OnPage | None) -> tuple[Bar, ...]:
    """Return how much of the cube was seen, and by how much it may be off there and elsewhere."""
    if found is None or found.found.pair is None:
        return ()
    known, off = found.found.pair.known, found.found.pair.off * _CODES
    share = float(known.mean())

    def typical(where: np.ndarray) -> str:
        return f"± {float(np.median(off[where])):.1f} / 255" if where.any() else "–"

    return (
        Bar(f"seen {100 * share:.0f} %", share, typical(known), "malachite"),
        Bar(f"unseen {100 * (1 - share):.0f} %", 1 - share, typical(~known), "cinnabar"),
    )
