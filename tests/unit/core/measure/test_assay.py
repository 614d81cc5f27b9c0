"""The assay finds the faults that were put in, names no others, and its repairs mend them."""

from __future__ import annotations

import io
import re
import tracemalloc

import numpy as np
import pytest
from PIL import Image, ImageFilter

from sfumato.core.carrier import arrange
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import cube_colours, difference
from sfumato.core.lut.recast import legal_in, legal_out, limited, sampled
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Transform
from sfumato.core.measure.assay import assay
from sfumato.core.measure.checks.findings import Level, Stored
from sfumato.core.measure.checks.repairs import REPAIRS, repaired
from sfumato.formats.parts.registry import read
from sfumato.work.luts.batch import stored_of

DISPLAY = encoding("BT.1886")


def made_up(seed: int) -> Transform:
    """A display look of no meaning: powers, contrast, a matrix, chroma, a tint."""
    q = np.random.default_rng(seed)
    power, chroma, tint = q.uniform(0.8, 1.5, 3), q.uniform(0.6, 1.3), q.uniform(-0.1, 0.1, 3)
    contrast, mix = q.uniform(0, 0.6), np.eye(3) + q.uniform(-0.1, 0.1, (3, 3))
    mix /= mix.sum(axis=1, keepdims=True)

    def run(rgb: np.ndarray) -> np.ndarray:
        x = np.clip(rgb, 0, 1).astype(np.float64) ** power
        x = (x + contrast * (x * x * (3 - 2 * x) - x)) @ mix.T
        luma = (x @ [0.2126, 0.7152, 0.0722])[..., None]
        out = luma + chroma * (x - luma) + tint * (1 - luma) * luma
        return np.asarray(np.clip(out, 0, 1), np.float32)

    return Transform((Function("look", run),))


CLEAN = [sampled(made_up(seed), 33) for seed in range(6)]


def log_look(name: str) -> Transform:
    def run(rgb: np.ndarray) -> np.ndarray:
        light = np.clip(encoding(name).decode(rgb), 0, None)
        return np.asarray(DISPLAY.encode(light / (1 + 0.3 * light)), np.float32)

    return sampled(Transform((Function(name, run),)), 33)


def _places(sentence: str) -> list[float]:
    """Return the three places of a sentence "... come from .20, .40 and .60; ..."."""
    return [float(v) for v in re.findall(r"0\.\d\d", sentence.split(";")[0])]


def keys(transform: Transform, stored: Stored | None = None, *levels: Level) -> set[str]:
    found = assay(transform, DISPLAY, stored)
    return {f.key for f in found.findings if f.level in (levels or (Level.FAULT, Level.WARN))}


def test_clean_luts_have_no_faults() -> None:
    for lut in [*CLEAN, log_look("Cineon"), log_look("ACEScct"), log_look("Tarn Log")]:
        assert keys(lut) == set()
    facts = {f.key: f for f in assay(CLEAN[0], DISPLAY).findings}
    for key in ("axes", "greys", "folds", "gain", "banding"):
        assert facts[key].level is Level.GOOD
    assert assay(CLEAN[0], DISPLAY).kind == "3D LUT of 33 points"
    for lut in CLEAN[:4]:
        said = {f.key: f.title for f in assay(lut, DISPLAY).findings}
        assert said["expects"] == "Seems to expect display colours"
    for name in ("Cineon", "ACEScct", "Tarn Log"):
        said = {f.key: f for f in assay(log_look(name), DISPLAY).findings}["expects"]
        assert said.title == "Seems to expect log"
        assert "5, 50 and 90 %" in said.sentence
        # Places of greys are told on the scale of the material, legal or full.
        legal = sampled(legal_in(log_look(name)), 65)
        there = {f.key: f for f in assay(legal, DISPLAY).findings}
        assert "range in" in there
        np.testing.assert_allclose(
            _places(there["expects"].sentence), _places(said.sentence), atol=0.011
        )
    assert "identity" in keys(sampled(Transform(), 9), None, Level.NOTE)


