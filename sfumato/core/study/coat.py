"""Coats: one glaze in the Ledger with its values, or a group of glazes under one Strength."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from typing import Any

import attrs
from attrs import field, frozen

from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import GlazeSpec, glazes
from sfumato.core.path.laying import NORMAL, Laying

GROUP = "group"  # the key of coats that hold others under one Strength
MOST_MEMBERS = 64


def new_id() -> str:
    """Return a short random name for a shot or coat."""
    return secrets.token_hex(4)


@frozen
class UnknownGlaze:
    """What a newer or foreign study says of a glaze this version does not know; kept word for word."""

    plain: dict[str, Any] = field(eq=True, hash=False)


@frozen
class Together:
    """The parameters of a group: it has none of its own."""


@frozen
class Coat:
    """One glaze in the Ledger: its kind, its values, and how much of it; or a group of glazes.

    A group (`key` GROUP) lays what its members make together, with one Strength, blend and Reach.
    Groups hold no groups.
    """

    key: str
    parameters: Any
    id: str = field(factory=new_id)
    on: bool = True
    strength: float = 1.0
    name: str = ""
    laying: Laying = Laying()
    members: tuple[Coat, ...] = ()
    note: str = ""  # where it came from
    version: int = 0  # of its glaze, when it is drawn as an older one did; 0 = as it is drawn now

    @property
    def is_group(self) -> bool:
        return self.key == GROUP

    @property
    def spec(self) -> GlazeSpec | None:
        spec = glazes().get(self.key)
        return spec.at(self.version) if spec and self.version else spec

    @property
    def is_former(self) -> bool:
        """Whether it, its Reach, or one of its members is drawn as an older version did."""
        return bool(self.version) or self.laying.is_former or any(m.is_former for m in self.members)

    @property
    def title(self) -> str:
        spec = self.spec
        if self.is_group:
            return self.name or "Group"
        return self.name or (spec.title if spec else f"{self.key} (unknown)")

    @property
    def acts(self) -> bool:
        """Whether the coat can change anything at all."""
        if not self.on or self.strength == 0:
            return False
        if self.is_group:
            return any(m.acts for m in self.members) or self.laying.blend != NORMAL
        spec = self.spec
        return (
            spec is not None
            and not isinstance(self.parameters, UnknownGlaze)
            and (self.parameters != spec.defaults() or self.laying.blend != NORMAL)
        )


def grouped(coats: tuple[Coat, ...], name: str = "") -> Coat:
    """Return a group of coats.

    Raises:
        ValueRefused: one of them is a group itself, or there are more than 64.
    """
    if any(c.is_group for c in coats):
        raise ValueRefused("a group cannot hold a group", hint="take that group apart first")
    if len(coats) > MOST_MEMBERS:
        raise ValueRefused(f"a group holds up to {MOST_MEMBERS} glazes, not {len(coats)}")
    return Coat(GROUP, Together(), name=name, members=coats)


def renewed(coat: Coat) -> Coat:
    """Return a copy with ids of its own, members too."""
    return attrs.evolve(coat, id=new_id(), members=tuple(map(renewed, coat.members)))


def without_ids(coat: Coat) -> Coat:
    """Return a coat without ids: equal to any other that does the same in the same words."""
    return attrs.evolve(coat, id="", members=tuple(map(without_ids, coat.members)))


def drawn_anew(coat: Coat) -> Coat:
    """Return a coat that is drawn as glazes are now, with the same values."""
    laying = attrs.evolve(coat.laying, by_light=True)
    return attrs.evolve(
        coat, version=0, laying=laying, members=tuple(map(drawn_anew, coat.members))
    )


def every(coats: tuple[Coat, ...]) -> Iterator[Coat]:
    """Yield coats in the order of the Ledger: a group, then its members."""
    for coat in coats:
        yield coat
        yield from coat.members


def new_coat(key: str, working: Encoding | None = None, /, **values: Any) -> Coat:
    """Return a coat of a known glaze: with the defaults that suit a working encoding, and values.

    Raises:
        ValueRefused: no glaze has that key, or a value is outside its control.
    """
    spec = glazes().get(key)
    if spec is None:
        raise ValueRefused(f"there is no glaze {key!r}", hint=f"use one of {', '.join(glazes())}")
    return Coat(key, attrs.evolve(spec.new(working) if working else spec.defaults(), **values))
