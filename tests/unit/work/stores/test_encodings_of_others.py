"""Decoders out of LUT files, and colour spaces out of configs: what kind of encoding each becomes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from conftest import ROOT

import sfumato
from sfumato.core.colour.encodings import Family, convert, encoding
from sfumato.core.errors import FormatError
from sfumato.core.lut.stages import Matrix
from sfumato.core.lut.table import Table1D
from sfumato.core.lut.transform import Transform
from sfumato.work.stores.encoding_store import read_decoder
from sfumato.work.stores.ocio_config import open_config

X = np.random.default_rng(2).uniform(0.02, 0.98, (100, 3)).astype(np.float32)


@pytest.mark.parametrize("domain", [(0.0, 1.0), (-0.1, 1.2)])
def test_a_1d_lut_gives_its_own_entries_and_domain(
    domain: tuple[float, float], tmp_path: Path
) -> None:
    low, high = domain
    codes = np.linspace(low, high, 300, dtype=np.float32)
    values = np.repeat((np.exp2(codes * 5)[:, None] - 0.9), 3, 1)
    lut = Transform((Table1D(values, ((low,) * 3, (high,) * 3)),))
    sfumato.write(lut, tmp_path / "a.spi1d")
    found = read_decoder(tmp_path / "a.spi1d")
    assert (len(found.values), found.low, found.high) == (
        300,
        pytest.approx(low),
        pytest.approx(high),
    )
    np.testing.assert_allclose(found.coder().decode(X), lut.apply(X), rtol=1e-4, atol=1e-5)
    assert found.file == "a.spi1d"


def test_a_chain_of_curve_and_matrix_is_sampled_and_a_look_is_refused(tmp_path: Path) -> None:
    values = np.linspace(0, 1, 64, dtype=np.float32)[:, None] ** np.float32([2.0, 2.1, 2.2])
    matrix = Matrix(((0.8, 0.15, 0.05), (0.1, 0.85, 0.05), (0.0, 0.2, 0.8)))
    both = Transform((Table1D(values), matrix))
    sfumato.write(both, tmp_path / "both.clf")
    found = read_decoder(tmp_path / "both.clf").coder()
    np.testing.assert_allclose(found.decode(X), both.apply(X), rtol=2e-3, atol=2e-4)
    with pytest.raises(FormatError, match="mixes channels") as told:
        read_decoder(ROOT / "demo" / "luts" / "low_tide_33.cube")
    assert "low_tide_33.cube" in str(told.value)


def config() -> ocio.Config:
    """Return a config whose spaces do not say what kind they are, but one."""
    made = ocio.Config.CreateRaw()
    made.setName("lab")
    spaces = {
        "scene": None,
        "halved": ocio.MatrixTransform([0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 1]),
        "logs": ocio.LogAffineTransform([0.25] * 3, [0.6] * 3, [1.0] * 3, [0.01] * 3),
        "shown": ocio.ExponentTransform([1 / 2.2, 1 / 2.2, 1 / 2.2, 1]),
        "said": ocio.ExponentTransform([1 / 2.2, 1 / 2.2, 1 / 2.2, 1]),
        "data": None,
    }
    for name, way in spaces.items():
        space = ocio.ColorSpace(name=name, isData=name == "data")
        if name == "said":
            space.setEncoding("log")
        if way is not None:
            space.setTransform(way, ocio.COLORSPACE_DIR_FROM_REFERENCE)
        made.addColorSpace(space)
    made.setRole("scene_linear", "scene")
    made.addDisplayView("Screen", "Plain", "shown")
    return made


def test_spaces_become_what_they_do_where_they_do_not_say_it(tmp_path: Path) -> None:
    file = tmp_path / "lab.ocio"
    file.write_text(config().serialize())
    found = open_config(str(file))
    kinds = {e.name.split(": ")[1]: e.family for e in found.encodings if e.name in found.spaces}
    assert kinds == {
        "scene": Family.LINEAR,
        "halved": Family.LINEAR,
        "logs": Family.LOG,
        "shown": Family.DISPLAY,
        "said": Family.LOG,
    }
    assert any("scene_linear is taken as linear BT.709" in r for r in found.remarks)
    by_name = {e.name.split(": ")[1]: e for e in found.encodings}
    light = by_name["halved"].coder.decode(X)
    np.testing.assert_allclose(light, 2 * X, rtol=1e-5)
    np.testing.assert_allclose(by_name["halved"].coder.encode(light), X, rtol=1e-5)
    view = by_name["Plain, Screen"]
    assert view.is_view
    np.testing.assert_allclose(view.coder.shown(X, by_name["scene"]), X ** (1 / 2.2), rtol=1e-4)
    np.testing.assert_allclose(
        view.coder.unshown(view.coder.shown(X, by_name["scene"]), by_name["scene"]), X, rtol=1e-3
    )


def test_a_view_takes_what_lies_outside_its_config_by_way_of_its_scene(tmp_path: Path) -> None:
    """An encoding of ours is made linear BT.709 first, which the config's scene is taken for."""
    file = tmp_path / "lab.ocio"
    file.write_text(config().serialize())
    view = next(e for e in open_config(str(file)).encodings if e.is_view)
    ours = encoding("Tarn Log")
    shown = view.coder.shown(X, ours)
    light = np.clip(convert(X, ours, encoding("Linear BT.709")), 0, None)
    np.testing.assert_allclose(shown, light ** (1 / 2.2), rtol=1e-3, atol=1e-3)
    inside = np.repeat(X[:, :1] / 2 + np.float32(0.3), 3, 1)
    back = view.coder.unshown(view.coder.shown(inside, ours), ours)
    np.testing.assert_allclose(back, inside, atol=2e-3)


def test_display_spaces_need_something_that_ties_them_to_the_scene(tmp_path: Path) -> None:
    built = ocio.Config.CreateFromBuiltinConfig("ocio://studio-config-latest")
    file = tmp_path / "built.ocio"
    file.write_text(built.serialize())
    shown = "sRGB - Display"
    assert any(shown in name for name in open_config(str(file)).spaces)
    built.setRole("cie_xyz_d65_interchange", None)
    file = tmp_path / "untied.ocio"
    file.write_text(built.serialize())
    assert not any(shown in name for name in open_config(str(file)).spaces)
