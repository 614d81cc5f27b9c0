"""Drop-frame timecode against a counter that leaves numbers out one by one, over two hours and midnight."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import pytest

from sfumato.work.results.timecode import later


def labels(count: int, drops: int, minutes: range) -> Iterator[str]:
    """Yield the labels of these minutes: the first `drops` numbers of each but every tenth left out."""
    for minute in minutes:
        for second in range(60):
            for number in range(count):
                if second == 0 and number < drops and minute % 10:
                    continue
                yield f"{minute // 60:02}:{minute % 60:02}:{second:02};{number:02}"


@pytest.mark.parametrize(
    ("rate", "drops"), [(Fraction(30000, 1001), 2), (Fraction(60000, 1001), 4)]
)
def test_every_label_is_reached(rate: Fraction, drops: int) -> None:
    early = list(labels(round(rate), drops, range(121)))
    late = list(labels(round(rate), drops, range(24 * 60 - 9, 24 * 60)))
    day = 144 * (600 * round(rate) - 9 * drops)
    for at in [*range(0, len(early) - 5000, 977), *range(1780, 1830), *range(17960, 18010)]:
        assert later(early[0], at, rate) == early[at]
        assert later(early[at], 1, rate) == early[at + 1]
        assert later(early[at], 5000, rate) == early[at + 5000]
        assert later(early[at], day, rate) == early[at]
    for at in range(0, len(late), 97):
        assert later(early[0], day - len(late) + at, rate) == late[at]
        assert later(late[at], len(late) - at, rate) == early[0], "midnight"


def test_without_a_rate_or_a_timecode_nothing_moves() -> None:
    assert later("01:00:00:00", 7, Fraction(0)) == "01:00:00:00"
    assert later("1:0:0:0", 7, Fraction(25)) == "1:0:0:0"
