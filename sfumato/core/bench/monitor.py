"""A monitor-recorder on a camera, simulated: what it accepts, and what it makes of a frame.

Of no maker: built from what such devices have in common. It takes video as the cable carries it, holds a LUT as whole
numbers, and gives video again.
"""

from __future__ import annotations

import re

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.bench.signal import Signal, from_signal, in_ten_bit, to_signal
from sfumato.core.lut.device import rounded
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D

RECORDING, SCREEN, HALF = "recording", "screen", "half"
USES = {
    RECORDING: "in the recording: it cannot be taken out again",
    SCREEN: "on the screen only: the recording stays natural",
    HALF: "half and half: the natural picture beside the look",
}


@frozen
class Monitor:
    """One device.

    Attributes:
        places: how many LUTs it keeps, from 1.
        grids: the points a side that it takes, by format: "cube", "3dl".
        most_bytes: of a file.
        names: what a file may be called, without its suffix; said in `names_said`.
        lattice: bits of the numbers that it keeps.
        interp: what lies between them.
    """

    key: str
    title: str
    places: int
    grids: tuple[tuple[str, tuple[int, ...]], ...]
    most_bytes: int
    names: str
    names_said: str
    lattice: int
    interp: str

    def grids_of(self, format: str) -> tuple[int, ...]:
        return dict(self.grids).get(format, ())


MONITORS = {
    m.key: m
    for m in (
        Monitor(
            "generous", "Generous monitor", 8, (("cube", (17, 33, 65)), ("3dl", (17, 33))),
            16 << 20, r"[ -~]{1,24}", "up to 24 letters, digits and signs of ASCII", 12, "tetrahedral",
        ),
        Monitor(
            "usual", "Usual monitor", 8, (("cube", (17, 33)), ("3dl", (33,))),
            4 << 20, r"[A-Za-z0-9_ -]{1,24}", "up to 24 letters, digits, blanks, - and _", 12, "trilinear",
        ),
        Monitor(
            "stubborn", "Stubborn monitor", 8, (("cube", (33,)),),
            1 << 20, r"[A-Z0-9]{1,8}", "up to 8 capitals and digits", 10, "trilinear",
        ),
    )
}  # fmt: skip


@frozen
class Refusal:
    """What a device says of a file, tersely, and what is meant."""

    word: str
    why: str


def refusal(monitor: Monitor, name: str, size: int, format: str, points: int) -> Refusal | None:
    """Return why a device does not take a file; None when it does.

    Args:
        name: of the file without its suffix.
        size: bytes.
        format: key of what it is, "" when it cannot be read.
        points: a side of its table, 0 when it has none.

    >>> refusal(MONITORS["stubborn"], "low_tide", 9000, "cube", 33).word
    'BAD NAME'
    """
    if not re.fullmatch(monitor.names, name):
        return Refusal("BAD NAME", f"It takes {monitor.names_said}.")
    if size > monitor.most_bytes:
        most = monitor.most_bytes >> 20
        return Refusal(
            "TOO LARGE", f"It takes {most} MB at most, this is {size / (1 << 20):.1f} MB."
        )
    grids = monitor.grids_of(format)
    if not grids:
        kinds = " and ".join(f for f, _grids in monitor.grids)
        return Refusal("FILE ERROR", f"It reads {kinds} files.")
    if points not in grids:
        said = ", ".join(str(g) for g in grids)
        own = f"{points} points" if points else "no 3D table"
        return Refusal("WRONG SIZE", f"It takes {said} points of {format}, this has {own}.")
    return None


def held(monitor: Monitor, table: Table3D) -> Table3D:
    """Return a table as the device keeps it: whole numbers of its bits, 0..1."""
    return Table3D(frozen_array(rounded(table.values, f"{monitor.lattice} bit")), table.domain)


def through_lattice(monitor: Monitor, table: Table3D, rgb: Rgb) -> Rgb:
    """Return display codes (..., 3) through what the device keeps of a table, held within 0..1."""
    code = np.clip(np.asarray(rgb, np.float32), 0, 1)
    return apply_table(held(monitor, table), code, monitor.interp)


def through_monitor(monitor: Monitor, table: Table3D, signal: Signal) -> Signal:
    """Return the frame that leaves the device, when its LUT is on."""
    return to_signal(through_lattice(monitor, table, from_signal(signal)))


def half_and_half(natural: Signal, graded: Signal, line: float = 0.5) -> Signal:
    """Return a frame that is natural at the left of a line (a share of the width) and graded at its right.

    The line stands on a whole pair of pixels, as colour differences do.
    """
    pair = round(line * natural.y.shape[1] / 2)
    planes = (
        (natural.y, graded.y, 2 * pair),
        (natural.cb, graded.cb, pair),
        (natural.cr, graded.cr, pair),
    )
    return Signal(*(np.concatenate([a[:, :at], b[:, at:]], 1) for a, b, at in planes))


def steps(monitor: Monitor, table: Table3D, rgb: Rgb, look: Array) -> list[tuple[str, Rgb]]:
    """Return the picture after each thing that the device does otherwise than the exact look, one more each time.

    Args:
        rgb: display codes that go in (h, w, 3).
        look: the same through the exact look.

    Interpolation between the file's nodes, the lattice of whole numbers, 10 bits, and 4:2:2 sampling: the
    last one is what leaves the device.
    """
    ten = in_ten_bit(rgb)
    sampled = from_signal(to_signal(rgb))
    through = {
        "interpolation": apply_table(table, np.clip(rgb, 0, 1), monitor.interp),
        "lattice": through_lattice(monitor, table, rgb),
        "bits": in_ten_bit(through_lattice(monitor, table, ten)),
        "sampling": from_signal(to_signal(through_lattice(monitor, table, sampled))),
    }
    return [("the exact look", np.asarray(look, np.float32)), *through.items()]
