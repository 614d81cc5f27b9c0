"""The grids that a HALD can hold, and sizes that hold none."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats import hald, strip
from sfumato.formats.parts import picture
from sfumato.formats.parts.contract import WriteOptions
from sfumato.raster import exr, png, tiff


def test_a_wish_gets_the_square_number_at_or_above_it() -> None:
    wishes = {1: 4, 4: 4, 5: 9, 16: 16, 17: 25, 33: 36, 36: 36, 64: 64, 65: 81, 256: 256, 300: 256}
    assert {wish: hald.SPEC.grid_for(wish) for wish in wishes} == wishes


def test_grids_that_are_no_square_numbers_are_refused() -> None:
    for size in (4, 9, 16):
        made = Transform((Table3D(lattice_colours(size)),))
        assert hald.holds(made) == ""
        assert hald.read(hald.write(made, WriteOptions(suffix=".png"))).transform.table.size == size
    for size in (5, 17):
        with pytest.raises(ValueRefused, match="4, 9, 16"):
            hald.write(Transform((Table3D(lattice_colours(size)),)), WriteOptions(suffix=".png"))


@pytest.mark.parametrize("suffix", [".png", ".tif", ".exr"])
def test_a_picture_whose_size_holds_no_lut_is_refused_before_it_is_decoded(
    suffix: str, monkeypatch
) -> None:
    data = picture.encoded(
        np.zeros((63, 64, 3), np.float32 if suffix == ".exr" else np.uint16), suffix
    )
    decoded = []
    for decoder in (png, tiff, exr):
        monkeypatch.setattr(decoder, "Samples", lambda *given, **_more: decoded.append(given))
    for read in (hald.read, strip.read):
        with pytest.raises(FormatError, match="64 × 63 pixels, which holds no LUT"):
            read(data)
    assert not decoded
