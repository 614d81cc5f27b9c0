"""Finding a carrier in a picture that came back: as it went out, turned, marked, cut out, or by hand."""

from __future__ import annotations

import itertools

import numpy as np
from attrs import evolve, field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange, bare, cells, corners, locate
from sfumato.core.carrier.frame import WRAPPED, Plan, nodes_of
from sfumato.core.carrier.locate import Placed
from sfumato.core.errors import FormatError
from sfumato.core.lut.table import lattice_colours

Planes = tuple[Array, Array, Array]  # Y (h, w), Cb and Cr as large as they are stored
HALD, STRIP, FRAME = "hald", "strip", "frame"
_LIKE = 0.72  # the share of a carrier's spread that follows its inputs; pictures: under 0.6
# Of nodes inside a picture; twenty looks on carriers: 0.95 and more, 0.2 and more, 0.04 (posterised 0.15);
# the likeliest places of photographs: up to 0.83, rough 0.07 to 1.4.
_LIKE_BARE, _JUMP, _ROUGH = 0.9, 0.12, 0.1
_SAME_SHAPE, _LEAST_SCALE, _MOST_SCALE = 0.02, 0.4, 8.0  # of a whole picture that was scaled
_SHAPE = 0.2  # by how much the shape of a block set by hand may be off, as a logarithm


@frozen(eq=False)
class Came:
    """What the file said of itself: its depth, and whether its compression altered the values."""

    depth: str = "8"  # 8, 16, 16f, 32f
    lossy: bool = False
    stated: str = ""  # the arrangement that it names
    sampling: str = ""  # of a JPEG's colours
    planes: Planes | None = field(default=None, repr=False)  # where colours are sampled less


@frozen(eq=False)
class Sought:
    """What is known before a carrier is looked for.

    Attributes:
        blocks: arrangements and points that nodes alone may have; () for the usual ones.
        corners: of the block of nodes, where they were set by hand; see `corners.Corners`.
        plan: of a frame carrier whose bars cannot be read.
    """

    blocks: tuple[tuple[str, int], ...] = ()
    corners: corners.Corners = ()
    plan: Plan | None = None


@frozen(eq=False)
class Found:
    """Nodes as they came back, and how they were found."""

    kind: str
    reading: str
    nodes: Array  # [r, g, b, 3], NaN where they are cut off
    shape: str = ""  # of a picture of nodes, "" for cells of many pixels
    across: int = 0
    placed: Placed | None = None
    turned: tuple[int, bool] = (0, False)
    remarks: tuple[str, ...] = ()
    scale: tuple[float, float] | None = None  # of a whole picture of nodes that was scaled
    block: Array | None = None  # of nodes found inside of a picture, as it lies there


def found(pixels: Rgb, came: Came, reading: str, sought: Sought, placed: Placed | None) -> Found:
    """Find the nodes of a carrier.

    Args:
        placed: where a frame carrier lies, when that is known.

    Raises:
        FormatError: there is none.
        ValueRefused: the corners of a block go round none.
    """
    if sought.corners:
        return _marked(pixels, sought)
    if placed is not None:
        return _framed(pixels, placed)
    return _found(pixels, came, reading, sought)


def _found(pixels: Rgb, came: Came, reading: str, sought: Sought) -> Found:
    """Find what kind of carrier a picture holds.

    What is plainly a picture of nodes is not searched for bars: that goes through it two dozen times.
    """
    fits = bool(arrange.shapes_of(pixels.shape[1], pixels.shape[0]))
    nodes = _nodes_found(pixels, came, reading, 0, flipped=False) if fits else None
    if nodes is not None:
        return nodes
    placed = locate.found(pixels)
    if placed is not None:
        return _framed(pixels, placed)
    size = f"{pixels.shape[1]} × {pixels.shape[0]}"
    for turns, flipped in locate.TURNS[1:]:
        nodes = _nodes_found(pixels, came, reading, turns, flipped=flipped)
        if nodes is not None:
            return nodes
    if sought.plan is None:  # of a frame carrier nothing but its bars is looked for
        alone = [a for a in (_bare(pixels, sought), None if fits else _scaled(pixels, sought)) if a]
        if alone:
            return min(alone, key=lambda a: a[0])[1]
    if fits:
        raise FormatError(
            f"the picture has the size of a carrier ({size}), but its colours do not follow one",
            hint="choose the picture that went out as a carrier and came back",
        )
    raise FormatError(
        f"no carrier is in this picture of {size} pixels",
        hint="looked for a HALD, a strip, tiles, and the bars of a frame carrier; set its corners by hand",
    )


