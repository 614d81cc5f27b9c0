"""Encodings of the user's: a decoder goes both ways and beyond its ends; what has no inverse is refused."""

from __future__ import annotations

import json

import attrs
import numpy as np
import pytest

from sfumato.core.colour import user_encoding
from sfumato.core.colour.encodings import Family
from sfumato.core.colour.user_encoding import (
    DECODER,
    GAMMA,
    LINEAR,
    LOG,
    OWN,
    Decoder,
    Gamut,
    LogCurve,
    PowerCurve,
    UserEncoding,
    checks,
    decoder_of,
)
from sfumato.core.errors import ValueRefused

MIX = np.array([[0.8, 0.15, 0.05], [0.1, 0.85, 0.05], [0.0, 0.2, 0.8]])


def curve(x: np.ndarray) -> np.ndarray:
    return np.asarray((np.exp2(6 * x) - 1) / 63 - 0.01, np.float32)


def test_a_decoder_goes_there_and_back_and_beyond_its_ends() -> None:
    codes = np.linspace(-0.1, 1.1, 241, dtype=np.float32)
    made = Decoder(
        np.repeat(curve(codes)[:, None], 3, 1), -0.1, 1.1, tuple(MIX.reshape(-1))
    ).coder()
    x = np.random.default_rng(1).uniform(-0.1, 1.1, (200, 3)).astype(np.float32)
    np.testing.assert_allclose(made.decode(x), curve(x) @ MIX.T, atol=2e-4)
    np.testing.assert_allclose(made.encode(made.decode(x)), x, atol=2e-5)
    steps = made.decode(np.array([[v] * 3 for v in (1.1, 1.2, 1.3)], np.float32))
    np.testing.assert_allclose(steps[2] - steps[1], steps[1] - steps[0], rtol=1e-4)
    assert (steps[1] > steps[0] + 0.05).all()
    below = made.decode(np.array([[-0.2] * 3, [-0.1] * 3], np.float32))
    assert (below[0] < below[1]).all()


def test_where_a_decoder_stands_still_the_way_back_is_its_first_code() -> None:
    values = np.repeat(np.float32([0.0, 0.0, 0.5, 0.5, 1.0])[:, None], 3, 1)
    made = Decoder(values).coder()
    assert made.encode(np.full((1, 3), 0.5, np.float32))[0, 0] == pytest.approx(0.5)
    assert made.encode(np.full((1, 3), 0.75, np.float32))[0, 0] == pytest.approx(0.75)


UP = np.repeat(np.linspace(0, 1, 5, dtype=np.float32)[:, None], 3, 1)
FALLS = UP.copy()
FALLS[2:4, 1] = 0.8, 0.7
FLAT = UP.copy()
FLAT[:, 2] = 0.3


@pytest.mark.parametrize(
    ("values", "more", "words"),
    [
        (UP[:1], {}, "2 to 65536 entries"),
        (UP[:, :2], {}, "2 to 65536 entries"),
        (np.where(UP == 0.5, np.float32(np.nan), UP), {}, "not finite"),
        (UP, {"matrix": (np.inf, *np.eye(3).reshape(-1)[1:])}, "not finite"),
        (UP, {"low": 1.0, "high": 1.0}, "not finite"),
        (FALLS, {}, "does not rise"),
        (FLAT, {}, "does not rise"),
        (UP, {"matrix": (1.0,) * 9}, "cannot be undone"),
        (UP, {"matrix": (1.0,) * 4}, "cannot be undone"),
    ],
)
def test_decoders_without_an_inverse_are_refused(values, more: dict, words: str) -> None:
    with pytest.raises(ValueRefused, match=words):
        Decoder(values, **more)


