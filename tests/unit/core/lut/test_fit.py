"""Fitting nodes: the weights are the interpolation, and a fit is never kept when it is worse."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.bake import baked
from sfumato.core.lut.fit import MOST_FITTED, fitted, neutral_nodes
from sfumato.core.lut.nodes import weights
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Transform
from sfumato.work.luts.target import Target, held

BENT = Transform((Function("bend", lambda c: np.clip(c, 0, None) ** np.float32(0.45)),))


def test_weights_are_what_the_kernels_interpolate() -> None:
    nodes = np.random.default_rng(6).random((5, 5, 5, 3), np.float32)
    colours = np.random.default_rng(7).random((400, 3), np.float32)
    matrix = weights(colours, 5)
    got = matrix @ nodes.reshape(-1, 3)
    np.testing.assert_allclose(got, apply_table(Table3D(nodes), colours), atol=2e-6)
    np.testing.assert_allclose(np.asarray(matrix.sum(axis=1)).ravel(), 1, atol=1e-6)


def test_a_fit_lowers_the_mean_and_is_measured_on_colours_it_has_not_seen() -> None:
    found = fitted(BENT, 9, encoding("sRGB"))
    assert found.kept
    assert found.fitted.mean < 0.8 * found.plain.mean
    values = found.table.values
    assert NODE_RANGE[0] <= values.min()
    assert values.max() <= NODE_RANGE[1]


def test_a_fit_that_does_not_help_is_not_kept() -> None:
    straight = Transform((Table3D(lattice_colours(9) * 0.5 + 0.25),))
    found = fitted(straight, 9, encoding("sRGB"))
    assert not found.kept
    np.testing.assert_allclose(found.plain.mean, 0, atol=1e-3)
    assert baked(straight, 9).table.size == 9


def test_a_fit_can_be_cancelled() -> None:
    class Stop(Exception):
        pass

    def check() -> None:
        raise Stop

    with pytest.raises(Stop):
        fitted(BENT, 9, encoding("sRGB"), check=check)


def test_a_neutral_line_that_bends_at_its_nodes_is_met_at_each_of_them() -> None:
    """The last cell too: a fit of greys whose every corner is a node leaves nothing over."""
    at = np.linspace(0, 1, 9)
    curve = np.float64([0.0, 0.1, 0.15, 0.3, 0.5, 0.62, 0.7, 0.95, 0.9])

    def film(c: np.ndarray) -> np.ndarray:
        return np.asarray(np.interp(c, at, curve), np.float32)

    found = neutral_nodes(film, 9, np.zeros(3), np.ones(3))
    np.testing.assert_allclose(found, curve[:, None].repeat(3, 1), atol=1e-6)


def test_a_fit_may_overshoot_only_where_the_grade_clips() -> None:
    """Beyond black and white nothing shows: nodes outside them draw the corner sharper."""

    def crushed(c: np.ndarray) -> np.ndarray:
        return np.clip((c - np.float32(0.3)) * np.float32(2.2), 0, 1)

    found = fitted(Transform((Function("crushed", crushed),)), 9, encoding("sRGB"))
    assert found.kept
    assert found.table.values.min() < -0.005
    assert found.table.values.max() > 1.005
    assert found.fitted.mean < 0.6 * found.plain.mean


def test_beyond_65_points_nothing_is_fitted_and_that_is_said() -> None:
    """A fit of 129 points took 26 s and 1.5 GB, and was worse than the sampled nodes."""
    found = held(BENT, Target("cube", MOST_FITTED + 1, fitted=True))
    assert found.fit is None
    assert found.transform.table.size == MOST_FITTED + 1
    assert found.said[-1].endswith("not fitted: beyond 65 points that makes nothing better")
