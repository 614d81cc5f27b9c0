"""Encoding change: from one way of writing colours to another, inside the path."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding, names_of
from sfumato.core.colour.showing import Showing
from sfumato.core.controls import Choice, control
from sfumato.core.glaze import Category, GlazeSpec, Promise

_MOST = 1e4  # code values are held within this: inverse logs of more are infinite


@frozen
class EncodingChange:
    source: str = control(
        "sRGB", Choice(title="From", options=names_of, help="What the colours are taken for.")
    )
    target: str = control(
        "sRGB",
        Choice(title="To", options=names_of, help="What they become; no tone scale is applied."),
    )


def run(p: EncodingChange, code: Rgb, _working: Encoding) -> Rgb:
    """Decode, carry to the other primaries and white, encode; sRGB 0.5 to BT.1886: 0.5140."""
    if p.source == p.target:
        return code.copy()
    with np.errstate(all="ignore"):
        out = convert(np.clip(code, -_MOST, _MOST), p.source, p.target)
    return np.clip(np.nan_to_num(out, posinf=_MOST, neginf=-_MOST), -_MOST, _MOST)


def says(p: EncodingChange, working: Encoding, _view: Showing | None) -> str:
    """Say what the glazes after it are given, when that is not what the path holds."""
    if p.source == p.target or encoding(p.target) == working:
        return ""
    return (
        f"what follows is given {p.target} numbers and takes them for {working.name}: lay a change "
        "back under the glazes that need them"
    )


SPEC = GlazeSpec(
    "encoding_change",
    "Encoding change",
    Category.LIGHT,
    EncodingChange,
    run,
    help="Carries colours from one encoding to another in the middle of the path.",
    more=(
        "Carries the numbers from one encoding to another, without a tone scale. For "
        "material that was mislabelled, or to lay a glaze out for another program's numbers."
    ),
    says=says,
    promise=Promise(gain=25.0, noise=7.0),
    mild={"source": "sRGB", "target": "Gamma 2.2"},
)