def _bare(pixels: Rgb, sought: Sought) -> tuple[float, Found] | None:
    """Find nodes inside a larger picture, and how rough they are, or cut out with a margin or a pixel too tightly.

    The test is stricter than that of a picture which has the size of a carrier: some of a photograph's
    many places look a little like one.
    """
    size = (pixels.shape[1], pixels.shape[0])
    best: tuple[float, bare.Place, Array] | None = None
    for place in bare.places(pixels, sought.blocks):
        nodes = bare.lattice(bare.nodes_at(pixels, place), place.layout, place.points)
        filled = np.nan_to_num(nodes, nan=0.5)
        rough = _rough(filled)
        if rough > _ROUGH or (best is not None and rough >= best[0]):
            continue
        if likeness(filled) >= _LIKE_BARE and bare.stands_alone(pixels, place):
            best = (rough, place, nodes)
    if best is None:
        return None
    rough, place, nodes = best
    if not np.isfinite(nodes).all():
        place = _slid(pixels, place)
    block = bare.nodes_at(pixels, place)
    nodes = np.array(bare.lattice(block, place.layout, place.points), np.float64)
    is_plain = place.scale == 1 and bool(np.isfinite(nodes).all())
    remark = (
        f"cut out of a picture of {size[0]} × {size[1]} pixels, "
        f"{place.left} from the left and {place.top} from above"
    )
    found = Found(
        HALD if place.layout == arrange.HALD else STRIP,
        place.layout,
        nodes,
        place.layout.partition(",")[0] if is_plain else "",
        place.cells[0] // place.points,
        remarks=(remark,),
        block=block.astype(np.float32),
    )
    return rough, found


def _rough(nodes: Array) -> float:
    """Return how much nodes bend for what they span; infinite where red does not jump at seams."""
    spread = float(np.ptp(np.percentile(nodes.reshape(-1, 3), (2, 98), axis=0), axis=0).max())
    jump = float(np.abs(nodes[-1] - nodes[0]).max(-1).mean())
    if jump < _JUMP * spread or spread == 0:
        return float("inf")
    return arrange.roughness(nodes.astype(np.float32)) / spread


def _scaled(pixels: Rgb, sought: Sought) -> tuple[float, Found] | None:
    """Take a whole picture for nodes that were scaled, where its shape is that of an arrangement."""
    height, width = pixels.shape[:2]
    whole = ((0.0, 0.0), (float(width), 0.0), (float(width), float(height)), (0.0, float(height)))
    best: tuple[float, Found] | None = None
    for layout, points in sought.blocks or bare.USUAL:
        there = bare.cells_of(layout, points)
        if abs(np.log(width * there[1] / (height * there[0]))) > _SAME_SHAPE:
            continue
        if not _LEAST_SCALE < width / there[0] < _MOST_SCALE:
            continue
        block = corners.read(pixels, whole, there)
        nodes = np.array(bare.lattice(block, layout, points), np.float64)
        rough = _rough(nodes)
        if rough > _ROUGH or likeness(nodes) < _LIKE_BARE:
            continue
        if best is not None and rough >= best[0]:
            continue
        kind = HALD if layout == arrange.HALD else STRIP
        shares = (width / there[0], height / there[1])
        best = (rough, Found(kind, layout, nodes, block=block.astype(np.float32), scale=shares))
    return best


def _slid(pixels: Rgb, place: bare.Place) -> bare.Place:
    """Return the place of a strip that was cut too tightly, along the side on which it has no seams.

    Which of its rows is missing nothing tells but the greys: the place is taken at which they are
    greyest.
    """
    shape = place.layout.partition(",")[0]
    axis = {arrange.ROW: "top", arrange.COLUMN: "left"}.get(shape)
    if axis is None:
        return place
    found = []
    for step in range(-bare.LOST, bare.LOST + 1):
        there = evolve(place, top=step) if axis == "top" else evolve(place, left=step)
        nodes = bare.lattice(bare.nodes_at(pixels, there), place.layout, place.points)
        at = np.arange(place.points)
        greys = nodes[at, at, at]
        tint = float(np.nanmean(np.ptp(greys, axis=-1)))
        found.append((round(float(np.isnan(nodes).mean()), 6), tint, there))
    return min(found, key=lambda f: f[:2])[2]


