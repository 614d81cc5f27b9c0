"""LUT: a file laid into the path, with what it expects and gives."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, convert, names_of
from sfumato.core.controls import Choice, File, LutFile, control
from sfumato.core.glaze import Category, GlazeSpec
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform

AS_IT_IS = "the working encoding"


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
    interp: str = control(
        "tetrahedral",
        Choice(
            title="Interpolation",
            options=("tetrahedral", "trilinear"),
            help="How colours between the nodes of the LUT are found.",
        ),
    )


def run(p: Lut, code: Rgb, working: Encoding) -> Rgb:
    """Working -> what the LUT expects -> LUT -> what it gives -> working; a missing file does nothing."""
    if p.file.transform is None:
        return code.copy()
    with np.errstate(all="ignore"):
        x = code if p.expects == AS_IT_IS else convert(code, working, p.expects)
        y = p.file.transform.apply(x, p.interp)
        out = y if p.gives == AS_IT_IS else convert(y, p.gives, working)
    return np.clip(np.nan_to_num(out, posinf=_MOST, neginf=-_MOST), -_MOST, _MOST)


SPEC = GlazeSpec(
    "lut",
    "LUT",
    Category.COLOUR,
    Lut,
    run,
    help="Lays a LUT file into the path: build over it, under it, or at a Strength of its own.",
    more=(
        "A LUT knows nothing of your working encoding: say what it expects and gives, and it "
        "is carried there and back. Glazes above it change what goes in, those below what "
        "comes out."
    ),
    mild={"file": LutFile("x.cube", Transform((Table3D(lattice_colours(17) ** 1.1),)))},
)
