"""Hypothesis strategies made from the kinds of control, so that a new glaze is covered at once."""

from __future__ import annotations

import attrs
from hypothesis import strategies as st

from sfumato.core.colour.encodings import encodings
from sfumato.core.controls import (
    DEPTH,
    LEVELS,
    REACH,
    STOP,
    Choice,
    Curve,
    File,
    HueCurve,
    Kind,
    LevelSet,
    LutFile,
    Number,
    Pad,
    Pair,
    Pairs,
    Ramp,
    Text,
    Toggle,
    Triple,
    kinds,
)
from sfumato.core.glaze import GlazeSpec, glazes
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path.laying import Laying
from sfumato.core.study.coat import Coat, grouped, new_coat
from sfumato.core.study.printing import ALONE, ANEW, HELD, INTENTS, Printing
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Look, Study

names = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20
)


def floats(low: float, high: float) -> st.SearchStrategy[float]:
    return st.floats(low, high, allow_nan=False).map(lambda v: float(round(v, 4)))


@st.composite
def points(draw) -> tuple[tuple[float, float], ...]:
    xs = sorted(draw(st.lists(st.integers(0, 100), min_size=2, max_size=6, unique=True)))
    return tuple((x / 100, draw(floats(-0.2, 1.2))) for x in xs)


@st.composite
def hue_points(draw) -> tuple[tuple[float, float], ...]:
    hues = sorted(draw(st.lists(st.integers(0, 71), max_size=6, unique=True)))
    return tuple((h * 5.0, draw(floats(-1, 1))) for h in hues)


@st.composite
def stops(draw) -> tuple[tuple[float, float, float, float], ...]:
    tones = sorted(draw(st.lists(st.integers(0, 20), max_size=5, unique=True)))
    rest = st.tuples(*[floats(k.least, k.most) for k in STOP[1:]])
    return tuple((t / 20, *draw(rest)) for t in tones)


@st.composite
def pairs(draw) -> Pair:
    lab = st.tuples(floats(-0.2, 2), floats(-0.4, 0.4), floats(-0.4, 0.4))
    reach, depth = (draw(floats(k.least, k.most)) for k in (REACH, DEPTH))
    return Pair(draw(lab), draw(lab), reach, depth, draw(st.booleans()))


def of(kind: Kind) -> st.SearchStrategy:
    match kind:
        case Number():
            return floats(kind.least, kind.most)
        case Triple():
            return st.tuples(*[floats(kind.least, kind.most)] * 3)
        case Toggle():
            return st.booleans()
        case Choice():
            return st.sampled_from(kind.options)
        case Text():
            return st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=40)
        case Curve():
            return points()
        case HueCurve():
            return hue_points()
        case Pad():
            return st.tuples(*[floats(kind.least, kind.most)] * 3)
        case LevelSet():
            return st.tuples(*[floats(k.least, k.most) for k in LEVELS])
        case Ramp():
            return stops()
        case Pairs():
            return st.lists(pairs(), max_size=4).map(tuple)
        case File():
            table = Table3D(lattice_colours(3) ** 1.5)
            return st.sampled_from([LutFile(), LutFile("/luts/a.cube", Transform((table,)))])
    raise LookupError(f"no strategy for {type(kind).__name__}: add one here")


@st.composite
def layings(draw) -> Laying:
    if draw(st.booleans()):
        return Laying()
    return Laying(**{name: draw(of(kind)) for name, kind in kinds(Laying()).items()})


@st.composite
def coats(draw, spec: GlazeSpec | None = None) -> Coat:
    spec = spec or draw(st.sampled_from(list(glazes().values())))
    values = {name: draw(of(kind)) for name, kind in spec.controls().items()}
    coat = new_coat(spec.key, **values)
    return Coat(
        spec.key,
        coat.parameters,
        coat.id,
        draw(st.booleans()),
        draw(floats(0, 2)),
        draw(st.just("") | names),
        draw(layings()),
    )


@st.composite
def groups(draw) -> Coat:
    group = grouped(tuple(draw(st.lists(coats(), max_size=3))), draw(st.just("") | names))
    return attrs.evolve(group, strength=draw(floats(0, 2)), laying=draw(layings()))


@st.composite
def studies(draw) -> Study:
    shots = tuple(
        Shot(
            f"/pictures/{i}.tif",
            draw(names),
            draw(st.none() | st.sampled_from(list(encodings()))),
            0,
            tuple(draw(st.lists(coats(), max_size=2))),
            press=draw(st.sampled_from([None, "", "/presses/own.icc"])),
        )
        for i in range(draw(st.integers(0, 3)))
    )
    top = st.lists(coats() | groups(), max_size=4)
    look = Look(draw(names), tuple(draw(top)), draw(floats(0, 2)))
    return Study(
        draw(names),
        shots,
        look,
        draw(st.sampled_from(list(encodings()))),
        grid=draw(st.integers(2, 129)),
        printing=Printing(
            draw(st.sampled_from(INTENTS)),
            draw(st.sampled_from((ALONE, HELD, ANEW))),
            draw(floats(100, 400)),
            draw(st.booleans()),
            draw(st.sampled_from(("", "/presses/own.icc"))),
        ),
    )
