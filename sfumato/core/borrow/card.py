"""Cards of grey and colour patches: their layout and values, and reading them between four corners."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier.corners import checked, projection
from sfumato.core.colour.encodings import Encoding, convert
from sfumato.core.errors import ValueRefused

_MOST, _LEAST = 400, 4  # patches of a layout
_INNER = 0.55  # of a patch, about its middle, that is read
_RINGS, _ALONG = 5, 4  # samples from the middle outwards, and along each edge
_BRIGHTEST = 16.0

Corners = tuple[
    tuple[float, float], ...
]  # four points as shares of a picture, clockwise from top left


@frozen
class Patch:
    """One patch: its linear reflectance of BT.709 primaries, and its outline in the unit square of the card."""

    name: str
    value: tuple[float, float, float]
    outline: tuple[tuple[float, float], ...]


@frozen
class Layout:
    """A card; `home` says where its corners lie in the picture that the layout was made from, as shares."""

    name: str
    patches: tuple[Patch, ...]
    home: Corners

    @property
    def names(self) -> list[str]:
        return [p.name for p in self.patches]

    def outlines(self, corners: Corners) -> list[Array]:
        """Return each patch's outline (m, 2) in a picture, as shares, when the card lies between corners."""
        matrix = projection(corners)
        return [_projected(np.array(p.outline), matrix) for p in self.patches]

    def values(self, working: Encoding) -> Rgb:
        """Return what the patches are, working code values (k, 3)."""
        light = np.array([p.value for p in self.patches], np.float32)
        return np.ascontiguousarray(convert(light, "Linear BT.709", working), np.float32)


def layout_of(plain: Any, name: str) -> Layout:
    """Make a layout from plain data: `width` and `height` of the picture that places refer to, and patches.

    Each patch has a `name`, `reflectance_bt709` (three linear values) and `corners_px` (three points or
    more). They may stand in several lists of the record, as `patches` and `grey_ramp`.

    Raises:
        ValueRefused: it is no such record, or its numbers are none.
    """
    if not isinstance(plain, dict):
        raise ValueRefused("this is no layout of a card", hint=_HINT)
    size = [_number(plain.get(k), 1, 1e6, k) for k in ("width", "height")]
    rows = [r for v in plain.values() if isinstance(v, list) for r in v if isinstance(r, dict)]
    rows = [r for r in rows if "reflectance_bt709" in r]
    if not _LEAST <= len(rows) <= _MOST:
        raise ValueRefused(
            f"a card has {_LEAST} to {_MOST} patches with values, this one {len(rows)}", hint=_HINT
        )
    found = []
    for i, row in enumerate(rows):
        value = row["reflectance_bt709"]
        outline = row.get("corners_px")
        if not isinstance(value, list) or len(value) != 3:
            raise ValueRefused(f"patch {i + 1} has no three values", hint=_HINT)
        if not isinstance(outline, list) or not 3 <= len(outline) <= 64:
            raise ValueRefused(f"patch {i + 1} has no outline", hint=_HINT)
        numbers = tuple(_number(v, 0, _BRIGHTEST, "a value") for v in value)
        places = []
        for at in outline:
            if not isinstance(at, list) or len(at) != 2:
                raise ValueRefused(f"a corner of patch {i + 1} is no place", hint=_HINT)
            places.append(tuple(_number(v, -1e6, 1e6, "a place") for v in at))
        found.append((str(row.get("name", f"patch {i + 1}"))[:80], numbers, np.array(places)))
    every = np.concatenate([outline for _n, _v, outline in found])
    low, high = every.min(0), every.max(0)
    if (high - low < 1).any():
        raise ValueRefused("the patches lie on one spot", hint=_HINT)
    patches = tuple(
        Patch(n, v, tuple(map(tuple, ((o - low) / (high - low)).tolist())))  # type: ignore[arg-type]
        for n, v, o in found
    )
    (x0, y0), (x1, y1) = low / size, high / size
    home = ((x0, y0), (x1, y0), (x1, y1), (x0, y1))
    return Layout(name, patches, tuple((float(x), float(y)) for x, y in home))


_HINT = "a layout is JSON as the demo's portrait_card.json: width, height, and patches with values"


def _number(value: Any, low: float, high: float, what: str) -> float:
    fine = isinstance(value, int | float) and not isinstance(value, bool)
    if not fine or not low <= value <= high:
        raise ValueRefused(f"{what} of the card is no number of {low:g} to {high:g}", hint=_HINT)
    return float(value)


def _projected(points: Array, matrix: Array) -> Array:
    at = np.concatenate([points, np.ones((len(points), 1))], 1) @ matrix.T
    return np.asarray(at[:, :2] / at[:, 2:])


def measured(picture: Rgb, corners: Corners, layout: Layout, working: Encoding) -> Rgb:
    """Return the mean of each patch's inner part, working code values (k, 3); means are of light.

    Args:
        picture: working code values (h, w, 3).
        corners: where the card's lie in it, as shares.

    Raises:
        ValueRefused: the corners do not go round the card, or a patch lies outside of the picture.
    """
    high, wide = picture.shape[:2]
    if not goes_round(corners):
        raise ValueRefused(
            "the corners do not go round the card",
            hint="top left first, then clockwise; see that the outlines lie on the patches",
        )
    out = []
    matrix = projection(corners)
    for patch in layout.patches:
        outline = np.array(patch.outline)
        middle = outline.mean(0)
        edges = [
            a + (b - a) * t
            for a, b in zip(outline, np.roll(outline, -1, axis=0), strict=True)
            for t in np.arange(_ALONG) / _ALONG
        ]
        inner = [
            middle + (e - middle) * _INNER * r / _RINGS for r in range(1, _RINGS + 1) for e in edges
        ]
        at = _projected(np.array([middle, *inner]), matrix) * (wide, high)
        if not ((at >= 0) & (at < (wide, high))).all():
            raise ValueRefused(
                f"{patch.name} of the card lies outside of the picture", hint="move the corners"
            )
        columns, rows = at.astype(int).T
        light = working.decode(picture[rows, columns]).mean(axis=0)
        out.append(working.encode(np.asarray(light, np.float32)))
    return np.array(out, np.float32)


def goes_round(corners: Corners) -> bool:
    """Whether four corners go round a card once, clockwise from its top left."""
    try:
        checked(tuple((1000 * x, 1000 * y) for x, y in corners), (1000, 1000))
    except ValueRefused:
        return False
    return True
