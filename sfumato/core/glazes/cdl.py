"""CDL: slope, offset, power and saturation as the ASC defines them."""

from __future__ import annotations

from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Choice, Number, Triple, control
from sfumato.core.glaze import Category, GlazeSpec, Promise
from sfumato.core.lut.cdl import graded

CLAMP, NO_CLAMP = "as the standard", "never"
FORWARD, INVERSE = "forward", "inverse"


@frozen
class Cdl:
    slope: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Triple(
            title="Slope",
            least=0.01,
            most=8.0,
            help="Multiplies the values: brightest change at white.",
        ),
    )
    offset: tuple[float, float, float] = control(
        (0.0, 0.0, 0.0),
        Triple(title="Offset", least=-2.0, most=2.0, signed=True, help="Adds to all values alike."),
    )
    power: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Triple(title="Power", least=0.05, most=8.0, help="Bends the middle: above 1 darkens."),
    )
    saturation: float = control(
        1.0,
        Number(
            title="Saturation",
            least=0.0,
            most=4.0,
            soft=(0.0, 2.0),
            digits=3,
            help="Moves colours away from or towards their luma; 0 is monochrome.",
        ),
    )
    clamp: str = control(
        CLAMP,
        Choice(
            title="Clamp",
            options=(CLAMP, NO_CLAMP),
            help="The standard clips to 0..1 before the power and at the end.",
        ),
    )
    direction: str = control(
        FORWARD,
        Choice(
            title="Direction", options=(FORWARD, INVERSE), help="Inverse undoes the forward CDL."
        ),
    )


def run(p: Cdl, code: Rgb, _working: Encoding) -> Rgb:
    """See `graded`."""
    return graded(code, p, clamp=p.clamp == CLAMP, inverse=p.direction != FORWARD)


SPEC = GlazeSpec(
    "cdl",
    "CDL",
    Category.COLOUR,
    Cdl,
    run,
    help="The grade that every program exchanges: slope, offset, power and saturation.",
    more=(
        "Ten numbers that travel between programs and from the set to the suite. With the "
        "clamp of the standard it clips at 0 and 1; choose never for log values and "
        "highlights."
    ),
    promise=Promise(gain=11.0, noise=3.5, cast=0.04, falling=0.1),
    mild={
        "slope": (1.2, 1.0, 0.9),
        "offset": (0.02, 0.0, -0.02),
        "power": (1.1, 1.0, 0.9),
        "saturation": 1.2,
    },
)
