"""Full and legal range: where black and white lie in the codes of a depth (ITU-R BT.709-6, item 5).

Legal range is 16 to 235 of 8 bit, and that times 2**(bits - 8) at other depths, so its ends as shares
of the full range depend on the depth: 16/255 at 8 bit, 64/1023 at 10.
"""

from __future__ import annotations

BLACK, WHITE = 16, 235  # codes of 8 bit


def legal_codes(bits: int) -> tuple[int, int]:
    """Return the codes of black and white at a depth.

    >>> legal_codes(10)
    (64, 940)
    """
    return BLACK << bits - 8, WHITE << bits - 8


def legal_range(bits: int) -> tuple[float, float]:
    """Return black and white as shares of the full range of a depth, 0..1.

    >>> [round(v, 5) for v in legal_range(8)]
    [0.06275, 0.92157]
    """
    most = 2**bits - 1
    low, high = legal_codes(bits)
    return low / most, high / most


LEGAL = legal_range(8)  # of pictures on the screen
LEGAL_10 = legal_range(10)  # of video
