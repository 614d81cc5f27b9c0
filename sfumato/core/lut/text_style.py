"""How a text LUT is laid out: line ends, digits, spaces, header. A value; `formats.parts.style` works by it."""

from __future__ import annotations

from typing import Any

from attrs import asdict, frozen

from sfumato.core.errors import ValueRefused

SHORTEST, FIXED, POWER, WHOLE = "shortest", "fixed", "power", "whole"
MOST_HEADER, LONGEST = 60, 300


@frozen
class Style:
    """A layout of text.

    Attributes:
        newline: "\\n", "\\r\\n" or "\\r"; `ends` whether the last line has one.
        numbers: SHORTEST, FIXED, POWER or WHOLE, with `digits` behind the point.
        width: of a number with spaces before it, 0 for no padding.
        indent, between, after: before the first number of a row, between two, behind the last.
        header: lines before the rows, with {title}, {grid}, {low}, {high}, {range} and {comment}
            where those stand; empty for the format's own.
        bom: a byte order mark at the start.
    """

    newline: str = "\n"
    ends: bool = True
    numbers: str = SHORTEST
    digits: int = 0
    width: int = 0
    indent: str = ""
    between: str = " "
    after: str = ""
    header: tuple[str, ...] = ()
    bom: bool = False

    @property
    def quantum(self) -> float:
        """How far a value of 0..1 may be off for the digits that are written."""
        if self.numbers not in (FIXED, POWER):
            return 0.0
        return 0.5 * 10.0**-self.digits + 2.0**-24  # and that of the float that is read

    @property
    def says(self) -> str:
        """The layout in a few words."""
        ends = {"\n": "LF", "\r\n": "CRLF", "\r": "CR"}[self.newline]
        digits = f"{self.digits} digits" if self.numbers in (FIXED, POWER) else "shortest numbers"
        return f"{ends}, {'whole numbers' if self.numbers == WHOLE else digits}"


def dump(style: Style) -> dict[str, Any]:
    """Return it as plain data."""
    return {**asdict(style), "header": list(style.header)}


def load(plain: Any) -> Style:
    """Make it from plain data.

    Raises:
        ValueRefused: it is no layout.
    """
    if not isinstance(plain, dict):
        raise ValueRefused("the layout of an outlet is no record")
    header = tuple(str(x)[:LONGEST] for x in plain.get("header", [])[:MOST_HEADER])
    numbers, newline = str(plain.get("numbers", SHORTEST)), str(plain.get("newline", "\n"))
    digits, width = int(plain.get("digits", 0)), int(plain.get("width", 0))
    if numbers not in (SHORTEST, FIXED, POWER, WHOLE) or newline not in ("\n", "\r\n", "\r"):
        raise ValueRefused("the layout of an outlet is damaged")
    if not (0 <= digits <= 20 and 0 <= width <= 40):
        raise ValueRefused("the layout of an outlet is damaged")
    spaces = {n: str(plain.get(n, d)) for n, d in (("indent", ""), ("between", " "), ("after", ""))}
    if any(v.strip() or len(v) > 40 for v in spaces.values()) or (
        not spaces["between"] and not width
    ):
        raise ValueRefused("the layout of an outlet is damaged")
    return Style(
        newline,
        plain.get("ends", True) is True,
        numbers,
        digits,
        width,
        **spaces,
        header=header,
        bom=plain.get("bom", False) is True,
    )
