"""What text formats share: decoding, line ends, and rows of numbers with the line of every fault."""

from __future__ import annotations

import contextlib
import re
import unicodedata
from collections.abc import Callable, Iterator
from typing import BinaryIO

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.breath import breathe
from sfumato.core.compiled import KERNELS
from sfumato.core.errors import FormatError

_NUMERIC = b"0123456789+-.eE \t\r\n"
# Rows from which on the compiled reader is quicker: when it is there, and when it must be loaded.
_WORTH, _WORTH_LOADING = 1000, 100_000
_MOST = 3.4e38  # the largest float32, in which tables are kept
_ANY_NUMERIC = _NUMERIC + b"infatyINFATY"
_MOST_TEXT = 160 << 20  # bytes of a text file: a lattice of 160 points and more
_MOST_TOKEN = 64  # letters of a number
_MOST_HEADER = 20_000  # lines before the rows
_BLANK = re.compile(rb"[ \t\n]")
_BLOCK = 4 << 20  # bytes that are taken apart at once
_ROWS = 1 << 15  # that are written at once
_FIRST_BLOCK = 1 << 14  # … at first, and where the compiled reader stops


def unwrapped(data: bytes) -> tuple[bytes, list[str]]:
    """Take away a byte order mark and turn CRLF and CR into LF; say so in remarks.

    Raises:
        FormatError: the bytes are UTF-16, compressed, hold NUL, or are too many.
    """
    remarks: list[str] = []
    if len(data) > _MOST_TEXT:
        raise FormatError(
            f"the text is longer than {_MOST_TEXT >> 20} MB", hint="write a smaller grid"
        )
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise FormatError("the text is UTF-16", hint="save it as plain text (UTF-8)", line=1)
    if data[:2] == b"\x1f\x8b" or data[:4] == b"PK\x03\x04":
        raise FormatError("the file is an archive, not a LUT", hint="unpack it first")
    if data.startswith(b"\xef\xbb\xbf"):
        data = data[3:]
        remarks.append("a byte order mark at the start was skipped; some readers refuse it")
    nul = data.find(b"\x00")
    if nul >= 0:
        raise FormatError(
            "there is a NUL byte in the text",
            hint="the file is damaged or not text; export it again",
            line=data.count(b"\n", 0, nul) + 1,
        )
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n")
        if b"\r" in data:
            data = data.replace(b"\r", b"\n")
            remarks.append("lines end with CR alone; some readers refuse that")
    if data and not data.endswith(b"\n"):
        remarks.append(
            "the last line has no end: if the file was cut short, its last number is wrong"
        )
    return data, remarks


def lines(body: bytes) -> Iterator[tuple[int, int, bytes]]:
    """Yield the lines before the rows: number, where it begins in the text, and the line (of one
    without end the beginning).

    Raises:
        FormatError: there are too many of them.
    """
    at = number = 0
    while at < len(body):
        number += 1
        stop = body.find(b"\n", at)
        stop = stop if stop >= 0 else len(body)
        if number > _MOST_HEADER:
            raise FormatError(
                "there are too many lines before the rows", hint="export it again", line=number
            )
        yield number, at, body[at : min(stop, at + _BLOCK)]
        at = stop + 1


def words(raw: bytes) -> str:
    """Decode a title or comment: UTF-8, else Latin-1."""
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1")


def ascii_of(words: str) -> str:
    """Spell what ASCII lacks: readers differ over other letters."""
    for letter, spelt in (("·", "/"), ("²", "2"), ("→", "->"), ("–", "-"), ("ΔE", "dE")):
        words = words.replace(letter, spelt)
    return unicodedata.normalize("NFKD", words).encode("ascii", "replace").decode()


def number(token: bytes, line: int, what: str) -> float:
    """Read one finite number of a header line."""
    try:
        if len(token) > _MOST_TOKEN or token.translate(None, _NUMERIC):
            raise ValueError
        value = float(token)
    except ValueError:
        raise FormatError(
            f"{what} is {words(token)[:40]!r}, not a number",
            hint="write plain numbers with a decimal point",
            line=line,
        ) from None
    if not abs(value) <= _MOST:
        raise FormatError(f"{what} is not finite", hint="write finite numbers", line=line)
    return value


def _values(tokens: list[bytes], *, finite: bool = True) -> Array | None:
    """Return tokens as numbers, float64; None when one is none, or is not finite.

    Tokens of thousands of letters are looked at, not turned into an array as wide as the longest.
    """
    if max(map(len, tokens), default=0) > _MOST_TOKEN:
        return None
    if b" ".join(tokens).translate(None, _NUMERIC if finite else _ANY_NUMERIC):
        return None
    try:
        values = np.array(tokens, dtype=f"S{_MOST_TOKEN}").astype(np.float64)
    except ValueError:
        return None
    return values if not finite or (np.abs(values) <= _MOST).all() else None


