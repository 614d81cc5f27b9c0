"""Instruments point where they say: axes, channels, ink and heat by hand."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.compiled import KERNELS
from sfumato.core.measure import scopes
from sfumato.core.measure.scopes import (
    ANY,
    LUMA,
    Band,
    chroma_place,
    counted,
    drawn,
    heated,
    in_band,
    loss_radius,
    neutral_line,
    oklab_place,
)


def flat(*rgb: int, wide: int = 16) -> np.ndarray:
    return np.full((8, wide, 3), rgb, np.uint8)


@pytest.fixture(params=["numpy", "compiled"])
def form(request, monkeypatch) -> None:
    if request.param == "numpy":
        monkeypatch.setattr(KERNELS, "counts", None)


def spot(kind: str, picture: np.ndarray) -> tuple[int, int]:
    """Return row and column of the one place that a plain picture has on a vectorscope."""
    counts = counted(kind, picture, "sRGB")
    assert counts.sum() == picture.shape[0] * picture.shape[1]
    row, column = np.unravel_index(counts.argmax(), counts.shape)
    assert counts[row, column] == counts.sum()
    return int(row), int(column)


@pytest.mark.usefixtures("form")
@pytest.mark.parametrize("kind", ["vectorscope", "oklab"])
def test_blue_lies_right_or_below_and_red_above(kind: str) -> None:
    grey = spot(kind, flat(128, 128, 128))
    assert max(abs(v - 127.5) for v in grey) < 3
    red, blue = spot(kind, flat(200, 60, 60)), spot(kind, flat(60, 60, 200))
    assert red[0] < grey[0] - 10  # Cr and b are positive: upwards
    if kind == "vectorscope":
        assert blue[1] > grey[1] + 30  # Cb to the right
        assert red[1] < grey[1]
    else:
        assert red[1] > grey[1] + 10  # a to the right
        assert blue[0] > grey[0] + 10  # b is negative: downwards


@pytest.mark.usefixtures("form")
@pytest.mark.parametrize("rgb", [(220, 40, 90), (30, 160, 210), (90, 200, 40)])
def test_places_of_colours_are_where_their_pixels_are_counted(rgb) -> None:
    code = tuple(v / 255 for v in rgb)
    for kind, place in (("vectorscope", chroma_place(code)), ("oklab", oklab_place(code))):
        row, column = spot(kind, flat(*rgb))
        x, y = place
        assert column == pytest.approx(127.5 + 127.5 * x, abs=4 if kind == "oklab" else 1.5)
        assert row == pytest.approx(127.5 - 127.5 * y, abs=4 if kind == "oklab" else 1.5)


@pytest.mark.usefixtures("form")
def test_levels_are_counted_by_channel_column_and_luma() -> None:
    picture = flat(10, 20, 30, wide=830)  # two columns to one of the waveform, six to the parade
    picture[:, 415:] = (200, 100, 50)
    histogram = counted("histogram", picture)
    assert [int(histogram[c, v]) for c, v in ((0, 10), (1, 20), (2, 50))] == [3320] * 3
    parade = counted("parade", picture)
    assert parade[0, :70, 10].sum() == parade[0, 69:, 200].sum() == 3320
    assert not parade[0, 70:, 10].any()
    waveform = counted("waveform", picture)
    for half, rgb in ((waveform[:208], (10, 20, 30)), (waveform[207:], (200, 100, 50))):
        level = round(0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2])
        assert half[:, level - 1 : level + 2].sum() == 3320


def test_drawn_pictures_have_black_at_the_foot_and_channels_side_by_side() -> None:
    picture = drawn("parade", counted("parade", flat(250, 128, 5)))
    third = picture.shape[1] // 3
    for c, level in enumerate((250, 128, 5)):
        part = picture[:, c * third : (c + 1) * third, :3].astype(int)
        rows = part.sum(axis=(1, 2))
        assert rows.argmax() == 255 - level
        assert part[255 - level].max(axis=0).argmax() == c
    grey = drawn("waveform", counted("waveform", flat(128, 128, 128)), reference=True)
    assert np.ptp(grey[127, :, :3].astype(int), axis=-1).max() == 0


def test_bands_take_in_what_they_say() -> None:
    ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2)
    inside = in_band(ramp, Band(LUMA, (0.4,), (0.6,)))[0]
    assert np.flatnonzero(inside)[[0, -1]].tolist() == [102, 153]
    red = flat(200, 30, 30)
    assert in_band(red, Band("red", (0.7,), (0.9,))).all()
    assert not in_band(red, Band("green", (0.7,), (0.9,))).any()
    assert in_band(red, Band(ANY, (0.7,), (0.9,))).all()
    x, y = chroma_place((200 / 255, 30 / 255, 30 / 255))
    for plane, (px, py) in (
        ("vectorscope", (x, y)),
        ("oklab", oklab_place((200 / 255, 30 / 255, 30 / 255))),
    ):
        box = Band("", (px - 0.05, py - 0.05), (px + 0.05, py + 0.05), plane)
        assert in_band(red, box).all(), plane
        turned = Band("", (py - 0.05, px - 0.05), (py + 0.05, px + 0.05), plane)
        assert not in_band(red, turned).any(), plane


@pytest.mark.usefixtures("form")
def test_a_band_takes_in_the_pixels_that_are_counted_in_it() -> None:
    picture = np.random.default_rng(5).integers(0, 256, (90, 120, 3), np.uint8)
    levels = slice(102, 154)  # 0.4 is code 102, 0.6 code 153
    assert in_band(picture, Band(LUMA, (0.4,), (0.6,))).sum() == (
        counted("waveform", picture)[:, levels].sum()
    )
    for c, name in enumerate(("red", "green", "blue")):
        inside = in_band(picture, Band(name, (0.4,), (0.6,)))
        assert inside.sum() == counted("histogram", picture)[c, levels].sum()
    for plane in ("vectorscope", "oklab"):
        inside = in_band(picture, Band("", (-0.3, 0.1), (0.2, 0.5), plane))
        # 127.5 - 0.3 x 127.5 = 89.25 to 153 across; 140.25 to 191.25 up, which is down from the top
        assert inside.sum() == counted(plane, picture)[255 - 191 : 255 - 140, 90:154].sum() > 0


def test_heat_is_yellow_at_one_red_at_three_and_white_from_six() -> None:
    """Lead-tin yellow #DDBB4A, cinnabar #CF5B41, as the legend beside the picture says."""
    found = heated(np.float32([0.0, 1.0, 3.0, 6.0, 50.0]))
    expected = [[70, 70, 70], [221, 187, 74], [207, 91, 65], [255, 235, 225], [255, 235, 225]]
    np.testing.assert_array_equal(found, expected)
    half = heated(np.float32([2.0]))[0]
    np.testing.assert_allclose(half, np.mean(expected[1:3], axis=0), atol=1)
    np.testing.assert_allclose(
        loss_radius(np.float32([0, 0.25, 1, 3, 9])), [0.7, 1.2, 2.2, 3.5, 3.5], atol=1e-6
    )


def test_the_neutral_line_is_what_a_function_does_to_greys() -> None:
    line = neutral_line(lambda code: code * np.float32([1, 0.5, 0.25]), 5)
    np.testing.assert_allclose(line[:, 1], [0, 0.125, 0.25, 0.375, 0.5])
    assert scopes.CHANNELS == ("red", "green", "blue")
