"""Loans: the pictures that a study borrows a look from, and how much of it is taken."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import field, frozen

from sfumato.core import controls
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import Number, Toggle, control
from sfumato.core.errors import ValueRefused

PAIR, REFERENCE = "pair", "reference"
MOST_FILES = 120  # pictures of a side
MOST_TIES, MOST_PICKS = 32, 16
_LONGEST = 4096

Region = tuple[float, float, float, float]  # x0, y0, x1, y1 as shares of a picture
Place = tuple[float, float]  # x and y as shares of a picture


@frozen
class Amounts:
    """How much of a reference is taken: tone and colour, both times the strength, per cent.

    Of thirty pairs of pictures with unlike contents the usual amounts come as near to the true grade as
    doing nothing does, more of them further from it: `./dev bench accuracy references`.
    """

    strength: float = control(
        40.0,
        Number(
            title="Strength", least=0, most=200, step=1, digits=0, unit="%",
            help="How much of all that the reference asks for.",
        ),
    )  # fmt: skip
    tone: float = control(
        50.0,
        Number(
            title="Tone", least=0, most=100, step=1, digits=0, unit="%",
            help="How far black, middle and white go to those of the reference.",
        ),
    )  # fmt: skip
    colour: float = control(
        100.0,
        Number(
            title="Colour", least=0, most=100, step=1, digits=0, unit="%",
            help="How far tints and colourfulness of each tonal band go to those of the reference.",
        ),
    )  # fmt: skip
    keep_greys: bool = control(
        False, Toggle(title="Keep greys", help="Leave what has no colour without any.")
    )
    spare_skin: bool = control(
        False, Toggle(title="Spare skin", help="Leave hues of skin, of any depth, as they are.")
    )


@frozen
class Tie:
    """A part of the shot and the part of a reference that it is to be like: a sky and a sky."""

    ours: Region
    theirs: Region
    file: str  # the reference


@frozen
class Pick:
    """A colour of the shot and the colour of a reference that it should be, by their places."""

    ours: Place
    theirs: Place
    file: str


@frozen
class Loan:
    """What is borrowed from.

    Attributes:
        before, after: pictures of pairs, which are put together by name; see `work.borrow.sides`.
        source, result: the encodings of those before and after, where somebody has said them.
        references: pictures of other content; `said` is their encoding, where somebody has said it.
        over_look: whether a reference is followed from the Look as it is, rather than from the Ground.
        ties: parts that belong together; without any, the whole of the shot and of the references.
        with_rest: whether what the glazes of a pair leave is taken too, as a LUT.
    """

    mode: str = PAIR
    before: tuple[str, ...] = ()
    after: tuple[str, ...] = ()
    source: str = ""
    result: str = ""
    references: tuple[str, ...] = ()
    said: str = ""
    over_look: bool = True
    amounts: Amounts = field(factory=Amounts)
    ties: tuple[Tie, ...] = ()
    picks: tuple[Pick, ...] = ()
    with_rest: bool = True

    @property
    def encodings(self) -> set[str]:
        """The names of encodings that it refers to."""
        return {name for name in (self.source, self.result, self.said) if name}

    def placed(self, place: Any) -> Loan:
        """Return it with other paths of its files: `place(path)` gives each."""
        return attrs.evolve(
            self,
            before=tuple(map(place, self.before)),
            after=tuple(map(place, self.after)),
            references=tuple(map(place, self.references)),
            ties=tuple(attrs.evolve(t, file=place(t.file)) for t in self.ties),
            picks=tuple(attrs.evolve(p, file=place(p.file)) for p in self.picks),
        )

    def with_references(self, files: tuple[str, ...]) -> Loan:
        """Return it with these references; ties and picks of others go."""
        files = tuple(dict.fromkeys(files))[:MOST_FILES]
        return attrs.evolve(
            self,
            references=files,
            ties=tuple(t for t in self.ties if t.file in files),
            picks=tuple(p for p in self.picks if p.file in files),
        )


_FILES = ("before", "after", "references")
_NAMES = ("source", "result", "said")


def dump(loan: Loan) -> dict[str, Any]:
    """Return it as plain data."""
    return {
        "mode": loan.mode,
        **{name: list(getattr(loan, name)) for name in _FILES if getattr(loan, name)},
        **{name: getattr(loan, name) for name in _NAMES if getattr(loan, name)},
        "over_look": loan.over_look,
        "with_rest": loan.with_rest,
        "amounts": controls.dump(loan.amounts),
        "ties": [[list(t.ours), list(t.theirs), t.file] for t in loan.ties],
        "picks": [[list(p.ours), list(p.theirs), p.file] for p in loan.picks],
    }


def load(plain: Any) -> Loan:
    """Make it from plain data.

    Raises:
        ValueRefused: it is no record of a loan, or an encoding is not known.
    """
    if not isinstance(plain, dict) or plain.get("mode") not in (PAIR, REFERENCE):
        raise ValueRefused("what a look is borrowed from is no record")
    files = {name: _texts(plain.get(name, [])) for name in _FILES}
    named = {name: encoding(str(plain[name])).name for name in _NAMES if plain.get(name)}
    return Loan(
        plain["mode"],
        **files,  # type: ignore[arg-type]
        **named,  # type: ignore[arg-type]
        over_look=bool(plain.get("over_look", True)),
        with_rest=bool(plain.get("with_rest", True)),
        amounts=controls.load(Amounts, plain.get("amounts", {})),
        ties=tuple(
            Tie(_shares(a, 4), _shares(b, 4), file)  # type: ignore[arg-type]
            for a, b, file in _rows(plain.get("ties", []), MOST_TIES)
        ),
        picks=tuple(
            Pick(_shares(a, 2), _shares(b, 2), file)  # type: ignore[arg-type]
            for a, b, file in _rows(plain.get("picks", []), MOST_PICKS)
        ),
    )


def _texts(plain: Any) -> tuple[str, ...]:
    if not isinstance(plain, list) or not all(isinstance(v, str) for v in plain):
        raise ValueRefused("the files that a look is borrowed from are no names")
    return tuple(v[:_LONGEST] for v in plain[:MOST_FILES])


def _rows(plain: Any, most: int) -> list[tuple[Any, Any, str]]:
    if not isinstance(plain, list):
        raise ValueRefused("parts that belong together are no list")
    for row in plain[:most]:
        if not isinstance(row, list) or len(row) != 3 or not isinstance(row[2], str):
            raise ValueRefused("parts that belong together are two places and a file")
    return [(a, b, file[:_LONGEST]) for a, b, file in plain[:most]]


def _shares(plain: Any, count: int) -> tuple[float, ...]:
    fine = isinstance(plain, list) and len(plain) == count
    if not fine or not all(
        isinstance(v, int | float) and not isinstance(v, bool) and 0 <= v <= 1 for v in plain
    ):
        raise ValueRefused("a part of a picture is shares of it, 0 to 1")
    found = tuple(float(v) for v in plain)
    if count == 4 and not (found[0] < found[2] and found[1] < found[3]):
        raise ValueRefused("a part of a picture is empty")
    return found
