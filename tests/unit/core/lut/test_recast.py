"""Grids, shapers, ranges, parts, blends, chains, fits and inverses of LUTs."""

from __future__ import annotations

import sys

import numpy as np
import peers
import PyOpenColorIO as ocio
import pytest
from conftest import ROOT
from hypothesis import given
from hypothesis import strategies as st
from scipy import sparse

from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.ranges import LEGAL_10
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.difference import cube_colours, difference
from sfumato.core.lut.fit import fitted
from sfumato.core.lut.invert import inverted, stage_inverse
from sfumato.core.lut.nodes import Bend, Between, Normal, smoothed, solved, weights
from sfumato.core.lut.recast import (
    blended,
    chained,
    curves_of,
    domain_of,
    full_in,
    full_out,
    legal_in,
    legal_out,
    limited,
    permuted,
    sampled,
    shaped,
    split,
)
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Transform

DISPLAY = encoding("BT.1886")
SRGB = encoding("sRGB")


def look(rgb: np.ndarray) -> np.ndarray:
    """A smooth grade with a curve, a hue-dependent pull and a soft top."""
    x = np.asarray(rgb, np.float64)
    y = x + 0.4 * (x * x * (3 - 2 * x) - x)
    luma = y @ [0.2126, 0.7152, 0.0722]
    y = luma[..., None] + 0.9 * (y - luma[..., None])
    return np.asarray(y + 0.03 * np.sin(4 * x[..., ::-1]) * x * (1 - x), np.float32)


LOOK = Transform((Function("look", look),), "A look", ("kept",))
GRID33 = sampled(LOOK, 33)
COLOURS = cube_colours(4000)


def test_a_split_put_together_is_the_whole() -> None:
    tone, colour = split(GRID33, 33)
    (table,) = tone.stages
    assert isinstance(table, Table1D)
    assert (np.diff(table.values, axis=0) > 0).all()
    found = difference(GRID33, chained([tone, colour]), COLOURS, DISPLAY)
    assert found.p99 < 0.15
    greys = np.repeat(np.linspace(0, 1, 101, dtype=np.float32)[:, None], 3, axis=1)
    luma = np.array([0.2126, 0.7152, 0.0722])
    np.testing.assert_allclose(tone.apply(greys) @ luma, GRID33.apply(greys) @ luma, atol=2e-4)
    coloured = colour.apply(greys * np.float32(0.8) + np.float32(0.1))
    np.testing.assert_allclose(coloured @ luma, greys[:, 0] * 0.8 + 0.1, atol=2e-3)
    falling = Transform((Table1D(np.linspace(1, 0, 9)[:, None].repeat(3, 1)),))
    with pytest.raises(ValueRefused, match="fall"):
        split(falling, 17)


def test_a_shaper_serves_linear_light() -> None:
    """A grade of 0..16 linear light: a grid alone is hopeless, with a shaper it is close."""
    over = ((0.0,) * 3, (16.0,) * 3)

    def film(rgb: np.ndarray) -> np.ndarray:
        return SRGB.encode(rgb / (rgb + np.float32(0.6)))

    ends = Table1D(np.linspace(0, 16, 65536)[:, None].repeat(3, axis=1), over)
    exact = Transform((ends, Function("film", film)))
    assert domain_of(exact) == over
    colours = np.exp2(cube_colours(3000) * 12 - 8).astype(np.float32)
    plain = sampled(exact, 33, over)
    found = shaped(exact, 16384, 33)
    worse = difference(exact, plain, colours, DISPLAY)
    good = difference(exact, found, colours, DISPLAY)
    assert worse.mean > 20 * good.mean
    assert good.mean < 0.3
    # Channels that cover different inputs share one shaper over all of them.
    uneven = ((0.0, -0.5, 0.1), (4.0, 16.0, 1.0))
    first = Table1D(np.linspace(uneven[0], uneven[1], 4096), uneven)
    wide = shaped(Transform((first, Function("film", film))), 512, 9).stages[0].domain
    assert wide == ((-0.5,) * 3, (16.0,) * 3)
    kept = shaped(Transform((peers.SHAPER, peers.WILD)), 20, 17)
    np.testing.assert_allclose(kept.stages[0].domain, peers.SHAPER.domain)


def test_ranges_go_there_and_back() -> None:
    low, high = LEGAL_10
    for there, back in ((legal_in, full_in), (legal_out, full_out)):
        again = back(there(GRID33))
        np.testing.assert_allclose(again.apply(COLOURS), GRID33.apply(COLOURS), atol=2e-5)
    black_white = np.array([[low] * 3, [high] * 3], np.float32)
    np.testing.assert_allclose(
        legal_in(GRID33).apply(black_white), GRID33.apply([[0.0] * 3, [1.0] * 3]), atol=1e-5
    )
    ends = legal_out(Transform()).apply([[0.0] * 3, [1.0] * 3])
    np.testing.assert_allclose(ends, black_white, atol=1e-6)
    assert limited(Transform()).apply([[-1.0, 0.5, 7.0]]).tolist() == [[0.0, 0.5, 1.0]]