def test_a_chain_becomes_a_decoder_when_it_is_curves_and_a_matrix() -> None:
    found = decoder_of(lambda x: np.asarray(curve(x) @ MIX.T, np.float32), 513, 0.0, 1.0, "f.clf")
    np.testing.assert_allclose(np.reshape(found.matrix, (3, 3)), MIX, atol=1e-5)
    np.testing.assert_allclose(found.values[:, 1], curve(np.linspace(0, 1, 513)), atol=1e-5)
    alone = decoder_of(curve, 65, 0.0, 1.0, "f.cube")
    assert alone.matrix == tuple(np.eye(3).reshape(-1))
    with pytest.raises(ValueRefused, match="mixes channels"):
        decoder_of(lambda x: x * x[..., ::-1] + x, 65, 0.0, 1.0, "f")
    with pytest.raises(ValueRefused, match="no code values"):
        decoder_of(lambda x: x * 0, 65, 0.0, 1.0, "f")
    with pytest.raises(ValueRefused, match="cannot be undone"):
        decoder_of(lambda x: x.sum(-1, keepdims=True) * np.ones(3), 65, 0.0, 1.0, "f")


def test_every_kind_lasts_as_text_and_makes_its_encoding() -> None:
    kinds = {
        LOG: Family.LOG,
        LINEAR: Family.LINEAR,
        GAMMA: Family.DISPLAY,
        DECODER: Family.LOG,
    }
    for kind, family in kinds.items():
        own = UserEncoding(
            f"mine {kind}", "of a lab", kind, LogCurve(base=10.0, lin_offset=0.02), PowerCurve(2.2)
        )
        if kind == DECODER:
            own = UserEncoding(own.name, own.note, kind, decoder=Decoder(UP**2, file="a.cube"))
        again = user_encoding.load(json.loads(json.dumps(user_encoding.dump(own))))
        made, back = own.made(), again.made()
        assert made.family is family
        x = np.linspace(0.05, 0.9, 12, dtype=np.float32).reshape(4, 3)
        np.testing.assert_array_equal(made.decode(x), back.decode(x))
        np.testing.assert_allclose(made.encode(made.decode(x)), x, atol=2e-5)
    display = UserEncoding("d", "", DECODER, decoder=Decoder(UP, display=True)).made()
    assert display.family is Family.DISPLAY


@pytest.mark.parametrize(
    "changes",
    [
        {"white_x": 0.9, "white_y": 0.9},
        {"red_y": 0.0},
        {"white_y": 0.0},
        {"green_x": 0.64, "green_y": 0.33},
    ],
)
def test_chromaticities_that_make_no_triangle_are_refused(changes: dict[str, float]) -> None:
    with pytest.raises(ValueRefused, match="no triangle"):
        Gamut(OWN, **changes).chosen()
    assert Gamut(OWN).chosen() == Gamut("BT.709").chosen()


def test_names_are_words_of_1_to_60_characters() -> None:
    for name in ("", "  ", "x" * 61, "a\nb"):
        with pytest.raises(ValueRefused, match="1 to 60"):
            UserEncoding(name).made()
    assert UserEncoding("x" * 60).made().name == "x" * 60


def test_a_curve_is_told_where_it_is_sound_and_where_not() -> None:
    log = LogCurve(base=10.0, log_slope=0.25, log_offset=0.4, lin_offset=0.03)
    broken = attrs.evolve(log, has_break=True, lin_break=0.005, own_slope=True)
    smooth = attrs.evolve(broken, linear_slope=broken.tangent)
    cornered = attrs.evolve(broken, linear_slope=1.5 * broken.tangent)

    def told(curve: LogCurve) -> dict[str, bool]:
        return {c.words: c.well for c in checks(UserEncoding("c", "", LOG, curve).made())}

    assert all(told(smooth).values())
    assert told(smooth)["meets its line smoothly"]
    assert not told(cornered)["has a corner of 50 % at its break"]
    assert not any("corner" in words or "line" in words for words in told(log))
    # grey: .25 * log10(.18 + .03) + .4 = .2306; code 1 is 10**2.4 - .03, 10.45 stops above .18
    at = next(words for words in told(log) if words.startswith("18 % grey"))
    assert at == "18 % grey at 0.2306 (236 of 1023)"
    assert told(log)["code 1 is 10.4 stops above 18 % grey"]
