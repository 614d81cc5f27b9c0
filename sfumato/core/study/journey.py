"""Journeys: carriers that were sent to other programs, and what came back of them."""

from __future__ import annotations

from typing import Any

from attrs import evolve, field, fields, frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.study.coat import new_id

MOST_RETURNS = 2000
_LONGEST = 4096
_MOST_NUMBER = 1 << 20


@frozen
class Return:
    """A file that came back.

    Attributes:
        came: when it was first seen, as `Journey.sent`.
        things: how many things were done to it beside the look.
        fault: why no look is in it, "" when there is one.
        became: what it was made into.
        corners: of the block of nodes, where they were set by hand: "x,y" four times.
    """

    path: str
    came: str = ""
    things: int = 0
    fault: str = ""
    became: str = ""
    corners: str = ""

    @property
    def says(self) -> str:
        """How it came back, in a few words."""
        if self.fault:
            return "no look in it"
        if not self.things:
            return "clean"
        return "1 thing to know" if self.things == 1 else f"{self.things} things to know"


@frozen
class Journey:
    """One carrier out and what came back of it.

    Attributes:
        path: of the carrier's file.
        to: what the other side is, in the words of its kind.
        sent: the local time at which it was written, ISO 8601 to the minute.
        shot: the name of the shot beside which the nodes stand, "" for nodes alone.
        encoding: what the carrier's codes are of: a recovered look expects and gives it.
        profile: of the file, "" for none.
        says: what was written, in words: kind, depth, size.
        digest: SHA-256 of the file.
        points, layout: of the nodes, see `core.carrier.frame.Plan`.
        mark: the number in the bars of a frame carrier, 0 for nodes alone.
    """

    path: str
    name: str
    to: str = ""
    sent: str = ""
    shot: str = ""
    encoding: str = ""
    profile: str = ""
    says: str = ""
    digest: str = ""
    points: int = 0
    layout: str = ""
    mark: int = 0
    returns: tuple[Return, ...] = ()
    id: str = field(factory=new_id)

    @property
    def is_closed(self) -> bool:
        """Whether something that came back was adopted."""
        return any(r.became for r in self.returns)

    def back(self, path: str) -> Return | None:
        """Return what is known of a file that came back."""
        return next((r for r in self.returns if r.path == path), None)

    def with_returns(self, more: tuple[Return, ...]) -> Journey:
        """Return the journey with more files that came back; of one that was there the newer word holds.

        What became of it is kept, and corners that were set by hand until others are.
        """
        there = {r.path: r for r in self.returns}
        fresh = {}
        for r in more:
            old = there.get(r.path, r)
            fresh[r.path] = evolve(r, became=old.became, corners=r.corners or old.corners)
        returns = tuple({**there, **fresh}.values())[:MOST_RETURNS]
        return self if returns == self.returns else evolve(self, returns=returns)

    def without(self, path: str) -> Journey:
        return evolve(self, returns=tuple(r for r in self.returns if r.path != path))

    def adopted(self, path: str, became: str) -> Journey:
        """Return the journey with a return marked as adopted."""
        returns = tuple(evolve(r, became=became) if r.path == path else r for r in self.returns)
        return evolve(self, returns=returns)


_PLAIN = tuple(a.name for a in fields(Journey) if a.name != "returns")
_OF_RETURN = tuple(a.name for a in fields(Return))
_NUMBERS = ("points", "mark", "things")


def dump(journey: Journey) -> dict[str, Any]:
    """Return it as plain data."""
    return {
        **{name: getattr(journey, name) for name in _PLAIN},
        "returns": [{n: getattr(r, n) for n in _OF_RETURN} for r in journey.returns],
    }


def _taken(plain: Any, names: tuple[str, ...]) -> dict[str, Any]:
    if not isinstance(plain, dict) or not isinstance(plain.get("path"), str):
        raise ValueRefused("a journey, or a return of one, is no record")
    found: dict[str, Any] = {}
    for name in (n for n in names if plain.get(n)):
        if name in _NUMBERS:
            found[name] = min(max(int(plain[name]), 0), _MOST_NUMBER)
        else:
            found[name] = str(plain[name])[:_LONGEST]
    return {"path": "", **found}


def load(plain: Any) -> Journey:
    """Make it from plain data.

    Raises:
        ValueRefused: it is no record of a journey, or its encoding is not known.
    """
    found = _taken(plain, _PLAIN)
    found.setdefault("name", found["path"].rpartition("/")[2])
    for end in ("encoding", "profile"):
        if end in found:
            found[end] = encoding(found[end]).name
    returns = plain.get("returns") or []
    return Journey(
        **found,
        returns=tuple(Return(**_taken(r, _OF_RETURN)) for r in returns[:MOST_RETURNS]),
    )
