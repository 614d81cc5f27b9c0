"""Picture files to borrow from: what their numbers mean, and which belong together."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.showing import Showing, unshown
from sfumato.core.errors import ValueRefused
from sfumato.core.measure.guess import guess
from sfumato.media.parts.contract import as_float
from sfumato.media.parts.registry import by_suffix
from sfumato.work.files import is_folder
from sfumato.work.frames import WHOLE, open_still, scaled, small_size

WIDTH = 720  # pixels across of pictures that are shown, or borrowed from as a whole
# Nearly saturated colours of a display, taken back through the View, lie far outside of the working
# encoding (logarithms of what is hardly light): they are taken where they come in.
_WITHIN = (-0.5, 1.5)
_SAMPLE = 60_000  # pixels by which an encoding is guessed


@frozen(eq=False)
class Side:
    """A picture and what its numbers are; `evidence` says who says so, and `sure` whether it was said."""

    path: Path
    pixels: Array
    encoding: str
    evidence: str
    sure: bool

    @property
    def title(self) -> str:
        return self.path.name

    @property
    def doubt(self) -> str:
        """What it is taken for and why, where nobody has said what it is; else ""."""
        return "" if self.sure else f"{self.title} is taken for {self.encoding}: {self.evidence}"

    @property
    def small(self) -> Side:
        """The same of at most `WIDTH` pixels across, float32."""
        high, wide = self.pixels.shape[:2]
        width, height = small_size((wide, high), min(wide, WIDTH))
        return attrs.evolve(self, pixels=scaled(self.pixels, WHOLE, width, height))


def side(path: str | Path, stated: str = "") -> Side:
    """Read a picture, or the first frame of a clip; its encoding is stated, said by the file, or guessed.

    Raises:
        MediaError: it cannot be read.
        ValueRefused: there is no encoding of that name.
    """
    still = open_still(path)
    facts = still.facts
    if stated:
        name, evidence, sure = encoding(stated).name, "as you say", True
    elif facts.encoding:
        name, evidence, sure = facts.encoding, facts.evidence, True
    else:
        high, wide = still.pixels.shape[:2]
        every = max(1, int(np.sqrt(high * wide / _SAMPLE)))
        sample = as_float(still.pixels[::every, ::every])
        found = guess(sample, still.pixels.dtype.kind == "f")
        name, evidence, sure = found.name, found.evidence, False
    return Side(Path(path), still.pixels, name, evidence, sure)


def sides(files: Sequence[Path], stated: Sequence[str]) -> list[Side]:
    """Read several pictures at once, two at a time; `stated` holds an encoding or "" for each.

    Raises:
        MediaError, ValueRefused: of the first that cannot be read.
    """
    with ThreadPoolExecutor(2, thread_name_prefix="sides") as pool:
        return list(pool.map(side, files, stated))


def files_of(place: Path) -> list[Path]:
    """Return the pictures of a folder by name, or the one file."""
    if not is_folder(place):
        return [place]
    return sorted(f for f in place.iterdir() if by_suffix(f.name) is not None)


def paired(before: Sequence[Path], after: Sequence[Path]) -> list[tuple[Path, Path]]:
    """Put files together: one with one, in their order, or those of two folders by their names.

    >>> paired([Path("a/x.png"), Path("a/y.png")], [Path("b/y graded.jpg"), Path("b/x.jpg")])
    [(PosixPath('a/x.png'), PosixPath('b/x.jpg')), (PosixPath('a/y.png'), PosixPath('b/y graded.jpg'))]

    Raises:
        ValueRefused: they are not as many, or nothing belongs together by name.
    """
    by_order = not any(is_folder(p) for p in (*before, *after))
    ones = [f for p in before for f in files_of(p)]
    others = [f for p in after for f in files_of(p)]
    found = together(ones, others, by_order=by_order)
    if found:
        return found
    raise ValueRefused(
        f"of {len(ones)} pictures before and {len(others)} after none belong together by name",
        hint="give pictures after the names of those before, or give them one by one in their order",
    )


def together(
    ones: Sequence[Path], others: Sequence[Path], *, by_order: bool = True
) -> list[tuple[Path, Path]]:
    """Put files together by name, or in their order where no name says it; what is alone is left out.

    >>> together([Path("x.png"), Path("y.png")], [Path("y 2.jpg")])
    [(PosixPath('y.png'), PosixPath('y 2.jpg'))]
    """
    if by_order and len(ones) == len(others) == 1:
        return [(ones[0], others[0])]
    found: dict[Path, Path] = {}
    left = dict.fromkeys(others)
    named = {f.stem.casefold(): f for f in reversed(others)}
    for one in ones:
        same = named.get(one.stem.casefold())
        if same in left:
            found[one] = same
            del left[same]
    for one in (o for o in ones if o not in found):
        like = next((f for f in left if f.stem.casefold().startswith(one.stem.casefold())), None)
        if like is not None:
            found[one] = like
            del left[like]
    if not found and by_order and len(ones) == len(others):
        return list(zip(ones, others, strict=True))
    return [(one, found[one]) for one in ones if one in found]


def worked(codes: Rgb, space: Encoding, working: Encoding, view: Showing) -> Rgb:
    """Carry codes to the working encoding: from a display to scene light through the View undone."""
    codes = np.ascontiguousarray(codes, np.float32)
    if working.is_scene and not space.is_scene:
        return np.clip(unshown(codes, working, view, space), *_WITHIN)
    return convert(codes, space, working)
