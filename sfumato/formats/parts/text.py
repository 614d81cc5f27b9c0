"""What text formats share: decoding, line ends, and rows of numbers with the line of every fault."""

from __future__ import annotations

import unicodedata

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.compiled import KERNELS
from sfumato.core.errors import FormatError

_NUMERIC = b"0123456789+-.eE \t\r\n"
# Rows from which on the compiled reader is quicker: when it is there, and when it must be loaded.
_WORTH, _WORTH_LOADING = 1000, 100_000
_MOST = 3.4e38  # the largest float32, in which tables are kept


def unwrapped(data: bytes) -> tuple[bytes, list[str]]:
    """Take away a byte order mark and turn CRLF and CR into LF; say so in remarks.

    Raises:
        FormatError: the bytes are UTF-16, compressed, or hold NUL.
    """
    remarks: list[str] = []
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
    return data, remarks


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
        if token.translate(None, _NUMERIC):
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


def rows(blob: bytes, first_line: int, expected: int, columns: int = 3) -> Array:
    """Turn text of `columns` numbers a line into float32 (expected, columns).

    Blank lines and lines that start with # are skipped. `first_line` is the number of its first line.

    Raises:
        FormatError: a row is not that many finite numbers, or there are too few or too many; with line.
    """
    if expected >= (_WORTH if KERNELS.are_loaded else _WORTH_LOADING):
        from sfumato.core.kernels import digits

        quick = digits.read(blob, expected, columns)
        if quick is not None and np.isfinite(quick.sum(dtype=np.float64)):
            return np.asarray(quick)
    kept = [line.split() for line in blob.removesuffix(b"\n").split(b"\n")]
    found = [row for row in kept if row and not row[0].startswith(b"#")]
    flat = [token for row in found for token in row]
    if len(found) == expected and all(len(row) == columns for row in found):
        blob = b" ".join(flat)
        if not blob.translate(None, _NUMERIC):
            try:
                values = np.array(flat, dtype="S").astype(np.float64)
            except ValueError:
                values = None
            if values is not None and (np.abs(values) <= _MOST).all():
                return np.asarray(values, np.float32).reshape(expected, columns)
    raise _fault(kept, first_line, expected, columns)


def numbers(words: str, first_line: int, expected: int) -> Array:
    """Turn text of numbers, however broken into lines, into float32 (expected,).

    Raises:
        FormatError: one is not a finite number, or there are too few or too many; with line.
    """
    blob = words.encode()
    if expected % 3 == 0 and expected >= 3 * _WORTH and KERNELS.are_loaded:
        from sfumato.core.kernels import digits

        quick = digits.read(blob, expected // 3)
        if quick is not None and np.isfinite(quick.sum(dtype=np.float64)):
            return np.asarray(quick).reshape(-1)
    tokens = blob.replace(b",", b" ").split()
    if len(tokens) == expected and not b" ".join(tokens).translate(None, _NUMERIC):
        try:
            values = np.array(tokens, dtype="S").astype(np.float64)
        except ValueError:
            values = np.array([np.inf])
        if (np.abs(values) <= _MOST).all():
            return np.asarray(values, np.float32)
    for offset, raw in enumerate(blob.split(b"\n")):
        for token in raw.replace(b",", b" ").split():
            number(token, first_line + offset, "a value")
    raise FormatError(
        f"there are {len(tokens)} numbers instead of {expected}",
        hint="the file is cut short or its size is wrong",
        line=first_line,
    )


def _fault(kept: list[list[bytes]], first_line: int, expected: int, columns: int) -> FormatError:
    """Find the first line that is wrong and say why."""
    count = 0
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
        text = words(b" ".join(row))[:60]
        if b"," in b"".join(row):
            return FormatError(
                f"the row {text!r} has commas",
                hint="write numbers with a decimal point, separated by blanks",
                line=line,
            )
        for column, token in enumerate(row, 1):
            try:
                good = not token.translate(None, _NUMERIC) and abs(float(token)) <= _MOST
            except ValueError:
                good = False
            if not good:
                return FormatError(
                    f"{words(token)[:40]!r} is not a finite number",
                    hint="repair the line or export the file again",
                    line=line,
                    column=column,
                )
        if len(row) != columns:
            return FormatError(
                f"the row has {len(row)} number{'s' if len(row) != 1 else ''} instead of {columns}",
                hint="repair the line or export the file again",
                line=line,
            )
    return FormatError(
        f"{expected - count} of {expected} rows are missing",
        hint="the file is cut short; export or copy it again",
        line=first_line + len(kept) - 1 if kept else first_line,
    )


def rows_of(values: Array) -> bytes:
    """Return numbers (n, columns) as lines of the shortest digits that read back equal in float32."""
    table = np.asarray(values, np.float32)
    columns = table.shape[-1]
    if table.size >= 3 * (_WORTH if KERNELS.are_loaded else _WORTH_LOADING):
        from sfumato.core.kernels import digits

        quick = digits.written(table, columns)
        if quick is not None:
            return quick
    flat = table.reshape(-1) + np.float32(0)  # no "-0.0"
    unique, back = np.unique(flat, return_inverse=True)
    with np.printoptions(legacy=False):  # other libraries switch the digits of str() for all
        texts = [s.removesuffix(".0") for s in unique.astype("U")]
    rows = np.array(texts, dtype=object)[back].reshape(-1, columns)
    return ("\n".join(" ".join(row) for row in rows) + "\n").encode("ascii")
