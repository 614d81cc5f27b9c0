"""A simulated engine: textures against their definition and a GL driver, blocks against another decoder, faults."""

from __future__ import annotations

import io
import json
import math
from pathlib import Path

import attrs
import imagecodecs
import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from test_cli import run

import sfumato
from sfumato.core.bench import blocks
from sfumato.core.bench.engine import (
    EIGHT,
    FAULT_KEYS,
    FAULTS,
    HALF,
    LAYOUTS,
    STRIP,
    TILES,
    VOLUME,
    Import,
    Zone,
    across,
    blended,
    imported,
    right,
    sampled,
    set_faults,
    shares,
    with_faults,
)
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError, StudyError
from sfumato.core.lut.sample import apply_table
from sfumato.work.bench.engines import SIMULATED, Taken, draw, exactly, table_of, walk_of
from sfumato.work.bench.finder import AS_MEANT, find
from sfumato.work.bench.gl_engine import GlEngine

LOOK = ROOT / "demo" / "luts" / "low_tide_33.cube"
SRGB = encoding("sRGB")


def table(points: int = 32):
    return table_of(sfumato.read(LOOK), points)


def photo(wide: int = 320) -> np.ndarray:
    picture = Image.open(ROOT / "demo" / "sill_photo.png").convert("RGB")
    return np.asarray(picture.resize((wide, wide * 9 // 16)))


@pytest.fixture(scope="module")
def gl():
    with GlEngine() as engine:
        yield engine


# --- textures ------------------------------------------------------------------------------------
def as_defined(values: np.ndarray, layout: str, code) -> np.ndarray:
    """One colour through a right 8-bit texture, in float64: nodes rounded, filter weights of 8 bits."""
    n = len(values)
    nodes = np.rint(np.clip(values, 0, 1).astype(np.float64) * 255) / 255
    c = [float(min(max(v, 0), 1)) * (n - 1) for v in code]
    low = [min(math.floor(v), n - 2) for v in c]
    share = [round((v - i) * 256) / 256 for v, i in zip(c, low, strict=True)]
    if layout != VOLUME:
        share[2] = c[2] - low[2]  # between slices the shader mixes, exactly
    total = np.zeros(3)
    for corner in range(8):
        bits = [corner >> i & 1 for i in range(3)]
        weight = math.prod(s if b else 1 - s for s, b in zip(share, bits, strict=True))
        total += weight * nodes[tuple(i + b for i, b in zip(low, bits, strict=True))]
    return total


@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize("points", [16, 32, 64])
def test_a_right_texture_is_its_definition(layout: str, points: int) -> None:
    lattice = table(points)
    texture = imported(lattice, Import(layout=layout, points=points))
    high, wide = texture.levels[0].shape[:2]
    if layout == STRIP:
        assert (wide, high) == (points * points, points)
    if layout == TILES and points == 64:
        assert (wide, high) == (512, 512)
    codes = np.random.default_rng(4).random((60, 3)).astype(np.float32)
    codes[:4] = [[0, 0, 0], [1, 1, 1], [1, 0, 0.5], [0.999, 0.001, 1]]
    wanted = [as_defined(lattice.values, layout, c) for c in codes]
    # A float of 32 bits is about 2 ** -13 of a texel off in a long strip: now and then a weight rounds otherwise.
    off = np.abs(sampled(texture, codes) - np.array(wanted))
    assert np.quantile(off, 0.98) < 2e-5
    assert off.max() < 2 / 256


@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize("depth", [EIGHT, HALF])
@pytest.mark.parametrize("fault", ["", *FAULTS])
def test_the_gl_driver_draws_the_same(gl: GlEngine, layout: str, depth: str, fault: str) -> None:
    if not gl.name():
        pytest.skip("no GL driver runs here")
    settings = with_faults(Import(layout=layout, depth=depth), [fault] if fault else [])
    texture = imported(table(), settings)
    picture = photo().astype(np.float32) / 255
    found, ms = gl.draw([texture], picture, [1.0])
    assert ms > 0
    own = sampled(texture, picture, exact=True)
    off = np.abs(found - own)
    if settings.mips:  # the standard leaves the level of detail to the chip
        plain = sampled(imported(table(), attrs.evolve(settings, mips=False)), picture, exact=True)
        assert off.mean() < 0.5 * np.abs(own - plain).mean()
    elif settings.is_eight and not settings.decodes:
        # This driver rounds between the axes of an 8-bit texture of three dimensions.
        assert off.max() < (1.5 if layout == VOLUME else 1.1) / 255 + 1e-3
    elif not settings.is_eight:
        assert off.max() < 2e-6
    else:
        assert off.max() < 1 / 255


def test_the_shader_that_send_writes_is_exact_on_the_driver(gl: GlEngine) -> None:
    if not gl.name():
        pytest.skip("no GL driver runs here")
    lattice = table()
    texture = imported(lattice, Import(layout=VOLUME, depth=HALF))
    picture = photo().astype(np.float32) / 255
    found, _ms = gl.draw([texture], picture, [1.0], sent=True)
    held = attrs.evolve(lattice, values=lattice.values.astype(np.float16).astype(np.float32))
    assert np.abs(found - apply_table(held, picture, "trilinear")).max() < 2e-6
    whole, _ms = gl.draw([texture], photo(), [1.0], sent=True)
    assert np.abs(whole - found.clip(0, 1) * 255).max() <= 0.51


def test_without_a_driver_the_simulation_serves_and_says_so(monkeypatch) -> None:
    monkeypatch.setattr("sys.executable", "/nowhere/python")
    with GlEngine() as none:
        assert none.name() == ""
        look = Taken("Low tide", sfumato.read(LOOK), imported(table(), Import()))
        drawn = draw(none, photo(64), [look], [1.0])
    assert drawn.driver == SIMULATED
    wanted = sampled(look.texture, photo(64).astype(np.float32) / 255)
    assert np.abs(drawn.codes - np.clip(wanted, 0, 1) * 255).max() <= 0.51


# --- blocks --------------------------------------------------------------------------------------
@pytest.mark.parametrize("kind", ["noise", "flat", "ramp", "lut", "odd"])
def test_blocks_decode_as_another_decoder_says(kind: str) -> None:
    dice = np.random.default_rng(7)
    pixels = {
        "noise": dice.integers(0, 256, (32, 64, 3), dtype=np.uint8),
        "flat": np.full((8, 8, 3), 77, np.uint8),
        "ramp": np.tile(np.arange(64, dtype=np.uint8)[None, :, None] * 4, (4, 1, 3)),
        "lut": np.asarray(np.rint(imported(table(16), Import(points=16)).texels * 255), np.uint8),
        "odd": dice.integers(0, 256, (7, 13, 3), dtype=np.uint8),
    }[kind]
    high, wide = pixels.shape[:2]
    full = (-(-high // 4) * 4, -(-wide // 4) * 4, 4)
    for encoded, decoded, number, size in (
        (blocks.bc1_encoded, blocks.bc1_decoded, 1, 8),
        (blocks.bc7_encoded, blocks.bc7_decoded, 7, 16),
    ):
        data = encoded(pixels)
        assert len(data) == full[0] * full[1] // 16 * size
        theirs = imagecodecs.bcn_decode(data, number, shape=full)[:high, :wide]
        own = decoded(data, high, wide)
        assert np.array_equal(own, theirs[..., :3])
        assert theirs[..., 3].min() >= 254
        off = np.abs(own.astype(int) - pixels).mean()
        assert off < {"noise": 50, "odd": 50, "flat": 3, "ramp": 3, "lut": 6}[kind]


# --- zones ---------------------------------------------------------------------------------------
def test_zones_blend_by_distance_and_strength() -> None:
    zones = (Zone("a", (0, 0), 1, 2), Zone("b", (4, 0), 1, 2))
    assert shares(zones, (0.5, 0), 1.0) == (1.0, 0.0)
    half = shares(zones, (2.0, 0), 0.6)
    assert half == pytest.approx((0.3, 0.3))
    along = [shares(zones, (x, 0), 1.0) for x in np.linspace(0, 4, 41)]
    steps = np.abs(np.diff(np.array(along), axis=0))
    assert steps.max() < 0.1  # soft
    assert max(sum(s) for s in along) <= 1 + 1e-9
    near = (Zone("a", (0, 0), 3, 1), Zone("b", (1, 0), 3, 1))
    assert shares(near, (0.5, 0), 1.0) == (0.5, 0.5)
    code = np.full((2, 2, 3), 0.5, np.float32)
    mixed = blended(code, [code * 0, code * 2], (0.25, 0.5))
    assert np.allclose(mixed, 0.25 * 0.5 + 0.5)


def test_the_walk_of_the_demo_leads_from_one_zone_to_the_other(tmp_path: Path) -> None:
    walk = walk_of(ROOT / "demo")
    assert walk is not None
    assert len(walk.eyes) == 60
    first, last = (shares(walk.zones, walk.eyes[i], 1.0) for i in (0, -1))
    assert first == (1.0, 0.0)
    assert last == (0.0, 1.0)
    assert walk_of(tmp_path) is None
    for damage in (
        "[]",
        "{}",
        '{"zones": [], "eyes": [], "rate": 24, "clip": "a"}',
        '{"eyes": [[1]]}',
    ):
        (tmp_path / "walk.json").write_text(damage)
        with pytest.raises(StudyError):
            walk_of(tmp_path)


# --- faults --------------------------------------------------------------------------------------
@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize("kind", ["PNG", "JPEG"])
def test_the_fault_finder_names_what_was_done(layout: str, kind: str) -> None:
    natural = np.asarray(Image.open(ROOT / "demo" / "previews" / "furnace.png").convert("RGB"))
    lattice, code = table(), natural.astype(np.float32) / 255
    pairs = [
        ("decoded from sRGB", "with green the other way"),
        ("half a texel off", "compressed as BC1"),
    ]
    for faults in [(), *((f,) for f in FAULTS), *(pairs if kind == "PNG" else ())]:
        settings = with_faults(Import(layout=layout), faults)
        assert set(set_faults(settings)) == set(faults)
        assert right(settings) == Import(layout=layout)
        shot = np.rint(np.clip(sampled(imported(lattice, settings), code), 0, 1) * 255).astype(
            np.uint8
        )
        box = io.BytesIO()
        Image.fromarray(shot).save(box, kind, **({"quality": 92} if kind == "JPEG" else {}))
        found = find([(lattice, 1.0)], settings, natural, np.asarray(Image.open(box)), SRGB)
        if kind == "JPEG" and faults == ("with the nearest node alone",):
            continue  # less than the JPEG's own noise
        assert found.explained, (faults, found.says)
        assert set(found.best.faults) == set(faults), (faults, found.says)
        assert (found.best.words == AS_MEANT) == (not faults)


def test_the_fault_finder_knows_faint_and_missing_looks_and_refuses_other_pictures() -> None:
    natural, lattice = photo(), table()
    code = natural.astype(np.float32) / 255
    meant = sampled(imported(lattice, Import()), code)
    faint = np.rint((code + 0.6 * (meant - code)).clip(0, 1) * 255).astype(np.uint8)
    assert (
        find([(lattice, 1.0)], Import(), natural, faint, SRGB).best.words
        == "at 60 % of its strength"
    )
    assert find([(lattice, 1.0)], Import(), natural, natural, SRGB).best.words == "without the look"
    other = natural[::-1, ::-1, ::-1]
    assert not find([(lattice, 1.0)], Import(), natural, other, SRGB).explained
    second = table_of(sfumato.read(ROOT / "demo" / "luts" / "salt_day.ktx2"), 32)
    spoilt = with_faults(Import(), ["decoded from sRGB"])
    mixed = blended(
        code, [sampled(imported(t, spoilt), code) for t in (lattice, second)], (0.3, 0.4)
    )
    shot = np.rint(mixed.clip(0, 1) * 255).astype(np.uint8)
    found = find([(lattice, 0.3), (second, 0.4)], Import(), natural, shot, SRGB)
    assert found.best.faults == ("decoded from sRGB",)
    large = np.asarray(Image.fromarray(faint).resize((640, 360)))
    assert "of its strength" in find([(lattice, 1.0)], Import(), natural, large, SRGB).best.words
    with pytest.raises(MediaError, match="whole picture"):
        find([(lattice, 1.0)], Import(), natural, natural[:100], SRGB)


# --- the command ---------------------------------------------------------------------------------
def test_the_commands_draw_measure_and_find(tmp_path: Path) -> None:
    shot = tmp_path / "shot.png"
    Image.fromarray(photo()).save(shot)
    common = ("--lut", LOOK, "--on", shot)
    for fault in ("", *FAULT_KEYS):
        out = tmp_path / f"{fault or 'right'}.png"
        more = ("--fault", fault) if fault else ()
        answer = json.loads(run("bench", "engine", out, *common, *more, "--json").stdout)
        assert answer["faults"] == ([fault] if fault else [])
        found = json.loads(run("bench", "find", out, *common, "--json").stdout)
        if fault != "mips":  # whose level of detail is the driver's own
            assert found["faults"] == answer["faults"], found
            assert found["before"] == pytest.approx(answer["from_look"]["mean"], abs=0.6, rel=0.03)
    wanted = np.clip(
        exactly(photo(), [Taken("x", sfumato.read(LOOK), imported(table(), Import()))], [0.5]), 0, 1
    )
    out = tmp_path / "half.png"
    run("bench", "engine", out, *common, "--strength", 50, "--texture", "3d", "--depth", "16f")
    assert np.abs(np.asarray(Image.open(out)) - wanted * 255).mean() < 1.0
    assert "exists already" in run("bench", "engine", out, *common, status=1).stderr
    assert "read in this run" in run("bench", "engine", shot, *common, status=1).stderr
    assert across(8) == 4
