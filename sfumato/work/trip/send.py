"""Sending a carrier from a study: the frame beside it, the card, and what the study remembers."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier import arrange
from sfumato.core.carrier.frame import WRAPPED
from sfumato.core.errors import ValueRefused
from sfumato.core.path.path import through_view, to_working
from sfumato.core.study.journey import Journey
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.formats.parts.contract import DEPTH_WORDS
from sfumato.work.files import write_bytes
from sfumato.work.frames import Frames
from sfumato.work.memory import heavy
from sfumato.work.tiles import run_tiled
from sfumato.work.trip import card
from sfumato.work.trip.carriers import Carrier, depth_for, size_of, title_of, write_carrier
from sfumato.work.trip.kinds import SOURCE

_WEDGE = (960, 240)  # pixels of the grey wedge that stands beside marked tiles without a shot


@frozen(eq=False)
class Order:
    """A carrier as it is asked for: beside `shot` where there is one, in its codes or as displayed."""

    carrier: Carrier
    suffix: str
    to: str
    shot: Shot | None = None
    codes: str = ""

    @property
    def is_marked(self) -> bool:
        """Whether bars say where the nodes lie; without a shot they stand beside a grey wedge."""
        return self.shot is not None or self.carrier.layout == WRAPPED


def encoding_of(study: Study, order: Order) -> str:
    """Return what the codes of a carrier are of.

    Raises:
        ValueRefused: the shot's own are wanted, and it does not state them.
    """
    if order.codes != SOURCE:
        return study.view.encoding
    if order.shot is None:
        return study.working
    if order.shot.encoding is None:
        raise ValueRefused(
            f"{order.shot.name} does not state its encoding",
            hint="state it in the Look room, or send the carrier as displayed",
        )
    return order.shot.encoding


def frame_of(study: Study, order: Order, frames: Frames) -> Rgb | None:
    """Return the code values of what stands beside the nodes: the shot without Ground and Look."""
    if order.shot is None:
        if not order.is_marked:
            return None
        width, height = _WEDGE
        wedge = np.linspace(0, 1, width, dtype=np.float32)
        return np.broadcast_to(wedge[None, :, None], (height, width, 3))
    codes = frames.still(order.shot).as_float()
    if order.codes == SOURCE:
        return codes
    shot = order.shot

    def as_displayed(part: Rgb) -> Rgb:
        return np.clip(through_view(study, to_working(shot, study, part)), 0, 1)

    return run_tiled(as_displayed, codes)


def measures(order: Order, frame: tuple[int, int] | None) -> tuple[tuple[int, int], float]:
    """Return a carrier's size in pixels, and the most that its file takes, in megabytes.

    Raises:
        SfumatoError: it cannot be made so.
    """
    if frame is None and order.is_marked:
        frame = _WEDGE
    size = size_of(order.carrier, frame)
    depth = depth_for(Path(f"x{order.suffix}"), order.carrier.depth)
    bytes_each = 3 * {"8": 1, "16": 2, "16f": 2}.get(depth, 4)
    return size, size[0] * size[1] * bytes_each / 1e6


def named(order: Order) -> str:
    """Return a name for a carrier: of its shot, or of its nodes."""
    c = order.carrier
    if order.shot is not None:
        return f"{Path(order.shot.path).stem} with {_nodes(c)}"
    return f"neutral {_nodes(c)}"


def in_bytes(count: float) -> str:
    """Say how large a file is.

    >>> in_bytes(48_200), in_bytes(13_400_000)
    ('48 kB', '13.4 MB')
    """
    return f"{count / 1e3:.0f} kB" if count < 1e6 else f"{count / 1e6:.1f} MB"


def _nodes(c: Carrier) -> str:
    if c.layout == arrange.HALD:
        return f"HALD {round(c.points**0.5)}"
    return f"{'tiles' if c.layout == WRAPPED else 'strip'} {c.points}"


def send(
    study: Study,
    order: Order,
    path: Path,
    frames: Frames,
    *,
    force: bool = False,
    check: StillWanted = always_wanted,
) -> tuple[Journey, tuple[str, ...]]:
    """Write a carrier and its card; return the journey that begins, and what is to be known.

    Args:
        check: raises when it is no longer wanted, while other work that takes much memory goes first.
    Raises:
        SfumatoError: it cannot be written so.
    """
    codes = encoding_of(study, order)
    with heavy(check):
        sent = write_carrier(path, order.carrier, frame_of(study, order, frames), force=force)
    width, height = sent.size
    says = (
        f"{_nodes(order.carrier)}, {title_of(path)} {DEPTH_WORDS[sent.depth]}, "
        f"{width} × {height} pixels, {in_bytes(sent.bytes)}"
    )
    journey = Journey(
        str(path),
        path.stem,
        order.to,
        datetime.now().astimezone().replace(tzinfo=None).isoformat(timespec="minutes"),
        order.shot.name if order.shot is not None else "",
        codes,
        order.carrier.profile,
        says,
        sent.digest,
        order.carrier.points,
        order.carrier.layout,
        sent.plan.number if sent.plan is not None else 0,
    )
    write_bytes(card.place(path), card.text(journey).encode(), force=False)
    return journey, sent.remarks
