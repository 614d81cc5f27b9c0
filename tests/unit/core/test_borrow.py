"""Borrowed looks: laid over, solved, told in glazes, and honest about what was not seen."""

from __future__ import annotations

import io
from functools import lru_cache

import attrs
import numpy as np
import pytest
from PIL import Image
from scipy import ndimage

from sfumato.core.borrow import align, explain, pair, reference, uniform
from sfumato.core.borrow.matched import matched
from sfumato.core.borrow.parts import PLAIN
from sfumato.core.borrow.reference import Link
from sfumato.core.borrow.scatter import Pairs
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import glazes
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.table import lattice_colours
from sfumato.core.study.coat import new_coat
from sfumato.core.study.loan import Amounts
from sfumato.core.study.look import Look
from sfumato.core.study.study import Study
from sfumato.core.study.view import View

DISPLAY, VIEW = encoding("BT.1886"), View(encoding="BT.1886")
STUDY = Study(working="BT.1886", view=VIEW)
GRADES = {
    "gentle": (
        new_coat("curves", master=((0.0, 0.03), (0.25, 0.23), (0.75, 0.78), (1.0, 0.98))),
        new_coat("colourfulness", amount=15.0),
    ),
    "strong": (
        new_coat("contrast", slope=1.6, keep_ends=True),
        new_coat(
            "hue_table",
            hue=((30.0, 0.25), (140.0, -0.3), (250.0, 0.2)),
            chroma=((30.0, 0.4), (200.0, -0.4)),
        ),
    ),
}


def graded(name: str, rgb) -> np.ndarray:
    look = attrs.evolve(STUDY, look=Look("", GRADES[name]))
    return np.clip(look.transform().apply(np.ascontiguousarray(rgb, np.float32)), 0, 1)


@lru_cache(maxsize=64)
def scene(seed: int, high: int = 270, wide: int = 480) -> np.ndarray:
    """Leaves of many colours that lie over one another, softly lit: float32 (h, w, 3), 0..1."""
    dice = np.random.default_rng(seed)
    out = np.full((high, wide, 3), 0.4, np.float32)
    for _ in range(300):
        radius = 6 + 60 * dice.random() ** 3
        middle = np.array([high, wide]) * dice.random(2)
        colour = dice.random(3) * (0.2 + 0.8 * dice.random())
        waves = 4 + 20 * dice.random(2)
        (top, left), (bottom, right) = (
            np.clip(middle + s * radius, 0, (high, wide)).astype(int) for s in (-1, 1)
        )
        y, x = np.mgrid[top:bottom, left:right]
        inside = np.hypot(y - middle[0], x - middle[1]) < radius
        shade = 0.8 + 0.2 * np.sin(x / waves[0] + y / waves[1])
        part = out[top:bottom, left:right]
        part[inside] = (colour * shade[..., None])[inside]
    light = 0.75 + 0.25 * np.cos(np.linspace(-1, 1, wide) * 2)[:, None]
    soft = ndimage.gaussian_filter(out * light, (0.7, 0.7, 0))
    return np.clip(soft, 0, 1).astype(np.float32)


def codes(rgb, bits: int = 8) -> np.ndarray:
    kind, peak = (np.uint8, 255) if bits == 8 else (np.uint16, 65535)
    return np.round(np.clip(rgb, 0, 1) * peak).astype(kind)


def jpeg(rgb, quality: int) -> np.ndarray:
    held = io.BytesIO()
    Image.fromarray(codes(rgb)).save(held, "JPEG", quality=quality, subsampling=2)
    return np.asarray(Image.open(io.BytesIO(held.getvalue())))


def turned(rgb, degrees: float, scale: float, shift: tuple[float, float]) -> tuple:
    """Return a picture that was rotated, scaled and shifted, and the matrix from it to the first."""
    high, wide = rgb.shape[:2]
    a = np.radians(degrees)
    size = int(high * scale), int(wide * scale)
    linear = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]) / scale
    middle = np.array([(size[1] - 1) / 2, (size[0] - 1) / 2])
    offset = np.array([(wide - 1) / 2, (high - 1) / 2]) + shift - linear @ middle
    y, x = np.mgrid[: size[0], : size[1]]
    u = linear[0, 0] * x + linear[0, 1] * y + offset[0]
    v = linear[1, 0] * x + linear[1, 1] * y + offset[1]
    out = [ndimage.map_coordinates(rgb[..., c], [v, u], order=3, mode="nearest") for c in range(3)]
    return np.clip(np.stack(out, -1), 0, 1), np.concatenate([linear, offset[:, None]], 1)


