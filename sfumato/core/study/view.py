"""The View: how working colours are shown on a display."""

from __future__ import annotations

from attrs import frozen

from sfumato.core.colour.encodings import Family, names_of
from sfumato.core.controls import Choice, Number, Toggle, control


def _displays() -> tuple[str, ...]:
    return names_of(Family.DISPLAY)


@frozen
class View:
    """How working colours are shown: a display encoding and, for scene working encodings, a tone scale."""

    encoding: str = control(
        "BT.1886",
        Choice(title="Display", options=_displays, help="The display that the Look is made for."),
    )
    contrast: float = control(
        1.25,
        Number(
            title="Contrast",
            least=0.6,
            most=2.5,
            help="Slope at 18 % grey, in stops out per stop in.",
        ),
    )
    white: float = control(
        6.0,
        Number(
            title="White",
            least=3.0,
            most=10.0,
            step=0.1,
            digits=1,
            unit="stops",
            help="How far above 18 % grey display white lies.",
        ),
    )
    peak: float = control(
        203.0,
        Number(
            title="Peak",
            least=203.0,
            most=4000.0,
            step=10,
            digits=0,
            unit="cd/m²",
            help="The brightest light of a PQ or HLG display; diffuse white is at 203.",
        ),
    )
    shoulder: float = control(
        1.4,
        Number(
            title="Shoulder",
            least=0.6,
            most=4.0,
            step=0.05,
            help="How late highlights bend: high is late and hard.",
        ),
    )
    black: float = control(
        6.0,
        Number(
            title="Black",
            least=3.0,
            most=10.0,
            step=0.1,
            digits=1,
            unit="stops",
            help="How far below 18 % grey shadows fall to black.",
        ),
    )
    hue: float = control(
        0.35,
        Number(
            title="Keep hue",
            least=0.0,
            most=1.0,
            help="Brings back the hue that bending each channel shifts.",
        ),
    )
    ease: bool = control(
        True,
        Toggle(
            title="Ease gamut", help="Brings colours outside the display's gamut gently inside."
        ),
    )
