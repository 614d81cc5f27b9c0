"""What a grid loses, sampled and fitted: the table behind the choice of how LUTs are baked.

Prints CIEDE2000 of the viewed colours, mean / 99 % / max, over the demo shots and over the cube, for
grades of many kinds. Run it with `./dev bench accuracy`; `./dev bench accuracy trip` prints the table of
round trips, `./dev bench accuracy borrow` that of borrowed looks.
"""

from __future__ import annotations

import sys
from pathlib import Path

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.fit import fitted
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.path.laying import Laying
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.study import Look, Study
from sfumato.core.study.view import View
from sfumato.work.frames import Frames
from sfumato.work.stores.study_store import open_study

DEMO = Path(__file__).resolve().parents[1] / "demo" / "saltglass.sfumato"
NARROW = Laying(hue=45.0, hue_width=20.0, hue_soft=12.0)
SMOOTH = ("gentle", "teal and orange", "Cineon")


def grades() -> dict[str, Study]:
    """Return a study for each kind of grade."""
    soft = {"master": ((0.0, 0.03), (0.25, 0.23), (0.75, 0.78), (1.0, 0.98))}
    display = Study(working="BT.1886", view=View(encoding="BT.1886"))

    def of(study: Study, *coats: Coat) -> Study:
        return attrs.evolve(study, look=Look("x", coats))

    return {
        "gentle": of(display, new_coat("curves", **soft), new_coat("colourfulness", amount=15.0)),
        "strong": of(
            display,
            new_coat("contrast", slope=1.6, keep_ends=True),
            new_coat(
                "hue_table",
                hue=((30.0, 0.25), (140.0, -0.3), (250.0, 0.2)),
                chroma=((30.0, 0.4), (200.0, -0.4)),
            ),
        ),
        "Cineon": Study(working="Cineon", view=View()),
        "ACEScct": of(
            Study(working="ACEScct", view=View()), new_coat("colourfulness", amount=10.0)
        ),
        "teal and orange": of(
            display, new_coat("tints", stops=((0.2, 220.0, 0.016, 0.5), (0.8, 60.0, 0.018, 0.5)))
        ),
        "steep clip": of(display, new_coat("cdl", slope=(2.2,) * 3, offset=(-0.4,) * 3)),
        "posterise": of(display, new_coat("posterise", levels=6.0)),
        "narrow key": of(display, attrs.evolve(new_coat("exposure", stops=0.8), laying=NARROW)),
    }


GREYS = np.repeat(np.linspace(0, 1, 2001, dtype=np.float32)[:, None], 3, 1)


@frozen
class Row:
    """One way of baking one grade: differences over the cube, on pictures and on greys."""

    grade: str
    grid: int
    how: str
    cube: Difference
    pictures: Difference
    greys: Difference


def pictures(study: Study, frames: Frames, width: int) -> Rgb:
    """Return the colours of the demo shots in the study's working values, 0..1."""
    found = []
    for shot in open_study(DEMO).shots:
        code = convert(frames.sample(shot, width), shot.encoding, "Tarn Log")
        if study.working == "BT.1886":
            demo = Study(working="Tarn Log", view=View(encoding="BT.1886"))
            code = path.through_view(demo, code)
        else:
            code = convert(code, "Tarn Log", study.working)
        found.append(np.clip(code, 0, 1).reshape(-1, 3))
    return np.concatenate(found)


def rows(grids: tuple[int, ...] = (17, 33), only: tuple[str, ...] = ()) -> list[Row]:
    """Bake every grade three ways and measure each on colours that no fit has seen."""
    frames = Frames()
    out = []
    for name, study in grades().items():
        if only and name not in only:
            continue
        exact, display = study.transform(), encoding(study.view.encoding)
        seen, unseen = pictures(study, frames, 208), pictures(study, frames, 240)
        for grid in grids:
            nodes = np.nan_to_num(exact.apply(lattice_colours(grid)))
            ways = {
                "sampled, 0..1": Table3D(np.clip(nodes, 0, 1)),
                "sampled": Table3D(np.clip(nodes, *NODE_RANGE)),
            }
            fit = fitted(exact, grid, display, natural=seen)
            ways["fitted" if fit.kept else "fit refused"] = fit.table
            for how, table in ways.items():
                lut = Transform((table,))
                found = [
                    difference_of((exact.apply(c), lut.apply(c)), c, display)
                    for c in (cube_colours(30000), unseen, as_rgb(GREYS))
                ]
                out.append(Row(name, grid, how, *found))
    return out


def _three(d: Difference) -> str:
    return f"{d.mean:6.3f} /{d.p99:6.2f} /{d.worst:6.2f}"


if __name__ == "__main__":
    if sys.argv[1:] == ["trip"]:
        from bench.trip import accuracy

        accuracy()
        sys.exit()
    if sys.argv[1:2] == ["borrow"]:
        from bench.borrow import main

        main(sys.argv[2:])
        sys.exit()
    print(f"{'grade':16s} {'grid':>4s}  {'how':14s} {'cube':>22s} {'pictures':>22s} {'greys':>22s}")
    for row in rows(only=tuple(sys.argv[1:])):
        parts = (_three(row.cube), _three(row.pictures), _three(row.greys))
        print(f"{row.grade:16s} {row.grid:4d}  {row.how:14s} {' '.join(parts)}")