def apart(a, b) -> np.ndarray:
    return delta_e(np.clip(a, 0, 1), np.clip(b, 0, 1), DISPLAY)


@pytest.mark.parametrize(
    ("degrees", "scale", "shift"), [(0, 1, (3, -2)), (2, 0.85, (3, 1.5)), (-2, 1.3, (0.4, 0))]
)
def test_a_picture_is_laid_over_its_original_to_a_fraction_of_a_pixel(
    degrees, scale, shift
) -> None:
    before = scene(1)
    after, matrix = turned(before, degrees, scale, shift)
    found = align.laid_over(graded("strong", after), before)
    high, wide = after.shape[:2]
    corners = np.array([[0, 0, 1], [wide - 1, 0, 1], [0, high - 1, 1], [wide - 1, high - 1, 1]])
    assert np.abs(corners @ found.matrix.T - corners @ matrix.T).max() < 0.15
    assert found.agreement > 0.95
    assert (found.whole == (3, -2)) == (degrees == 0)


def test_quarter_turns_and_crops_are_found() -> None:
    before = scene(2)
    assert align.laid_over(graded("gentle", np.rot90(before)), before).turns == 1
    found = align.laid_over(graded("gentle", before[40:230, 60:400]), before)
    assert found.whole == (60, 40)


@pytest.mark.parametrize("grade", GRADES)
def test_a_pair_gives_its_look_on_its_own_colours_and_on_others(grade: str) -> None:
    before, other = scene(3), scene(4)
    pictures = matched(codes(before, 16), codes(graded(grade, before), 16))
    found = pair.looked([pictures])
    assert found.pictures[0].left_out.mean() < 0.03
    for picture, most in ((before, 0.06), (other, 1.0)):
        off = apart(found.table.apply(picture), graded(grade, picture))
        assert off.mean() < most
    # Where no colour was seen, and where one was: the stated band holds nine of ten nodes.
    nodes = lattice_colours(len(found.known))
    off = np.sqrt(((np.clip(found.table.apply(nodes), 0, 1) - graded(grade, nodes)) ** 2).sum(-1))
    assert (off <= found.off).mean() > 0.9
    assert 0.02 < found.known.mean() < 0.9


@pytest.mark.parametrize("grade", GRADES)
def test_a_picture_of_few_colours_says_that_it_knows_little(grade: str) -> None:
    """A fog of one hue, as JPEG: the stated band still holds nine of ten nodes."""
    colourful = scene(5)
    before = 0.35 + 0.3 * (0.85 * colourful.mean(-1, keepdims=True) + 0.15 * colourful)
    found = pair.looked([matched(codes(before), jpeg(graded(grade, before), 90))])
    assert found.known.mean() < 0.01
    nodes = lattice_colours(len(found.known))
    off = np.sqrt(((np.clip(found.table.apply(nodes), 0, 1) - graded(grade, nodes)) ** 2).sum(-1))
    assert (off <= found.off).mean() > 0.9


@pytest.mark.parametrize("grade", GRADES)
def test_what_is_no_matter_of_colour_is_left_out(grade: str) -> None:
    """Shifted, rotated, made smaller, compressed, and a tenth of it painted over."""
    before = scene(5, 360, 640)
    moved, _ = turned(before, 2, 0.85, (3, 0))
    after = graded(grade, moved)
    high, wide = after.shape[:2]
    area = (slice(int(0.2 * high), int(0.52 * high)), slice(int(0.5 * wide), int(0.82 * wide)))
    after[area] = (0.8, 0.3, 0.1)
    found = pair.looked([matched(codes(before), jpeg(after, 85))])
    mask = found.pictures[0].left_out
    assert mask[area].mean() > 0.9
    mask[area] = False
    assert mask.mean() < 0.03
    assert found.has_edges
    assert apart(found.table.apply(before), graded(grade, before)).mean() < 0.6


@pytest.mark.parametrize("grade", GRADES)
def test_glazes_explain_most_of_it_and_a_table_the_rest(grade: str) -> None:
    before = scene(6)
    found = pair.looked([matched(codes(before), codes(graded(grade, before)))])
    told = explain.explained(found.pairs, DISPLAY, VIEW, DISPLAY)
    assert told.share > 0.85
    lefts = [told.off, *(s.left for s in told.steps)]
    assert lefts[-1] == pytest.approx(told.left)
    assert len(told.steps) <= 4
    made = told.run(found.pairs.before, DISPLAY, VIEW)
    pairs = found.pairs
    nodes = explain.residual(made, pairs.after, pairs.weight, found.strength)
    made = told.run(before, DISPLAY, VIEW)
    from sfumato.core.lut.table import Table3D
    from sfumato.core.lut.transform import Transform

    whole = Transform((Table3D(nodes.astype(np.float32)),)).apply(made)
    table = apart(found.table.apply(before), graded(grade, before)).mean()
    assert apart(whole, graded(grade, before)).mean() < table + 0.03


