"""What picture programs do to a HALD on its way: grain, filters, JPEG, shifts."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.measure.checks.findings import Finding, Level, Looked


def hald_finding(lut: Looked) -> list[Finding]:
    """Look for what happens to a HALD on its way through a picture program."""
    if not lut.stored.is_hald or not lut.own or lut.table.size < 16:
        return []
    v = lut.table.values.astype(np.float64) * 255
    found = []
    level = round(np.sqrt(lut.table.size))
    grain, seams, blocks, shift = _grain(v), _seams(v), _blocks(v), _shift(v)
    filtered, shifted = seams > 1.6, shift > 4
    jpeg = lut.stored.lossy or (blocks > 1.3 and level == 8)
    mend = "" if filtered or shifted else "reconstruct"
    if shifted and not filtered:
        found.append(
            Finding(
                "shifted",
                Level.FAULT,
                "Cropped or shifted",
                f"The end planes of the lattice bend {shift:.0f} times as much as the rest: pixels "
                "of another row stand there. Send the carrier out again and do not crop it.",
                shift,
            )
        )
    if filtered:
        what = "JPEG with reduced colour" if jpeg else "Sharpened, blurred, resized or cropped"
        found.append(
            Finding(
                "filtered",
                Level.FAULT,
                what,
                f"Where the rows of the picture end, green bends {seams:.1f} times as much as "
                "elsewhere (clean: under 1.5). Send the carrier out again and do not filter it.",
                seams,
            )
        )
    elif jpeg:
        found.append(
            Finding(
                "jpeg",
                Level.FAULT,
                "Went through JPEG",
                f"Blocks of eight pixels stand out {blocks:.1f} times (clean: under 1.3).",
                blocks,
                mend,
            )
        )
    elif grain > 0.45:
        found.append(
            Finding(
                "grain",
                Level.FAULT,
                f"Grain of {grain:.1f} codes of 255",
                "The picture came back with noise: the LUT would carry it as speckle.",
                grain,
                mend,
            )
        )
    if not found:
        found.append(
            Finding(
                "hald", Level.GOOD, "Came through unaltered", "No grain, filter, JPEG or shift."
            )
        )
    return found


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


def _seams(v: Array) -> float:
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


def _shift(v: Array) -> float:
    """Return how much more red bends in its end planes than inside."""
    bend = np.abs(np.diff(v, 2, axis=0)).mean(axis=(1, 2, 3))
    inside = max(float(np.median(bend[2:-2])), 0.05)
    return float(max(bend[0], bend[-1]) / inside)
