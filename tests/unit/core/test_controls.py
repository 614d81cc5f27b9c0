"""What kinds of control refuse: each rule at its edge."""

from __future__ import annotations

from types import SimpleNamespace

import attrs
import pytest

from sfumato.core.bench.engine import Import
from sfumato.core.bench.monitor import Monitor
from sfumato.core.controls import Choice, Number, kinds, load
from sfumato.core.errors import ValueRefused
from sfumato.core.glazes.hue_table import HueTable
from sfumato.core.glazes.tints import Tints
from sfumato.core.study.outlet import Outlet

HUES = attrs.fields(HueTable).chroma.name
NEAR = ((10.0, 0.1), (10.4, 0.2))


@pytest.mark.parametrize(
    "points",
    [
        NEAR,
        ((0.1, 0.1), (120.0, 0.0), (359.8, 0.2)),  # near to one another across 0 degrees
        ((50.0, 0.1), (20.0, 0.2)),
        ((361.0, 0.0),),
        ((10.0, 1.5),),
        ((10.0, float("nan")),),
        (10.0,),
        tuple((float(i * 10), 0.0) for i in range(25)),
    ],
)
def test_points_of_hue_curves(points) -> None:
    with pytest.raises(ValueRefused):
        HueTable(**{HUES: points})


def test_points_half_a_degree_apart_are_taken() -> None:
    for points in ((), ((0.0, 1.0),), ((10.0, 0.1), (10.5, 0.2)), ((0.25, 0.0), (359.75, 0.0))):
        assert getattr(HueTable(**{HUES: points}), HUES) == points


@pytest.mark.parametrize(
    "stops", [((0.5, 10.0, 0.1),), ((0.5, 10.0, 0.1, float("inf")),), (("a", 1.0, 0.1, 0.1),), 3]
)
def test_stops_of_tints(stops) -> None:
    with pytest.raises(ValueRefused):
        Tints(stops)


def test_stops_keep_their_distance_to_the_next_one() -> None:
    def stops(*tones: float) -> Tints:
        return Tints(tuple((tone, 10.0, 0.1, 0.1) for tone in tones))

    assert len(stops(0.2, 0.21, 0.5).stops) == 3
    for tones in ((0.2, 0.205, 0.5), (0.2, 0.5, 0.505), (0.5, 0.2)):
        with pytest.raises(ValueRefused, match="rise"):
            stops(*tones)


def test_a_refusal_stays_a_sentence_where_hundreds_could_be_chosen() -> None:
    """The spaces of an OCIO config are choices too; twenty names are still all said."""
    many = tuple(f"config: Space {i:03}" for i in range(400))
    for options, most in ((many, 500), (many[:12], 400)):
        with pytest.raises(ValueRefused) as refused:
            Choice(title="Space", options=options).check(None, SimpleNamespace(name="space"), "no")
        assert len(refused.value.sentence()) < most
        assert ("…" in refused.value.hint) == (len(options) > 12)
        assert options[3] in refused.value.hint


@pytest.mark.parametrize("record", [Import, Monitor, Outlet])
def test_whole_numbers_stay_whole_under_a_fine_drag(record) -> None:
    plain = record()
    for name, kind in kinds(plain).items():
        if type(getattr(plain, name)) is int:
            assert isinstance(kind, Number)
            with pytest.raises(ValueRefused, match=r"whole number, not \d+\.5"):  # of a file
                load(record, {name: kind.least + 1.5})
            assert load(record, {name: kind.most + 0.0}) == load(record, {name: kind.most})
            changed = getattr(attrs.evolve(plain, **{name: kind.least + 1.4}), name)
            assert (type(changed), changed) == (int, kind.least + 1)
            with pytest.raises(ValueRefused):
                attrs.evolve(plain, **{name: float("inf")})
