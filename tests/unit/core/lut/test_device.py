"""What a device makes of codes: every depth and range by hand."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.colour.ranges import legal_codes, legal_range
from sfumato.core.lut.device import DEVICES, FULL, LEGAL, Device, rounded, through_device
from sfumato.core.lut.table import Table3D, lattice_colours


@pytest.mark.parametrize(("bits", "black", "white"), [(8, 16, 235), (10, 64, 940), (12, 256, 3760)])
def test_legal_codes_are_those_of_bt_709(bits: int, black: int, white: int) -> None:
    assert legal_codes(bits) == (black, white)
    assert legal_range(bits) == (black / (2**bits - 1), white / (2**bits - 1))
    depth = f"{bits} bit"
    ends = rounded(np.float32([0.0, 1.0]), depth, LEGAL)
    np.testing.assert_allclose(ends, [0.0, 1.0], atol=1e-6)
    codes = np.arange(black, white + 1)
    values = ((codes - black) / (white - black)).astype(np.float32)
    np.testing.assert_allclose(rounded(values, depth, LEGAL), values, atol=1e-6)
    half = ((codes[:-1] + 0.4 - black) / (white - black)).astype(np.float32)
    np.testing.assert_allclose(rounded(half, depth, LEGAL), values[:-1], atol=1e-6)
    far = rounded(np.float32([-1.0, 9.0]), depth, LEGAL)
    np.testing.assert_allclose(
        far, [-black / (white - black), (2**bits - 1 - black) / (white - black)], atol=1e-6
    )


def test_full_range_clips_and_rounds_to_the_nearest() -> None:
    got = rounded(np.float32([-0.1, 0.5, 0.7019, 1.2]), "8 bit", FULL)
    np.testing.assert_allclose(got * 255, [0, 128, 179, 255], atol=1e-4)


def test_a_device_rounds_before_in_and_after_its_table() -> None:
    table = Table3D(lattice_colours(2) ** 1.0 * 0.5)
    device = Device(grid=2.0, nodes="8 bit", codes="10 bit", interp="trilinear")
    given = through_device(device, table, np.float32([[0.12345, 1.0, 0.0]]))
    code = np.rint(0.12345 * 1023) / 1023
    node = 128 / 255
    expected = np.rint(np.array([code * node, node, 0]) * 1023) / 1023
    np.testing.assert_allclose(given[0], expected, atol=1e-6)
    assert all(2 <= d.grid <= 65 for d in DEVICES.values())
