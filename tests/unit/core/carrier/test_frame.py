"""Frame carriers: laid out, found again after what programs do to pictures, never where there is none."""

from __future__ import annotations

import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from sfumato.core.carrier import arrange, cells, locate
from sfumato.core.carrier.frame import (
    BOTTOM,
    TOP,
    WRAPPED,
    Plan,
    bits_of,
    block_of,
    composed,
    nodes_of,
    plan_of,
)
from sfumato.core.lut.table import lattice_colours

LAYOUTS = (WRAPPED, arrange.HALD, *arrange.LAYOUTS)


def scene(width: int, height: int, seed: int = 1):
    dice = np.random.default_rng(seed)
    y, x = np.mgrid[:height, :width] / height
    out = np.stack([0.5 + 0.4 * np.sin(4 * x + 5 * y * dice.random() + k) for k in range(3)], -1)
    return (out * 0.8 + dice.random((height, width, 1)) * 0.2).astype(np.float32)


def graded(x):
    """A look with crossed channels, a lifted black and a soft white."""
    x = np.asarray(x, np.float64)
    mixed = x @ np.array([[0.85, 0.05, 0.1], [0.1, 0.8, 0.1], [0.05, 0.15, 0.8]]).T
    return (0.05 + 0.9 * mixed ** np.array([1.2, 1.0, 0.85])).astype(np.float32)


@given(
    st.integers(1, 65535),
    st.integers(1, 65535),
    st.integers(2, 256),
    st.integers(1, 64),
    st.sampled_from(LAYOUTS),
    st.integers(0, 65535),
    st.sampled_from([TOP, BOTTOM]),
    st.integers(0, 87),
)
def test_a_bar_says_its_plan_and_no_changed_bit_passes(
    width, height, points, cell, layout, number, end, flipped
) -> None:
    plan = Plan(width, height, points, cell, layout, number)
    bits = bits_of(plan, end)
    assert plan_of(bits) == (plan, end)
    bits[flipped] ^= 1
    assert plan_of(bits) is None


@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize(("width", "height"), [(320, 200), (1500, 700)])
def test_what_goes_out_is_found_to_the_node(layout: str, width: int, height: int) -> None:
    plan = Plan(width, height, 9, 4, layout, 7)
    whole = composed(plan, scene(width, height))
    assert whole.shape[:2] == plan.size[::-1]
    placed = locate.found(graded(whole))
    assert placed == locate.Placed(plan, (1.0, 1.0), (0.0, 0.0))
    nodes = nodes_of(plan, cells.read(graded(whole), placed))
    np.testing.assert_allclose(nodes, graded(lattice_colours(9)), atol=1e-6)
    np.testing.assert_array_equal(
        nodes_of(plan, block_of(plan, lattice_colours(9))), lattice_colours(9)
    )
    x0, y0, x1, y1 = cells.picture_box(whole, placed)
    np.testing.assert_array_equal(whole[y0:y1, x0:x1], scene(width, height))


def jpeg(image: Image.Image) -> np.ndarray:
    out = io.BytesIO()
    image.save(out, "jpeg", quality=85)
    return np.asarray(Image.open(io.BytesIO(out.getvalue())), np.float32) / 255


@pytest.mark.parametrize(
    ("scale", "turn"),
    [*zip([0.5, 0.73, 1.41, 2.0] * 2, [None, *Image.Transpose], strict=True)],
)
@pytest.mark.parametrize("kind", ["look", "negative", "solarised"])
def test_a_scaled_cropped_compressed_and_turned_carrier_is_found(scale, turn, kind: str) -> None:
    look = {
        "look": graded,
        "negative": lambda x: 1 - graded(x),
        "solarised": lambda x: np.where(x < 0.6, x / 0.6, (1 - x) * 2 + 0.2),  # grey above white
    }[kind]
    plan = Plan(700, 300, 17, 4, number=99)
    image = Image.fromarray(np.uint8(look(composed(plan, scene(700, 300))) * 255 + 0.5))
    size = (round(image.width * scale), round(image.height * scale))
    image = image.resize(size, Image.Resampling.BICUBIC)
    cut = image.height // 20
    image = image.crop((image.width // 25, cut, image.width, image.height))
    back = jpeg(image.transpose(turn) if turn is not None else image)
    placed = locate.found(back)
    assert placed is not None
    assert placed.plan == plan
    truth = np.array(size) / plan.size
    middle = np.array(plan.block) + np.array(plan.block_size) / 2
    where = np.array(placed.scale) * middle + placed.shift
    meant = truth * middle - [image_cut(size), cut]
    np.testing.assert_allclose(where, meant, atol=0.3)  # pixels of the return
    nodes = nodes_of(plan, cells.read(back, placed))
    off = np.abs(nodes - np.clip(look(lattice_colours(17)), 0, 1))
    assert np.median(off) < 2.5 / 255
    assert np.isfinite(nodes).all()


def image_cut(size) -> int:
    return size[0] // 25


def test_nothing_is_found_where_nothing_is() -> None:
    plan = Plan(800, 400, 17, 4)
    whole = composed(plan, scene(800, 400))
    assert locate.found(scene(800, 400)) is None
    assert locate.found(np.random.default_rng(1).random((300, 1200, 3))) is None
    assert locate.found(np.zeros((50, 50, 3), np.float32)) is None
    assert locate.found(whole[: plan.block[1]]) is None  # the lower bar is gone
    assert locate.found(whole[plan.block[1] :]) is None
    other = composed(Plan(800, 400, 17, 4, number=1), scene(800, 400))
    mixed = np.concatenate([whole[: plan.block[1]], other[plan.block[1] :]])
    assert locate.found(mixed) is None  # bars of two carriers