def test_several_pairs_make_one_look() -> None:
    ones = [matched(codes(p), codes(graded("strong", p))) for p in (scene(7), scene(8))]
    both, alone = pair.looked(ones), pair.looked(ones[:1])
    assert both.known.sum() > alone.known.sum()
    truth = graded("strong", scene(8))
    errors = [apart(v.table.apply(scene(8)), truth).mean() for v in (both, alone)]
    assert errors[0] < 0.06 < errors[1]


def _worse(kind: str) -> tuple[np.ndarray, np.ndarray]:
    before = codes(scene(10))
    after = codes(graded("gentle", scene(10)))
    grey = np.repeat(before.mean(-1, keepdims=True).astype(np.uint8), 3, -1)
    return {
        "other things": (before, codes(scene(11))),
        "black": (before, np.zeros_like(after)),
        "one colour": (np.full_like(before, 90), after),
        "tiny": (before[:2, :2], after[:2, :2]),
        "clipped": (before, np.where(np.indices(after.shape[:2])[1][..., None] < 300, 255, after)),
        "grey": (grey, after),
    }[kind]


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("other things", "different things: "),
        ("black", "is black"),
        ("one colour", "of one colour"),
        ("tiny", "too small"),
        ("clipped", "plain black or white"),
    ],
)
def test_pairs_that_tell_nothing_are_refused_in_words(kind: str, words: str) -> None:
    before, after = _worse(kind)
    with pytest.raises(ValueRefused, match=words) as refused:
        matched(before, np.asarray(after, np.uint8))
    assert refused.value.hint


def test_a_grey_picture_before_gives_tones_and_no_wild_colours() -> None:
    before, after = _worse("grey")
    found = pair.looked([matched(before, after)])
    nodes = found.table.apply(lattice_colours(9))
    assert np.isfinite(nodes).all()
    far = ~found.known
    assert found.off[far].mean() > 5 * found.off[found.known].mean()


# --- references -----------------------------------------------------------------------------------


def _flat(seed: int) -> np.ndarray:
    return np.ascontiguousarray(scene(seed)[::3, ::3].reshape(-1, 3))


def test_a_reference_is_no_worse_than_nothing_in_the_mean_and_folds_nothing() -> None:
    nothing, borrowed = [], []
    for grade in GRADES:
        for seed in range(20, 35):
            shot, other = _flat(seed), graded(grade, _flat(seed + 100))
            told = reference.borrowed([Link(shot, other)], DISPLAY, VIEW, DISPLAY, Amounts())
            truth = graded(grade, shot)
            nothing.append(apart(shot, truth).mean())
            borrowed.append(apart(told.run(shot, DISPLAY, VIEW), truth).mean())
    assert np.mean(borrowed) <= 1.05 * np.mean(nothing)


def test_amounts_of_a_reference_do_what_they_say() -> None:
    shot, other = (0.5 * v + 0.5 * v.mean(-1, keepdims=True) for v in (_flat(40), _flat(41)))
    other = graded("gentle", other) * np.float32([1, 0.92, 0.8])
    link = [Link(shot, other)]

    def told(**values: float) -> explain.Explained:
        return reference.borrowed(link, DISPLAY, VIEW, DISPLAY, Amounts(**values))

    assert told(strength=0.0).steps == ()
    greys = np.repeat(np.linspace(0.02, 0.98, 60, dtype=np.float32)[:, None], 3, 1)
    strong = told(strength=200.0, tone=100.0).run(greys, DISPLAY, VIEW)
    assert (np.diff(strong.mean(-1)) > -1e-4).all()
    kept = told(strength=200.0, keep_greys=True).run(greys, DISPLAY, VIEW)
    assert np.ptp(kept, axis=1).max() < 0.02 < np.ptp(strong, axis=1).max()
    only_colour = told(strength=200.0, tone=0.0).run(shot, DISPLAY, VIEW)
    both = told(strength=200.0, tone=100.0).run(shot, DISPLAY, VIEW)
    lift = [abs(v.mean() - shot.mean()) for v in (only_colour, both)]
    assert lift[0] < lift[1]


# --- shots made uniform ---------------------------------------------------------------------------

