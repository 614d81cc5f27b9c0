"""What every glaze promises about pictures, over the usual travel of its controls; and what was mended."""

from __future__ import annotations

import sys
import warnings

import attrs
import numpy as np
import pytest
from conftest import ROOT
from picture import measured, noisy, patch, settings, shots

from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import code_of, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.glaze import glazes
from sfumato.core.measure.noise import noise_floor
from sfumato.core.path.laying import Laying, matte
from sfumato.core.path.path import through_coat
from sfumato.core.study import coat_json, view
from sfumato.core.study.coat import drawn_anew, new_coat
from sfumato.core.study.study import Look, Study
from sfumato.core.study.view import View

LOG = encoding("Tarn Log")
KELVIN = (2000, 2400, 2856, 3200, 4300, 5500, 6500, 9000, 20000)
ALL = pytest.mark.parametrize("spec", glazes().values(), ids=lambda s: s.key)


@ALL
@pytest.mark.parametrize("working", ["Tarn Log", "ACEScct", "sRGB"])
def test_every_setting_keeps_what_the_glaze_promises(spec, working: str) -> None:
    promise = spec.promise
    for label, parameters in settings(spec).items():
        found = measured(spec, parameters, working)
        assert found.gain <= promise.gain, label
        assert max(found.noise.values()) <= promise.noise, label
        assert found.cast <= promise.cast, label
        assert found.folds <= promise.folds, label
        assert found.falling <= promise.falling, label
        assert found.finite, label


@pytest.mark.parametrize(
    ("key", "values"),
    [
        ("hue_table", {"hue": ((20.0, 1.0),)}),
        ("hue_table", {"chroma": ((20.0, 1.0), (200.0, 1.0))}),
        ("colourfulness", {"amount": 100.0}),
    ],
)
def test_colour_steps_leave_black_noise_alone_and_keep_their_effect(key: str, values) -> None:
    """Neutral noise at black of 0.008 used to become 0.035, with a cast."""
    rng = np.random.default_rng(4)
    black = (code_of(0.0, LOG) + 0.008 * rng.standard_normal((20000, 3))).astype(np.float32)
    coat = new_coat(key, **values)
    made = through_coat(coat, black, LOG)
    assert made.std(axis=0).max() < 0.009
    assert np.ptp(made.mean(axis=0)) < 0.002
    clean = attrs.evolve(View(), noise=16.0)
    lab = np.float32([[0.75, 0.05, 0.03], [0.6, 0.1, 0.05], [0.45, 0.1, 0.04]])
    colours = LOG.encode(oklab.to_light(lab, LOG))
    with_fade, without = (through_coat(coat, colours, LOG, v) - colours for v in (None, clean))
    kept = np.linalg.norm(with_fade, axis=-1) / np.linalg.norm(without, axis=-1)
    assert (kept > 0.93).all()


def test_a_lone_hue_point_moves_its_hues_and_no_others() -> None:
    angles = np.radians(np.arange(0, 360, 10.0))
    lab = np.stack([np.full(36, 0.6), 0.12 * np.cos(angles), 0.12 * np.sin(angles)], -1)
    code = LOG.encode(oklab.to_light(lab.astype(np.float32), LOG))
    moved = through_coat(new_coat("hue_table", hue=((60.0, 0.5),)), code, LOG)
    away = np.abs(moved - code).max(axis=-1)
    near = np.abs((np.arange(0, 360, 10.0) - 60 + 180) % 360 - 180) < 40
    assert (away[near] > 1e-3).all()
    assert (away[~near] < 1e-5).all()
    spec = glazes()["hue_table"]
    picked = spec.pick(spec.defaults(), code[6], LOG)
    assert [round(h) for h, _v in picked.hue] == [20, 60, 100]


