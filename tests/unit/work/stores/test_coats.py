"""What a file becomes as a glaze: a CDL where one fits, else the LUT that it is."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
import pytest

from sfumato.core.errors import SfumatoError
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path, span_note
from sfumato.work.luts.deliver import deliver
from sfumato.work.luts.target import Target
from sfumato.work.stores.coats import coat_of

CDL = CdlStage(
    slope=(1.1, 1.0, 0.9), offset=(0.02, 0.0, -0.01), power=(1.0, 1.1, 0.95), saturation=0.8
)
CODES = np.random.default_rng(3).uniform(0, 1, (200, 3)).astype(np.float32)


@pytest.mark.parametrize("clamp", [True, False])
def test_a_cdl_file_becomes_a_cdl_that_does_the_same(clamp: bool, tmp_path: Path) -> None:
    stage = attrs.evolve(CDL, clamp=clamp)
    made = deliver(Transform((stage,)), Target("clf"), tmp_path / "warm.clf")
    coat = coat_of(tmp_path / "warm.clf")
    assert coat.spec.key == "cdl"
    assert (coat.parameters.slope, coat.parameters.saturation) == (stage.slope, 0.8)
    np.testing.assert_allclose(
        path.through_coats((coat,), CODES, "BT.1886"), made.transform.apply(CODES), atol=2e-5
    )


def test_what_is_more_than_a_cdl_or_beyond_its_controls_becomes_a_lut(tmp_path: Path) -> None:
    grid = Table3D(lattice_colours(5) * np.float32(0.5))
    note = (span_note.written("Tarn Log", "BT.1886"),)
    deliver(Transform((CDL, grid), comments=note), Target("clf"), tmp_path / "more.clf")
    more = coat_of(tmp_path / "more.clf")
    assert (more.spec.key, more.name) == ("lut", "more")
    wild = attrs.evolve(CDL, slope=(90.0, 1.0, 1.0))
    deliver(Transform((wild,)), Target("clf"), tmp_path / "wild.clf")
    assert coat_of(tmp_path / "wild.clf").spec.key == "lut"
    deliver(Transform((grid,), comments=note), Target("cube"), tmp_path / "said.cube")
    said = coat_of(tmp_path / "said.cube").parameters
    assert (said.expects, said.gives) == ("Tarn Log", "BT.1886")
    (tmp_path / "torn.cube").write_text("LUT_3D_SIZE 2\n0 0\n")
    with pytest.raises(SfumatoError):
        coat_of(tmp_path / "torn.cube")
