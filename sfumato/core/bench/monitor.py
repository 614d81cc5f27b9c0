"""A monitor-recorder on a camera, simulated: what it accepts, and what it makes of a frame.

Of no maker: built from what such devices have in common. It takes video as the cable carries it, holds a LUT as whole
numbers, and gives video again.
"""

from __future__ import annotations

import re

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, frozen_array
from sfumato.core.bench.signal import BLACK, SPAN, Signal, from_signal, in_ten_bit, to_signal
from sfumato.core.controls import Choice, Number, Text, control, counted
from sfumato.core.lut.device import rounded
from sfumato.core.lut.sample import INTERPOLATIONS, apply_table
from sfumato.core.lut.table import Table3D

RECORDING, SCREEN, HALF = "recording", "screen", "half"
USES = {
    SCREEN: ("On the screen only", "the recording stays natural"),
    RECORDING: ("In the recording", "it cannot be taken out again"),
    HALF: ("Half and half", "natural beside the look"),
}
KEEPS, EMPTIES = "keeps what was there", "empties the place"
MOST_PLACES = 16
_LETTERS = {
    "ASCII": (r"[ -~]", "letters, digits and signs of ASCII"),
    "plain": (r"[A-Za-z0-9_ -]", "letters, digits, blanks, - and _"),
    "capitals": (r"[A-Z0-9_]", "capitals, digits and _"),
}
_GRID = re.compile(r"\d+")


@frozen
class Monitor:
    """One device, as a record that makes its panel and its file; `key` names its folder."""

    key: str = "own"
    title: str = control(
        "My monitor", Text(title="Name", longest=60, help="What it is called on the Bench.")
    )
    places: int = control(
        8,
        counted("Places", 1, MOST_PLACES, "LUTs it keeps."),
    )
    cube: str = control(
        "17 33",
        Text(
            title="cube grids",
            longest=40,
            usual="takes no cube files",
            help="Points a side that it takes, such as 17 33; empty for no .cube.",
        ),
    )
    threedl: str = control(
        "33",
        Text(
            title="3dl grids",
            longest=40,
            usual="takes no 3dl files",
            help="Points a side that it takes, such as 17 33; empty for no .3dl.",
        ),
    )
    most_mb: float = control(
        4.0,
        Number(
            title="Largest file",
            least=0.1,
            most=64,
            step=0.1,
            digits=1,
            unit="MB",
            help="It refuses larger ones.",
        ),
    )
    longest: int = control(
        24,
        counted("Longest name", 1, 64, "Of a file, without its suffix.", "letters"),
    )
    letters: str = control(
        "plain", Choice(title="Letters", options=tuple(_LETTERS), help="What a name may have.")
    )
    dislikes: str = control(
        KEEPS,
        Choice(
            title="When it refuses",
            options=(KEEPS, EMPTIES),
            help="What becomes of the place that a file was meant for.",
        ),
    )
    nodes: str = control(
        "12 bit",
        Choice(title="Lattice", options=("10 bit", "12 bit"), help="The whole numbers it keeps."),
    )
    interp: str = control(
        "trilinear",
        Choice(title="Between nodes", options=INTERPOLATIONS, help="What lies between nodes."),
    )
    codec: str = control(
        "ProRes", Choice(title="Records", options=("ProRes", "FFV1"), help="The codec of takes.")
    )
    card_mb: float = control(
        2000.0,
        Number(
            title="Card",
            least=1,
            most=1e6,
            step=1,
            digits=0,
            unit="MB",
            help="The room on its card, which takes and LUT files share.",
        ),
    )

    def grids_of(self, format: str) -> tuple[int, ...]:
        """Return the points a side that it takes of a format.

        >>> MONITORS["usual"].grids_of("cube")
        (17, 33)
        """
        said = {"cube": self.cube, "3dl": self.threedl}.get(format, "")
        return tuple(int(g) for g in _GRID.findall(said) if len(g) < 4)

    @property
    def formats(self) -> tuple[str, ...]:
        """The formats that it reads."""
        return tuple(f for f in ("cube", "3dl") if self.grids_of(f))

    @property
    def bits(self) -> int:
        """Of the whole numbers of its lattice."""
        return int(self.nodes.split()[0])

    @property
    def names_said(self) -> str:
        return f"up to {self.longest} {_LETTERS[self.letters][1]}"

    def takes_name(self, name: str) -> bool:
        """Whether a file may be called so, without its suffix."""
        return bool(re.fullmatch(f"{_LETTERS[self.letters][0]}{{1,{self.longest}}}", name))

    @property
    def says(self) -> str:
        """What it is, in two lines."""
        kinds = ", ".join(f"{f} of {_either(self.grids_of(f))} points" for f in self.formats)
        return (
            f"Takes {kinds or 'no LUT files'}; names of {self.names_said}; {self.most_mb:g} MB; "
            f"10 bit 4:2:2, lattice of {self.nodes}, {self.interp}"
        )