def test_a_reach_takes_a_colour_alike_in_any_light_and_noise_for_none() -> None:
    """Skin five stops down had a share of 0.21, and a tenth of black noise was selected."""
    skin = Laying(hue=55.0, hue_width=50.0, hue_soft=20.0)
    light = oklab.to_light(np.float32([[0.65, 0.035, 0.05]]), LOG)
    shares = [
        float(matte(skin, LOG.encode(light * np.float32(2.0**s)), LOG)[0, 0])
        for s in (2, 0, -1, -2, -3, -5)
    ]
    assert min(shares[:4]) > 0.95
    assert shares == sorted(shares, reverse=True)  # further down noise has more and more of it
    taken = matte(skin, patch("black", "Tarn Log"), LOG)
    assert float(taken.mean()) < 0.01
    fog = Laying(chroma_from=0.03)
    assert float(matte(fog, patch("black", "Tarn Log"), LOG).mean()) < 0.02
    # Its own noise: a lit skin with sensor noise is taken evenly.
    rng = np.random.default_rng(7)
    noisy_skin = LOG.encode(noisy(np.repeat(light / 4, 4000, 0), rng).astype(np.float32))
    assert float(matte(skin, noisy_skin, LOG).std()) < 0.05


def test_contrast_keeps_black_and_grey_in_every_encoding() -> None:
    for name in ("Tarn Log", "ACEScct", "sRGB"):
        space = encoding(name)
        coat = new_coat("contrast", space)
        steep = attrs.evolve(coat, parameters=attrs.evolve(coat.parameters, slope=1.5))
        black, grey = (np.full((1, 3), code_of(v, space), np.float32) for v in (0.0, 0.18))
        np.testing.assert_allclose(through_coat(steep, black, space), black, atol=1e-6)
        np.testing.assert_allclose(through_coat(steep, grey, space), grey, atol=1e-3)
        stops = 0.18 * 2.0 ** -np.arange(0, 12.0)
        dark = space.encode(np.repeat(stops[:, None], 3, 1).astype(np.float32))
        assert (space.decode(through_coat(steep, dark, space)) >= -1e-6).all()


def test_a_luma_curve_keeps_hue_and_saturation() -> None:
    """By adding, a darker (.9 .2 .1) lost its blue below nought."""
    darker = new_coat("curves", luma=((0.0, 0.0), (0.5, 0.3), (1.0, 0.9)))
    for name, code in (("sRGB", [0.9, 0.2, 0.1]), ("Tarn Log", [0.55, 0.4, 0.3])):
        space = encoding(name)
        given = np.float32([code])
        before, after = (space.decode(c)[0] for c in (given, through_coat(darker, given, space)))
        assert after.min() > -1e-3
        np.testing.assert_allclose(after / after[0], before / before[0], atol=0.03)
    steep = new_coat("curves", master=((0.0, 0.0), (0.5, 0.2), (0.5002, 0.8), (0.6, 1.0)))
    far = through_coat(steep, np.float32([[3.0] * 3, [1e30] * 3]), encoding("sRGB"))
    assert far[0, 0] <= 1 + 8 * 2.4 + 1e-4
    assert np.isfinite(far).all()


def test_a_monochrome_does_not_jump_where_its_weights_add_up_to_nothing() -> None:
    spec, code = glazes()["mixer"], np.float32([[0.7, 0.4, 0.2]])
    sums = np.arange(-0.3, 0.3, 0.002)
    made = [
        float(spec.apply(spec.record(monochrome=True, weights=(s, 0.5, -0.5)), code, "sRGB")[0, 0])
        for s in sums
    ]
    assert np.abs(np.diff(made)).max() < 0.03


@pytest.mark.parametrize("name", ["Tarn Log", "ACEScct", "sRGB"])
def test_new_roll_offs_do_something_in_every_encoding(name: str) -> None:
    space = encoding(name)
    for key, light in (("highlight_rolloff", 2.0), ("shadow_rolloff", 0.004)):
        coat = new_coat(key, space)
        full = attrs.evolve(coat, parameters=attrs.evolve(coat.parameters, amount=100.0))
        code = np.full((1, 3), min(code_of(light, space), 1.0), np.float32)
        grey = np.full((1, 3), code_of(0.18, space), np.float32)
        assert np.abs(through_coat(full, code, space) - code).max() > 0.008
        np.testing.assert_allclose(through_coat(full, grey, space), grey, atol=1e-6)


