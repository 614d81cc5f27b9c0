"""What the shots of a study become: through what, how much of it, made for what, named how, and where."""

from __future__ import annotations

from typing import Any

from attrs import field, frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import LutFile
from sfumato.core.errors import ValueRefused

USUAL_NAME = "{shot}"


@frozen
class Results:
    """`lut` takes the place of Ground and Look where it has a path; `made_for` is an encoding, "" the
    View's or what the LUT gives; `strength` is 0 to 2."""

    strength: float = 1.0
    lut: LutFile = field(factory=LutFile)
    made_for: str = ""
    names: str = USUAL_NAME
    folder: str = ""

    def unusual(self) -> str:
        """Say in a few words what differs from the whole Look through the View, "" when nothing does."""
        words = []
        if self.strength != 1.0:
            words.append(f"at {self.strength * 100:g} %")
        if self.lut.path:
            words.append(f"through {self.lut.path.replace(chr(92), '/').rpartition('/')[2]}")
        if self.made_for:
            words.append(f"made for {self.made_for}")
        return ", ".join(words)


def dump(results: Results) -> dict[str, Any]:
    """Return it as plain data."""
    return {
        "strength": results.strength,
        "lut": results.lut.path,
        "made_for": results.made_for,
        "names": results.names,
        "folder": results.folder,
    }


def load(plain: Any) -> Results:
    """Make it from plain data; what is missing is as usual.

    Raises:
        ValueRefused: a value is outside what it may be.
    """
    if not isinstance(plain, dict):
        raise ValueRefused("the results are no record")
    strength = plain.get("strength", 1.0)
    if (
        isinstance(strength, bool)
        or not isinstance(strength, int | float)
        or not 0 <= strength <= 2
    ):
        raise ValueRefused(f"the Strength of the results is {strength!r}, outside 0 to 2")
    made_for = str(plain.get("made_for", ""))
    return Results(
        float(strength),
        LutFile(str(plain.get("lut", ""))),
        encoding(made_for).name if made_for else "",
        str(plain.get("names", USUAL_NAME))[:500],
        str(plain.get("folder", ""))[:4096],
    )
