"""Coats and Looks to and from plain data, with upgrades of older glazes and unknown ones kept."""

from __future__ import annotations

from typing import Any

import attrs

from sfumato.core import controls
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import glazes
from sfumato.core.path.laying import Laying
from sfumato.core.study.coat import GROUP, Coat, UnknownGlaze, grouped, new_id
from sfumato.core.study.look import Look

_COAT_KEYS = {"glaze", "v", "id", "on", "strength", "name", "note", "laying", "members"}


def dump_coat(coat: Coat) -> dict[str, Any]:
    head: dict[str, Any] = {
        "id": coat.id,
        "on": coat.on,
        "strength": coat.strength,
        "name": coat.name,
    }
    if isinstance(coat.parameters, UnknownGlaze):
        return {**coat.parameters.plain, **head}
    if coat.note:
        head["note"] = coat.note
    if coat.laying != Laying():
        head["laying"] = controls.dump(coat.laying)
    if coat.is_group:
        return {"glaze": GROUP, "v": 1, **head, "members": [dump_coat(m) for m in coat.members]}
    spec = glazes()[coat.key]
    return {
        "glaze": coat.key,
        "v": coat.version or spec.version,
        **head,
        **controls.dump(coat.parameters),
    }


def load_coat(plain: dict[str, Any]) -> Coat:
    key = plain["glaze"]
    if not isinstance(key, str) or not key:
        raise ValueRefused("a glaze has no name")
    head: dict[str, Any] = {
        "id": str(plain.get("id") or new_id()),
        "on": bool(plain.get("on", True)),
        "strength": share(plain.get("strength", 1.0), "the Strength of a glaze"),
        "name": str(plain.get("name", "")),
        "note": str(plain.get("note", ""))[:4000],
    }
    if key == GROUP:
        members = plain.get("members", [])
        inside = grouped(tuple(load_coat(m) for m in members if m.get("glaze") != GROUP))
        if len(inside.members) != len(members):
            raise ValueRefused("a group holds a group")
        laying = _laying(plain.get("laying"))
        return attrs.evolve(inside, laying=laying, **head)
    spec = glazes().get(key)
    version = int(plain.get("v", 1))
    if spec is None or version > spec.version:
        return Coat(key, UnknownGlaze(dict(plain)), **head)
    head["laying"] = _laying(plain.get("laying"))
    values = {k: v for k, v in plain.items() if k not in _COAT_KEYS}
    for step in range(version, spec.version):
        values = spec.upgrades[step](values)
    former = version if spec.at(version) is not spec else 0
    return Coat(key, controls.load(spec.record, values), version=former, **head)


def _laying(plain: Any) -> Laying:
    """Make a Laying from plain data; one from before chroma was taken for its light stays as it was."""
    found: Laying = controls.load(Laying, {"by_light": False, **plain} if plain else {})
    return found if found.is_former else attrs.evolve(found, by_light=True)


def number(value: Any, least: float, most: float, what: str) -> float:
    """Return a number that plain data holds.

    Raises:
        ValueRefused: it is none, or outside its bounds.
    """
    if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
        raise ValueRefused(f"{what} is {value!r}, outside {least:g} to {most:g}")
    return float(value)


def share(value: Any, what: str) -> float:
    """Return a Strength, 0 to 2.

    Raises:
        ValueRefused: it is none.
    """
    return number(value, 0.0, 2.0, what)


def dump_look(look: Look) -> dict[str, Any]:
    """Return a Look as plain data."""
    coats = [dump_coat(c) for c in look.coats]
    return {"name": look.name, "strength": look.strength, "coats": coats}


def load_look(plain: Any) -> Look:
    """Make a Look from plain data.

    Raises:
        ValueRefused: a value is outside its control.
    """
    return Look(
        str(plain["name"]),
        tuple(load_coat(c) for c in plain["coats"]),
        share(plain.get("strength", 1.0), "the Strength of the Look"),
    )
