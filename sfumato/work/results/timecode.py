"""SMPTE timecode: the one of a later frame (SMPTE ST 12-1, drop frame with ";")."""

from __future__ import annotations

import re
from fractions import Fraction

_FORM = re.compile(r"(\d\d):(\d\d):(\d\d)([:;.])(\d\d)")


def later(timecode: str, frames: int, rate: Fraction | int) -> str:
    """Return the timecode `frames` after another; text that is none comes back as it is.

    Drop frame leaves out the first two numbers (four at 60) of every minute but each tenth:
    00:00:59;29 and 1 more is 00:01:00;02. After 24 hours it begins anew.
    """
    found = _FORM.fullmatch(timecode.strip())
    if found is None or rate <= 0:
        return timecode
    hours, minutes, seconds, mark, number = found.groups()
    count = round(rate)
    drops = 0 if mark == ":" else 2 * max(1, count // 30)
    whole = (int(hours) * 60 + int(minutes)) * 60 + int(seconds)
    in_minutes = int(hours) * 60 + int(minutes)
    at = whole * count + int(number) - drops * (in_minutes - in_minutes // 10) + frames
    per_minute, per_ten = 60 * count - drops, 600 * count - 9 * drops
    at %= 144 * per_ten
    tens, rest = divmod(at, per_ten)
    late = rest - 60 * count  # the first minute of ten drops nothing
    dropped = drops * (1 + late // per_minute) if late >= 0 else 0
    at += 9 * drops * tens + dropped
    seconds_all, number_now = divmod(at, count)
    h, m, s = seconds_all // 3600, seconds_all // 60 % 60, seconds_all % 60
    return f"{h:02}:{m:02}:{s:02}{mark}{number_now:02}"
