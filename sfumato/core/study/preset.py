"""Presets: a glaze, a group or a whole Look to be used again, as plain data."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import field, frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import DAMAGE, StudyError, ValueRefused
from sfumato.core.study import coat_json, study_json
from sfumato.core.study.coat import MOST_MEMBERS, Coat, grouped, renewed
from sfumato.core.study.look import Look

VERSION = 1
LOG, DISPLAY = "log", "display"


def suits(working: str) -> str:
    """Return what kind of source a working encoding belongs to: LOG (scene-referred) or DISPLAY."""
    return LOG if encoding(working).is_scene else DISPLAY


@frozen
class Preset:
    """Coats with a name, the working encoding they were set in, and a note on what they do."""

    name: str
    coats: tuple[Coat, ...]
    working: str
    note: str = ""
    strength: float = 1.0
    made_for: str = field(init=False)

    def __attrs_post_init__(self) -> None:
        object.__setattr__(self, "made_for", suits(self.working))

    def as_coat(self) -> Coat:
        """Return one coat that does it all: the only one as it is, several as a group.

        Raises:
            ValueRefused: it has several coats and one of them is a group.
        """
        if len(self.coats) == 1 and self.strength == 1.0:
            return renewed(self.coats[0])
        return attrs.evolve(
            grouped(tuple(map(renewed, self.coats)), self.name), strength=self.strength
        )

    def fresh(self) -> tuple[Coat, ...]:
        """Return the coats to be added, with ids of their own: one where that can be, else all."""
        if any(c.is_group for c in self.coats) and (len(self.coats) > 1 or self.strength != 1.0):
            return tuple(map(renewed, self.coats))
        return (self.as_coat(),)

    def as_look(self) -> Look:
        return Look(self.name, tuple(map(renewed, self.coats)), self.strength)

    def with_files(self, change: Any) -> Preset:
        """Change every LUT file that its glazes refer to."""
        from sfumato.core.study.study import Study

        study = Study(look=Look(self.name, self.coats)).with_files(change)
        return attrs.evolve(self, coats=study.look.coats)


def dump(preset: Preset) -> dict[str, Any]:
    """Return the preset as plain data; the ids of its coats are left out."""

    def without_id(plain: dict[str, Any]) -> dict[str, Any]:
        plain.pop("id", None)
        for member in plain.get("members", []):
            without_id(member)
        return plain

    return {
        "sfumato_preset": VERSION,
        "name": preset.name,
        "note": preset.note,
        "working": preset.working,
        "strength": preset.strength,
        "coats": [without_id(coat_json.dump_coat(c)) for c in preset.coats],
    }


def load(plain: Any) -> Preset:
    """Make a preset from plain data.

    Raises:
        StudyError: it is no preset, is from a newer version, or a value is refused.
    """
    if not isinstance(plain, dict) or not isinstance(plain.get("sfumato_preset"), int):
        raise StudyError("this is not a preset", hint="choose a .glaze or .look file")
    if plain["sfumato_preset"] > VERSION:
        raise StudyError("the preset was written by a newer version", hint="open it with that one")
    try:
        study_json.check_plain(plain)
        coats = tuple(coat_json.load_coat(c) for c in plain["coats"])
        if not 1 <= len(coats) <= MOST_MEMBERS:
            raise ValueRefused(f"a preset holds 1 to {MOST_MEMBERS} glazes, not {len(coats)}")
        strength = coat_json.share(plain.get("strength", 1.0), "the Strength of the preset")
        working = encoding(str(plain.get("working", "sRGB"))).name
        return Preset(
            str(plain["name"])[:80], coats, working, str(plain.get("note", ""))[:400], strength
        )
    except ValueRefused as error:
        raise StudyError(f"a value is refused: {error.summary}", hint=error.hint) from error
    except DAMAGE as error:
        detail = f"{type(error).__name__} {error}"[:120]
        raise StudyError(f"the preset is damaged ({detail})", hint="save it again") from error
