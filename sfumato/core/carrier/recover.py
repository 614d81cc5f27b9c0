"""A LUT out of a carrier that came back, with what was done to it on the way."""

from __future__ import annotations

import itertools

import numpy as np
from attrs import evolve, field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange, bare, cells, corners, locate, traces
from sfumato.core.carrier.chroma import nodes_of_planes
from sfumato.core.carrier.faults import Fault, fault, of_traces
from sfumato.core.carrier.frame import WRAPPED, Plan, nodes_of
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.rebuild import evened, places, rebuilt
from sfumato.core.carrier.shading import unshaded
from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import FormatError
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.fit import StillWanted, always_wanted
from sfumato.core.lut.recast import sampled
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.assay import assay
from sfumato.core.measure.checks.carrier import seams, shift
from sfumato.core.measure.checks.findings import Level, Stored

Planes = tuple[Array, Array, Array]  # Y (h, w), Cb and Cr as large as they are stored
HALD, STRIP, FRAME = "hald", "strip", "frame"
_LIKE = 0.72  # the share of a carrier's spread that follows its inputs; pictures: under 0.6
_SHAPE = 0.2  # by how much the shape of a block set by hand may be off, as a logarithm
_MOST_GRID = 65
_EXAMINED = 33
_SEEN = 200_000  # pixels of a witness that are compared


@frozen(eq=False)
class Came:
    """What the file said of itself: its depth, and whether its compression altered the values."""

    depth: str = "8"  # 8, 16, 16f, 32f
    lossy: bool = False
    stated: str = ""  # the arrangement that it names
    sampling: str = ""  # of a JPEG's colours
    planes: Planes | None = field(default=None, repr=False)  # where colours are sampled less


@frozen(eq=False)
class Witness:
    """The picture of a frame carrier: what came back against what the LUT makes of what went out."""

    difference: Difference
    back: Rgb = field(repr=False)
    made: Rgb = field(repr=False)


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
class Recovered:
    """A look that came back.

    Attributes:
        kind: hald, strip or frame; `reading` names the arrangement.
        points: nodes a side of the carrier, as it went out.
        transform: one table.
        covered: the share of the carrier's nodes that were there.
        known: (n, n, n) 1 where a node was there.
    """

    kind: str
    reading: str
    points: int
    transform: Transform = field(repr=False)
    faults: tuple[Fault, ...]
    covered: float
    known: Array = field(repr=False)
    depth: str = "8"
    witness: Witness | None = None
    placed: Placed | None = None
    remarks: tuple[str, ...] = ()
    where: Array | None = field(default=None, repr=False)
    turned: tuple[int, bool] = (0, False)  # see `locate.upright`, of a picture of nodes
    block: Array | None = field(default=None, repr=False)  # of nodes that lay inside of a picture


@frozen(eq=False)
class _Found:
    kind: str
    reading: str
    nodes: Array  # [r, g, b, 3], NaN where they are cut off
    shape: str = ""  # of a picture of nodes, "" for cells of many pixels
    across: int = 0
    placed: Placed | None = None
    turned: tuple[int, bool] = (0, False)
    remarks: tuple[str, ...] = ()
    block: Array | None = None  # of nodes found inside of a picture, as it lies there