@pytest.mark.parametrize("order", [(1, 0, 2), (2, 1, 0), (0, 2, 1), (1, 2, 0), (2, 0, 1)])
def test_swapped_axes_are_put_right(order: tuple[int, int, int]) -> None:
    for lut in CLEAN[:3]:
        wrong = Transform((Table3D(lut.table.values.transpose(*order, 3)),))
        found = assay(wrong, DISPLAY)
        assert found.worst() is Level.FAULT
        assert found.repairs() == ("axes",)
        mended = repaired(wrong, found, found.repairs())
        np.testing.assert_allclose(mended.table.values, lut.table.values, atol=1e-6)
        assert keys(mended) == set()


def test_ranges_are_recognised_and_put_right() -> None:
    for lut in CLEAN[:2]:
        reaching = Transform((Table3D(np.clip((lut.table.values - 0.1) / 0.7, 0, 1)),))
        out = sampled(legal_out(reaching), 33)
        assert "range out" in keys(out)
        mended = repaired(out, assay(out, DISPLAY), ("full out",))
        assert difference(mended, reaching, cube_colours(2000), DISPLAY).worst < 0.05
        taking = sampled(legal_in(lut), 65)
        assert "range in" in keys(taking)
        said = {f.key: f for f in assay(taking, DISPLAY).findings}["range in"]
        assert 0 <= said.figure < 0.1
        assert "range in" not in keys(lut)
        back = repaired(taking, assay(taking, DISPLAY), ("full in",))
        assert difference(back, lut, cube_colours(2000), DISPLAY).p99 < 1.0


@pytest.mark.parametrize("bits", [8, 10, 12])
def test_the_depth_that_a_lut_went_through_is_seen(bits: int) -> None:
    peak = 2**bits - 1
    for lut in CLEAN[:4]:
        stepped = Transform((Table3D(np.round(lut.table.values * peak) / peak),))
        found = {f.key: f for f in assay(stepped, DISPLAY).findings}
        assert found["quantised"].title == f"{bits} bit"
        assert "quantised" not in {f.key for f in assay(lut, DISPLAY).findings}


def test_greys_folds_gain_and_banding() -> None:
    nodes = lattice_colours(33)
    bump = nodes + 0.15 * np.sin(12 * nodes)
    falling = Transform((Table3D(np.clip(bump, 0, 1)),))
    found = assay(falling, DISPLAY)
    assert {"greys", "folds"} <= keys(falling)
    x = np.linspace(0, 1, 1024)
    tones = x + 0.15 * np.sin(12 * x)
    lightness = np.cbrt(np.clip(tones, 0, 1) ** 2.4)  # rises as L* does above the toe
    place = x[(np.maximum.accumulate(lightness) - lightness).argmax()]
    assert f"near {place:.2f}" in {f.key: f.sentence for f in found.findings}["greys"]
    lifted = repaired(falling, found, ("rise",))
    assert "greys" not in keys(lifted)
    assert "greys" in keys(
        sampled(Transform((Function("n", lambda x: 1 - x),)), 9), None, Level.NOTE
    )
    steep = Transform((Table3D(np.clip((nodes - 0.484) * 40 + 0.5, 0, 1)),))
    assert {"gain", "banding"} <= keys(steep)
    beyond = Transform((Table3D(nodes * 1.4 - 0.2),))
    facts = {f.key: f for f in assay(beyond, DISPLAY).findings}
    assert facts["clipping"].repair == "limit"
    held = repaired(beyond, assay(beyond, DISPLAY), ("limit",))
    assert held.table.values.min() == 0
    np.testing.assert_allclose(held.apply([[0.9] * 3]), limited(beyond).apply([[0.9] * 3]))
    assert set(REPAIRS) >= {f.repair for f in facts.values() if f.repair}


def _png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "png")
    return out.getvalue()


def _jpeg(pixels: np.ndarray, quality: int, subsampling: int) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "jpeg", quality=quality, subsampling=subsampling)
    return out.getvalue()


