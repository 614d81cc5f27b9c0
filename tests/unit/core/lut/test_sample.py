"""Interpolation and tables against FFmpeg, the OpenColorIO library and plain arithmetic."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from conftest import ROOT

from sfumato.core.compiled import KERNELS
from sfumato.core.errors import ShapeError, ValueRefused
from sfumato.core.lut import sample
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.sample import Packed, apply_packed, apply_table, packed
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.measure import scopes
from sfumato.formats.cube import write
from sfumato.formats.parts.contract import WriteOptions
from sfumato.work.luts import reading
from sfumato.work.tiles import apply_tiled

RNG = np.random.default_rng(7)
EDGES = np.array(
    list(itertools.product((0.0, 0.5, 1.0, -0.3, 1.7, np.inf, -np.inf), repeat=3)), np.float32
)
POINTS = np.concatenate(
    [RNG.random((6000, 3), np.float32), EDGES, lattice_colours(5).reshape(-1, 3)]
)


def table(n: int, seed: int = 3) -> Table3D:
    smooth = lattice_colours(n)
    noise = np.random.default_rng(seed).normal(0, 0.2, (n, n, n, 3))
    return Table3D(smooth**1.3 + noise)


def processor(path: Path, interp: str):
    ocio.ClearAllCaches()
    kind = ocio.INTERP_TETRAHEDRAL if interp == "tetrahedral" else ocio.INTERP_LINEAR
    transform = ocio.FileTransform(str(path), interpolation=kind)
    return ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()


@pytest.mark.parametrize("interp", sample.INTERPOLATIONS)
@pytest.mark.parametrize("n", [2, 5, 33])
def test_three_engines_agree(n: int, interp: str, tmp_path: Path) -> None:
    lut = table(n)
    file = tmp_path / "t.cube"
    file.write_bytes(write(Transform((lut,)), WriteOptions()))
    ours = apply_table(lut, POINTS, interp)
    np.testing.assert_allclose(ours, reading.ffmpeg(file, POINTS, interp), atol=1e-6)
    theirs = np.ascontiguousarray(POINTS[np.isfinite(POINTS).all(axis=1)])
    inside = theirs.copy()
    processor(file, interp).applyRGB(theirs)
    np.testing.assert_allclose(apply_table(lut, inside, interp), theirs, atol=1e-6)


@pytest.mark.parametrize("interp", sample.INTERPOLATIONS)
@pytest.mark.parametrize(
    ("source", "target"), [("f4", "f4"), ("f4", "u1"), ("u1", "u1"), ("u2", "u2")]
)
def test_kernels_equal_numpy_and_round(source: str, target: str, interp: str, monkeypatch) -> None:
    lut = packed(table(9))
    pixels = RNG.random((37, 41, 3))
    peak = {"f4": 1, "u1": 255, "u2": 65535}
    pixels = (pixels * peak[source] + (0.5 if source != "f4" else 0)).astype(source)
    fast, slow = np.empty(pixels.shape, target), np.empty(pixels.shape, target)
    apply_packed(lut, pixels, fast, interp)
    monkeypatch.setattr(KERNELS, "lattice", None)
    apply_packed(lut, pixels, slow, interp)
    assert np.abs(fast.astype(float) - slow.astype(float)).max() <= (1 if target != "f4" else 1e-6)
    exact = apply_table(
        Table3D(np.moveaxis(lut.lattice.reshape(9, 9, 9, 4)[..., :3], 2, 0).swapaxes(1, 2)),
        pixels.astype(np.float32) / peak[source],
        interp,
    )
    rounded = np.clip(exact, 0, 1) * peak[target] if target != "f4" else exact
    for found in (fast, slow):
        assert np.abs(found - rounded).max() <= (0.51 if target != "f4" else 1e-6)


@pytest.mark.parametrize("interp", sample.INTERPOLATIONS)
@pytest.mark.parametrize(
    ("source", "target"), [("f4", "f4"), ("f4", "u1"), ("u1", "u1"), ("u2", "u2")]
)
def test_any_number_of_pixels_is_written_and_nothing_behind_them(
    source: str, target: str, interp: str
) -> None:
    """Pixels are taken by the dozen: one alone, or a few more than that, are as right as all."""
    lut = packed(table(5))
    peak = {"f4": 1, "u1": 255, "u2": 65535}[source]
    pixels = np.ascontiguousarray((RNG.random((700, 3)) * peak).astype(source))
    whole = np.empty(pixels.shape, target)
    apply_packed(lut, pixels, whole, interp)
    for count in (1, 2, 31, 32, 33, 64, 65, 255, 256, 257, 288, 511, 513, 600):
        for start in (0, 1, 7):  # wherever in memory they begin
            room = np.full((count + start + 40, 3), 77, target)
            apply_packed(lut, pixels[start : start + count], room[start : start + count], interp)
            np.testing.assert_array_equal(room[start : start + count], whole[start : start + count])
            assert (room[:start] == 77).all()
            assert (room[start + count :] == 77).all()
    for holes in (slice(None, None, 2), slice(3)):
        with pytest.raises(ShapeError):
            apply_packed(lut, pixels[:50], np.empty((50, 6), target)[:, holes], interp)


_AGAIN = """
import sys, numpy as np
from sfumato.core.kernels import lattice
nodes = np.linspace(0, 1, 32, dtype=np.float32)
out = np.empty(30, np.float32)
scale, shift = np.ones(3, np.float32), np.zeros(3, np.float32)
lattice.KERNELS["float32", "float32"](np.linspace(0, 1, 30, dtype=np.float32), out, nodes, 2, scale, shift, True)
print(out.tolist())
"""


def test_what_was_compiled_is_kept_and_made_anew_when_it_is_damaged(tmp_path: Path) -> None:
    def run() -> str:
        here = os.environ | {"NUMBA_CACHE_DIR": str(tmp_path), "PYTHONPATH": str(ROOT)}
        command = [sys.executable, "-c", _AGAIN]
        return subprocess.run(command, env=here, check=True, capture_output=True, text=True).stdout

    first = run()
    (kept,) = tmp_path.glob("lattice-*.o")
    whole, stamp = kept.read_bytes(), kept.stat().st_mtime_ns
    assert run() == first
    assert kept.stat().st_mtime_ns == stamp
    for damaged in (whole[:-100], b"", bytes(len(whole)), whole[:5000] + b"x" + whole[5001:]):
        kept.write_bytes(damaged)
        assert run() == first
        assert kept.read_bytes() == whole


def test_nodes_are_exact_and_nan_reads_as_the_minimum() -> None:
    lut = table(17)
    nodes = lattice_colours(17)
    np.testing.assert_array_equal(apply_table(lut, nodes), lut.values)
    dirty = np.float32([[np.nan, 0.5, 0.5], [np.nan] * 3])
    clean = np.float32([[0.0, 0.5, 0.5], [0.0] * 3])
    np.testing.assert_array_equal(apply_table(lut, dirty), apply_table(lut, clean))


def test_domain_and_tiles() -> None:
    lut = Table3D(lattice_colours(5) * 2, ((-1.0, 0.0, 0.0), (3.0, 2.0, 0.5)))
    x = np.float32([[1.0, 1.0, 0.25], [-9, -9, -9], [9, 9, 9]])
    np.testing.assert_allclose(apply_table(lut, x), [[1, 1, 1], [0, 0, 0], [2, 2, 2]], atol=1e-6)
    picture = RNG.random((101, 53, 3), np.float32)
    whole = np.empty_like(picture)
    apply_packed(packed(lut), picture, whole)
    np.testing.assert_array_equal(apply_tiled(packed(lut), picture, np.float32), whole)


def test_one_dimension_is_linear_and_clamps() -> None:
    curve = Table1D([[0, 0, 0], [1, 0.5, 0.2]], ((0.0,) * 3, (2.0,) * 3))
    np.testing.assert_allclose(
        curve.apply([[1, 1, 1], [5, -1, np.nan]]), [[0.5, 0.25, 0.1], [1, 0, 0]]
    )


def test_values_far_outside_clip_in_integer_pictures() -> None:
    values = lattice_colours(3) * np.float32(1e12) - np.float32(5e11)
    out = np.empty((1, 2, 3), np.uint8)
    apply_packed(packed(Table3D(values)), np.array([[[0, 0, 0], [255, 255, 255]]], np.uint8), out)
    assert out.tolist() == [[[0, 0, 0], [255, 255, 255]]]


def test_wrong_calls_are_refused() -> None:
    lut = packed(table(3))
    with pytest.raises(ShapeError):
        apply_packed(lut, np.zeros((4, 3), np.float64), np.zeros((4, 3), np.float64))
    with pytest.raises(ValueRefused, match="interpolation"):
        Transform((table(3),)).apply([0.5, 0.5, 0.5], interp="cubic")
    with pytest.raises(ShapeError):
        Table3D(np.zeros((3, 3, 2, 3)))
    assert isinstance(lut, Packed)


@pytest.mark.parametrize("kind", ["histogram", "parade", "waveform", "vectorscope", "oklab"])
def test_instruments_count_every_pixel_alike(kind: str, monkeypatch) -> None:
    picture = RNG.integers(0, 256, (60, 97, 3), np.uint8)
    fast = scopes.counted(kind, picture)
    monkeypatch.setattr(KERNELS, "counts", None)
    np.testing.assert_array_equal(fast, scopes.counted(kind, picture))
    channels = 3 if kind in ("histogram", "parade") else 1
    assert fast.sum() == 60 * 97 * channels


def test_cube_colours_fill_the_cube() -> None:
    cells = np.floor(cube_colours(8000) * 8).astype(int) @ [64, 8, 1]
    assert len(np.unique(cells)) == 512
    assert np.bincount(cells).min() >= 8


def test_pixels_that_may_not_be_written_are_read() -> None:
    lut, pixels = packed(table(3)), RNG.integers(0, 256, (5, 4, 3), np.uint8)
    expected, out = np.empty_like(pixels), np.empty_like(pixels)
    apply_packed(lut, pixels, expected)
    pixels.flags.writeable = False
    apply_packed(lut, pixels, out)
    np.testing.assert_array_equal(out, expected)
    assert scopes.counted("histogram", pixels).sum() == 60


def test_the_oklab_vectorscope_counts_every_pixel_where_its_colour_lies() -> None:
    random = np.random.default_rng(2)
    image = random.integers(0, 256, (60, 80, 3), np.uint8)
    image[:10] = (200, 60, 40)
    counts = scopes.counted("oklab", image, "BT.1886")
    assert counts.sum() == 60 * 80
    y, x = np.unravel_index(counts.argmax(), counts.shape)
    across, up = scopes.oklab_place((200 / 255, 60 / 255, 40 / 255), "BT.1886")
    assert abs((x - 127.5) / 127.5 - across) < 0.04
    assert abs((127.5 - y) / 127.5 - up) < 0.04
    greys = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2)
    middle = scopes.counted("oklab", greys)[126:130, 126:130]
    assert middle.sum() == 256
    assert scopes.drawn("oklab", counts).shape == (256, 256, 3)
