"""Other programs' libraries read large files in a process beside, which may die without harm."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from sfumato.core.errors import FormatError
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.work.luts import reading
from sfumato.work.luts.deliver import write_lut

BY = {"ffmpeg": reading.ffmpeg, "opencolorio": reading.opencolorio}


@pytest.fixture(scope="module")
def file(tmp_path_factory) -> Path:
    """A look of 33 points: a megabyte of text."""
    made = tmp_path_factory.mktemp("large") / "look.cube"
    bent = Table3D(np.asarray(lattice_colours(33) ** np.float32([0.8, 1.2, 1.0]), np.float32))
    write_lut(Transform((bent,)), made, format="cube")
    return made


@pytest.mark.parametrize("name", BY)
def test_a_large_file_is_read_beside_and_the_same(name: str, file: Path, monkeypatch) -> None:
    colours = np.random.default_rng(7).random((40, 5, 3), np.float32)
    for interp in ("tetrahedral", "trilinear"):
        expected = reading._HERE[name](file, colours, interp)
        with monkeypatch.context() as none_here:
            none_here.setattr(reading, "_HERE", {})
            seen = BY[name](file, colours, interp)
            np.testing.assert_array_equal(seen, expected)
            assert seen.flags.writeable
            process = reading._BESIDE._process
            assert process is not None
            process.kill()  # as a library that crashes does
            process.wait()
            np.testing.assert_array_equal(BY[name](file, colours, interp), expected)


@pytest.mark.parametrize("name", BY)
def test_what_the_library_refuses_is_said_with_its_place(name: str, file: Path, tmp_path) -> None:
    bad = tmp_path / "cut.cube"
    bad.write_bytes(file.read_bytes()[:400_000])
    small = tmp_path / "small.cube"
    small.write_text("LUT_3D_SIZE 2\n0 0 0\n")
    for broken in (bad, small, tmp_path / "missing.cube"):
        with pytest.raises(FormatError) as raised:
            BY[name](broken, np.zeros((4, 3), np.float32))
        assert raised.value.where == str(broken)
    BY[name](file, np.zeros((4, 3), np.float32))  # the process goes on


def test_a_process_that_cannot_be_started_is_said(file: Path, monkeypatch) -> None:
    monkeypatch.setattr(
        reading, "_BESIDE", reading.Beside("sfumato.no_such_module", "it is silent")
    )
    with pytest.raises(FormatError, match="it is silent"):
        reading.ffmpeg(file, np.zeros((4, 3), np.float32))
