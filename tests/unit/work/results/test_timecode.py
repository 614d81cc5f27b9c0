"""Drop-frame timecode against a counter that leaves numbers out one by one, over a whole day."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import pytest

from sfumato.work.results.timecode import later


def labels(count: int, drops: int) -> Iterator[str]:
    """Yield the labels of a day: the first `drops` numbers of each minute but every tenth left out."""
    for minute in range(24 * 60):
        for second in range(60):
            for number in range(count):
                if second == 0 and number < drops and minute % 10:
                    continue
                yield f"{minute // 60:02}:{minute % 60:02}:{second:02};{number:02}"


@pytest.mark.parametrize(
    ("rate", "drops"), [(Fraction(30000, 1001), 2), (Fraction(60000, 1001), 4)]
)
def test_every_label_of_a_day_is_reached(rate: Fraction, drops: int) -> None:
    day = list(labels(round(rate), drops))
    assert len(day) == 144 * (600 * round(rate) - 9 * drops)
    for at in [*range(0, len(day), 977), *range(1780, 1830), *range(17960, 18010), len(day) - 1]:
        assert later(day[0], at, rate) == day[at]
        assert later(day[at], 1, rate) == day[(at + 1) % len(day)]
        assert later(day[at], 5000, rate) == day[(at + 5000) % len(day)]


def test_without_a_rate_or_a_timecode_nothing_moves() -> None:
    assert later("01:00:00:00", 7, Fraction(0)) == "01:00:00:00"
    assert later("1:0:0:0", 7, Fraction(25)) == "1:0:0:0"