LOG = encoding("Tarn Log")
LOG_VIEW = View(encoding="BT.1886")


def _spoilt(code: np.ndarray, stops: float, mired: float, slope: float) -> np.ndarray:
    for key, values in (
        ("contrast", {"slope": slope, "pivot": 0.39}),
        ("white_balance", {"temperature": mired, "tint": 3.0}),
        ("exposure", {"stops": stops}),
    ):
        parameters = new_coat(key, **values).parameters
        code = glazes()[key].apply(parameters, code, LOG, LOG_VIEW)
    return code


@pytest.mark.parametrize("spoil", [(1.5, 30.0, 1.2), (-1.5, -40.0, 0.85)])
def test_a_spoilt_shot_comes_back_to_the_one_that_is_right(spoil) -> None:
    right = LOG.encode(DISPLAY.decode(scene(50)) * np.float32(0.9))
    bad = _spoilt(right[:, :410], *spoil)
    told = uniform.from_places(bad, right[:, 70:], LOG, LOG_VIEW, DISPLAY)
    assert told is not None
    seen = explain.Seen(LOG, LOG_VIEW, DISPLAY)

    def off(code: np.ndarray) -> float:
        return float(apart(seen.codes(code), seen.codes(right[:, :410])).mean())

    assert off(told.run(bad, LOG, LOG_VIEW)) < 1.0 < 5.0 < off(bad)
    # Where places do not agree, the spread of the colours has to do.
    other = LOG.encode(DISPLAY.decode(scene(51)) * np.float32(0.9))
    assert uniform.from_places(bad, other, LOG, LOG_VIEW, DISPLAY) is None
    spread = uniform.from_pixels(bad, right, LOG, LOG_VIEW, DISPLAY)
    assert off(spread.run(bad, LOG, LOG_VIEW)) < 0.35 * off(bad)
    assert {s.key for s in spread.steps} <= set(PLAIN)


def test_a_card_gives_exposure_balance_and_a_matrix() -> None:
    dice = np.random.default_rng(3)
    greys = np.repeat(np.geomspace(0.03, 0.85, 6)[:, None], 3, 1)
    patches = np.concatenate([greys, 0.05 + 0.8 * dice.random((14, 3)) ** 2])
    wanted = LOG.encode(patches.astype(np.float32))
    sensor = np.array([[0.86, 0.1, 0.04], [0.05, 0.88, 0.07], [0.02, 0.12, 0.86]])
    light = patches @ sensor.T * 2**-1.3 * np.array([1.35, 1.0, 0.7])
    found = uniform.from_card(
        LOG.encode(light.astype(np.float32)),
        wanted,
        [str(i) for i in range(20)],
        LOG,
        LOG_VIEW,
        DISPLAY,
    )
    assert [s.key for s in found.steps] == ["white_balance", "exposure", "mixer"]
    assert found.off > 8
    assert found.left < 1.0
    plain = uniform.from_card(
        LOG.encode(light.astype(np.float32)), wanted, [str(i) for i in range(20)], LOG, LOG_VIEW, DISPLAY,
        with_matrix=False,
    )  # fmt: skip
    assert plain.left > found.left
    with pytest.raises(ValueRefused, match="four patches"):
        uniform.from_card(wanted[:3], wanted[:3], ["a", "b", "c"], LOG, LOG_VIEW, DISPLAY)


def test_a_card_in_two_shots_brings_contrast_too() -> None:
    dice = np.random.default_rng(4)
    patches = np.concatenate(
        [
            np.repeat(np.geomspace(0.03, 0.85, 6)[:, None], 3, 1),
            0.05 + 0.8 * dice.random((14, 3)) ** 2,
        ]
    )
    wanted = LOG.encode(patches.astype(np.float32))
    measured = _spoilt(wanted, 1.0, 50, 1.2)
    names = [str(i) for i in range(20)]
    found = uniform.from_patches(measured, wanted, names, LOG, LOG_VIEW, DISPLAY)
    plain = uniform.from_card(measured, wanted, names, LOG, LOG_VIEW, DISPLAY)
    assert "contrast" in {s.key for s in found.steps}
    assert found.left < 1.0 < 2.5 < found.off
    assert found.left < plain.left
    assert [n for n, _ in found.patches] == names


def test_few_colours_stand_for_all_of_them() -> None:
    dice = np.random.default_rng(1)
    x = dice.random((4000, 3))
    told = explain.explained(
        Pairs(x, x**1.2, np.ones(4000)), DISPLAY, VIEW, DISPLAY, keys=("curves",)
    )
    assert told.share > 0.95
