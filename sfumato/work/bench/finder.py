"""The fault finder: what was done to a LUT on its way into an engine, told from a screenshot."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.bench.engine import (
    FAULTS,
    Held,
    Import,
    blended,
    imported,
    right,
    sampled,
    with_faults,
)
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import MediaError
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.table import Table3D
from sfumato.media.parts.contract import as_float
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.frames import scaled

AS_MEANT, WITHOUT, TWICE = "as it is meant", "without the look", "with the look twice"
_SQUARES = 9000  # of two by two pixels that are looked at
_SHAPE = 0.01  # by which width over height may differ
# A screenshot has noise of its own (JPEG, scaling), which no fault leads towards: of the way from what was
# meant to what a fault would give, it must lie about at the end.
_AT_END = (0.6, 1.4)
_LEAST = 0.6  # ΔE in the mean between two pictures that can be told apart
_NOISE = 3.0  # ΔE in the mean, from which what is left is not noise
_MOST_LEFT = 0.5  # of what there was, that may be left


@frozen
class Guess:
    """What may have been done, and how far the screenshot is from that: ΔE in the mean."""

    words: str
    left: float
    faults: tuple[str, ...] = ()


@frozen
class Found:
    """What a screenshot tells.

    Attributes:
        before: ΔE in the mean between the screenshot and what was meant.
        guesses: what explains it, the best first; then the others, the nearest first.
        explained: whether the first of them does.
    """

    before: float
    guesses: tuple[Guess, ...]
    explained: bool

    @property
    def best(self) -> Guess:
        return self.guesses[0]

    @property
    def says(self) -> str:
        """The answer, in a sentence."""
        best = self.best
        if not self.explained:
            return f"nothing known explains it: {self.before:.1f} ΔE from what is meant"
        if best.words == AS_MEANT:
            return f"as it is meant: {self.before:.1f} ΔE"
        return f"as if {best.words}: {self.before:.1f} ΔE before, {best.left:.1f} when undone"


def squares_of(height: int, width: int, most: int = _SQUARES) -> tuple[Array, Array]:
    """Return rows and columns of pixels, squares of two by two spread over a picture, for indexing; the
    squares stay whole because a chip chooses mip maps by them."""
    rows, columns = height // 2, width // 2
    step = max(1, int(np.ceil((rows * columns / most) ** 0.5)))
    first = np.arange(0, rows, step)[:, None] * 2
    last = np.arange(0, columns, step)[:, None] * 2
    both = np.array([0, 1])
    return (first + both).reshape(-1)[:, None], (last + both).reshape(-1)[None, :]


def find(
    looks: Sequence[tuple[Table3D, float]],
    settings: Import,
    natural: Array,
    screenshot: Array,
    display: Encoding,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Found:
    """Say what explains a screenshot best.

    Args:
        looks: what lies on the picture, each with its part.
        settings: how it was to be taken in; what is wrong in them counts as right here.
        natural: the picture that was put through, without the look.
        screenshot: of the engine, of the same shape; scaled where it has another size.
    Raises:
        MediaError: the screenshot has another shape.
    """
    cancel = cancel or Cancel()
    high, wide = natural.shape[:2]
    there = screenshot.shape[1] / screenshot.shape[0]
    if abs(there / (wide / high) - 1) > _SHAPE:
        raise MediaError(
            f"the screenshot is {screenshot.shape[1]} × {screenshot.shape[0]}, "
            f"and the picture that went through {wide} × {high}",
            hint="take one of the whole picture, nothing beside it",
        )
    shot = (
        as_float(screenshot)
        if screenshot.shape == natural.shape
        else scaled(screenshot, (0.0, 0.0, 1.0, 1.0), wide, high)
    )
    place = squares_of(high, wide)
    code, seen = as_float(natural)[place], np.clip(shot[place], 0, 1)

    seen_lab = lab_of(seen, display)

    def away(made: Rgb) -> float:
        return float(ciede2000(lab_of(made, display), seen_lab).mean())

    good, parts = right(settings), tuple(part for _table, part in looks)
    held = Held()

    def drawn(how: Import, natural: Rgb) -> Rgb:
        made = [sampled(imported(table, how, held), natural) for table, _part in looks]
        return blended(natural, made, parts)

    def through(faults: tuple[str, ...]) -> Rgb:
        return drawn(with_faults(good, faults), code)

    meant = through(())
    before = away(meant)

    def at_end(start: Rgb, end: Rgb) -> bool:
        """Whether the screenshot lies where a way from one picture to another ends, if they differ at all."""
        apart = float(delta_e(np.clip(start, 0, 1), np.clip(end, 0, 1), display).mean())
        return apart > _LEAST / 2 and _AT_END[0] < _share(start, end, seen) < _AT_END[1]

    tried: list[tuple[Guess, Rgb]] = [(Guess(WITHOUT, away(code)), code)]
    twice = drawn(good, meant)
    tried.append((Guess(TWICE, away(twice)), twice))
    share = _share(code, meant, seen)
    if 0.05 < share < 0.95:
        faint = np.asarray(code + np.float32(share) * (meant - code), np.float32)
        tried.append((Guess(f"at {100 * share:.0f} % of its strength", away(faint)), faint))
    singles = list(FAULTS)
    for i, fault in enumerate(singles):
        cancel.check()
        progress(i / (2 * len(singles)), fault)
        made = through((fault,))
        tried.append((Guess(fault, away(made), (fault,)), made))
    tried.sort(key=lambda pair: pair[0].left)
    enough = max(_NOISE, _MOST_LEFT * before)
    good_ones = [(g, made) for g, made in tried if g.left < before and at_end(meant, made)]
    best = good_ones[0] if good_ones else None
    if best is not None and best[0].faults and best[0].left > _LEAST:
        first = best[0].faults[0]
        others = [f for f in singles if set(FAULTS[f]) != set(FAULTS[first])]
        for i, fault in enumerate(others):
            cancel.check()
            progress(0.5 + i / (2 * len(others)), f"{first} and {fault}")
            made = through((first, fault))
            left = away(made)
            if left < best[0].left and at_end(good_ones[0][1], made):
                best = Guess(f"{first} and {fault}", left, (first, fault)), made
    progress(1.0, "done")
    others_ = tuple(g for g, _made in tried if best is None or g is not best[0])
    if best is not None and best[0].left < enough:
        return Found(before, (best[0], *others_), True)
    as_meant = Guess(AS_MEANT, before)
    if before < _NOISE:
        return Found(before, (as_meant, *others_), True)
    nearest = sorted((as_meant, *(g for g, _made in tried)), key=lambda g: g.left)
    return Found(before, tuple(nearest), False)


def _share(start: Rgb, end: Rgb, seen: Rgb) -> float:
    """Return how far along the way between two pictures a third lies, by least squares; 0 at the start."""
    way = (np.clip(end, 0, 1) - np.clip(start, 0, 1)).reshape(-1).astype(np.float64)
    size = float(way @ way)
    return float((seen - np.clip(start, 0, 1)).reshape(-1) @ way) / size if size > 0 else 0.0