def recovered(
    pixels: Rgb,
    came: Came,
    display: Encoding,
    *,
    sent: Rgb | None = None,
    grid: int = 0,
    reading: str = "",
    placed: Placed | None = None,
    sought: Sought = Sought(),
    check: StillWanted = always_wanted,
) -> Recovered:
    """Find the carrier in a picture and make a LUT of it.

    Args:
        pixels: (h, w, 3) code values as they are stored, profiles ignored.
        display: in which differences are measured.
        sent: the picture of a frame carrier as it went out, code values (h, w, 3).
        grid: points of the LUT; 0 for the carrier's, at most 65, or twice as fine as up to 33.
        reading: an arrangement by name, where the picture's own colours mislead.
        placed: where a frame carrier lies, when that is known.
        sought: what is known of the nodes that went out, and where they lie.

    Raises:
        FormatError: no carrier is in it.
        ValueRefused: the corners of a block go round none.
    """
    if not np.isfinite(pixels).all():
        raise FormatError("a pixel is not a finite number", hint="export the picture again")
    if sought.corners:
        found = _marked(pixels, sought)
    elif placed is not None:
        found = _framed(pixels, placed)
    else:
        found = _found(pixels, came, reading, sought)
    check()
    points = len(found.nodes)
    known: Array = np.asarray(np.isfinite(found.nodes).all(-1))
    nodes = np.where(known[..., None], found.nodes, 0)
    faults, where = _of_nodes(found, nodes, came) if known.all() else ([], None)
    check()
    faults = [*_of_file(found, came), *faults]
    quantum = _depth_fault(nodes[known], came)
    if quantum is not None:
        faults.append(quantum)
    if not known.all():
        share = float(known.mean())
        words = (
            f"{100 * (1 - share):.0f} % of the nodes are cut off; they are filled from the others."
        )
        faults.append(fault("cropped", 1 - share, "share", words))
    amounts = {f.key: f.amount for f in faults}

    def look_of(those: Array) -> tuple[Array, Transform]:
        """Return the evened lattice of nodes, and the LUT of it."""
        if came.planes is not None and found.shape and not any(found.turned):
            values = nodes_of_planes(came.planes, points, found.reading, check)
        else:
            values = rebuilt(those, known, amounts, lossy=came.lossy, check=check)
        at = places(those) if came.depth == "8" and known.all() else np.linspace(0, 1, points)
        even = evened(values, at, known)
        return even, Transform((Table3D(even),))

    even, table = look_of(nodes)
    witness = None
    if found.placed is not None:
        faults += _of_place(found.placed)
        if sent is not None:
            witness = _witness(pixels, found.placed, sent, table, display)
        if witness is not None and sent is not None:
            told = _of_witness(witness, found.placed, faults, came)
            if any(f.key == "vignette" for f in told):
                clean = unshaded(
                    pixels,
                    found.placed,
                    nodes,
                    _as_placed(sent, found.placed, cells.picture_box(pixels, found.placed)),
                    lambda those: Transform((Table3D(those.astype(np.float32)),)).apply,
                )
                if clean is not None:
                    even, table = look_of(clean)
                    witness = _witness(pixels, found.placed, sent, table, display)
                    told = [_kept_out(f) if f.key == "vignette" else f for f in told]
            faults += told
    check()
    made = len(even)
    size = grid or min(made, _MOST_GRID)
    if size != made:
        table = sampled(table, size)
    faults += _of_look(table, display, came.lossy)
    return Recovered(
        found.kind,
        found.reading,
        points,
        table,
        tuple(_in_order(faults)),
        float(known.mean()),
        known,
        came.depth,
        witness,
        found.placed,
        found.remarks,
        where,
        found.turned,
        found.block,
    )


def _found(pixels: Rgb, came: Came, reading: str, sought: Sought) -> _Found:
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
    bare_one = _bare(pixels, sought)
    if bare_one is not None:
        return bare_one
    if fits:
        raise FormatError(
            f"the picture has the size of a carrier ({size}), but its colours do not follow one",
            hint="choose the picture that went out as a carrier and came back",
        )
    raise FormatError(
        f"no carrier is in this picture of {size} pixels",
        hint="looked for a HALD, a strip, tiles, and the bars of a frame carrier; set its corners by hand",
    )


def _bare(pixels: Rgb, sought: Sought) -> _Found | None:
    """Find nodes inside a larger picture, or cut out with a margin or a pixel too tightly."""
    size = (pixels.shape[1], pixels.shape[0])
    best: tuple[float, _Found] | None = None
    for place in bare.places(pixels, sought.blocks):
        block = bare.nodes_at(pixels, place)
        whole = bool(np.isfinite(block).all())
        taken = arrange.taken(
            np.nan_to_num(block, nan=0.5).astype(np.float32), reading=place.layout
        )
        if likeness(taken.lattice) <= _LIKE:
            continue
        rough = arrange.roughness(taken.lattice)
        if best is not None and rough >= best[0]:
            continue
        shape, comma, turn = place.layout.partition(", ")
        nodes = arrange.lattice_of(
            block, shape, place.points, taken.across, comma + turn or arrange.DOWN
        )
        remark = (
            f"cut out of a picture of {size[0]} × {size[1]} pixels, "
            f"{place.left} from the left and {place.top} from above"
        )
        found = _Found(
            HALD if place.layout == arrange.HALD else STRIP,
            place.layout,
            np.array(nodes, np.float64),
            taken.shape if whole and place.scale == 1 else "",
            taken.across,
            remarks=(remark,),
            block=block.astype(np.float32),
        )
        best = (rough, found)
    return None if best is None else best[1]


