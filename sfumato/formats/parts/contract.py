"""What a table format is: one declaration (FormatSpec) at the foot of its file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import IntEnum
from typing import Any

from attrs import field, frozen

from sfumato.core.errors import ValueRefused
from sfumato.core.lut.table import Table1D, Table3D
from sfumato.core.lut.transform import Transform


class Sniff(IntEnum):
    """How sure a format is that the first 4096 bytes are its own."""

    NO = 0
    MAYBE = 1
    SURE = 2


@frozen
class Read:
    """What a reader found: the transform, and remarks on what it had to decide or repair.

    `reading` names the way the bytes were taken when there are several (`readings`): a layout, a
    depth, one of many corrections. `depth` is what the file stores, "" for exact numbers.
    """

    transform: Transform
    remarks: tuple[str, ...] = ()
    key: str = ""
    reading: str = ""
    readings: tuple[str, ...] = ()
    depth: str = ""
    lossy: bool = False  # stored by a picture codec that alters values
    columns: int = 0  # slices side by side in a strip or tiles


@frozen
class WriteOptions:
    """What every writer may be told; a writer takes what its format can hold.

    `depth` and `layout` are of the format's own lists, "" for the first; `suffix` is the target's.
    """

    title: str = ""
    comments: tuple[str, ...] = ()
    depth: str = ""
    layout: str = ""
    suffix: str = ""


def _none(_transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    return ()


def _any_grid(grid: int) -> int:
    return min(max(grid, 2), 129)


# How far a value of 0..1 can be off when it is stored at a depth: half a step, or of half float
# half a step of its 11 bits just below 1.
QUANTUM = {
    "8": 0.5 / 255,
    "10": 0.5 / 1023,
    "12": 0.5 / 4095,
    "16": 0.5 / 65535,
    "16f": 2.0**-12,
    "32f": 0.0,
}
DEPTH_WORDS = {d: f"{d[:-1]} bit float" if d.endswith("f") else f"{d} bit" for d in QUANTUM}


@frozen(eq=False, kw_only=True)
class FormatSpec:
    """One table format.

    `holds(transform)` says in words why a transform cannot be written as it is ("" = it can);
    the caller then bakes it to a grid first when the format `bakes`. What writing would not keep
    follows from `depths`, `clips`, `keeps_title` and `domain`, and from `losses` for what is peculiar.
    """

    key: str
    title: str
    suffixes: tuple[str, ...]
    sniff: Callable[[bytes], Sniff]
    read: Callable[[bytes], Read]
    read_as: Callable[[bytes, str], Read] | None = None  # read by a named reading
    write: Callable[[Transform, WriteOptions], bytes] | None
    holds: Callable[[Transform], str]
    losses: Callable[[Transform, WriteOptions], tuple[str, ...]] = _none
    bakes: bool = True  # whether a grid of 3D nodes is something the format holds
    shaper: bool = False  # whether a 1D table can stand before the grid
    domain: bool = False  # whether a table may start and end elsewhere than at 0 and 1
    clips: bool = False  # whether values outside 0..1 are lost
    keeps_title: bool = False
    keeps_interp: bool = False  # whether the file says how colours between nodes are found
    depths: tuple[str, ...] = ("32f",)  # the first is the default
    depth_by_suffix: Mapping[str, str] = field(factory=dict)
    names: Callable[[bytes], tuple[str, ...]] | None = None  # of the looks in a file of several
    layouts: tuple[str, ...] = ()
    converting: tuple[str, ...] = ()  # layouts that hold other values than the nodes of the LUT
    grid_for: Callable[[int], int] = _any_grid  # the grid held that is nearest to a wish, or above
    default_grid: int = 33
    limits: dict[str, Any] = field(factory=dict)
    is_text: bool = True
    most_line: int = 40_000  # characters of a line that readers take
    no_reader: str = ""  # why nobody else's reader can check it here

    def depth_of(self, options: WriteOptions) -> str:
        """Return the depth that will be written.

        Raises:
            ValueRefused: the format has no such depth.
        """
        depth = options.depth or self.depth_by_suffix.get(options.suffix, self.depths[0])
        if depth not in self.depths:
            raise ValueRefused(
                f"{self.title} has no depth of {DEPTH_WORDS.get(depth, depth)}",
                hint=f"choose {', '.join(DEPTH_WORDS[d] for d in self.depths)}",
            )
        return depth

    def layout_of(self, options: WriteOptions) -> str:
        """Return the layout that will be written, "" when there is only one.

        Raises:
            ValueRefused: the format has no such layout.
        """
        layout = options.layout or (self.layouts[0] if self.layouts else "")
        if layout and layout not in self.layouts:
            raise ValueRefused(
                f"{self.title} has no layout {layout!r}",
                hint=f"choose {', '.join(self.layouts)}" if self.layouts else "leave it out",
            )
        return layout

    def not_kept(
        self, transform: Transform, options: WriteOptions | None = None
    ) -> tuple[str, ...]:
        """Say in words what writing would not keep of a transform that the format holds."""
        options = options or WriteOptions()
        found = []
        depth = self.depth_of(options)
        if QUANTUM[depth]:
            found.append(f"values are rounded to {DEPTH_WORDS[depth]}")
        values = [s.values for s in transform.stages if isinstance(s, Table1D | Table3D)]
        if (
            self.clips
            and not depth.endswith("f")
            and any(v.min() < 0 or v.max() > 1 for v in values)
        ):
            found.append("values below 0 and above 1 are clipped")
        if not self.keeps_title and (options.title or transform.title or transform.comments):
            found.append("the title and comments are not kept")
        lattices = [s for s in transform.stages if isinstance(s, Table3D)]
        if not self.keeps_interp and any(s.interp == "trilinear" for s in lattices):
            found.append(
                "that its grid is trilinear is not kept: readers that go by tetrahedra show other colours"
            )
        return (*found, *self.losses(transform, options))
