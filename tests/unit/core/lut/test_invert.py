"""Inverses: stage by stage where there is one, as a fitted lattice where not; the map says what is lost."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.invert import inverted, stage_inverse
from sfumato.core.lut.stages import Exponent, Knots1D, Matrix, Range
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform

X = np.random.default_rng(3).uniform(0.02, 0.98, (300, 3)).astype(np.float32)
DISPLAY = encoding("BT.1886")


def bent(power: float, size: int = 65) -> np.ndarray:
    return np.repeat(np.linspace(0, 1, size)[:, None] ** power, 3, 1)


@pytest.mark.parametrize(
    "stage",
    [
        Matrix(((0.9, 0.1, 0.0), (0.05, 0.9, 0.05), (0.0, 0.2, 0.8)), (0.01, -0.02, 0.03)),
        Exponent((2.0, 2.2, 1.8)),
        Range((0.0, 0.1), (1.0, 0.9), False),
        Table1D(bent(1.7)),
        Table1D(bent(1.7)[::-1]),  # a negative falls
        Table1D(bent(0.6), ((-0.5,) * 3, (1.5,) * 3)),
    ],
)
def test_a_stage_and_its_inverse_give_what_went_in(stage) -> None:
    back = stage_inverse(stage)
    assert back is not None
    chain = Transform((stage, back))
    np.testing.assert_allclose(chain.apply(X), X, atol=3e-5)


def test_flat_ends_are_cut_to_where_the_curve_begins_to_move() -> None:
    values = np.repeat(np.float32([0.2, 0.2, 0.5, 0.9, 0.9])[:, None], 3, 1)
    back = stage_inverse(Table1D(values))
    assert isinstance(back, Knots1D)
    np.testing.assert_allclose(back.inputs[0], [0.2, 0.5, 0.9])
    np.testing.assert_allclose(back.outputs[0], [0.25, 0.5, 0.75])


@pytest.mark.parametrize(
    "stage",
    [
        Matrix(((1, 1, 0), (1, 1, 0), (0, 0, 1))),
        Table1D(np.full((5, 3), 0.4)),
        Table1D(np.repeat(np.float32([0, 0.6, 0.5, 1])[:, None], 3, 1)),
        Table1D(np.repeat(np.float32([0, 0.5, 0.5, 1])[:, None], 3, 1)),
        Range((0.0, 0.5), (1.0, 0.5)),
        Table3D(lattice_colours(3)),
    ],
)
def test_what_has_no_exact_inverse_says_so(stage) -> None:
    assert stage_inverse(stage) is None


def test_a_lattice_is_inverted_and_what_is_lost_is_told() -> None:
    lut = Transform((Table3D(lattice_colours(17) ** np.float32(1.3) * np.float32(0.8) + 0.1),))
    back, told = inverted(lut, 33, DISPLAY)
    np.testing.assert_allclose(back.apply(lut.apply(X)), X, atol=4e-3)
    assert not told.exact
    assert told.back.p99 < 0.5
    assert told.clipped == told.folded == 0
    # a scale of .8 in each channel: .512 of the outputs are reached
    assert 1 - told.unreached == pytest.approx(0.512, abs=0.16)
    hard = Transform((Table3D(np.clip(lattice_colours(17) * 2 - 0.5, 0, 1)),))
    lost = inverted(hard, 17, DISPLAY)[1]
    assert lost.clipped == pytest.approx(1 - 0.5**3, abs=0.08)
    assert any("clipped" in words for words in lost.words())
    exact = inverted(Transform((Exponent((2.0, 2.0, 2.0)),)), 2, DISPLAY)[1]
    assert exact.exact


def test_the_way_back_is_judged_where_all_channels_stay_within() -> None:
    """Of the colours whose red goes beyond white nothing is said: 1 of 1.6 stays within."""
    wide = Transform((Table3D(lattice_colours(17) * np.float32([1.6, 0.9, 0.9])),))
    told = inverted(wide, 33, DISPLAY)[1]
    assert told.back.count == pytest.approx(20000 / 1.6, abs=20)
    assert told.back.p99 < 0.5