def _grain(pixels: np.ndarray, codes: float) -> np.ndarray:
    noisy = pixels + np.random.default_rng(1).normal(0, codes, pixels.shape)
    return np.clip(np.round(noisy), 0, 255).astype(np.uint8)


def _filtered(pixels: np.ndarray, how: ImageFilter.Filter) -> np.ndarray:
    return np.asarray(Image.fromarray(pixels).filter(how))


def _resized(pixels: np.ndarray) -> np.ndarray:
    small = Image.fromarray(pixels).resize((400, 400), Image.Resampling.BICUBIC)
    return np.asarray(small.resize((512, 512), Image.Resampling.BICUBIC))


SHARPEN = ImageFilter.UnsharpMask(1.5, 60, 0)
RETURNED = {
    "clean": (_png, set()),
    "grain of one code": (lambda p: _png(_grain(p, 1)), {"grain"}),
    "grain of four codes": (lambda p: _png(_grain(p, 4)), {"grain"}),
    "sharpened": (lambda p: _png(_filtered(p, SHARPEN)), {"filtered"}),
    "blurred": (lambda p: _png(_filtered(p, ImageFilter.GaussianBlur(0.8))), {"filtered"}),
    "resized": (lambda p: _png(_resized(p)), {"filtered"}),
    "JPEG": (lambda p: _jpeg(p, 95, 0), {"jpeg"}),
    "JPEG with reduced colour": (lambda p: _jpeg(p, 90, 2), {"filtered"}),
    "shifted": (lambda p: _png(np.roll(p, 1, axis=1)), {"shifted", "filtered"}),
    "cropped": (
        lambda p: _png(np.pad(p[:, 3:], ((0, 0), (0, 3), (0, 0)), mode="edge")),
        {"shifted", "filtered"},
    ),
}


@pytest.mark.parametrize("name", RETURNED)
def test_what_happened_to_a_returned_hald(name: str) -> None:
    make, expected = RETURNED[name]
    altered = {"grain", "filtered", "jpeg", "shifted"}
    for seed in (0, 3):
        exact = sampled(made_up(seed), 64)
        pixels = (arrange.arranged(exact.table.values, arrange.HALD) * 255 + 0.5).astype(np.uint8)
        found = read(make(pixels), "x.png", key="hald")
        result = assay(found.transform, DISPLAY, Stored(found.depth, found.lossy, True))
        seen = {f.key for f in result.findings if f.level is Level.FAULT} & altered
        assert seen <= expected
        assert bool(seen) == bool(expected)
        if "filtered" in seen or "shifted" in seen:
            assert result.repairs() == ()  # what came back is not the LUT that was meant
        elif seed == 0 and result.repairs():
            mended = repaired(found.transform, result, result.repairs())
            colours = cube_colours(4000)
            before = difference(exact, found.transform, colours, DISPLAY)
            after = difference(exact, mended, colours, DISPLAY)
            assert after.mean < 0.75 * before.mean
            if name.startswith("grain"):
                grain = next(f for f in result.findings if f.key == "grain")
                assert grain.figure == pytest.approx(1 if "one" in name else 4, rel=0.15)


@pytest.mark.parametrize("layout", [arrange.HALD, "row"])
def test_a_carrier_that_was_saved_grey_is_told(layout: str) -> None:
    """A look that takes the colour out is a note; a picture without colour is worth a look."""
    exact = sampled(made_up(1), 16)
    for values, level in ((exact.table.values, None), (_grey(exact.table.values), Level.WARN)):
        pixels = (arrange.arranged(values, layout) * 255 + 0.5).astype(np.uint8)
        found = read(_png(pixels), "x.png", key="hald" if layout == arrange.HALD else "strip")
        facts = {f.key: f for f in assay(found.transform, DISPLAY, stored_of(found)).findings}
        assert (facts["colourless"].level if level else None) == level
        assert ("colourless" in facts) == (level is not None)
    assert facts["colourless"].title == "No colour is left"
    plain = assay(Transform((Table3D(_grey(exact.table.values)),)), DISPLAY).findings
    assert next(f for f in plain if f.key == "colourless").level is Level.NOTE


