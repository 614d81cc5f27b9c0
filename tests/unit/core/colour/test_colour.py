"""Encodings, differences, Oklab and curves against parties that we did not write."""

from __future__ import annotations

import warnings

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from sfumato.core.colour import delta_e, oklab
from sfumato.core.colour.adapt import D65, adaptation, rgb_to_xyz
from sfumato.core.colour.encodings import convert, encoding, encodings, light_matrix
from sfumato.core.colour.tone import eased, tone_scale
from sfumato.core.pchip import evaluate
from sfumato.core.study.view import View

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

np.set_printoptions(legacy=False)  # which that import changes for everybody

CODES = np.linspace(0.0, 1.0, 501)
GREYS = np.stack([CODES] * 3, axis=-1)
DECODERS = {
    "sRGB": colour.models.eotf_sRGB,
    "BT.1886": lambda v: v**2.4,
    "BT.2100 PQ": lambda v: colour.models.eotf_ST2084(v) / 10000,
    "ACEScc": colour.models.log_decoding_ACEScc,
    "ACEScct": colour.models.log_decoding_ACEScct,
    "Cineon": colour.models.log_decoding_Cineon,
}


@pytest.mark.parametrize("name", DECODERS)
def test_decoding_agrees_with_colour_science(name: str) -> None:
    ours = encoding(name).decode(GREYS)[:, 0]
    theirs = DECODERS[name](CODES)
    # Below black, Cineon and ACEScc go their own way here (a tangent, so that it can be inverted).
    lowest = {"Cineon": 95 / 1023, "ACEScc": 0.0}.get(name, 0.0)
    seen = lowest <= CODES
    np.testing.assert_allclose(ours[seen], theirs[seen], rtol=5e-6, atol=1e-6)


# Code and light as the standards print them, or as their formulas give with all digits.
PUBLISHED = {
    "sRGB": ((0.5, 0.21404114), (0.04045, 0.0031308), (1.0, 1.0)),
    "BT.1886": ((0.5, 0.18946457), (0.25, 0.035896823)),
    "BT.2020": ((0.5, 0.18946457),),
    "P3-D65": ((0.5, 0.16493849),),
    "P3-DCI": ((0.25, 0.027204705),),
    "Display P3": ((0.5, 0.21404114),),
    "BT.2100 PQ": ((0.50807842, 0.01), (0.75182710, 0.1), (0.58068888, 0.0203), (1.0, 1.0)),
    "ACEScct": ((0.41358840, 0.18), (0.072905534, 0.0), (0.55479452, 1.0)),
    "ACEScc": ((0.41358840, 0.18), (0.55479452, 1.0)),
}
MATRICES = {  # linear RGB to XYZ: ST 2065-1, S-2014-004, EG 432-1, BT.2020-2 by RP 177
    "ACES2065-1": (
        (0.9525523959, 0.0, 0.0000936786),
        (0.3439664498, 0.7281660966, -0.0721325464),
        (0.0, 0.0, 1.0088251844),
    ),
    "ACEScg": (
        (0.6624541811, 0.1340042065, 0.1561876870),
        (0.2722287168, 0.6740817658, 0.0536895174),
        (-0.0055746495, 0.0040607335, 1.0103391003),
    ),
    "P3-D65": (
        (0.4865709486, 0.2656676932, 0.1982172852),
        (0.2289745641, 0.6917385218, 0.0792869141),
        (0.0, 0.0451133819, 1.0439443689),
    ),
    "BT.2020": (
        (0.6369580483, 0.1446169036, 0.1688809752),
        (0.2627002120, 0.6779980715, 0.0593017165),
        (0.0, 0.0280726930, 1.0609850577),
    ),
}


@pytest.mark.parametrize("name", PUBLISHED)
def test_published_values(name: str) -> None:
    for code, light in PUBLISHED[name]:
        space = encoding(name)
        assert space.decode([code] * 3)[0] == pytest.approx(light, rel=2e-6, abs=1e-6)
        assert space.encode([light] * 3)[0] == pytest.approx(code, abs=1e-6)


@pytest.mark.parametrize("name", MATRICES)
def test_published_matrices(name: str) -> None:
    np.testing.assert_allclose(encoding(name).to_xyz, MATRICES[name], atol=1e-6)


def test_hlg_without_its_system_gamma_has_the_published_values() -> None:
    curve = encoding("BT.2100 HLG").transfer
    for code, light in ((0.5, 1 / 12), (0.75, 0.26496256), (1.0, 1.0)):
        assert float(curve.decode(np.float32(code))) == pytest.approx(light, abs=1e-6)
        assert float(curve.encode(np.float32(light))) == pytest.approx(code, abs=1e-6)


def test_hlg_has_the_system_gamma_of_a_1000_nit_display() -> None:
    rgb = np.stack([CODES, CODES * 0.7, CODES * 0.3], axis=-1)
    theirs = colour.models.eotf_BT2100_HLG(rgb, L_W=1000) / 1000
    np.testing.assert_allclose(encoding("BT.2100 HLG").decode(rgb), theirs, atol=1e-6)


def test_tarn_log_has_its_published_values() -> None:
    codes = encoding("Tarn Log").encode([0.0, 0.18, 40.0])
    np.testing.assert_allclose(codes, [0.0884, 0.4000, 1.000], atol=1e-4)


