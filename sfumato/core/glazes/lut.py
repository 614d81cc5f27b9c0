"""LUT: a file laid into the path, with what it expects and gives."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding, names_of
from sfumato.core.colour.showing import Showing, can_be_undone, shown, unshown
from sfumato.core.controls import Choice, File, LutFile, Toggle, control
from sfumato.core.glaze import Category, GlazeSpec, Promise
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform

AS_IT_IS = "the working encoding"
THROUGH, AS_NUMBERS = "through the View", "as numbers"


def _ends() -> tuple[str, ...]:
    return (AS_IT_IS, *names_of())


_MOST = 1e4  # results are held within this: inverse logs of more are infinite


@frozen
class Lut:
    file: LutFile = control(
        LutFile(), File(title="File", help="The LUT; arrow keys step through the files beside it.")
    )
    expects: str = control(
        AS_IT_IS,
        Choice(
            title="Expects",
            options=_ends,
            help="What the LUT was made for: colours are carried there first.",
        ),
    )
    gives: str = control(
        AS_IT_IS,
        Choice(
            title="Gives",
            options=_ends,
            help="What comes out of the LUT: it is carried back to the working encoding.",
        ),
    )
    way: str = control(
        THROUGH,
        Choice(
            title="Displays",
            options=(THROUGH, AS_NUMBERS),
            help="How colours for a display come in and go out where the path holds scene light: "
            "through the View and back, so that its tones are given once; or carried as they are.",
        ),
    )
    sure: bool = control(
        True,
        Toggle(
            title="Sure of both",
            help="Off while it is only guessed what the file expects and gives.",
        ),
    )
    interp: str = control(
        "tetrahedral",
        Choice(
            title="Interpolation",
            options=("tetrahedral", "trilinear"),
            help="How colours between the nodes of the LUT are found.",
        ),
    )


def _is_shown(p: Lut, end: str, working: Encoding) -> bool:
    """Whether an end is for a display while the path holds scene light."""
    return end != AS_IT_IS and working.is_scene and not encoding(end).is_scene


def run(p: Lut, code: Rgb, working: Encoding, view: Showing | None = None) -> Rgb:
    """Working -> what the LUT expects -> LUT -> what it gives -> working; a missing file does nothing.

    Between scene light and a display the View stands: it is done before a LUT that expects a
    display, and undone after one that gives one, so that the View at the end does it once.
    """
    if p.file.transform is None:
        return code.copy()
    through = p.way == THROUGH and view is not None

    def enter(rgb: Rgb) -> Rgb:
        if p.expects == AS_IT_IS:
            return rgb
        if through and _is_shown(p, p.expects, working):
            assert view is not None
            return shown(rgb, working, view, encoding(p.expects))
        return convert(rgb, working, p.expects)

    def leave(rgb: Rgb) -> Rgb:
        if p.gives == AS_IT_IS:
            return rgb
        if through and _is_shown(p, p.gives, working):
            assert view is not None
            space = encoding(p.gives)
            if can_be_undone(working, view, space):
                return unshown(np.clip(rgb, 0, 1), working, view, space)
        return convert(rgb, p.gives, working)

    with np.errstate(all="ignore"):
        out = leave(p.file.transform.apply(enter(code), p.interp))
    return np.clip(np.nan_to_num(out, posinf=_MOST, neginf=-_MOST), -_MOST, _MOST)


def says(p: Lut, working: Encoding, view: Showing | None) -> str:
    """Say what the file is taken for, and what the View does about it."""
    if p.file.transform is None:
        return ""
    names = [working.name if end == AS_IT_IS else end for end in (p.expects, p.gives)]
    taken = "expects" if p.sure else "is taken to expect"
    text = f"{taken} {names[0]}, gives {names[1]}"
    displays = [_is_shown(p, end, working) for end in (p.expects, p.gives)]
    if p.way == AS_NUMBERS and displays[1]:
        return f"{text} as plain numbers: the View gives its tones once more"
    undone = view is None or can_be_undone(
        working, view, None if p.gives == AS_IT_IS else encoding(p.gives)
    )
    if displays[1] and not undone:
        return f"{text} as plain numbers: {view.encoding if view else ''} cannot be undone"
    if all(displays):
        return f"{text}: the View goes before it and is undone after it"
    if displays[1]:
        return f"{text}: the View is undone after it, so that its tones are given once"
    if displays[0]:
        return f"{text}: the View goes before it"
    return text


SPEC = GlazeSpec(
    "lut",
    "LUT",
    Category.COLOUR,
    Lut,
    run,
    help="Lays a LUT file into the path: build over it, under it, or at a Strength of its own.",
    more=(
        "A LUT knows nothing of your working encoding: say what it expects and gives, and it "
        "is carried there and back, through the View where one end is a display and the path "
        "holds scene light. Glazes above it change what goes in, those below what comes out."
    ),
    version=2,
    upgrades={1: lambda values: {**values, "way": AS_NUMBERS}},  # as it was done then
    knows_view=True,
    says=says,
    promise=Promise(gain=40.0, noise=11.0, cast=0.003),
    mild={"file": LutFile("x.cube", Transform((Table3D(lattice_colours(17) ** 1.1),)))},
)
