"""Shadow roll-off: bends what is darker than a knee softly into a floor."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.bends import shoulder
from sfumato.core.colour.encodings import Encoding, code_of
from sfumato.core.controls import Number, control, kinds
from sfumato.core.glaze import Category, GlazeSpec


@frozen
class ShadowRollOff:
    amount: float = control(
        0.0,
        Number(
            title="Amount",
            least=0.0,
            most=100.0,
            digits=0,
            step=1,
            unit="%",
            help="How far dark tones follow the bend: at 100 % nothing falls below the floor.",
        ),
    )
    knee: float = control(
        0.2,
        Number(
            title="Knee",
            least=0.02,
            most=1.0,
            digits=3,
            step=0.005,
            soft=(0.05, 0.6),
            help="The code value below which tones bend.",
        ),
    )
    floor: float = control(
        0.03,
        Number(
            title="Floor",
            least=-0.5,
            most=0.9,
            digits=3,
            step=0.005,
            signed=True,
            soft=(0.0, 0.3),
            help="The code value that is approached and never passed.",
        ),
    )


def run(p: ShadowRollOff, code: Rgb, _working: Encoding) -> Rgb:
    """y = f + (k - f) exp(-(k - x) / (k - f)) below the knee k: the highlight roll-off upside down."""
    floor = min(p.floor, p.knee - 0.01)
    bent = -shoulder(-code, -p.knee, -floor)
    return np.asarray(code + np.float32(p.amount / 100) * (bent - code), np.float32)


def pick(p: ShadowRollOff, code: Rgb, _working: Encoding) -> ShadowRollOff:
    """Put the knee at the picked tone, and lay the roll-off on fully when it was off."""
    kind: Any = kinds(ShadowRollOff)["knee"]
    knee = float(np.clip(code.reshape(3).min(), kind.least, kind.most))
    return attrs.evolve(p, knee=round(knee, 4), amount=p.amount or 100.0)


def suited(working: Encoding) -> ShadowRollOff:
    """Return a new roll-off: of scene light it bends what lies 3 stops under grey and more above 6."""
    if not working.is_scene:
        return ShadowRollOff()
    knee, floor = code_of(0.18 / 2**3, working), code_of(0.18 / 2**6, working)
    return ShadowRollOff(knee=round(max(knee, 0.02), 3), floor=round(floor, 3))


SPEC = GlazeSpec(
    "shadow_rolloff",
    "Shadow roll-off",
    Category.TONE,
    ShadowRollOff,
    run,
    help="Bends shadows softly into a floor: faded blacks without a hard edge.",
    more=(
        "Lifts what lies below the knee softly onto the floor, so that noise and crushed "
        "shade settle without a hard edge."
    ),
    suited=suited,
    pick=pick,
    pick_title="Pick the knee",
    mild={"amount": 100.0, "knee": 0.3, "floor": 0.08},
)