def test_blends_strengths_chains_and_curves() -> None:
    other = sampled(Transform((Function("other", lambda x: x * np.float32(0.5)),)), 9)
    half = blended(GRID33, other, 0.25).apply(COLOURS)
    expected = 0.75 * GRID33.apply(COLOURS) + 0.25 * other.apply(COLOURS)
    np.testing.assert_allclose(half, expected, atol=1e-6)
    both = chained([GRID33, other])
    assert both.title == "A look"
    assert both.comments == ("kept",)
    np.testing.assert_allclose(both.apply(COLOURS), GRID33.apply(COLOURS) * 0.5, atol=1e-6)
    greys = np.linspace(0, 1, 33, dtype=np.float32)[:, None].repeat(3, 1)
    np.testing.assert_allclose(curves_of(GRID33).apply(greys), GRID33.apply(greys), atol=2e-6)
    turned = permuted(Transform(), (2, 0, 1)).apply([[0.1, 0.2, 0.3]])
    np.testing.assert_allclose(turned, [[0.3, 0.1, 0.2]])
    with pytest.raises(ValueRefused, match="grid"):
        sampled(LOOK, 1)


@given(st.integers(2, 9), st.integers(0, 2**32 - 1))
def test_weights_are_the_interpolation(n: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    table = Table3D(random.random((n, n, n, 3)).astype(np.float32))
    points = random.random((50, 3)) * 1.4 - 0.2
    found = weights(points, n) @ table.values.reshape(-1, 3).astype(np.float64)
    np.testing.assert_allclose(
        found, Transform((table,)).apply(points.astype(np.float32)), atol=1e-5
    )
    share, free = random.random(50), (random.random(n**3) < 0.8).astype(float)
    between, w = Between(points, n), weights(points, n)
    nodes, values = random.random((n**3, 2)), random.random((50, 2))
    np.testing.assert_allclose(between.of(nodes), w @ nodes, atol=1e-12)
    np.testing.assert_allclose(between.spread(values), w.T @ values, atol=1e-12)
    keep = sparse.diags(free)
    gram = keep @ (w.T @ sparse.diags(share) @ w + 0.1 * sparse.identity(n**3)) @ keep
    found = between.gram(share)
    found.hold(0.1, free)
    np.testing.assert_allclose(found @ np.eye(n**3), gram.toarray(), atol=1e-12)
    np.testing.assert_allclose(found.diagonal(), gram.diagonal(), atol=1e-12)
    bend = Bend(n)
    x, y = random.random((2, n**3, 2))
    assert ((bend @ x) * y).sum() == pytest.approx((x * (bend @ y)).sum())  # symmetric
    one = np.zeros((n**3, 1))
    one[n**3 // 2] = 1
    assert (bend @ one)[n**3 // 2, 0] == pytest.approx(bend.diagonal()[n**3 // 2])
    ramp = lattice_colours(n).reshape(-1, 3).astype(np.float64)
    np.testing.assert_allclose(bend @ ramp, 0, atol=1e-5)  # what is straight does not bend


def test_a_smooth_lattice_is_what_a_direct_solver_finds() -> None:
    n, random = 6, np.random.default_rng(4)
    places = random.random((300, 3))
    w = weights(places, n)
    gram = (w.T @ w + 1e-3 * sparse.identity(n**3)).tocsr()
    normal = Normal(gram, Bend(n), 0.05)
    right = w.T @ random.random((300, 2))
    bending = normal.bend @ np.eye(n**3)
    exact = np.linalg.solve(gram.toarray() + 0.05 * bending, right)
    found = solved(normal, right, np.zeros_like(right), 400)
    np.testing.assert_allclose(found, exact, atol=1e-8)
    by_half = Between(places, n).gram(np.ones(300))
    by_half.hold(1e-3)
    found = solved(Normal(by_half, Bend(n), 0.05), right, np.zeros_like(right), 400)
    np.testing.assert_allclose(found, exact, atol=1e-8)
    # A few steps at a time are the same steps, and no more than were asked for.
    start = np.zeros_like(right)
    far = [np.abs(solved(normal, right, start, steps) - exact).max() for steps in (0, 1, 9, 60)]
    assert far == sorted(far, reverse=True)
    np.testing.assert_array_equal(solved(normal, right, start, 0), start)


@pytest.mark.parametrize("grid", [17, 33])
def test_a_fit_is_kept_only_when_it_is_better(grid: int) -> None:
    found = fitted(LOOK, grid, DISPLAY)
    assert found.kept
    assert found.fitted.mean < 0.9 * found.plain.mean
    assert found.fitted.p99 <= found.plain.p99
    ends = found.table.values[[0, -1], [0, -1], [0, -1]]
    np.testing.assert_allclose(ends, look(np.array([[0.0] * 3, [1.0] * 3])), atol=1e-6)

    def posterised(rgb: np.ndarray) -> np.ndarray:
        return np.floor(np.clip(rgb, 0, 0.999) * 4) / np.float32(3)

    hard = fitted(Transform((Function("hard", posterised),)), grid, DISPLAY)
    better = hard.fitted.mean < hard.plain.mean and hard.fitted.p99 <= hard.plain.p99
    assert hard.kept == better
    nodes = sampled(Transform((Function("hard", posterised),)), grid).table
    if not hard.kept:
        np.testing.assert_array_equal(hard.table.values, nodes.values)


def test_smoothing_takes_steps_and_noise_out() -> None:
    exact = sampled(LOOK, 33)
    steps = Table3D(np.round(np.clip(exact.table.values, 0, 1) * 255) / 255)
    noisy = np.clip(exact.table.values, 0, 1) + np.random.default_rng(2).normal(
        0, 2 / 255, exact.table.values.shape
    )
    for rough, strength, gain in ((steps, 3e-9, 1.1), (Table3D(noisy), 1e-7, 3)):
        before = difference(exact, Transform((rough,)), COLOURS, DISPLAY)
        after = difference(exact, Transform((smoothed(rough, strength),)), COLOURS, DISPLAY)
        assert before.mean > gain * after.mean


@pytest.mark.parametrize(
    "sample", ["matrix", "log", "camera log", "exponent", "CDL, inverse, not clamped"]
)
def test_stages_are_inverted_exactly(sample: str) -> None:
    transform = peers.SAMPLES[sample]
    inverse, where = inverted(transform, 9, DISPLAY)
    assert where.exact
    inside = 0.2 + 0.5 * COLOURS
    back = inverse.apply(transform.apply(inside))
    np.testing.assert_allclose(back, inside, atol=2e-4)
    curve = stage_inverse(Table1D(np.linspace(0, 1, 33)[:, None] ** [0.5, 1, 2]))
    np.testing.assert_allclose(curve.apply([[0.5, 0.3, 0.25]]), [[0.25, 0.3, 0.5]], atol=2e-3)
    flat = np.clip(np.linspace(-1, 2, 31), 0, 1)[:, None].repeat(3, 1)
    cut = stage_inverse(Table1D(flat))
    np.testing.assert_allclose(cut.apply([[0.0, 0.5, 1.0]]), [[1 / 3, 0.5, 2 / 3]], atol=1e-6)
    wavy = np.array([0, 0.6, 0.4, 1])[:, None].repeat(3, 1)
    assert stage_inverse(Table1D(wavy)) is None


def test_a_lattice_is_inverted_as_well_as_by_an_exact_search(tmp_path) -> None:
    """OpenColorIO searches the inverse exactly; the fitted lattice must come near it."""
    inverse, where = inverted(GRID33, 33, DISPLAY)
    assert not where.exact
    assert where.back.p99 < 0.2
    assert where.clipped < 0.01
    assert where.folded == 0
    table = ocio.Lut3DTransform(33)
    table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    table.setData(GRID33.table.values.reshape(-1))
    table.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    cpu = ocio.Config.CreateRaw().getProcessor(table)
    cpu = cpu.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
    reached = GRID33.apply(0.1 + 0.8 * COLOURS)
    theirs = np.ascontiguousarray(reached).copy()
    cpu.applyRGB(theirs)
    assert np.abs(inverse.apply(reached) - theirs).mean() < 4e-4
    said = " ".join(where.words())
    assert "ΔE" in said


def test_the_map_says_where_there_is_no_inverse() -> None:
    def hard(rgb: np.ndarray) -> np.ndarray:
        out = np.clip(rgb * np.float32(1.6) - np.float32(0.1), 0, 1)
        out[..., 1] = np.abs(out[..., 1] - np.float32(0.3))  # turns over
        return out

    _, where = inverted(sampled(Transform((Function("hard", hard),)), 33), 17, DISPLAY)
    assert where.clipped > 0.3
    assert where.folded > 0.05
    assert where.unreached > 0.1
    words = " ".join(where.words())
    for part in ("clipped", "folded", "no input"):
        assert part in words
    grey = Transform((Table3D(np.full((5, 5, 5, 3), 0.5, np.float32)),))
    with pytest.raises(ValueRefused, match="too few"):
        inverted(grey, 17, DISPLAY)


def test_fits_meet_their_targets_and_never_do_harm() -> None:
    """On grades of many kinds, measured on colours and pictures that no fit has seen."""
    sys.path.insert(0, str(ROOT))
    from bench import accuracy

    for grid, only in ((33, accuracy.SMOOTH), (17, ("strong", "steep clip", "narrow key"))):
        found = {(r.grade, r.how): r for r in accuracy.rows((grid,), only)}
        for name in only:
            plain = found[name, "sampled"]
            fit = found.get((name, "fitted"))
            if fit is None:  # it would not have helped, and was refused
                assert (name, "fit refused") in found
                assert name == "narrow key"
                continue
            for part in ("cube", "pictures"):
                before, after = getattr(plain, part), getattr(fit, part)
                assert after.mean < before.mean, (name, part)
                assert after.p99 <= before.p99, (name, part)
            if grid == 33:
                assert fit.cube.mean < 0.03
                assert fit.cube.p99 < 0.2
                assert fit.greys.mean < 0.03
