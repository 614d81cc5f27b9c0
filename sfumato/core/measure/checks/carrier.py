"""What picture programs do to a carrier (a HALD, strip or tiles): grain, filters, JPEG, shifts."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.measure.checks.findings import Finding, Level, Looked, Stored

_IN_A_ROW, _IN_ROWS = 1.7, 2.4  # times by which the cells of a strip may stand out
_REACH = 2  # planes that a filter can reach across a seam
_ELSEWHERE = 12.0  # codes of 255 by which end planes bend when pixels of another row stand there
_GRAIN = 0.45  # codes of 255; clean pictures of 8 bit: under 0.36


def carrier_findings(lut: Looked) -> list[Finding]:
    """Look for what happens to a HALD, a strip or tiles on the way through a picture program."""
    if not lut.stored.is_picture or not lut.own or lut.table.size < 16:
        return []
    v = lut.table.values.astype(np.float64) * 255
    found = _hald(v, lut) if lut.stored.is_hald else _cells(v, lut)
    return found or [
        Finding("carrier", Level.GOOD, "Came through unaltered", "No grain, filter, JPEG or shift.")
    ]


def _hald(v: Array, lut: Looked) -> list[Finding]:
    level = round(np.sqrt(lut.table.size))
    grain, seam, blocks, moved = _grain(v), seams(v), _blocks(v), shift(v)
    filtered, shifted = seam > 1.6, moved > 4
    jpeg = lut.stored.lossy or (blocks > 1.3 and level == 8)
    mend = "" if filtered or shifted else "reconstruct"
    found = []
    if shifted and not filtered:
        found.append(
            Finding(
                "shifted",
                Level.FAULT,
                "Cropped or shifted",
                f"The end planes of the lattice bend {moved:.0f} times as much as the rest: pixels "
                "of another row stand there. Send the carrier out again and do not crop it.",
                moved,
            )
        )
    if filtered:
        words = f"Where the rows of the picture end, green bends {seam:.1f} times as much as "
        found.append(_filtered(words + "elsewhere (clean: under 1.5)", seam, jpeg))
    elif jpeg:
        words = f"Blocks of eight pixels stand out {blocks:.1f} times (clean: under 1.3)."
        found.append(_jpeg(words, blocks, mend))
    elif grain > _GRAIN:
        found.append(_grained(grain, mend))
    return found


def _cells(v: Array, lut: Looked) -> list[Finding]:
    """Look at a strip or tiles: cells of one blue each, which touch where green or red ends.

    Cells of 160 clean looks in 8 bit stand out at most 1.4 times in a row and 2.1 times in rows; of 40
    that were sharpened and 40 that were resized all but two more than 1.8 and 2.6 times.
    """
    cells, grain = _cells_apart(v, lut.stored), _grain(v)
    if cells > (_IN_A_ROW if lut.stored.columns >= len(v) else _IN_ROWS):
        words = f"Where slices lie side by side the lattice bends {cells:.0f} times as much as at "
        return [_filtered(words + "the picture's edge (clean: under 2.1)", cells, lut.stored.lossy)]
    if lut.stored.lossy:
        return [_jpeg("The file is compressed with losses.", grain, "reconstruct")]
    return [_grained(grain, "reconstruct")] if grain > _GRAIN else []


def _filtered(words: str, figure: float, jpeg: bool) -> Finding:
    what = "JPEG with reduced colour" if jpeg else "Sharpened, blurred, resized or cropped"
    more = ". Send the carrier out again and do not filter it."
    return Finding("filtered", Level.FAULT, what, words + more, figure)


def _jpeg(words: str, figure: float, mend: str) -> Finding:
    return Finding("jpeg", Level.FAULT, "Went through JPEG", words, figure, mend)


def _grained(grain: float, mend: str) -> Finding:
    return Finding(
        "grain",
        Level.FAULT,
        f"Grain of {grain:.1f} codes of 255",
        "The picture came back with noise, or went through JPEG: the LUT would carry it as speckle.",
        grain,
        mend,
    )


def _cells_apart(v: Array, stored: Stored) -> float:
    """Return how much more the ends that touch another slice bend along blue than planes inside do.

    A filter mixes a slice with its neighbour; slices at the picture's edge have none. So at the
    touching ends of red (of green, between rows of slices) the outermost slice does not follow from
    the two before it, as it does inside. Nodes that clip tell nothing of it.
    """
    n, across = len(v), stored.columns
    if stored.is_green_up:
        v = v[:, ::-1]
    b = np.arange(n)
    most = 1.0
    for axis, place, step in ((0, b % across, 1), (1, b // across, across)):
        if place.max() < 2:
            continue
        planes = np.moveaxis(v, axis, 0)
        for turned, at, back in (
            (planes, b[place == 0], step),
            (planes[::-1], b[place == place.max()], -step),
        ):
            at = at[(at + 2 * back >= 0) & (at + 2 * back < n)]
            if len(at):
                most = max(most, _end_apart(*(turned[:, :, at + k * back] for k in range(3))))
    return most


def _end_apart(outer: Array, second: Array, third: Array) -> float:
    """Return how much more the first two planes bend, over three slices, than those inside."""
    free = _unclipped(outer) & _unclipped(second) & _unclipped(third)
    count = free.sum(axis=(1, 2, 3))
    bend = np.where(free, np.abs(outer - 2 * second + third), 0).sum(axis=(1, 2, 3))
    bend = np.where(count > 0.1 * free[0].size, bend / np.maximum(count, 1), 0)
    inside = bend[_REACH + 1 :]
    quarter = len(bend) // 4
    middle = inside[quarter:-quarter]
    usual = max(float(np.median(middle[middle > 0])) if (middle > 0).any() else 0.0, 0.6)
    return float(bend[:_REACH].max() / max(usual, inside[0]))


def _unclipped(v: Array) -> Array:
    return np.asarray((v > 2) & (v < 253))


def _grain(v: Array) -> float:
    """Return the least median of absolute fourth differences over the axes, scaled to one value."""
    scale = np.sqrt(70.0) * 0.6745
    axes = []
    for axis in range(3):
        bend = np.diff(v, 4, axis=axis)
        inside = np.take(v, range(2, v.shape[axis] - 2), axis=axis)
        free = (inside > 3) & (inside < 252)
        axes.append(float(np.median(np.abs(bend[free]))) / scale if free.sum() > 100 else 0.0)
    return min(axes)


def _phases(v: Array, axis: int, order: int, period: int, first: int) -> Array:
    """Return how much differences of an order stand out at each phase of a period along an axis.

    The mean over the nodes of a plane that do not clip; then the median over the planes of a phase,
    so that a kink of the grade in one plane does not count.
    """
    bend = np.moveaxis(np.abs(np.diff(v, order, axis=axis)), axis, 0)
    planes = len(bend)
    free = np.moveaxis((v > 3) & (v < 252), axis, 0)
    free = free[:planes] & free[len(free) - planes :]
    count = free.sum(axis=(1, 2, 3))
    means = np.where(free, bend, 0).sum(axis=(1, 2, 3)) / np.maximum(count, 1)
    phase = (np.arange(planes) + first) % period
    seen = count > 0.1 * free[0].size
    return np.array(
        [
            np.median(means[seen & (phase == p)])
            for p in range(period)
            if (seen & (phase == p)).any()
        ]
        or [0.0]
    )


def seams(v: Array) -> float:
    """Return how much green's third differences stand out where a row of the picture ends."""
    level = round(np.sqrt(len(v)))
    if level < 4:
        return 0.0
    phases = _phases(v, 1, 3, level, 0)
    if len(phases) < level:
        return 0.0
    return float(phases[-3:].max() / max(np.median(phases[:-3]), 0.1))  # spans that cross a seam


def _blocks(v: Array) -> float:
    """Return how much red's second differences stand out at one phase of eight pixels."""
    if len(v) % 8:
        return 0.0
    phases = _phases(v, 0, 2, 8, 1)
    return float(phases.max() / max(np.median(phases), 0.1))


def shift(v: Array) -> float:
    """Return how much more red bends in its end planes than inside.

    Where a pixel of another row stands there, the bend is that of the whole look; a look that is
    steep at black, or that clips, bends by less, which counts as nothing.
    """
    bend = np.abs(np.diff(v, 2, axis=0)).mean(axis=(1, 2, 3))
    inside = max(float(np.median(bend[2:-2])), 0.05)
    most = float(max(bend[0], bend[-1]))
    return most / inside if most > _ELSEWHERE else min(most / inside, 1.0)
