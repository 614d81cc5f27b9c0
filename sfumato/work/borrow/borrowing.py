"""What comes of borrowing: glazes, a LUT, and how near they come."""

from __future__ import annotations

import attrs
from attrs import field, frozen

from sfumato.core.arrays import Rgb
from sfumato.core.borrow.explain import Explained
from sfumato.core.borrow.pair import Borrowed
from sfumato.core.colour.encodings import Family, encoding
from sfumato.core.lut.difference import Difference
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import through_coats
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study


@frozen(eq=False)
class Borrowing:
    """What came of it.

    Attributes:
        mode: PAIR or REFERENCE.
        study: what the glazes were made for: its working encoding and View.
        told: the glazes, and what each leaves.
        rest: the LUT glaze of what the glazes leave; None where there is none.
        table: from the codes of the first picture to those of the result, of a pair.
        spans: the encodings that a LUT of it expects and gives.
        left, nothing: of the pictures, with all of it and with nothing, CIEDE2000.
        agree: the share of places that agree, the least of the pairs.
        rest_left: what the rest leaves of the colours of a pair, as `told.left` is what the glazes do.
        picked: the glaze that brings picked colours to those of a reference, if any.
        base: the glazes of the Look that come before.
        guesses: for each picture whose encoding nobody has said, what it is taken for and why.
    """

    mode: str
    study: Study
    told: Explained
    rest: Coat | None
    table: Transform
    spans: tuple[str, str]
    left: Difference | None = None
    nothing: Difference | None = None
    agree: float = 1.0
    remarks: tuple[str, ...] = ()
    name: str = ""
    pair: Borrowed | None = field(default=None, repr=False)
    shots: tuple[Shot, ...] = ()
    guesses: tuple[str, ...] = ()
    picked: tuple[Coat, ...] = ()
    rest_left: float = 0.0
    base: tuple[Coat, ...] = ()

    def through(self, code: Rgb, *, with_rest: bool = True) -> Rgb:
        """Apply the glazes, and the rest, to working code values (..., 3); not what comes before."""
        coats = self.coats if self.rest is None or not with_rest else (*self.coats, self.rest)
        return through_coats(coats, code, encoding(self.study.working), self.study.view)

    @property
    def has_edges(self) -> bool:
        """Whether edges of a pair were altered too, and count less."""
        return self.pair is not None and self.pair.has_edges

    @property
    def lighter(self) -> Borrowing:
        """The same without the pixels that it was taken from."""
        if self.pair is None:
            return self
        return attrs.evolve(self, pair=attrs.evolve(self.pair, pictures=()))

    @property
    def coats(self) -> tuple[Coat, ...]:
        """The glazes as they stand in a Ledger, without the rest and without what comes before."""
        fitted = (attrs.evolve(new_coat(s.key), parameters=s.parameters) for s in self.told.steps)
        note = f"borrowed from {self.name}"
        return tuple(attrs.evolve(c, note=note) for c in (*fitted, *self.picked))


def study_for(study: Study | None, source: str) -> Study:
    return study if study is not None else Study().suited_to(source)


def entry_of(name: str) -> str:
    """Return the encoding in which colours of another are compared: of light its logarithm."""
    return "ACEScct" if encoding(name).family is Family.LINEAR else name