@pytest.mark.parametrize("name", ["Tarn Log", "ACEScct", "Linear BT.709"])
def test_lamps_and_daylight_are_balanced(name: str) -> None:
    """A grey card lit by 2000 to 20 000 K becomes grey within 0.005; what cannot be reached is said."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of parts of the library that are not needed
        import colour

        bodies = {k: colour.sd_to_XYZ(colour.sd_blackbody(k)) for k in KELVIN}
    spec, space = glazes()["white_balance"], encoding(name)
    for kelvin, body in bodies.items():
        lights = [body]
        if kelvin >= 4000:
            x, y = colour.temperature.CCT_to_xy_CIE_D(kelvin)
            lights.append(np.array([x / y, 1, (1 - x - y) / y]))
        for xyz in lights:
            card = np.linalg.solve(space.to_xyz_d65, 0.18 * xyz / xyz[1]).astype(np.float32)
            code = space.encode(card[None])
            picked = spec.pick(spec.defaults(), code[0], space)
            out = space.decode(spec.apply(picked, code, space))[0]
            assert np.ptp(out) / out.mean() < 0.005, kelvin
            assert spec.short_of(picked, code[0], space) == ""
    for hard in ([0.3, 0.5, 0.9], [0.0, 0.0, 1.0], [1.0, 0.0, 0.0]):
        code = np.float32(hard)
        picked = spec.pick(spec.defaults(), code, encoding("sRGB"))
        assert "nearest" in spec.short_of(picked, code, encoding("sRGB"))


def test_easing_leaves_fire_alone_and_the_way_back_knows_its_threshold() -> None:
    """From 0.8 on, 60 % of the furnace's pixels were recoloured; pink fire was the worst of it."""
    linear = encoding("Linear BT.709")
    fire = np.float32([[20.8, 3.02, 0.272]])
    now, then = View(), view.load({"encoding": "BT.1886"})
    assert (then.threshold, then.hue_by, then.hue) == (0.8, "as light", 0.35)
    red, green, blue = shown(fire, linear, now)[0]
    assert 0.85 > blue < green - 0.08 < red  # warm; it was 255 234 224
    assert shown(fire, linear, then)[0, 2] > 0.87
    pixels = shots("Tarn Log")
    plain = attrs.evolve(now, ease=False)
    touched = [
        (np.abs(shown(pixels, LOG, v) - shown(pixels, LOG, plain)).max(axis=-1) > 0.004).mean()
        for v in (attrs.evolve(now, threshold=0.8), now)
    ]
    assert touched[1] < 0.6 * touched[0]


