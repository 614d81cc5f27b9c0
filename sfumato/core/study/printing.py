"""How colours go onto paper: which press, by what intent, what becomes of black, and how much ink there may be."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.controls import Choice, Number, Toggle, control
from sfumato.core.errors import ValueRefused

INTENTS = ("relative", "perceptual", "saturation", "absolute")
ALONE, HELD, ANEW = "black alone stays", "all black stays", "separated anew"
NO_LIMIT = 400.0


@frozen
class Printing:
    """How the colours of a result become inks.

    `press` is the file of an ICC profile, "" the press that ships.
    """

    intent: str = control(
        "relative",
        Choice(
            title="Intent",
            options=INTENTS,
            help="How colours that ink cannot show are moved; black points are compensated for all but absolute.",
        ),
    )
    black: str = control(
        ALONE,
        Choice(
            title="Black ink",
            options=(ALONE, HELD, ANEW),
            help="Of CMYK pictures: what is printed in black alone stays so; or every pixel keeps its black ink.",
        ),
    )
    ink_limit: float = control(
        NO_LIMIT,
        Number(
            title="Ink limit",
            least=100.0,
            most=NO_LIMIT,
            soft=(200.0, NO_LIMIT),
            step=1,
            digits=0,
            unit="%",
            help="The most that all inks may have together; 400 is no limit beyond the profile's own.",
        ),
    )
    paper: bool = control(
        False,
        Toggle(
            title="Paper white",
            help="Shows paper and black as they are measured, not stretched to the screen's white and black.",
        ),
    )
    press: str = ""

    @property
    def most_ink(self) -> float:
        """The limit as a sum of areas, 0..4; 4 = none."""
        return self.ink_limit / 100


def dump(printing: Printing) -> dict[str, Any]:
    """Return it as plain data."""
    return {**controls.dump(printing), "press": printing.press}


def load(plain: Any) -> Printing:
    """Make it from plain data; what is missing is as usual.

    Raises:
        ValueRefused: a value is outside what it may be.
    """
    if not isinstance(plain, dict):
        raise ValueRefused("the printing is no record")
    press = plain.get("press", "")
    if not isinstance(press, str) or len(press) > 4096:
        raise ValueRefused("the press is no file name")
    rest = {name: value for name, value in plain.items() if name != "press"}
    found: Printing = controls.load(Printing, {**rest})
    return attrs.evolve(found, press=press)