def _blocks(blob: bytes, at: int = 0, size: int = _BLOCK) -> Iterator[tuple[int, bytes]]:
    """Yield a text in blocks of whole lines, each with the number of lines before it.

    A line that is longer than a block is cut where there is a blank.
    """
    count = 0
    while at < len(blob):
        end = min(at + size, len(blob))
        if end < len(blob):
            found = blob.find(b"\n", end, end + _BLOCK)
            if found < 0:
                blank = _BLANK.search(blob, end, end + _MOST_TOKEN)
                found = blank.start() if blank else end
            end = found + 1
        part = blob[at:end]
        yield count, part
        count += part.count(b"\n")
        at = end


def row_count(blob: bytes, at: int = 0) -> int:
    """Return how many lines from a place on are rows: neither blank nor comments."""
    count = 0
    for _lines, part in _blocks(blob, at):
        codes = np.frombuffer(part, np.uint8)
        starts = np.concatenate([[0], np.flatnonzero(codes[:-1] == 10) + 1])
        first = codes[starts]
        if ((first == 32) | (first == 9)).any():
            kept = (line.lstrip() for line in part.split(b"\n"))
            count += sum(1 for line in kept if line and not line.startswith(b"#"))
        else:
            count += int(((first != 10) & (first != 35)).sum())
    return count


def line_of_row(blob: bytes, at: int, first_line: int, place: int) -> int:
    """Return the line of the row number `place` (from 0) of the rows that begin at `at`."""
    for before, part in _blocks(blob, at):
        count = row_count(part)
        if place >= count:
            place -= count
            continue
        rows = (
            i
            for i, line in enumerate(part.split(b"\n"))
            if line.strip() and not line.lstrip().startswith(b"#")
        )
        return first_line + before + next(line for n, line in enumerate(rows) if n == place)
    return first_line


def rows(blob: bytes, first_line: int, expected: int, columns: int = 3, at: int = 0) -> Array:
    """Turn text of `columns` numbers a line into float32 (expected, columns).

    Blank lines and lines that start with # are skipped.

    Args:
        at: where the rows begin in the text, in the line number `first_line`.
    Raises:
        FormatError: a row is not that many finite numbers, or there are too few or too many; with line.
    """
    start = at
    blob = blob if blob.endswith(b"\n") else blob + b"\n"
    out = np.empty((min(expected, len(blob)), columns), np.float32)
    is_worth = expected >= (_WORTH if KERNELS.are_loaded else _WORTH_LOADING)
    count, line, step = 0, first_line, _FIRST_BLOCK
    while at < len(blob):
        if is_worth:
            end, found = _quick(blob, out[count:], columns, at)
            count += found // columns
            line += blob.count(b"\n", at, end)
            at = end
            if at >= len(blob):
                break
        before, part = next(_blocks(blob, at, step))
        count += _slowly(part, out[count:], columns, (line, count, expected))
        line += before + part.count(b"\n")
        at += len(part)
        step = min(2 * step, _BLOCK)
    if count < expected:
        last = blob.removesuffix(b"\n").count(b"\n") - blob.count(b"\n", 0, start)
        raise FormatError(
            f"{expected - count} of {expected} rows are missing",
            hint="the file is cut short; export or copy it again",
            line=first_line + max(last, 0),
        )
    return out


def _quick(blob: bytes, out: Array, columns: int, at: int) -> tuple[int, int]:
    """Read rows of a text that ends with a line end with the compiled reader; return where it had to
    stop, and how many numbers it read."""
    from sfumato.core.kernels import digits

    return digits.read(blob, out.reshape(-1), columns, at)


def _plainly(part: bytes, columns: int) -> Array | None:
    """Return the rows (n, columns), float64, of a text that holds nothing but whole ones; None for any other."""
    if part.translate(None, _NUMERIC):
        return None
    is_ink = np.frombuffer(part, np.uint8) > 32
    edges = np.flatnonzero(np.diff(np.concatenate([[False], is_ink, [False]])))
    starts, ends = edges[::2], edges[1::2]
    line_ends = np.flatnonzero(np.frombuffer(part, np.uint8) == 10)
    in_each = np.diff(np.concatenate([[0], np.searchsorted(starts, line_ends), [len(starts)]]))
    whole = ((in_each == columns) | (in_each == 0)).all()
    if not whole or (ends - starts).max(initial=0) > _MOST_TOKEN:
        return None
    found = np.empty(0)
    with contextlib.suppress(ValueError):  # what is no number is named below
        found = np.fromstring(part, np.float64, sep=" ")
    if len(found) != len(starts) or not (np.abs(found) <= _MOST).all():
        return None
    return found.reshape(-1, columns)


def _slowly(part: bytes, out: Array, columns: int, place: tuple[int, int, int]) -> int:
    """Read the rows of a block; return how many there were.

    Args:
        place: the block's first line, the rows before it, and how many there should be at all.
    """
    plain = _plainly(part, columns)
    if plain is not None and len(plain) <= len(out):
        out[: len(plain)] = plain
        return len(plain)
    kept = [line.split(None, columns) for line in part.removesuffix(b"\n").split(b"\n")]
    found = [row for row in kept if row and not row[0].startswith(b"#")]
    if not found:
        return 0
    fits = len(found) <= len(out) and all(len(row) == columns for row in found)
    values = _values([token for row in found for token in row]) if fits else None
    if values is None:
        line, before, expected = place
        raise _fault(kept, line, before, columns, expected)
    out[: len(found)] = values.reshape(-1, columns)
    return len(found)


