"""A LUT out of a carrier that came back, with what was done to it on the way."""

from __future__ import annotations

import numpy as np
from attrs import evolve, field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier import arrange, cells, locate, search, traces
from sfumato.core.carrier.chroma import nodes_of_planes
from sfumato.core.carrier.faults import Fault, fault, of_traces
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.rebuild import evened, places, rebuilt
from sfumato.core.carrier.search import Came, Found, Sought
from sfumato.core.carrier.shading import unshaded
from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import FormatError
from sfumato.core.lut.difference import Difference, difference_of
from sfumato.core.lut.recast import sampled
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.assay import assay
from sfumato.core.measure.checks.carrier import seams, shift
from sfumato.core.measure.checks.findings import Level, Stored

_NOTHING_KNOWN = Sought()
_MOST_GRID = 65
_EXAMINED = 33
_SEEN = 200_000  # pixels of a witness that are compared


@frozen(eq=False)
class Witness:
    """The picture of a frame carrier: what came back against what the LUT makes of what went out."""

    difference: Difference
    back: Rgb = field(repr=False)
    made: Rgb = field(repr=False)


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


def recovered(
    pixels: Rgb,
    came: Came,
    display: Encoding,
    *,
    sent: Rgb | None = None,
    grid: int = 0,
    reading: str = "",
    placed: Placed | None = None,
    sought: Sought = _NOTHING_KNOWN,
    check: StillWanted = always_wanted,
) -> Recovered:
    """Find the carrier in a picture and make a LUT of it.

    Args:
        pixels: (h, w, 3) code values as they are stored, profiles ignored.
        display: in which differences are measured.
        sent: the picture of a frame carrier as it went out, code values (h, w, 3).
        grid: points of the LUT; 0 for the carrier's, at most 65, or twice as fine as up to 33 (a
            frame's own picture tells whether that is nearer).
        reading: an arrangement by name, where the picture's own colours mislead.
        placed: where a frame carrier lies, when that is known.
        sought: what is known of the nodes that went out, and where they lie.

    Raises:
        FormatError: no carrier is in it.
        ValueRefused: the corners of a block go round none.
    """
    if not np.isfinite(pixels).all():
        raise FormatError("a pixel is not a finite number", hint="export the picture again")
    found = search.found(pixels, came, reading, sought, placed)
    check()
    points = len(found.nodes)
    known: Array = np.asarray(np.isfinite(found.nodes).all(-1))
    nodes = np.where(known[..., None], found.nodes, 0)
    faults, where = _of_nodes(found, nodes, came) if known.all() else ([], None)
    check()
    faults = [*_of_file(found, came), *faults]
    if found.scale is not None:
        shares = " × ".join(f"{100 * s:.1f}" for s in found.scale)
        faults.append(fault("resized", found.scale[0], "times", f"Scaled to {shares} %."))
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

    def look_of(those: Array, *, finer: bool = True) -> tuple[Array, Transform]:
        """Return the evened lattice of nodes, and the LUT of it."""
        if came.planes is not None and found.shape and not any(found.turned):
            values = nodes_of_planes(came.planes, points, found.reading, check)
        else:
            values = rebuilt(those, known, amounts, lossy=came.lossy, check=check)
        at = places(those) if came.depth == "8" and known.all() else np.linspace(0, 1, points)
        even = evened(values, at, known, finer=finer)
        return even, Transform((Table3D(even),))

    even, table = look_of(nodes)
    those, witness = nodes, None
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
                    those = clean
                    even, table = look_of(those)
                    witness = _witness(pixels, found.placed, sent, table, display)
                    told = [_kept_out(f) if f.key == "vignette" else f for f in told]
            if witness is not None and len(even) > points and not came.lossy:
                # Perhaps a table of just so many points stood behind it: the picture tells.
                plain, straight = look_of(those, finer=False)
                other = _witness(pixels, found.placed, sent, straight, display)
                if other is not None and other.difference.mean < _NEARER * witness.difference.mean:
                    even, table, witness = plain, straight, other
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


def _of_nodes(found: Found, nodes: Array, came: Came) -> tuple[list[Fault], Array | None]:
    if not found.shape or len(nodes) < 16:
        return [], None
    told = traces.of_nodes(nodes, found.shape, found.across)
    codes = nodes * 255
    is_hald = found.shape == arrange.HALD
    wide = "hald" if is_hald else "tiles" if found.shape == arrange.SQUARE else ""
    seam = seams(codes) if is_hald else 0.0  # of strips it tells nothing
    faults = of_traces(told, lossy=came.lossy, wide=wide, seams=seam, shift=shift(codes))
    return faults, told.where


def _of_file(found: Found, came: Came) -> list[Fault]:
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


_NEARER = 0.8  # of the mean difference: less may be what stands in the way of both
_POWER_OF_LOOKS = (0.7, 2.05)  # colours laid over themselves make up to 2, a doubled gamma 2.2
_LOOK_FAULTS = {"range out": "legal_range", "gamma": "gamma_twice", "colourless": "monochrome"}


def _of_look(table: Transform, display: Encoding, lossy: bool) -> list[Fault]:
    """Return what the look itself tells: faults that a LUT can carry."""
    found = []
    for finding in assay(sampled(table, _EXAMINED), display, Stored()).findings:
        key = _LOOK_FAULTS.get(finding.key)
        if key == "gamma_twice" and (
            lossy or _POWER_OF_LOOKS[0] < finding.figure < _POWER_OF_LOOKS[1]
        ):
            continue  # what JPEG leaves near black is no straight line
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
