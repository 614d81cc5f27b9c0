"""The matrices that even out a lattice, against SciPy's splines and smoothing."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import make_interp_spline
from scipy.signal import savgol_filter

from sfumato.core.carrier import rebuild, traces


@pytest.mark.parametrize("n", [5, 9, 33, 64])
@pytest.mark.parametrize("degree", [1, 3])
def test_splines_are_those_of_scipy_on_even_and_on_rounded_places(n: int, degree: int) -> None:
    even = np.linspace(0, 1, n)
    to = np.linspace(0, 1, 2 * n - 1)
    for at in (even, np.floor(even * 255) / 255, even[::-1] * -2 + 3):
        places = np.interp(to, [0, 1], [at[0], at[-1]])
        matrix = rebuild._spline(at, places, degree)
        assert np.abs(matrix - make_interp_spline(at, np.eye(n), degree)(places)).max() < 1e-12


@pytest.mark.parametrize(("n", "window"), [(64, 7), (17, 9), (5, 7), (4, 5)])
def test_smoothing_is_that_of_savitzky_and_golay(n: int, window: int) -> None:
    odd = min(window, n - 1 + n % 2)
    wanted = savgol_filter(np.eye(n), odd, 2, axis=0, mode="interp")
    assert np.abs(traces._smoother(n, window) - wanted).max() < 1e-12