def numbers(blob: bytes, first_line: int, expected: int, *, finite: bool = True) -> Array:
    """Turn text of numbers, however broken into lines, into float32 (expected,).

    Args:
        finite: refuse inf and nan.
    Raises:
        FormatError: one is not a finite number, or there are too few or too many; with line.
    """
    out, count = np.empty(min(expected, len(blob)), np.float32), 0
    if expected % 3 == 0 and expected >= 3 * _WORTH and KERNELS.are_loaded:
        lined = blob if blob.endswith(b"\n") else blob + b"\n"
        end, found = _quick(lined, out, 3, 0)
        if end >= len(lined) and found == expected:
            return out
    for before, part in _blocks(blob):
        tokens = part.replace(b",", b" ").split()
        values = _values(tokens, finite=finite)
        if values is None:
            for offset, raw in enumerate(part.split(b"\n")):
                for token in raw.replace(b",", b" ").split():
                    number(token, first_line + before + offset, "a value")
            raise FormatError("a value is no number", hint="repair it", line=first_line + before)
        kept = values[: max(len(out) - count, 0)]
        out[count : count + len(kept)] = kept
        count += len(tokens)
    if count != expected:
        raise FormatError(
            f"there are {count} numbers instead of {expected}",
            hint="the file is cut short or its size is wrong",
            line=first_line,
        )
    return out


def _fault(
    kept: list[list[bytes]], first_line: int, before: int, columns: int, expected: int
) -> FormatError:
    """Find the first line of a block that is wrong and say why; `before`: rows before the block."""
    count = before
    for offset, row in enumerate(kept):
        if not row or row[0].startswith(b"#"):
            continue
        line = first_line + offset
        count += 1
        if count > expected:
            return FormatError(
                f"there are more than the {expected} rows that the size asks for",
                hint="the size line or the rows are wrong; export the file again",
                line=line,
            )
        text = words(b" ".join(row)[:60])
        if b"," in b"".join(row)[: columns * _MOST_TOKEN]:
            return FormatError(
                f"the row {text!r} has commas",
                hint="write numbers with a decimal point, separated by blanks",
                line=line,
            )
        for column, token in enumerate(row[:columns], 1):
            try:
                good = not token.translate(None, _NUMERIC) and abs(float(token)) <= _MOST
            except ValueError:
                good = False
            if not good or len(token) > _MOST_TOKEN:
                return FormatError(
                    f"{words(token[:40])!r} is not a finite number"
                    if not good
                    else f"a number has {len(token)} digits",
                    hint="repair the line or export the file again",
                    line=line,
                    column=column,
                )
        if len(row) != columns:
            many = len(row) if len(row) < columns else f"more than {columns}"
            return FormatError(
                f"the row has {many} number{'s' if many != 1 else ''}"
                + (f" instead of {columns}" if len(row) < columns else ""),
                hint="repair the line or export the file again",
                line=line,
            )
    return FormatError("a row cannot be read", hint="export the file again", line=first_line)


def write_rows(
    out: BinaryIO, values: Array, as_written: Callable[[int, Array], Array] | None = None
) -> None:
    """Write numbers (n, columns) as lines of the shortest digits that read back equal in float32.

    Args:
        as_written: gives what is written of some rows, which follow the place of their first; made of
            all of them at once it would take several times the memory of the table.
    """
    quick = values.size >= 3 * (_WORTH if KERNELS.are_loaded else _WORTH_LOADING)
    written = _rows_quickly if quick else _rows_slowly
    for first in range(0, len(values), _ROWS):
        breathe()
        part = values[first : first + _ROWS]
        rows = part if as_written is None else as_written(first, part)
        out.write(written(np.asarray(rows, np.float32)))


def _rows_quickly(rows: Array) -> bytes:
    from sfumato.core.kernels import digits

    odd = np.flatnonzero(~digits.is_plain(rows).all(-1))  # such as the 1e-17 that rounding leaves
    if len(odd) > len(rows) // 8:
        return _rows_slowly(rows)
    lines = _rows_slowly(rows[odd]).splitlines(keepends=True) if len(odd) else []
    parts, at = [], 0
    for line, stop in zip([*lines, b""], [*odd.tolist(), len(rows)], strict=True):
        if stop > at:
            parts.append(digits.written(rows[at:stop]))
        parts.append(line)
        at = stop + 1
    return b"".join(parts)


def _rows_slowly(rows: Array) -> bytes:
    flat = rows.reshape(-1) + np.float32(0)  # no "-0.0"
    unique, back = np.unique(flat, return_inverse=True)
    with np.printoptions(legacy=False):  # other libraries switch the digits of str() for all
        texts = [s.removesuffix(".0") for s in unique.astype("U")]
    words = np.array(texts, dtype=object)[back].reshape(rows.shape)
    return ("\n".join(" ".join(row) for row in words) + "\n").encode("ascii")
