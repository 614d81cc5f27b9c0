"""Two LUTs beside each other: over the cube, and on a picture, with the worst place shown."""

from __future__ import annotations

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.difference import Difference, cube_colours, delta_e, difference_of
from sfumato.core.lut.lut_view import LutView, lut_view
from sfumato.core.lut.recast import domain_of, over_domain
from sfumato.core.lut.transform import Transform
from sfumato.work.cancel import Cancel
from sfumato.work.tiles import run_tiled


@frozen(eq=False)
class OnPicture:
    """What two LUTs do to a picture: 8 bit pictures, ΔE a pixel, and the worst place (x, y)."""

    a: Array = field(repr=False)
    b: Array = field(repr=False)
    delta: Array = field(repr=False)
    difference: Difference
    worst_place: tuple[int, int]


@frozen(eq=False)
class Comparison:
    """Two LUTs, whose results are codes of a display.

    `cube` is over the inputs of the first LUT, `picture` None when there is none.
    """

    names: tuple[str, str]
    views: tuple[LutView, LutView]
    results: tuple[Rgb, Rgb] = field(repr=False)
    cube: Difference
    picture: OnPicture | None
    display: Encoding


def _eight(code: Rgb) -> Array:
    return np.asarray(np.clip(np.nan_to_num(code), 0, 1) * 255 + 0.5).astype(np.uint8)


def compared(
    names: tuple[str, str],
    a: Transform,
    b: Transform,
    display: Encoding,
    picture: Rgb | None = None,
    cancel: Cancel | None = None,
) -> Comparison:
    """Compare two LUTs; `picture` (h, w, 3) are code values as they enter them."""
    cancel = cancel or Cancel()
    colours = over_domain(cube_colours(), domain_of(a))
    results = a.apply(colours), b.apply(colours)
    cube = difference_of(results, colours, display)
    cancel.check()
    on = None
    if picture is not None:
        first = run_tiled(a.apply, picture, cancel)
        second = run_tiled(b.apply, picture, cancel)
        apart = delta_e(np.clip(first, 0, 1), np.clip(second, 0, 1), display)
        y, x = np.unravel_index(int(apart.argmax()), apart.shape)
        measured = difference_of((first, second), picture, display)
        on = OnPicture(_eight(first), _eight(second), apart, measured, (int(x), int(y)))
    worst = np.array(cube.worst_at, np.float32)
    at_worst = a.apply(worst), b.apply(worst)
    return Comparison(names, (lut_view(a), lut_view(b)), at_worst, cube, on, display)