def _either(numbers: tuple[int, ...]) -> str:
    """Return numbers as words.

    >>> _either((17, 33, 65))
    '17, 33 or 65'
    """
    words = [str(n) for n in numbers]
    return " or ".join([w for w in (", ".join(words[:-1]), words[-1]) if w])


MONITORS = {
    m.key: m
    for m in (
        Monitor(
            "generous", "Generous monitor", cube="17 33 65", threedl="17 33", most_mb=16.0,
            letters="ASCII", interp="tetrahedral", codec="FFV1",
        ),
        Monitor("usual", "Usual monitor"),
        Monitor(
            "stubborn", "Stubborn monitor", cube="33", threedl="", most_mb=1.5, longest=8,
            letters="capitals", dislikes=EMPTIES, nodes="10 bit", card_mb=500.0,
        ),
    )
}  # fmt: skip


@frozen
class Refusal:
    """What a device says of a file, tersely, and what is meant."""

    word: str
    why: str

    @property
    def short(self) -> str:
        """What is refused, for a list."""
        return _SHORT[self.word]


_SHORT = {
    "BAD NAME": "name refused",
    "TOO LARGE": "too large: refused",
    "FILE ERROR": "not read: refused",
    "WRONG SIZE": "grid refused",
}


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
    if not monitor.takes_name(name):
        return Refusal("BAD NAME", f"It takes {monitor.names_said}.")
    if size > monitor.most_mb * 1e6:
        return Refusal(
            "TOO LARGE", f"It takes {monitor.most_mb:g} MB at most, this is {size / 1e6:.1f} MB."
        )
    grids = monitor.grids_of(format)
    if not grids:
        return Refusal("FILE ERROR", f"It reads {' and '.join(monitor.formats) or 'no'} files.")
    if points not in grids:
        own = f"{points} points" if points else "no 3D table"
        return Refusal(
            "WRONG SIZE", f"It takes {_either(grids)} points of {format}, this has {own}."
        )
    return None


def held(monitor: Monitor, table: Table3D) -> Table3D:
    """Return a table as the device keeps it: whole numbers of its bits, 0..1."""
    return Table3D(frozen_array(rounded(table.values, monitor.nodes)), table.domain)


def through_lattice(monitor: Monitor, kept: Table3D, rgb: Rgb) -> Rgb:
    """Return display codes (..., 3), held within 0..1, through the table that a device keeps (`held`)."""
    return apply_table(kept, np.asarray(rgb, np.float32), monitor.interp)  # which holds them


def through_monitor(monitor: Monitor, kept: Table3D, signal: Signal) -> Signal:
    """Return the frame that leaves the device when its LUT is on; `kept` as `held` returns it."""
    return to_signal(through_lattice(monitor, kept, from_signal(signal)))


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
    kept = held(monitor, table)
    through = {
        "interpolation": apply_table(table, np.clip(rgb, 0, 1), monitor.interp),
        "lattice": through_lattice(monitor, kept, rgb),
        "bits": in_ten_bit(through_lattice(monitor, kept, ten)),
        "sampling": from_signal(to_signal(through_lattice(monitor, kept, sampled))),
    }
    return [("the exact look", np.asarray(look, np.float32)), *through.items()]


def over(signal: Signal, level: float) -> Array:
    """Return where luma lies at a level or above it, bool (h, w); per cent of black to white.

    >>> s = to_signal(np.linspace(0, 1, 5, dtype=np.float32)[None, :, None].repeat(3, 2))
    >>> over(s, 75).tolist()
    [[False, False, False, True, True]]
    """
    return np.asarray(signal.y >= BLACK + SPAN * level / 100 - 0.5)
