"""Lab and CIEDE2000 against published pairs and another library."""

from __future__ import annotations

import warnings

import numpy as np
import pytest

from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import encoding

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
