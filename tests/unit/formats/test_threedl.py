"""The depth of a 3dl file that does not state it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import peers
import pytest

from sfumato.formats.threedl import read

LARGEST = {8: (255, 511), 10: (512, 1023, 2047), 12: (2048, 4095, 8191), 16: (8192, 65535)}


@pytest.mark.parametrize(("bits", "peak"), [(b, p) for b, peaks in LARGEST.items() for p in peaks])
def test_the_depth_is_told_by_the_largest_value_as_others_tell_it(
    bits: int, peak: int, tmp_path: Path
) -> None:
    steps = (0, peak // 3, peak * 2 // 3, peak)
    values = [(r, g // 2, b // 3) for r in steps for g in steps for b in steps]
    file = tmp_path / "bare.3dl"
    file.write_text("0 341 682 1023\n" + "".join(f"{r} {g} {b}\n" for r, g, b in values))
    found = read(file.read_bytes())
    assert found.depth == str(bits)
    assert any(f"taken as {bits} bit" in r for r in found.remarks)
    colours = np.random.default_rng(3).uniform(0, 1, (50, 3)).astype(np.float32)
    ours = found.transform.apply(colours)
    np.testing.assert_allclose(
        ours[0], colours[0] * [1, 0.5, 1 / 3] * (peak / (2**bits - 1)), atol=4e-3
    )
    np.testing.assert_allclose(ours, peers.opencolorio(file, colours), atol=1e-5)
