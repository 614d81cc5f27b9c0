"""Rows of decimal numbers from and to bytes; exact in float32, or left to the slower way."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

_BYTES = numba.types.Array(numba.uint8, 1, "C", readonly=True)
_POWERS = 10.0 ** np.arange(23)  # exact in float64
_HALF_STEP = 2.0 ** (np.arange(256) - 127 - 24) * (1 - 1e-6)  # of float32, by its exponent bits
_MOST = 3.4e38  # the largest float32
_LEAST_PLAIN, _MOST_PLAIN = 1e-13, 1e9
_BLANK, _TAB, _CR, _LF = 32, 9, 13, 10
_HASH, _DOT, _PLUS, _MINUS, _NINE, _ZERO = 35, 46, 43, 45, 57, 48


@numba.njit(
    numba.int64(_BYTES, numba.int64, numba.float32[::1], numba.float64[::1], numba.int64[::1]),
    nogil=True,
    cache=True,
    error_model="numpy",
)
def rows_read(text, columns, out, powers, kept):  # type: ignore[no-untyped-def]
    """Read rows of `columns` numbers into `out`; return how many numbers there were, or -1.

    -1 means that something is not plain: another count in a row, another character, too many rows,
    or a number whose float32 cannot be told for certain from 19 digits and float64 arithmetic.
    Blank lines and lines that start with # are passed over.

    `kept` takes where the last line begins that was looked at, and how many numbers stand before it:
    so far everything is plain and read.
    """
    size = len(text)  # its last byte is a line end, at which every loop over digits stops
    most = len(out)
    ten, nine, zero = np.uint64(10), np.uint64(9), np.uint64(48)
    i = 0
    count = 0
    column = 0
    while i < size:
        c = text[i]
        if c == _BLANK or c == _TAB or c == _CR:  # noqa: SIM109
            i += 1
            continue
        if c == _LF:
            if column != 0 and column != columns:
                return -1
            column = 0
            i += 1
            kept[0] = i
            kept[1] = count
            continue
        if c == _HASH and column == 0:
            while text[i] != _LF:
                i += 1
            continue
        negative = c == _MINUS
        if negative or c == _PLUS:
            i += 1
        mantissa = np.uint64(0)
        start = i
        while True:
            d = np.uint64(text[i]) - zero
            if d > nine:
                break
            mantissa = mantissa * ten + d
            i += 1
        figures = i - start
        exponent = 0
        if text[i] == _DOT:
            i += 1
            start = i
            while True:
                d = np.uint64(text[i]) - zero
                if d > nine:
                    break
                mantissa = mantissa * ten + d
                i += 1
            exponent = start - i
            figures -= exponent
        if figures == 0 or figures > 19:
            return -1  # more than 19 figures may not fit
        if text[i] == 101 or text[i] == 69:
            i += 1
            sign = 1
            if text[i] == _MINUS or text[i] == _PLUS:
                sign = -1 if text[i] == _MINUS else 1
                i += 1
            power = 0
            figures = 0
            while _ZERO <= text[i] <= _NINE and figures < 4:
                power = power * 10 + (text[i] - _ZERO)
                figures += 1
                i += 1
            if figures == 0:
                return -1
            exponent += sign * power
        c = text[i]
        if c != _BLANK and c != _LF and c != _TAB and c != _CR:
            return -1
        value = np.float64(mantissa)
        if exponent != 0 and mantissa != 0:
            if exponent < -22 or exponent > 22:
                return -1
            value = value / powers[-exponent] if exponent < 0 else value * powers[exponent]
        # Rounded twice: certain only when the neighbours round to the same float32.
        if mantissa > np.uint64(9007199254740992) and np.float32(value * (1 - 5e-16)) != np.float32(
            value * (1 + 5e-16)
        ):
            return -1
        if count >= most or column == columns or value > _MOST:
            return -1
        out[count] = np.float32(-value if negative else value)
        count += 1
        column += 1
    if column != 0 and column != columns:
        return -1
    return count


def read(text: bytes, out: Any, columns: int = 3, at: int = 0) -> tuple[int, int]:
    """Read rows of a text that ends with a line end into `out`, float32 (n,).

    Returns:
        Where the first line begins that the slower reader must look at (the length of the text when
        there is none), and how many numbers stand before it.
    """
    kept = np.zeros(2, np.int64)
    found = rows_read(np.frombuffer(text, np.uint8, offset=at), columns, out, _POWERS, kept)
    return (len(text), int(found)) if found >= 0 else (at + int(kept[0]), int(kept[1]))


@numba.njit(
    numba.int64(
        numba.float32[::1],
        numba.uint32[::1],
        numba.int64,
        numba.uint8[::1],
        numba.float64[::1],
        numba.float64[::1],
    ),
    nogil=True,
    cache=True,
    error_model="numpy",
)
def digits_of(values, bits, columns, out, powers, unit):  # type: ignore[no-untyped-def]
    """Write numbers as the shortest decimals that read back equal in float32; return the length.

    Blanks between, a line end after each `columns`. Returns -1 for numbers that need an exponent: see
    `is_plain`. Six digits always survive in float32 and nine
    always bring it back, so only 6 to 9 are tried, until one lies within half a float32 step.
    """
    figures = np.empty(24, np.uint8)
    ten = np.uint32(10)
    at = 0
    for i in range(len(values)):
        x = values[i]
        if x < 0:
            out[at] = _MINUS
            at += 1
        size = np.float64(abs(x))
        if size == 0:
            out[at] = _ZERO
            at += 1
        else:
            if not (_LEAST_PLAIN <= size < _MOST_PLAIN):
                return -1
            before = 0  # digits before the point; 0 or less: zeros behind it
            if size >= 1:
                while size >= powers[before]:
                    before += 1
            else:
                while size * powers[1 - before] < 1:
                    before -= 1
            mantissa = np.uint32(0)
            places = 0
            bit = bits[i]
            # Half the distance to the next float32, of the smaller neighbour, and a little less.
            half = unit[(bit >> np.uint32(23)) & np.uint32(255)]
            if bit & np.uint32(0x7FFFFF) == 0:
                half *= 0.5
            for count in range(6, 10):
                places = count - before
                scale = powers[places] if places >= 0 else 1 / powers[-places]
                scaled = size * scale
                mantissa = np.uint32(scaled + 0.5)
                if abs(scaled - mantissa) < half * scale:
                    break
            if before <= 0 and mantissa < powers[places]:
                out[at] = _ZERO
                out[at + 1] = _DOT
                at += 2
                for place in range(places - 1, -1, -1):
                    out[at + place] = _ZERO + mantissa % ten
                    mantissa //= ten
                at += places
                while out[at - 1] == _ZERO:
                    at -= 1
                out[at] = _LF if (i + 1) % columns == 0 else _BLANK
                at += 1
                continue
            written = 0
            while places < 0:
                figures[written] = _ZERO
                written += 1
                places += 1
            while places > 0 and mantissa % ten == 0:
                mantissa //= ten
                places -= 1
            while mantissa > 0 or written <= places:
                figures[written] = _ZERO + mantissa % ten
                mantissa //= ten
                written += 1
            while written > 0:
                written -= 1
                out[at] = figures[written]
                at += 1
                if written == places and places > 0:
                    out[at] = _DOT
                    at += 1
        out[at] = _LF if (i + 1) % columns == 0 else _BLANK
        at += 1
    return at


def is_plain(values: Any) -> Any:
    """Return which numbers `written` can write: those that need no exponent, bool of the same shape."""
    size = np.abs(values, dtype=np.float64)
    return (size == 0) | ((size >= _LEAST_PLAIN) & (size < _MOST_PLAIN))


def written(values: Any) -> bytes:
    """Return plain numbers (n, columns) as lines of text."""
    flat = np.require(np.ascontiguousarray(values, np.float32).reshape(-1), requirements=("C", "W"))
    out = np.empty(26 * flat.size + 1, np.uint8)
    length = digits_of(flat, flat.view(np.uint32), values.shape[-1], out, _POWERS, _HALF_STEP)
    return out[:length].tobytes()
