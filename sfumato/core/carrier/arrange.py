"""How the nodes of a lattice lie in a picture: HALD, strips, tiles; and how to tell one from another.

In a HALD of level n the lattice has n**2 points and fills n**3 x n**3 pixels, red fastest, running on
row by row. In strips and tiles a slice of N x N has red from left to right and green downwards; the
slices follow blue.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError
from sfumato.core.luma import luma
from sfumato.core.lut.table import GRID_MOST, slabs

HALD = "HALD"
ROW, COLUMN, SQUARE = "row", "column", "square"
DOWN, UP, TURNED, MIRRORED = "", ", green up", ", upside down", ", mirrored"
LAYOUTS = tuple(
    shape + turn
    for turn in (DOWN, UP, TURNED, MIRRORED)
    for shape in (ROW, COLUMN, SQUARE)
    if (shape, turn) != (ROW, TURNED)  # the same as green up
)


def columns_of(n: int) -> int:
    """Return how many slices stand side by side in a square: the fewest that leave no cell empty.

    >>> [columns_of(n) for n in (16, 17, 32, 33, 64)]
    [4, 5, 8, 11, 8]
    """
    root = math.ceil(math.sqrt(n))
    return next((c for c in range(root, 2 * root) if n % c == 0), root)


def shapes_of(width: int, height: int) -> list[tuple[str, int, int]]:
    """Return every arrangement that a picture of this size can be: name, N, columns."""
    found = []
    level = round(width ** (1 / 3))
    if width == height == level**3 and 2 <= level <= 16:
        found.append((HALD, level**2, 0))
    for n in range(2, min(width, height, GRID_MOST) + 1):
        if width % n or height % n:
            continue
        across, down = width // n, height // n
        if (across, down) == (n, 1):
            found.append((ROW, n, n))
        elif (across, down) == (1, n):
            found.append((COLUMN, n, 1))
        elif across > 1 and down > 1 and n <= across * down < n + across:
            found.append((SQUARE, n, across))
    return found


def check_size(width: int, height: int) -> None:
    """Refuse a size that holds no LUT, before anything is decoded.

    Raises:
        FormatError: no arrangement fills it.
    """
    if not shapes_of(width, height):
        raise FormatError(
            f"the picture is {width} × {height} pixels, which holds no LUT",
            hint="a HALD has n³ × n³ pixels, a strip N² × N",
        )


def lattice_of(values: Array, shape: str, n: int, across: int, turn: str = DOWN) -> Array:
    """Return the nodes [r, g, b, 3] of a picture as a view where that is possible."""
    if shape == HALD:
        return values.reshape(n, n, n, -1).transpose(2, 1, 0, 3)
    if turn == TURNED:
        values = values[::-1]
    elif turn == MIRRORED:
        values = values[:, ::-1]
    down = len(values) // n
    cells = values.reshape(down, n, across, n, -1)  # row of cells, green, cell, red
    slices = cells.transpose(0, 2, 1, 3, 4).reshape(down * across, n, n, values.shape[-1])[:n]
    if turn == UP:
        slices = slices[:, ::-1]
    return slices.transpose(2, 1, 0, 3)


def roughness(lattice: Array) -> float:
    """Return how much a lattice bends from node to node, a little of how much it moves.

    Bends tell an arrangement even where outputs follow one input alone: a wrong one turns what is
    straight into stairs.
    """
    n, per_plane = len(lattice), lattice[0].size
    moves = bends = 0.0
    for part in slabs(n):
        nodes = lattice[part.start : part.stop + 2].astype(np.float32)  # two beyond, to step to
        own = part.stop - part.start
        for axis in range(3):
            step = np.diff(nodes if axis == 0 else nodes[:own], axis=axis)
            moves += float(np.abs(step[:own]).sum(dtype=np.float64))
            bends += float(np.abs(np.diff(step, axis=axis)[:own]).sum(dtype=np.float64))
    return float((0.01 * moves / (n - 1) + bends / max(n - 2, 1)) / per_plane)


def in_order(lattice: Array, peak: float = 1.0) -> float:
    """Return how far luma agrees in rising, or in falling, along the three axes: 3 = all rise or fall.

    Whatever a look does to hues, luma rises with red, green and blue, and falls with all three in a
    negative; a picture that is read upside down does the one on some axes and the other on others.
    Of two such readings the one that rises is a little likelier.

    Args:
        peak: which value is white.
    """
    n = len(lattice)
    sums = np.zeros((3, n))  # of the planes across each axis
    for part in slabs(n):
        tones = luma(lattice[part].astype(np.float64))
        sums[0, part] = tones.sum(axis=(1, 2))
        sums[1] += tones.sum(axis=(0, 2))
        sums[2] += tones.sum(axis=(0, 1))
    at = np.linspace(-1, 1, n)
    total = 0.0
    for means in sums / (n * n * peak):
        spread = means.std() * at.std() * len(at)
        total += float((means - means.mean()) @ at / spread) if spread > 1e-4 else 0.0
    return abs(total) + (_LIKELIER if total > 0 else 0.0)


_LIKELIER = 0.2
_BETTER = 0.5  # how much more in order a turned reading must be than the plain one


@frozen(eq=False)
class Taken:
    """A picture taken for nodes: how, what else it could be, and what is to be said about that."""

    name: str
    shape: str
    across: int  # slices side by side
    lattice: Array  # nodes [r, g, b, 3], as the picture holds them
    names: tuple[str, ...]
    remarks: tuple[str, ...]


def taken(values: Array, stated: str = "", reading: str = "", peak: float = 1.0) -> Taken:
    """Find how the nodes lie in a picture (h, w, 3): a named reading wins over what the file states.

    Its values may be codes of any kind, of which `peak` is white.

    The arrangement is the smoothest that the size allows; which way green, blue and red run is that
    in which outputs agree in rising, or in falling, with their own inputs. Where that does not tell
    one way from another, a remark says so.

    Raises:
        FormatError: the size holds no LUT, or not in the named reading.
    """
    height, width = values.shape[:2]
    check_size(width, height)
    shapes = shapes_of(width, height)
    choices: dict[str, tuple[str, int, int, str]] = {}
    for (shape, n, across), turn in itertools.product(shapes, (DOWN, UP, TURNED, MIRRORED)):
        if (shape, turn) != (ROW, TURNED) and (shape != HALD or turn == DOWN):
            choices.setdefault(shape + turn, (shape, n, across, turn))
    remarks: list[str] = []
    if reading and reading not in choices:
        raise FormatError(f"the picture cannot be read as {reading}", hint=", ".join(choices))
    if not reading and stated in choices:
        reading = stated
        if reading != HALD:
            remarks.append(f"the file says that it is {reading}")
    if not reading:
        rough = {s: roughness(lattice_of(values, *s)) for s in shapes}
        best = min(rough, key=lambda s: rough[s])
        turned = {k: c for k, c in choices.items() if c[:3] == best}
        order = {k: in_order(lattice_of(values, *c), peak) for k, c in turned.items()}
        likely = max(order, key=lambda k: order[k])
        plain = best[0]
        reading = likely if order[likely] > order[plain] + _BETTER - _LIKELIER else plain
        if len(shapes) > 1:
            remarks.append(f"the size fits {len(shapes)} arrangements: taken as {reading}")
        elif reading != HALD:
            remarks.append(f"taken as {reading}")
        chosen = lattice_of(values, *choices[reading])
        alike = [
            k
            for k in order
            if k != reading
            and order[reading] - order[k] < _BETTER
            and not np.array_equal(lattice_of(values, *choices[k]), chosen)
        ]
        if alike:
            remarks.append(
                f"its colours do not tell {reading} from {' or '.join(alike)}: look which is right"
            )
    shape, _n, across, _turn = choices[reading]
    lattice = lattice_of(values, *choices[reading])
    return Taken(reading, shape, across, lattice, tuple(choices), tuple(remarks))


def arranged(lattice: Array, layout: str) -> Array:
    """Return the picture (h, w, 3) of nodes [r, g, b, 3] in one of HALD and LAYOUTS; of so many channels."""
    n, channels = len(lattice), lattice.shape[-1]
    slices = np.ascontiguousarray(lattice.transpose(2, 1, 0, 3))  # blue, green, red
    if layout == HALD:
        side = math.isqrt(n) ** 3
        return slices.reshape(side, side, channels)
    shape, comma, turn = layout.partition(", ")
    turn = comma + turn
    if turn == UP:
        slices = slices[:, ::-1]
    across = {ROW: n, COLUMN: 1}.get(shape) or columns_of(n)
    down = -(-n // across)
    cells = np.zeros((down * across, n, n, channels), lattice.dtype)
    cells[:n] = slices
    whole = cells.reshape(down, across, n, n, channels).transpose(0, 2, 1, 3, 4)
    picture = whole.reshape(down * n, across * n, channels)
    if turn == TURNED:
        picture = picture[::-1]
    elif turn == MIRRORED:
        picture = picture[:, ::-1]
    return np.ascontiguousarray(picture)
