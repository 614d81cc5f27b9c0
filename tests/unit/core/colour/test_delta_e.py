"""Lab and CIEDE2000 against published pairs and another library."""

from __future__ import annotations

import warnings

import numpy as np
import pytest

from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import encoding
from sfumato.core.compiled import KERNELS, load_kernels

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

np.set_printoptions(legacy=False)  # which that import changes for everybody

# Sharma, Wu, Dalal 2005: pairs 1, 7, 13, 17, 24 and 31 of the published test data.
PAIRS = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, -0.001, 2.49), (50.0, 0.0011, -2.49), 4.7461),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((50.0, 2.5, 0.0), (50.0, 3.2592, 0.335), 1.0),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
]


@pytest.mark.parametrize(("first", "second", "expected"), PAIRS)
def test_published_pairs(first, second, expected: float) -> None:
    found = ciede2000(np.float32([first]), np.float32([second]))
    assert float(found[0]) == pytest.approx(expected, abs=2e-3)
    assert float(ciede2000(np.float32([second]), np.float32([first]))[0]) == pytest.approx(
        expected, abs=2e-3
    )


def test_lab_of_display_codes_is_that_of_another_library() -> None:
    codes = np.concatenate(
        [np.random.default_rng(2).random((300, 3)), np.linspace(0, 0.12, 40)[:, None] * [[1, 1, 1]]]
    ).astype(np.float32)
    space = encoding("sRGB")
    xyz = colour.sRGB_to_XYZ(codes.astype(np.float64))
    white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
    theirs = colour.XYZ_to_Lab(xyz, white)
    np.testing.assert_allclose(lab_of(codes, space), theirs, atol=0.03)


def test_the_kernel_says_what_the_formula_says(monkeypatch) -> None:
    """On published pairs, pictures' colours, greys, and a grey beside a colour."""
    load_kernels()
    first, second, expected = (np.float32([p[i] for p in PAIRS] * 20) for i in range(3))
    for one, two in ((first, second), (second, first)):
        np.testing.assert_allclose(ciede2000(one, two), expected, atol=2e-4)
    dice = np.random.default_rng(5)
    a = dice.random((6000, 3)) * [100, 200, 200] - [0, 100, 100]
    b = a + dice.normal(size=a.shape) * dice.choice([0.1, 3, 40], (6000, 1))
    a[:200, 1:] = b[100:300, 1:] = 0
    a, b = a.astype(np.float32), b.astype(np.float32)
    exact = ciede2000(a.astype(np.float64), b.astype(np.float64))  # in NumPy
    np.testing.assert_allclose(ciede2000(a, b), exact, rtol=2e-7, atol=2e-6)
    np.testing.assert_allclose(ciede2000(a[::2], b[::2]), exact[::2], rtol=2e-7, atol=2e-6)
    assert ciede2000(a, a.copy()).max() == 0
    for channel in range(3):
        odd = a.copy()
        odd[7, channel] = np.nan
        assert np.flatnonzero(np.isnan(ciede2000(odd, b))).tolist() == [7]
    b[:, 1:] = -a[:, 1:]  # where the formula has a step: a little to either side lie its two values
    opposite = ciede2000(a, b)
    aside = b[:, [0, 2, 1]].astype(np.float64) * [0, -1e-7, 1e-7]
    sides = [ciede2000(a.astype(np.float64), b + s * aside) for s in (1, -1)]
    assert np.min([np.abs(opposite - side) for side in sides], axis=0).max() < 1e-4
    assert ciede2000(a.reshape(60, 100, 3), b.reshape(60, 100, 3)).shape == (60, 100)
    codes = dice.random((500, 3)).astype(np.float32) ** 3
    quick = lab_of(codes, encoding("BT.1886"))
    monkeypatch.setattr(KERNELS, "lab", None)
    np.testing.assert_allclose(quick, lab_of(codes, encoding("BT.1886")), atol=3e-4)
