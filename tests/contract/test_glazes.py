"""One battery over every glaze, and the known values of each."""

from __future__ import annotations

import numpy as np
import PyOpenColorIO as ocio
import pytest
import strategies
from contract.references import REFERENCES
from hypothesis import given
from hypothesis import strategies as st

from sfumato.core import compiled, controls
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import glazes
from sfumato.core.lut.bake import baked
from sfumato.core.lut.difference import cube_colours, difference
from sfumato.core.path.path import through_coats
from sfumato.core.study import coat_json
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import Look, Study
from sfumato.media.parts.registry import read

ALL = pytest.mark.parametrize("spec", glazes().values(), ids=lambda s: s.key)
WORKING = ("sRGB", "Tarn Log")
WIDE = np.random.default_rng(4).uniform(-2, 60, (3000, 3)).astype(np.float32)


@ALL
@pytest.mark.parametrize("working", WORKING)
def test_defaults_change_nothing_to_the_bit(spec, working: str) -> None:
    before = WIDE.copy()
    out = spec.apply(spec.defaults(), WIDE, working)
    assert out.dtype == np.float32
    assert out is not WIDE
    np.testing.assert_array_equal(out, before)


@ALL
@given(data=st.data(), working=st.sampled_from(WORKING))
def test_every_setting_is_finite_pure_and_blind_to_neighbours(spec, data, working: str) -> None:
    coat = data.draw(strategies.coats(spec))
    before = WIDE.copy()
    with np.errstate(over="ignore", invalid="ignore"):
        out = spec.apply(coat.parameters, WIDE, working)
        usual = spec.apply(coat.parameters, WIDE / 60, working)
        part = spec.apply(coat.parameters, WIDE[100:200] / 60, working)
        beside = spec.apply(coat.parameters, WIDE[100:200] / 60 * np.float32(1 + 1e-6), working)
        odd = spec.apply(coat.parameters, np.float32([[np.nan, np.inf, 0.5]]), working)
    assert np.isfinite(out).all()
    assert out.shape == WIDE.shape
    np.testing.assert_array_equal(WIDE, before)
    # Matrix products and kernels round with the count of rows; steep curves enlarge that, as they do
    # a step of rounding of what goes in.
    slack = 1e-4 + 1e-5 * float(np.abs(usual).max()) + 4 * float(np.abs(beside - part).max())
    np.testing.assert_allclose(part, usual[100:200], rtol=1e-5, atol=slack)
    assert odd.shape == (1, 3)


@ALL
@given(data=st.data())
def test_dump_and_load_agree(spec, data) -> None:
    coat = data.draw(strategies.coats(spec))
    assert coat_json.load_coat(coat_json.dump_coat(coat)) == coat
    with pytest.raises(ValueRefused, match="no control"):
        controls.load(spec.record, {"bogus": 1})


@ALL
def test_declarations_are_complete(spec) -> None:
    assert spec.help.endswith(".")
    assert len(spec.more) > 60
    assert spec.run.__doc__
    for name, kind in spec.controls().items():
        assert kind.title, name
        assert kind.help, name
    for name, kind in spec.controls().items():
        for bad in (float("nan"), "bogus", None, object()):
            with pytest.raises(ValueRefused, match=name):
                spec.record(**{name: bad})
        assert type(kind) is not controls.Kind


@ALL
@pytest.mark.parametrize("working", WORKING)
def test_greys_rise_and_a_bake_is_near(spec, working: str) -> None:
    coat = new_coat(spec.key, **spec.mild)
    greys = np.repeat(np.linspace(0, 1, 512, dtype=np.float32)[:, None], 3, axis=1)
    assert (np.diff(through_coats((coat,), greys, encoding(working)), axis=0) >= -1e-6).all()
    transform = Study(working=working, look=Look("x", (coat,))).transform((working, working))
    found = difference(transform, baked(transform, 33), cube_colours(4000), encoding("sRGB"))
    assert found.mean < (1.5 if spec.is_hard else 0.25)
    linear = ("exposure", "cdl", "contrast", "mixer")
    assert found.mean > 0 or spec.key in linear


@pytest.fixture(params=["numpy", "compiled"])
def form(request, monkeypatch) -> str:
    """Both forms of the arithmetic: before and after the kernels are loaded."""
    compiled.load_kernels()
    if request.param == "numpy":
        monkeypatch.setattr(compiled.KERNELS, "colour", None)
    return request.param


def test_every_glaze_is_defined_a_second_time() -> None:
    """By a plain definition in float64 beside the tests, or by two examples in its declaration."""
    for spec in glazes().values():
        assert spec.mild, spec.key
        assert spec.key in REFERENCES or len(spec.examples) >= 2, spec.key


@ALL
def test_examples_hold(spec) -> None:
    for each in spec.examples:
        out = spec.apply(spec.record(**each.values), [each.given], each.working)
        np.testing.assert_allclose(out, [each.made], atol=1e-5)


