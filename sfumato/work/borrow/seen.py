"""What is looked at of a borrowed look: the pictures of pairs, a shot and its references, how sure it is."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow.matched import Matched
from sfumato.core.borrow.pair import Picture
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.lut.difference import delta_e
from sfumato.core.path.path import through_coat
from sfumato.work.borrow.borrowing import Borrowing
from sfumato.work.borrow.sides import WIDTH, worked
from sfumato.work.preview.asks import to_bytes

_BYTES, _EACH = 64 << 20, 21  # that the pictures of all pairs take, and a pixel of one
_AT_A_NODE = 0.5  # nodes: a colour counts as seen when the node beside it is


@frozen(eq=False)
class PairSeen:
    """The pictures of a pair, uint8 (h, w, 3) codes of the display, and where they differ.

    Attributes:
        was: before, as it is shown.
        made: before, with the glazes and the rest.
        glazed: … with the glazes alone.
        after: what it should be.
        delta, glazed_delta: CIEDE2000 (h, w) of `made` and `glazed` to `after`, 0 where it is left out.
        left_out: (h, w) what is no matter of colour, or lies in one of the pictures alone.
        off, glazed_off: their means where it counts.
    """

    was: Array
    made: Array
    glazed: Array
    after: Array
    delta: Array
    glazed_delta: Array
    left_out: Array
    off: float
    glazed_off: float
    agree: float


@frozen(eq=False)
class OnShot:
    """A shot through a borrowed look, uint8 (h, w, 3), and how sure it is there.

    Attributes:
        seen: (h, w) where a colour of the pictures lies beside the shot's.
        off: (h, w) by how much it may be off, code values.
    """

    picture: Array
    seen: Array
    off: Array

    @property
    def share(self) -> float:
        return float(self.seen.mean())


def pairs_seen(found: Borrowing, check: StillWanted = always_wanted) -> tuple[PairSeen, ...]:
    """Return what there is to see of each pair."""
    assert found.pair is not None
    out = []
    most = min(WIDTH**2 * 9 // 16, _BYTES // (_EACH * len(found.pair.pictures)))
    for picture in found.pair.pictures:
        check()
        out.append(_seen(found, picture, most))
    return tuple(out)


def _seen(found: Borrowing, picture: Picture, most: int) -> PairSeen:
    working, view = encoding(found.study.working), found.study.view
    display = encoding(view.encoding)
    one, two = (encoding(e) for e in found.spans)
    m, thin = picture.matched, _thin(picture.matched, most)
    before = worked(m.before[thin], one, working, view)
    after = worked(m.after[thin], two, working, view)
    left_out = picture.left_out[thin] | ~m.inside[thin]
    count = max(1, int((~left_out).sum()))

    def codes(code: Rgb) -> Rgb:
        return np.clip(shown(code, working, view, display), 0, 1)

    truth = codes(after)

    def apart(code: Rgb) -> Array:
        there = np.where(left_out, 0, delta_e(codes(code), truth, display))
        return np.asarray(there, np.float32)

    glazed = made = found.through(before, with_rest=False)
    if found.rest is not None:
        made = through_coat(found.rest, glazed, working, view)
    delta, glazed_delta = apart(made), apart(glazed)
    return PairSeen(
        was=to_bytes(codes(before)),
        made=to_bytes(codes(made)),
        glazed=to_bytes(codes(glazed)),
        after=to_bytes(truth),
        delta=delta,
        glazed_delta=glazed_delta,
        left_out=left_out,
        off=float(delta.sum()) / count,
        glazed_off=float(glazed_delta.sum()) / count,
        agree=m.laid.agreement,
    )


def _thin(m: Matched, most: int) -> tuple[slice, slice]:
    """Return every so many rows and columns, for a picture to look at of about so many pixels."""
    step = max(1, round((m.inside.size / most) ** 0.5))
    return slice(None, None, step), slice(None, None, step)


def on_shot(found: Borrowing, code: Rgb, *, with_rest: bool) -> OnShot:
    """Return what a borrowed look makes of a shot, and how sure it is of that.

    Args:
        code: working code values (h, w, 3), as they enter the Look.
    """
    working, view = encoding(found.study.working), found.study.view
    display = encoding(view.encoding)
    made = found.through(code, with_rest=with_rest)
    picture = to_bytes(shown(made, working, view, display))
    seen, off = sure_of(found, code)
    return OnShot(picture, seen, off)


def sure_of(found: Borrowing, code: Rgb) -> tuple[Array, Array]:
    """Return for working code values (..., 3) if such colours were seen, and by how much they may be off."""
    assert found.pair is not None
    entry = _entered(code, found)
    n = len(found.pair.known)
    nodes = np.clip(entry * (n - 1) + _AT_A_NODE, 0, n - 1).astype(np.int32)
    places = nodes[..., 0], nodes[..., 1], nodes[..., 2]
    return found.pair.known[places], found.pair.off[places]


def _entered(code: Rgb, found: Borrowing) -> Rgb:
    """Return working code values as codes of the pictures before."""
    working, entry = encoding(found.study.working), encoding(found.spans[0])
    if working.is_scene and not entry.is_scene:
        return shown(code, working, found.study.view, entry)
    return convert(code, working, entry)
