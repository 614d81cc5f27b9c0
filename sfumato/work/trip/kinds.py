"""What the other side is: kinds of program, each with the carrier that suits it. Users add their own."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import frozen

from sfumato.core.carrier import arrange
from sfumato.core.carrier.frame import WRAPPED
from sfumato.core.errors import ValueRefused
from sfumato.work.trip.carriers import SUFFIXES, Carrier

DISPLAYED, SOURCE = "displayed", "source"
MOST_OWN, _LONGEST = 40, 60


@frozen
class Kind:
    """One kind of other side.

    Attributes:
        title: what is chosen; an own kind is known by it.
        why: in a line, why this carrier.
        beside: whether the nodes stand beside a shot.
        suffix: of the file.
        codes: DISPLAYED, or SOURCE for the codes of the shot.
        profile: whether the file says its encoding.
    """

    title: str
    why: str
    points: int
    layout: str
    beside: bool
    suffix: str
    depth: str
    codes: str = DISPLAYED
    profile: bool = True
    cell: int = 4

    def carrier(self, profile: str) -> Carrier:
        return Carrier(
            self.points, self.layout, self.cell, self.depth, profile if self.profile else ""
        )


KINDS = (
    Kind(
        "photo editor, 16 bit",
        "Every node is a pixel; 16 bit keep the smallest step.",
        64, arrange.HALD, False, ".tif", "16",
    ),
    Kind(
        "photo editor that opens TIFF and JPEG only",
        "Eight bit TIFF opens everywhere; the steps are evened out on the way back.",
        64, arrange.HALD, False, ".tif", "8",
    ),
    Kind(
        "editing program: frame and strip",
        "Graded like any shot; the frame beside the nodes shows what a LUT cannot hold.",
        33, WRAPPED, True, ".png", "16", SOURCE, False,
    ),
    Kind(
        "real-time engine: screenshot with a strip of 16",
        "A strip of 16, as engines take it; PNG without a profile.",
        16, arrange.ROW, False, ".png", "8", DISPLAYED, False,
    ),
    Kind(
        "phone filter: tiles",
        "Large cells that survive scaling and JPEG, with marks by which they are found.",
        17, WRAPPED, True, ".jpg", "8", DISPLAYED, True, 12,
    ),
)  # fmt: skip


def dump(kinds: tuple[Kind, ...]) -> list[dict[str, Any]]:
    return [attrs.asdict(k) for k in kinds]


def load(plain: Any) -> tuple[Kind, ...]:
    """Make own kinds from plain data; what is damaged is passed over."""
    found: dict[str, Kind] = {}
    for each in plain if isinstance(plain, list) else []:
        try:
            kind = Kind(**each)
            kind.carrier("")
            fits = kind.suffix in SUFFIXES and kind.codes in (DISPLAYED, SOURCE)
            if fits and isinstance(kind.title, str) and isinstance(kind.why, str):
                title = kind.title[:_LONGEST]
                found.setdefault(title, attrs.evolve(kind, title=title))
        except (TypeError, ValueError, ValueRefused):
            continue
    return tuple(found.values())[:MOST_OWN]
