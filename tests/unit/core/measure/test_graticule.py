"""Scales of instruments: what stands where, in each unit and zoomed."""

from __future__ import annotations

import pytest

from sfumato.core.colour.encodings import encoding
from sfumato.core.measure.graticule import CODE, PERCENT, STOPS, marks

SRGB, TARN = encoding("sRGB"), encoding("Tarn Log")


@pytest.mark.parametrize(
    ("unit", "low", "high", "words"),
    [
        (PERCENT, 0, 1, ["0", "25", "50", "75", "100 %"]),
        (PERCENT, 0.2, 0.6, ["20", "30", "40", "50", "60"]),
        (PERCENT, 0.50, 0.56, ["50", "51", "52", "53", "54", "55", "56"]),
        (CODE, 0, 0.25, ["0", "64", "128", "192"]),
        (CODE, 0, 1, ["0", "256", "512", "768", "1023"]),
    ],
)
def test_steps_suit_what_is_shown(unit: str, low: float, high: float, words: list[str]) -> None:
    found = marks(unit, SRGB, low, high)
    assert [m.words for m in found] == words
    most = 100 if unit == PERCENT else 1023
    for mark in found:
        assert mark.at == pytest.approx(float(mark.words.split()[0]) / most)
        assert mark.strong == (mark.words in ("0", "100 %", "1023"))


def test_stops_count_from_grey_and_from_white() -> None:
    for space, word, base in ((TARN, "grey", 0.18), (SRGB, "white", 1.0)):
        found = marks(STOPS, space)
        assert [m.words for m in found if m.strong] == [word]
        assert [m.at for m in found] == sorted(m.at for m in found)
        for mark in found:
            stops = 0 if mark.words == word else int(mark.words)
            light = space.decode([[mark.at] * 3])[0, 1]
            assert light == pytest.approx(base * 2.0**stops, rel=2e-3)
        assert min(b.at - a.at for a, b in zip(found, found[1:], strict=False)) >= 0.045