def _marked(pixels: Rgb, sought: Sought) -> _Found:
    """Read a block between four corners, as what was sought, or as what its shape and colours fit best."""
    size = (pixels.shape[1], pixels.shape[0])
    at = corners.checked(sought.corners, size)
    if sought.plan is not None:
        plan = sought.plan
        cells_there = (plan.block_size[0] // plan.cell, plan.block_size[1] // plan.cell)
        block = corners.read(pixels, at, cells_there)
        return _Found(FRAME, "tiles", np.array(nodes_of(plan, block), np.float64))
    best: tuple[float, str, int] | None = None
    for layout, points in sought.blocks or bare.USUAL:
        if not sought.blocks and not _fits(at, bare.cells_of(layout, points)):
            continue
        lattice = _between(pixels, at, layout, points)
        like = likeness(np.nan_to_num(lattice, nan=0.5))
        if best is None or like > best[0]:
            best = (like, layout, points)
    if best is None or best[0] <= _LIKE:
        raise FormatError(
            "what lies between the corners does not follow a carrier",
            hint="set them at the outer corners of the nodes, without the bars",
        )
    _like, layout, points = best
    at = corners.snapped(pixels, at, layout, points)
    words = ", ".join(f"{x:.1f},{y:.1f}" for x, y in at)
    return _Found(
        HALD if layout == arrange.HALD else STRIP,
        layout,
        _between(pixels, at, layout, points),
        remarks=(f"read between the corners {words}",),
    )


def _between(pixels: Rgb, at: corners.Corners, layout: str, points: int) -> Array:
    shape, comma, turn = layout.partition(", ")
    cells_there = bare.cells_of(layout, points)
    block = corners.read(pixels, at, cells_there)
    across = cells_there[0] // points
    return np.array(
        arrange.lattice_of(block, shape, points, across, comma + turn or arrange.DOWN), np.float64
    )


def _fits(at: corners.Corners, cells_there: tuple[int, int]) -> bool:
    """Whether a block between corners has about the shape of these cells."""
    (ax, ay), (bx, by), _c, (dx, dy) = at
    shape = np.hypot(bx - ax, by - ay) / max(np.hypot(dx - ax, dy - ay), 1e-6)
    return bool(abs(np.log(shape * cells_there[1] / cells_there[0])) < _SHAPE)


def _framed(pixels: Rgb, placed: Placed) -> _Found:
    read = nodes_of(placed.plan, cells.read(pixels, placed))
    name = "tiles" if placed.plan.layout == WRAPPED else placed.plan.layout
    return _Found(FRAME, name, np.array(read, np.float64), placed=placed)


def _nodes_found(
    pixels: Rgb, came: Came, reading: str, turns: int, *, flipped: bool
) -> _Found | None:
    """Take a picture for nodes after turning it; None when its size or its colours are not such."""
    turned = locate.upright(pixels, turns, flipped)
    if not arrange.shapes_of(turned.shape[1], turned.shape[0]):
        return None
    taken = arrange.taken(turned, came.stated, reading)
    if not reading and likeness(taken.lattice) <= _LIKE:
        return None
    return _Found(
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


def _of_nodes(found: _Found, nodes: Array, came: Came) -> tuple[list[Fault], Array | None]:
    if not found.shape or len(nodes) < 16:
        return [], None
    told = traces.of_nodes(nodes, found.shape, found.across)
    codes = nodes * 255
    seam = seams(codes) if found.shape == arrange.HALD else 0.0  # of strips it tells nothing
    faults = of_traces(told, lossy=came.lossy, seams=seam, shift=shift(codes))
    return faults, told.where


def _of_file(found: _Found, came: Came) -> list[Fault]:
    """Return what the file itself says."""
    if not came.lossy:
        return []
    faults = [fault("jpeg", 1, "", "The file was compressed with losses.", mended=True)]
    if came.sampling not in ("", "4:4:4"):
        words = f"Colours are stored at less than full size ({came.sampling})."
        planes = came.planes is not None and bool(found.shape) and not any(found.turned)
        share = {"4:2:2": 0.5}.get(came.sampling, 0.25)
        faults.append(fault("chroma_subsampled", share, "share", words, mended=planes))
    return faults


def _of_place(placed: Placed) -> list[Fault]:
    """Return what the place of a frame carrier tells."""
    if placed.is_straight:
        return []
    shares = " × ".join(f"{100 * s:.1f}" for s in placed.scale)
    return [fault("resized", placed.scale[0], "times", f"Scaled to {shares} %.", mended=True)]


def _depth_fault(nodes: Array, came: Came) -> Fault | None:
    """Return the fault of 8 bit steps: by the file, or by values that all lie on them."""
    if came.lossy:
        return None
    steps = np.asarray(nodes, np.float64) * 255
    inside = (nodes > 0) & (nodes < 1)
    on = came.depth == "8" or (
        inside.sum() > 100 and np.abs(steps - np.round(steps))[inside].max() < 0.01
    )
    if not on:
        return None
    return fault("8_bit", 8, "bit", "The values stand on the steps of 8 bit.", mended=True)


_LOOK_FAULTS = {"range out": "legal_range", "gamma": "gamma_twice", "colourless": "monochrome"}


def _of_look(table: Transform, display: Encoding, lossy: bool) -> list[Fault]:
    """Return what the look itself tells: faults that a LUT can carry."""
    found = []
    for finding in assay(sampled(table, _EXAMINED), display, Stored()).findings:
        key = _LOOK_FAULTS.get(finding.key)
        if key == "gamma_twice" and lossy:  # what JPEG leaves near black is no straight line
            continue
        if key and (finding.level in (Level.FAULT, Level.WARN) or key == "monochrome"):
            found.append(fault(key, finding.figure, "", f"{finding.title}. {finding.sentence}"))
        elif finding.key == "clipping" and finding.level in (Level.FAULT, Level.WARN):
            found.append(fault("clipped", finding.figure, "share", finding.sentence))
    return found


def _witness(
    pixels: Rgb, placed: Placed, sent: Rgb, table: Transform, display: Encoding
) -> Witness | None:
    """Compare the picture that came back with what the LUT makes of the one that went out."""
    plan = placed.plan
    if sent.shape[:2] != (plan.height, plan.width):
        return None
    x0, y0, x1, y1 = cells.picture_box(pixels, placed)
    back = locate.upright(pixels, placed.turns, placed.flipped)[y0:y1, x0:x1]
    if min(back.shape[:2]) < 8:
        return None
    made = _as_placed(np.clip(table.apply(sent), 0, 1), placed, (x0, y0, x1, y1))
    every = max(1, int(np.sqrt(back.shape[0] * back.shape[1] / _SEEN)))
    one, two = (np.clip(v[::every, ::every], 0, 1).reshape(-1, 3) for v in (back, made))
    return Witness(difference_of((one, two), two, display), back, made)


def _of_witness(witness: Witness, placed: Placed, faults: list[Fault], came: Came) -> list[Fault]:
    """Return what the picture of a frame carrier tells beside what is known already."""
    there = {f.key for f in faults}
    told = of_traces(traces.of_witness(witness.back, witness.made), lossy=came.lossy)
    if (
        not placed.is_straight
    ):  # scaling blurs and sharpens by itself; what is wide is told all the same
        told = [f for f in told if f.key in ("vignette", "local_contrast", "spatial")]
    return [f for f in told if f.key not in there]


def _kept_out(vignette: Fault) -> Fault:
    return evolve(vignette, words=f"{vignette.words} It is kept out of the LUT.", mended=True)


def _as_placed(picture: Rgb, placed: Placed, box: tuple[int, int, int, int]) -> Rgb:
    """Return a picture as large as it came back, for a box of the return."""
    x0, y0, x1, y1 = box
    if placed.is_straight:
        left, top = x0 - round(placed.shift[0]), y0 - round(placed.shift[1])
        return picture[top : top + y1 - y0, left : left + x1 - x0]
    from scipy import ndimage

    spread = [max(0.0, 0.5 * (1 / s - 1)) for s in placed.scale]
    soft = ndimage.gaussian_filter(picture, (spread[1], spread[0], 0))
    x = (np.arange(x0, x1) + 0.5 - placed.shift[0]) / placed.scale[0] - 0.5
    y = (np.arange(y0, y1) + 0.5 - placed.shift[1]) / placed.scale[1] - 0.5
    at = np.meshgrid(y, x, indexing="ij")
    found = [ndimage.map_coordinates(soft[..., c], at, order=1, mode="nearest") for c in range(3)]
    return np.stack(found, -1)


def _in_order(faults: list[Fault]) -> list[Fault]:
    """Return faults, those that cannot be mended first; one of each kind."""
    seen: dict[str, Fault] = {}
    for each in faults:
        seen.setdefault(each.key, each)
    return sorted(seen.values(), key=lambda f: f.mended)
