"""The View: how working colours are shown on a display."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.colour.encodings import Family, names_of
from sfumato.core.colour.hue import LIGHT, SEEN
from sfumato.core.controls import Choice, Number, Toggle, control
from sfumato.core.glaze import NOISE_STOPS


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
        0.8,
        Number(
            title="Keep hue",
            least=0.0,
            most=1.0,
            help="Brings back the hue that bending each channel shifts.",
        ),
    )
    hue_by: str = control(
        SEEN,
        Choice(
            title="Hue kept",
            options=(SEEN, LIGHT),
            help="As seen: fire burns out through yellow, blue stays blue. As light: by its ratios.",
        ),
    )
    ease: bool = control(
        True,
        Toggle(
            title="Ease gamut", help="Brings colours outside the display's gamut gently inside."
        ),
    )
    threshold: float = control(
        0.9,
        Number(
            title="Ease from",
            least=0.5,
            most=0.98,
            step=0.005,
            digits=3,
            help="Colours nearer to grey stay as they are; 1 is the edge of the display's gamut.",
        ),
    )
    noise: float = control(
        NOISE_STOPS,
        Number(
            title="Noise floor",
            least=6.0,
            most=16.0,
            soft=(7.0, 13.0),
            step=0.1,
            digits=1,
            unit="stops",
            help="How far under 18 % grey the shots drown in noise: what moves hue or chroma fades out above it.",
        ),
    )

    @property
    def noise_floor(self) -> float:
        """The noise floor as light: about the sigma of what the sensor adds in the dark.

        It is also what chroma noise times L**2 comes to in Oklab. 8.8 stops -> 0.0004.
        """
        return float(0.18 * 2.0**-self.noise)

    @property
    def is_former(self) -> bool:
        """Whether it shows pictures as it did before hue was kept as it is seen."""
        return self.hue_by == LIGHT


_FORMER = {
    "hue": 0.35,
    "hue_by": LIGHT,
    "threshold": 0.8,
}  # of Views from before these could be chosen


def load(plain: dict[str, Any]) -> View:
    """Make a View from plain data; one from before hue was kept as seen shows what it showed.

    Raises:
        ValueRefused: a value is outside its control.
    """
    found: View = controls.load(View, plain if "hue_by" in plain else {**_FORMER, **plain})
    return found


def shown_anew(view: View) -> View:
    """Return a View with its hues kept, and its gamut eased, as they are in new studies."""
    new = View()
    return attrs.evolve(view, hue=new.hue, hue_by=new.hue_by, threshold=new.threshold)