def _marked(pixels: Rgb, sought: Sought) -> Found:
    """Read a block between four corners, as what was sought, or as what its shape and colours fit best."""
    size = (pixels.shape[1], pixels.shape[0])
    at = corners.checked(sought.corners, size)
    if sought.plan is not None:
        plan = sought.plan
        there = (plan.block_size[0] // plan.cell, plan.block_size[1] // plan.cell)
        at = corners.snapped(pixels, at, there, lambda block: nodes_of(plan, block))
        nodes = np.array(nodes_of(plan, corners.read(pixels, at, there)), np.float32)
        return _read_between(at, FRAME, "tiles", nodes, arrange.arranged(nodes, arrange.SQUARE))
    best: tuple[float, str, int] | None = None
    for layout, points in sought.blocks or bare.USUAL:
        if not sought.blocks and not _fits(at, bare.cells_of(layout, points)):
            continue
        block = corners.read(pixels, at, bare.cells_of(layout, points), samples=1)
        like = likeness(bare.lattice(np.nan_to_num(block, nan=0.5), layout, points))
        if best is None or like > best[0]:
            best = (like, layout, points)
    if best is None or best[0] <= _LIKE:
        raise FormatError(
            "what lies between the corners does not follow a carrier",
            hint="set them at the outer corners of the nodes, without the bars",
        )
    _like, layout, points = best
    there = bare.cells_of(layout, points)
    at = corners.snapped(pixels, at, there, lambda block: bare.lattice(block, layout, points))
    block = corners.read(pixels, at, there)
    nodes = np.array(bare.lattice(block, layout, points), np.float64)
    return _read_between(at, HALD if layout == arrange.HALD else STRIP, layout, nodes, block)


def _read_between(
    at: corners.Corners, kind: str, reading: str, nodes: Array, block: Array
) -> Found:
    remark = f"read between the corners {corners.in_words(at)}"
    return Found(kind, reading, nodes, remarks=(remark,), block=block.astype(np.float32))


def _fits(at: corners.Corners, cells_there: tuple[int, int]) -> bool:
    """Whether a block between corners has about the shape of these cells."""
    (ax, ay), (bx, by), _c, (dx, dy) = at
    shape = np.hypot(bx - ax, by - ay) / max(np.hypot(dx - ax, dy - ay), 1e-6)
    return bool(abs(np.log(shape * cells_there[1] / cells_there[0])) < _SHAPE)


def _framed(pixels: Rgb, placed: Placed) -> Found:
    read = nodes_of(placed.plan, cells.read(pixels, placed))
    name = "tiles" if placed.plan.layout == WRAPPED else placed.plan.layout
    return Found(FRAME, name, np.array(read, np.float64), placed=placed)


def _nodes_found(
    pixels: Rgb, came: Came, reading: str, turns: int, *, flipped: bool
) -> Found | None:
    """Take a picture for nodes after turning it; None when its size or its colours are not such."""
    turned = locate.upright(pixels, turns, flipped)
    if not arrange.shapes_of(turned.shape[1], turned.shape[0]):
        return None
    taken = arrange.taken(turned, came.stated, reading)
    if not reading and likeness(taken.lattice) <= _LIKE:
        return None
    return Found(
        HALD if taken.shape == arrange.HALD else STRIP,
        taken.name,
        np.array(taken.lattice, np.float64),
        taken.shape,
        taken.across,
        turned=(turns, flipped),
        remarks=(*taken.remarks, "the picture had been turned")
        if turns or flipped
        else taken.remarks,
    )


def likeness(lattice: Array) -> float:
    """Return which share of a lattice's spread a polynomial of its inputs explains, 0 to 1.

    Whatever a look does, results follow inputs; a photograph taken for nodes does not. Third powers,
    channel by channel, the best of the three.
    """
    n = len(lattice)
    step = max(1, n // 16)
    part = lattice[::step, ::step, ::step].reshape(-1, 3).astype(np.float64)
    x = lattice_colours(n)[::step, ::step, ::step].reshape(-1, 3).astype(np.float64) * 2 - 1
    powers = [
        x[:, 0] ** i * x[:, 1] ** j * x[:, 2] ** k
        for i, j, k in itertools.product(range(4), repeat=3)
        if i + j + k <= 3
    ]
    design = np.stack(powers, -1)
    fitted = design @ np.linalg.lstsq(design, part, rcond=None)[0]
    spread = part.var(0)
    seen = spread > (0.5 / 255) ** 2
    if not seen.any():
        return 0.0
    return float((1 - (part - fitted).var(0)[seen] / spread[seen]).max())