def _grey(values: np.ndarray) -> np.ndarray:
    return np.repeat(values.mean(axis=-1, keepdims=True), 3, axis=-1)


STRIPS = {
    name: RETURNED[name]
    for name in ("clean", "grain of one code", "blurred", "JPEG", "JPEG with reduced colour")
}
STRIPS |= {
    "resized": (lambda p: _png(_halved(p)), {"filtered"}),
    "sharpened": (lambda p: _png(_filtered(p, ImageFilter.UnsharpMask(1.0, 60, 0))), {"filtered"}),
    "JPEG, saved as PNG": (lambda p: _png(_again(_jpeg(p, 85, 0))), {"grain"}),
}


def _halved(pixels: np.ndarray) -> np.ndarray:
    image = Image.fromarray(pixels)
    small = image.resize((image.width // 2, image.height // 2), Image.Resampling.BICUBIC)
    return np.asarray(small.resize(image.size, Image.Resampling.BICUBIC))


def _again(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))


@pytest.mark.parametrize("name", STRIPS)
@pytest.mark.parametrize("layout", ["row", "column", "square", "square, green up"])
def test_what_happened_to_a_returned_strip(layout: str, name: str) -> None:
    make, expected = STRIPS[name]
    for seed in (0, 3):
        exact = sampled(made_up(seed), 32)
        values = exact.table.values
        if name == "sharpened":
            values = values * np.float32(0.8) + np.float32(0.1)  # where it clips, nothing is seen
        pixels = (arrange.arranged(values, layout) * 255 + 0.5).astype(np.uint8)
        found = read(make(pixels), "x.png", key="strip")
        assert found.reading == layout
        facts = assay(found.transform, DISPLAY, stored_of(found)).findings
        seen = {f.key for f in facts if f.level is Level.FAULT} & {"grain", "filtered", "jpeg"}
        assert bool(seen) == bool(expected)
        assert seen <= expected | ({"filtered"} if expected else set())
        assert any(f.key == "carrier" for f in facts) == (name == "clean")


@pytest.mark.parametrize(
    ("colour", "word"),
    [
        ((0.60, 0.45, 0.45), "red"),
        ((0.60, 0.50, 0.40), "orange"),
        ((0.55, 0.55, 0.40), "yellow"),
        ((0.40, 0.55, 0.40), "green"),
        ((0.40, 0.55, 0.55), "cyan"),
        ((0.40, 0.50, 0.60), "blue"),
        ((0.50, 0.42, 0.60), "violet"),
        ((0.60, 0.42, 0.55), "magenta"),
    ],
)
def test_tints_are_named_as_people_name_them(colour, word: str) -> None:
    """A grey that comes out as a colour is said to be of that colour."""
    nodes = lattice_colours(17)
    tint = (np.float32(colour) - 0.5) * 4 * nodes * (1 - nodes)
    tinted = Transform((Table3D(np.clip(nodes + tint, 0, 1)),))
    finding = next(f for f in assay(tinted, DISPLAY).findings if f.key == "tint")
    assert finding.title == f"Greys are tinted {word}"
    assert finding.figure > 5


@pytest.mark.parametrize("domain", [((0.0,) * 3, (1.0,) * 3), ((-1.0,) * 3, (3.0,) * 3)])
@pytest.mark.parametrize("slope", [1.0, 2.5])
def test_the_steepest_gain_is_counted_in_units_of_the_input(domain, slope: float) -> None:
    low, high = np.float32(domain)
    inputs = low + lattice_colours(17) * (high - low)
    finding = next(
        f
        for f in assay(Transform((Table3D(inputs * np.float32(slope), domain),)), DISPLAY).findings
        if f.key == "gain"
    )
    assert finding.figure == pytest.approx(slope, rel=1e-3)


def _stored(values: np.ndarray) -> Transform:
    return Transform((Table3D(np.asarray(values, np.float32)),))


def test_a_gamma_too_many_is_named() -> None:
    for lut in CLEAN:
        values = np.array(lut.table.values, np.float64)
        for power, word in ((1 / 2.2, "lightened"), (2.2, "darkened")):
            said = {f.key: f for f in assay(_stored(values**power), DISPLAY).findings}
            assert word in said["gamma"].sentence
            assert said["gamma"].level is Level.WARN


@pytest.mark.parametrize("place", [(16, 16, 16), (3, 20, 30), (0, 10, 10), (10, 32, 9)])
def test_wrong_nodes_are_found_and_mended(place: tuple[int, int, int]) -> None:
    for lut in CLEAN[:3]:
        values = np.array(lut.table.values)
        values[place] = 1 - values[place] if abs(values[place][1] - 0.5) > 0.2 else (1, 0, 1)
        found = assay(_stored(values), DISPLAY)
        said = {f.key: f for f in found.findings}["nodes"]
        red, green, blue = place
        assert said.title == "One wrong node"
        assert f"red {red}, green {green}, blue {blue}" in said.sentence
        mended = repaired(_stored(values), found, ("nodes",)).table.values
        assert np.abs(mended - lut.table.values).max() < 0.02
        values[1::3, 1::3, 1::3] = np.random.default_rng(1).random((11, 11, 11, 3))
        assert "nodes" not in {f.key for f in assay(_stored(values), DISPLAY).findings}


def test_turns_quiet_colours_and_coarse_steps_are_no_faults() -> None:
    for lut in CLEAN[:3]:
        values = np.array(lut.table.values, np.float64)
        luma = values @ [0.2126, 0.7152, 0.0722]
        quiet = luma[..., None] + 0.03 * (values - luma[..., None])
        assert keys(_stored(quiet)) == set()
        for bits in (10, 12):
            steps = np.round(values * (2**bits - 1)) / (2**bits - 1)
            assert keys(_stored(steps), None, Level.FAULT, Level.WARN) == set()
        turn = np.roll(np.eye(3), 1, axis=1) * 0.55 + np.eye(3) * 0.45  # about 65 degrees
        assert "axes" not in keys(_stored(np.round((values @ turn) * 4) / 4))


@pytest.mark.parametrize("at", [7, 8])
def test_layers_looked_at_by_and_by_give_what_the_whole_does(at: int, monkeypatch) -> None:
    """A table in slabs of eight layers, wrong nodes on either side of a border, folds, steep places."""
    n = 33
    values = sampled(made_up(2), n).table.values.copy()
    values[at, 10, 20] += 0.2
    values[20:26, :, :, 1] = values[20:26, :, :, 1][::-1] ** 0.4
    look = Transform((Table3D(np.round(np.clip(values, 0, 1) * 1023) / np.float32(1023)),))
    whole = assay(look, DISPLAY)
    assert {"nodes", "folds", "banding"} <= keys(look)
    monkeypatch.setattr("sfumato.core.measure.checks.lattice._AT_ONCE", 8 * n**2)
    parts = assay(look, DISPLAY)
    assert [f.title for f in parts.findings] == [f.title for f in whole.findings]
    for one, other in zip(parts.findings, whole.findings, strict=True):
        sampled_only = {"quantised"}  # figures of some nodes of a large table
        if one.key not in sampled_only:
            assert one.figure == pytest.approx(other.figure, rel=1e-6), one.key
            assert one.sentence == other.sentence


def test_a_large_table_is_examined_in_little_memory() -> None:
    table = sampled(made_up(1), 129).table
    tracemalloc.start()
    try:
        found = assay(Transform((table,)), DISPLAY)
        _now, most = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert {f.level for f in found.findings} <= {Level.GOOD, Level.NOTE}
    assert most < 4 * table.values.nbytes  # 26 MB; all at once took 450