@pytest.mark.parametrize("space", encodings().values(), ids=lambda e: e.name)
def test_every_encoding_is_invertible_monotone_and_finite(space) -> None:
    wide = np.repeat(np.linspace(-2, 60, 6201, dtype=np.float32)[:, None], 3, axis=1)
    light = space.decode(wide)
    assert np.isfinite(light).all()
    assert np.isfinite(space.encode(light)).all()
    assert (np.diff(light[:, 0]) >= 0).all()
    near = np.repeat(np.linspace(-0.1, 1.05, 800, dtype=np.float32)[:, None], 3, axis=1)
    tolerance = 3e-4 if space.name in ("ACEScc",) else 1e-5
    np.testing.assert_allclose(space.encode(space.decode(near)), near, atol=tolerance)
    assert space.source


@pytest.mark.parametrize(
    ("ours", "theirs"),
    [
        ("sRGB", "sRGB"),
        ("BT.2020", "ITU-R BT.2020"),
        ("ACEScg", "ACEScg"),
        ("ACES2065-1", "ACES2065-1"),
        ("P3-DCI", "DCI-P3"),
    ],
)
def test_primaries_agree_with_colour_science(ours: str, theirs: str) -> None:
    matrix = colour.RGB_COLOURSPACES[theirs].matrix_RGB_to_XYZ
    np.testing.assert_allclose(encoding(ours).to_xyz, matrix, atol=2e-4)


def test_whites_stay_white_and_methods_agree_with_colour_science() -> None:
    theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        colour.xy_to_XYZ((0.31, 0.33)), colour.xy_to_XYZ(D65), transform="CAT16"
    )
    np.testing.assert_allclose(adaptation((0.31, 0.33), D65), theirs, atol=1e-5)
    for a in encodings().values():
        for b in encodings().values():
            white = light_matrix(a, b) @ np.ones(3) / b.reference * a.reference
            np.testing.assert_allclose(white, 1.0, atol=1e-9)


def test_conversion_to_itself_is_exact_and_there_and_back_is_close() -> None:
    rgb = np.random.default_rng(1).random((500, 3), np.float32) * 0.8 + 0.15
    assert (convert(rgb, "Tarn Log", "Tarn Log") == rgb).all()
    back = convert(convert(rgb, "Tarn Log", "ACEScct"), "ACEScct", "Tarn Log")
    np.testing.assert_allclose(back, rgb, atol=2e-5)


def test_oklab_and_ciede2000_agree_with_colour_science() -> None:
    rng = np.random.default_rng(2)
    light = rng.random((300, 3)).astype(np.float32)
    space = encoding("Linear BT.709")
    theirs = colour.XYZ_to_Oklab(light @ rgb_to_xyz(space.primaries, space.white).T)
    lab = oklab.from_light(light, space)
    np.testing.assert_allclose(lab, theirs, atol=3e-4)
    np.testing.assert_allclose(oklab.to_light(lab, space), light, atol=3e-6)
    a = rng.random((2000, 3)) * [100, 160, 160] - [0, 80, 80]
    b = a + rng.normal(size=a.shape) * 6
    np.testing.assert_allclose(
        delta_e.ciede2000(a, b), colour.delta_E(a, b, method="CIE 2000"), atol=1e-9
    )
    code = rng.random((300, 3)).astype(np.float32)
    theirs = colour.XYZ_to_Lab(encoding("BT.1886").decode(code) @ space.to_xyz.T, D65)
    np.testing.assert_allclose(delta_e.lab_of(code, encoding("BT.1886")), theirs, atol=2e-3)


def test_curves_are_scipys_pchip_with_straight_ends() -> None:
    points = ((0.0, 0.1), (0.2, 0.15), (0.5, 0.9), (0.7, 0.9), (1.0, 0.2))
    x = np.linspace(0, 1, 400)
    theirs = PchipInterpolator(*np.array(points).T)
    np.testing.assert_allclose(evaluate(points, x), theirs(x), atol=1e-12)
    slope = theirs.derivative()(1.0)
    assert evaluate(points, np.array([3.0]))[0] == pytest.approx(0.2 + 2 * slope)


def test_tone_scale_passes_grey_black_and_white() -> None:
    view = View()
    light = np.float32([[0.0] * 3, [0.18] * 3, [0.18 * 2**view.white] * 3, [-0.1] * 3])
    out = tone_scale(light, view)[:, 0]
    np.testing.assert_allclose(out[:3], [0, 0.18, 1.0], atol=2e-4)
    assert out[3] == -tone_scale(np.float32([0.1] * 3), view)[0]
    ramp = np.repeat(np.geomspace(1e-5, 100, 400, dtype=np.float32)[:, None], 3, axis=1)
    assert (np.diff(tone_scale(ramp, view)[:, 0]) > 0).all()


def test_easing_leaves_inner_colours_alone_and_nothing_negative() -> None:
    inner = np.float32([[0.5, 0.3, 0.2], [1, 1, 1]])
    np.testing.assert_allclose(eased(inner, 0.9), inner, atol=1e-6)
    assert (eased(np.float32([[1, -0.5, 0.2], [0.1, 0.4, -3.0]]), 0.9) >= 0).all()
