"""Outlets: remembered destinations of a Look, with all that a target needs to know of its file."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from typing import Any

import attrs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.colour.encodings import Family, names_of
from sfumato.core.controls import Choice, Number, Text, Toggle, control, counted
from sfumato.core.errors import ValueRefused
from sfumato.core.lut import text_style
from sfumato.core.lut.device import DEPTHS, FLOAT, FULL, LEGAL, Device
from sfumato.core.lut.sample import INTERPOLATIONS
from sfumato.core.lut.text_style import Style

AS_STUDY = "as the study"
LUT, SHADER, CONFIG, ACES, CORRECTIONS = (
    "LUT file",
    "shader",
    "OCIO config",
    "ACES look",
    "shot corrections",
)
FORMS = (LUT, SHADER, CONFIG, ACES, CORRECTIONS)
CAMERA, WORKING, DISPLAY, SHOWN = (
    "camera to display",
    "working to working",
    "display to display",
    "working to display",
)
SPANS = {CAMERA: "camera", WORKING: "working", DISPLAY: "display", SHOWN: "shown"}
ASK, VERSION, REPLACE = "ask", "new version", "replace"
ANY_LETTERS, PLAIN_LETTERS, CAPITALS = "any", "plain", "capitals"
FIELDS = ("look", "study", "date", "in", "out", "grid", "version", "number")
MOST_OUTLETS = 200
_FIELD = re.compile(r"\{(\w*)\}")
_KEY = re.compile(r"[a-z0-9_]{1,40}")


def _displays() -> tuple[str, ...]:
    return (AS_STUDY, *names_of(Family.DISPLAY))


@frozen
class Outlet:
    """A destination: what is written there, where, named how, and what the target makes of it.

    `format`, `depth`, `layout` and `suffix` are of the LUT formats' own lists, "" for the usual ones;
    `key` names the outlet in a study and on the command line.
    """

    key: str = "outlet"
    title: str = control("Untitled outlet", Text(title="Name", longest=80))
    target: str = control(
        "", Text(title="For", longest=80, help="What kind of program or device it is.")
    )
    form: str = control(LUT, Choice(title="Writes", options=FORMS, help="What is written."))
    format: str = control("cube", Text(title="Format", longest=20))
    grid: int = control(
        33,
        counted("Grid", 2, 129, "Points a side of the 3D table.", "points"),
    )
    depth: str = control("", Text(title="Depth", longest=4))
    layout: str = control("", Text(title="Layout", longest=60))
    suffix: str = control("", Text(title="File", longest=10))
    shaper: bool = control(
        False,
        Toggle(title="Shaper", help="A 1D table before the grid gives dark tones more of it."),
    )
    fit: str = control(
        AS_STUDY,
        Choice(
            title="Nodes",
            options=(AS_STUDY, "sampled", "fitted"),
            help="Fitted nodes lie closer between the points, where that measures better.",
        ),
    )
    span: str = control(
        AS_STUDY,
        Choice(
            title="Span",
            options=(AS_STUDY, *SPANS),
            help="What the target gives to the LUT and takes from it.",
        ),
    )
    display: str = control(
        AS_STUDY,
        Choice(
            title="View",
            options=_displays,
            help="The display that this target has, where it is another than the study's.",
        ),
    )
    peak: float = control(
        0.0,
        Number(
            title="Peak",
            help="The brightest light of a PQ or HLG display of its own; 0 as the study.",
            least=0.0,
            most=4000.0,
            step=10,
            digits=0,
            unit="cd/m²",
        ),
    )
    interp: str = control(
        "tetrahedral",
        Choice(
            title="Between nodes",
            options=INTERPOLATIONS,
            help="How the target finds what lies between the nodes.",
        ),
    )
    nodes: str = control(
        FLOAT, Choice(title="Holds", options=DEPTHS, help="The depth in which it keeps the LUT.")
    )
    codes: str = control(
        FLOAT, Choice(title="Picture", options=DEPTHS, help="The depth of the pictures there.")
    )
    reach: str = control(
        FULL,
        Choice(
            title="Range",
            options=(FULL, LEGAL),
            help="Whether its pictures use all codes, or those of legal range.",
        ),
    )
    folder: str = control("", Text(title="Folder", longest=4096))
    names: str = control(
        "{look}_{grid}",
        Text(
            title="Names",
            longest=200,
            help="Fields: " + ", ".join("{" + f + "}" for f in FIELDS),
        ),
    )
    base: str = control(
        "",
        Text(
            title="Added to",
            longest=200,
            help="The file name of an OCIO config in the folder, to whose copy the look is added; "
            "empty for a config of its own.",
        ),
    )
    heading: str = control(
        "{look}, {in} to {out}",
        Text(title="Title", longest=200, help="The title inside the file; fields as in names."),
    )
    comments: bool = control(
        True, Toggle(title="Comments", help="Says inside the file what it expects and gives.")
    )
    there: str = control(
        ASK,
        Choice(
            title="If it is there",
            options=(ASK, VERSION, REPLACE),
            help="What is done with a file of that name which was not sent from here.",
        ),
    )
    longest: int = control(
        0,
        counted(
            "Longest name", 0, 255, "Letters of a name without its suffix; 0 for any.", "letters"
        ),
    )
    letters: str = control(
        ANY_LETTERS,
        Choice(
            title="Letters",
            options=(ANY_LETTERS, PLAIN_LETTERS, CAPITALS),
            help="Plain: a to z, digits, _ and -. Capitals: A to Z, digits and _.",
        ),
    )
    places: int = control(
        0,
        counted("Places", 0, 999, "How many LUTs the target has room for; 0 for any."),
    )
    most_kb: float = control(
        0.0,
        Number(
            title="Largest file",
            help="0 for any size.",
            least=0.0,
            most=1e7,
            step=1,
            digits=0,
            unit="kB",
        ),
    )

    bench: str = control(
        "",
        Text(
            title="On the Bench",
            longest=200,
            help="The simulated device through which Accord measures it: a key of one; empty for none.",
        ),
    )

    style: Style | None = None  # the layout of its text, learnt from a file that the target takes

    @property
    def device(self) -> Device:
        """What the target makes of its LUT."""
        return Device(float(min(self.grid, 65)), self.nodes, self.interp, self.codes, self.reach)

    @property
    def says(self) -> str:
        """What it writes in a few words, as `cube · 33`."""
        if self.form != LUT:
            return f"added to {self.base}" if self.form == CONFIG and self.base else self.form
        words = [self.format, str(self.grid) if self.grid else ""]
        if self.depth:
            words.append(f"{self.depth.rstrip('f')} bit" + (" float" * self.depth.endswith("f")))
        if self.longest:
            words.append(f"names of {self.longest}")
        if self.places:
            words.append(f"{self.places} places")
        return " · ".join(w for w in words if w)


def filled(pattern: str, values: Mapping[str, str]) -> str:
    """Return a pattern with its fields in braces filled in.

    >>> filled("{look}_{grid}", {"look": "Low tide", "grid": "33"})
    'Low tide_33'

    Raises:
        ValueRefused: it has a field that is not known.
    """

    def value(found: re.Match[str]) -> str:
        if found[1] not in values:
            raise ValueRefused(
                f"names have no field {{{found[1]}}}",
                hint=f"use {', '.join('{' + n + '}' for n in values)}",
            )
        return values[found[1]]

    return _FIELD.sub(value, pattern)


def today() -> str:
    """Return the date, ISO 8601."""
    return date.today().isoformat()


_ASCII = {
    "ä": "ae",
    "ö": "oe",
    "ü": "ue",
    "ß": "ss",
    "å": "a",
    "é": "e",
    "è": "e",
    "ñ": "n",
    "ø": "o",
}


def stem_for(outlet: Outlet, values: Mapping[str, str]) -> tuple[str, str]:
    """Return a file name without suffix as the target takes it, and what was done to it, "" if nothing.

    >>> stem_for(Outlet(longest=8, letters=CAPITALS, names="{look}"), {"look": "Low tide, night"})
    ('LOW_TIDE', 'the name is shortened to 8 letters')

    Raises:
        ValueRefused: the pattern has a field that is not known.
    """
    whole = filled(outlet.names, values)
    if outlet.letters == ANY_LETTERS:
        stem = "".join(c if c.isalnum() or c in " -+._()" else "_" for c in whole).strip(" .")
    else:
        plain = "".join(_ASCII.get(c, c) for c in whole.casefold())
        kept = r"[^a-z0-9]+" if outlet.letters == CAPITALS else r"[^a-z0-9-]+"
        stem = re.sub(kept, "_", plain).strip("_-")
        stem = stem.upper() if outlet.letters == CAPITALS else stem
    said = ""
    if outlet.longest and len(stem) > outlet.longest:
        stem = stem[: outlet.longest].rstrip(" ._-")
        said = f"the name is shortened to {outlet.longest} letters"
    return stem or "look"[: outlet.longest or None], said


def dump(outlet: Outlet) -> dict[str, Any]:
    """Return it as plain data: what differs from a plain outlet."""
    usual = controls.dump(Outlet())
    return {
        "key": outlet.key,
        **{n: v for n, v in controls.dump(outlet).items() if v != usual[n]},
        **({"style": text_style.dump(outlet.style)} if outlet.style is not None else {}),
    }


def load(plain: Any) -> Outlet:
    """Make it from plain data.

    Raises:
        ValueRefused: it is no record of an outlet, or a value is outside what it may be.
    """
    if not isinstance(plain, dict) or not _KEY.fullmatch(str(plain.get("key", ""))):
        raise ValueRefused("an outlet has no key of small letters and digits")
    values = {k: v for k, v in plain.items() if k not in ("key", "style")}
    found: Outlet = controls.load(Outlet, values)
    style = text_style.load(plain["style"]) if plain.get("style") is not None else None
    return attrs.evolve(found, key=str(plain["key"]), style=style)


def key_for(title: str, taken: set[str]) -> str:
    """Return a key for an outlet of a title that no other has.

    >>> key_for("On-set monitor", {"on_set_monitor"})
    'on_set_monitor_2'
    """
    plain = re.sub(r"[^a-z0-9]+", "_", title.casefold()).strip("_")[:32] or "outlet"
    numbers = (f"_{i}" if i > 1 else "" for i in range(1, MOST_OUTLETS + 2))
    return next(f"{plain}{n}" for n in numbers if f"{plain}{n}" not in taken)