@pytest.mark.parametrize("spec", [glazes()[k] for k in REFERENCES], ids=lambda s: s.key)
@pytest.mark.parametrize("working", WORKING)
def test_float64_agrees(spec, working: str, form: str) -> None:
    """Within 1e-5 of a float64 reference on colours as pictures have them.

    Where a channel near black stands beside one many times brighter, light in float32 leaves more:
    2e-6 of the brightest channel is allowed there.
    """
    parameters = new_coat(spec.key, **spec.mild).parameters
    rng = np.random.default_rng(7)
    wild = rng.uniform(0.02, 1.2, (3000, 3)).astype(np.float32)
    grey = rng.uniform(0.1, 0.9, (3000, 1))
    tame = (grey + rng.uniform(-0.08, 0.08, (3000, 3))).astype(np.float32)
    tame[:300] = tame[:300, :1]
    space = encoding(working)

    def apart(code: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        ours = spec.apply(parameters, code, space)
        theirs = REFERENCES[spec.key](parameters, code.astype(np.float64), space)
        assert np.abs(ours - code).max() > 1e-3  # it does something here
        light = np.asarray(space.transfer.decode(theirs))
        room = np.maximum(np.abs(light), np.abs(space.decode(code))).max(axis=-1, keepdims=True)
        steps = [space.transfer.encode(light + s * 2e-6 * room) for s in (-1, 1)]
        return np.abs(ours - theirs), np.abs(steps[1] - steps[0])

    assert apart(tame)[0].max() < 1e-5
    away, slack = apart(wild)
    assert (away < 1e-5 + slack).all()


def test_strength_mixes_in_code_values() -> None:
    x = WIDE[:50] / 60
    full = new_coat("contrast", slope=2.0)
    half = Study(working="sRGB", look=Look("x", (full,), 0.5)).transform(("sRGB", "sRGB")).apply(x)
    whole = Study(working="sRGB", look=Look("x", (full,))).transform(("sRGB", "sRGB")).apply(x)
    np.testing.assert_allclose(half, (x + whole) / 2, atol=1e-6)


def test_exposure_doubles_light() -> None:
    log = encoding("Tarn Log")
    out = glazes()["exposure"].apply(
        new_coat("exposure", stops=1.0).parameters, log.encode([[0.18] * 3]), log
    )
    np.testing.assert_allclose(log.decode(out), 0.36, rtol=1e-5)


@pytest.mark.parametrize("direction", ["forward", "inverse"])
@pytest.mark.parametrize("clamp", ["as the standard", "never"])
def test_cdl_agrees_with_opencolorio(direction: str, clamp: str) -> None:
    sop = {"slope": (1.3, 0.8, 1.1), "offset": (-0.05, 0.1, 0.02), "power": (1.4, 0.9, 0.7)}
    theirs = ocio.CDLTransform(**{k: list(v) for k, v in sop.items()}, sat=1.3)
    theirs.setStyle(ocio.CDL_ASC if clamp == "as the standard" else ocio.CDL_NO_CLAMP)
    way = ocio.TRANSFORM_DIR_FORWARD if direction == "forward" else ocio.TRANSFORM_DIR_INVERSE
    theirs.setDirection(way)
    processor = ocio.Config.CreateRaw().getProcessor(theirs).getDefaultCPUProcessor()
    x = np.random.default_rng(5).uniform(-0.3, 1.5, (2000, 3)).astype(np.float32)
    expected = x.copy()
    processor.applyRGB(expected)
    p = new_coat("cdl", **sop, saturation=1.3, clamp=clamp, direction=direction).parameters
    np.testing.assert_allclose(glazes()["cdl"].apply(p, x), expected, atol=5e-5, rtol=5e-5)


def test_a_picked_grey_becomes_neutral() -> None:
    spec, log = glazes()["white_balance"], encoding("Tarn Log")
    for cast in ([0.45, 0.42, 0.38], [0.39, 0.42, 0.43], [0.5, 0.52, 0.49]):
        picked = spec.pick(spec.defaults(), np.float32(cast), log)
        out = log.decode(spec.apply(picked, np.float32([cast]), log))[0]
        assert np.ptp(out) / out.mean() < 1e-3


def test_colourfulness_takes_all_colour_away_and_spares_skin() -> None:
    from conftest import ROOT

    spec, log = glazes()["colourfulness"], encoding("Tarn Log")
    still = read((ROOT / "demo/portrait.tif").read_bytes(), "portrait.tif").as_float()
    mono = log.decode(
        spec.apply(new_coat("colourfulness", amount=-100.0).parameters, still[::60, ::60], log)
    )
    np.testing.assert_allclose(
        mono, mono.mean(-1, keepdims=True).repeat(3, -1), rtol=2e-3, atol=1e-4
    )
    bust = still[440:520, 480:560].reshape(-1, 3)  # a lit shoulder of the middle bust
    free = spec.apply(new_coat("colourfulness", amount=80.0).parameters, bust, log)
    spared = spec.apply(new_coat("colourfulness", amount=80.0, skin=100.0).parameters, bust, log)
    assert np.abs(spared - bust).mean() < 0.35 * np.abs(free - bust).mean()


def test_a_curve_pick_puts_a_point_where_the_tone_lies() -> None:
    spec, log = glazes()["curves"], encoding("Tarn Log")
    picked = spec.pick(spec.defaults(), np.float32([0.3, 0.4, 0.5]), log, "green")
    assert picked.green[1] == pytest.approx((0.4, 0.4), abs=1e-4)
    assert picked.master == spec.defaults().master
