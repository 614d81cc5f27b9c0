"""What a format does not hold, or holds otherwise, is said before it is written."""

from __future__ import annotations

from xml.etree import ElementTree

import numpy as np
import pytest

from sfumato.core.errors import ValueRefused
from sfumato.core.lut.stages import CdlStage, Knots1D
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.contract import WriteOptions
from sfumato.formats.parts.registry import formats

GRID = Table3D(lattice_colours(5))
RAMP = np.repeat(np.linspace(0, 1, 9, dtype=np.float32)[:, None], 3, axis=1)
KNOTS = Knots1D(*[(np.float32([0, 0.2, 1]),) * 3] * 2)


def said(key: str, *stages, **words) -> str:
    return "; ".join(formats()[key].losses(Transform(stages, **words), WriteOptions()))


def test_knots_in_clf_and_comments_in_csp_are_told() -> None:
    assert "every half float" in said("clf", KNOTS, GRID)
    assert said("clf", GRID) == ""
    assert "comments" in said("csp", GRID)
    assert said("csp", GRID, title="named") == ""


@pytest.mark.parametrize("end", [0, 1])
def test_one_domain_for_all_channels_where_the_file_has_one(end: int) -> None:
    spec = formats()["spi1d"]
    even = Transform((Table1D(RAMP, ((-1.0,) * 3, (2.0,) * 3)),))
    assert spec.holds(even) == ""
    ends = [[-1.0] * 3, [2.0] * 3]
    ends[end][1] += 0.5
    uneven = Transform((Table1D(RAMP, (tuple(ends[0]), tuple(ends[1]))),))
    assert "one domain" in spec.holds(uneven)
    with pytest.raises(ValueRefused):
        spec.write(uneven, WriteOptions())


def test_3dl_says_what_readers_will_make_of_it() -> None:
    dark = Transform((Table3D(lattice_colours(17) * np.float32(0.4)),))
    spec = formats()["3dl"]
    assert "lower depth" in "; ".join(spec.losses(dark, WriteOptions()))
    assert "17, 33 or 65" in said("3dl", GRID)
    assert said("3dl", Table3D(lattice_colours(33))) == ""


@pytest.mark.parametrize(
    ("suffix", "root"),
    [
        (".cc", "ColorCorrection"),
        (".ccc", "ColorCorrectionCollection"),
        (".cdl", "ColorDecisionList"),
    ],
)
def test_a_cdl_is_wrapped_as_its_suffix_says(suffix: str, root: str) -> None:
    """ASC CDL 1.2: one correction, a collection of them, a list of decisions."""
    stage = CdlStage((1.1, 1.0, 0.9), (0.01, 0.0, 0.0), (1.0, 1.2, 1.0), 0.9)
    data = formats()["cdl"].write(Transform((stage,)), WriteOptions(suffix=suffix))
    assert ElementTree.fromstring(data).tag.rpartition("}")[2] == root