# What versions before this one made of CODE in Tarn Log, from the plain data that they wrote.
CODE = np.float32([[0.3, 0.42, 0.2], [0.1, 0.09, 0.11], [0.7, 0.5, 0.45]])
MILD = None
FORMER = {
    "contrast": (MILD, [[0.2597, 0.41288, 0.15747], [0.0722, 0.06444, 0.08008], [0.75699, 0.5272, 0.45721]]),
    "hue_table": (MILD, [[0.33917, 0.40581, 0.29427], [0.09986, 0.08959, 0.11548], [0.707, 0.51702, 0.33384]]),
    "colourfulness": (MILD, [[0.25825, 0.42611, 0.04012], [0.10308, 0.0883, 0.11925], [0.71347, 0.45316, 0.38801]]),
    "tints": (MILD, [[0.29681, 0.42058, 0.21507], [0.09943, 0.09021, 0.11705], [0.7015, 0.49587, 0.43485]]),
    "curves": (MILD, [[0.36118, 0.46071, 0.28368], [0.15804, 0.15106, 0.16507], [0.72786, 0.53786, 0.49351]]),
    "nudges": (MILD, [[0.3, 0.42, 0.19998], [0.09968, 0.09064, 0.10656], [0.7, 0.5, 0.45]]),
    "mixer": (
        {"monochrome": True, "weights": [0.3, -0.1, -0.12]},
        [[0.3] * 3, [0.0975] * 3, [1.325] * 3],
    ),
    "hue_table, one point": (
        {"hue": [[40.0, 0.5]]},
        [[0.13389, 0.43523, 0.37782], [0.10447, 0.08789, 0.09519], [0.69034, 0.52293, -1.07867]],
    ),
    "exposure, by hue": (
        {
            "stops": 1.0,
            "laying": {"hue": 55.0, "hue_width": 50.0, "chroma_from": 0.05},
        },
        [[0.3, 0.42, 0.2], [0.1, 0.09, 0.11], [0.76917, 0.56809, 0.51736]],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", FORMER)
def test_older_versions_keep_their_picture_until_the_new_way_is_chosen(name: str) -> None:
    key = name.partition(",")[0]
    values, made = FORMER[name]
    if values is None:
        values = coat_json.dump_coat(new_coat(key, **glazes()[key].mild))
    coat = coat_json.load_coat({**values, "glaze": key, "v": 1})
    np.testing.assert_allclose(through_coat(coat, CODE, LOG), made, atol=3e-5)
    assert coat.is_former
    assert coat_json.load_coat(coat_json.dump_coat(coat)) == coat
    new = drawn_anew(coat)
    assert not new.is_former
    if name in ("contrast", "curves", "tints", "hue_table", "colourfulness"):
        assert np.abs(through_coat(new, CODE, LOG) - made).max() > 1e-4
    study = Study(look=Look("x", (coat,)))
    assert study.is_former
    assert not study.anew().is_former


def test_every_former_glaze_and_the_former_view_are_held_here() -> None:
    assert {s.key for s in glazes().values() if s.former} <= {n.partition(",")[0] for n in FORMER}
    then = view.load({"encoding": "BT.1886"})
    np.testing.assert_allclose(
        shown(CODE, LOG, then),
        [[0.10986, 0.59195, 0.12203], [0.03234, 0.00246, 0.04284], [0.95577, 0.6707, 0.68064]],
        atol=3e-5,
    )
    assert view.shown_anew(then) == View()


def test_the_noise_of_a_picture_is_measured() -> None:
    rng = np.random.default_rng(8)
    light = np.repeat(np.geomspace(0.002, 0.2, 512)[None, :, None], 256, 0) * np.ones(3)
    for share in (0.25, 1.0):
        code = LOG.encode((light + share * (noisy(light, rng) - light)).astype(np.float32))
        found = noise_floor(code, lambda c: c, LOG)
        assert found == pytest.approx(8.8 - np.log2(share), abs=0.5)
    assert noise_floor(np.full((64, 64, 3), 0.9, np.float32), lambda c: c, LOG) is None


def test_every_shipped_look_is_itself_and_breaks_neither_fog_nor_skin_nor_fire_nor_night() -> None:
    """At least 3 (Oklab x 100, over the demo shots) from every other and from nothing."""
    sys.path.insert(0, str(ROOT))
    from bench import looks

    apart = looks.measured()
    assert len(apart) == 24
    assert {n: v for n, v in apart.items() if min(v[0], v[2]) < 3} == {}
    assert sum(p.made_for == "log" for p in looks.looks()) == 12
    shots = looks.pictures()
    for look in looks.looks():
        assert 30 < len(look.note) < 200, look.name
        found = {n: looks.lch(v) for n, v in looks.patches(look, shots).items()}
        light, chroma, hue = found["fog"]
        assert chroma < 0.012 or not 95 < hue < 165, (
            look.name,
            found["fog"],
        )  # no yellow-green fog
        light, chroma, hue = found["skin"]
        assert 0.5 < light < 0.9, look.name
        assert chroma < 0.025 or 30 < hue < 85, (look.name, found["skin"])
        light, chroma, hue = found["fire"]
        assert light > 0.7, look.name
        assert chroma < 0.03 or 25 < hue < 110, (look.name, found["fire"])
        assert found["night"][0] < 0.3, look.name
