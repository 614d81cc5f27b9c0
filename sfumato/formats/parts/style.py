"""The layout of a text LUT: learnt from one file, given to another.

Some targets take only files that look like those they know. The values are never another's: only
the way in which they are written down.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from sfumato.core.breath import breathe
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.text_style import (
    FIXED,
    LONGEST,
    MOST_HEADER,
    POWER,
    SHORTEST,
    WHOLE,
    Style,
)

_NUMBER = re.compile(rb"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_BOM = b"\xef\xbb\xbf"
_LOOKED = 20_000  # lines of a file that are looked at
_AT_ONCE = 2048  # rows that are read or written together
_WORDS = re.compile(r"(TITLE)(\s+)(\"?)(.*?)(\"?)(\s*)$")
_USUAL = ([0.0] * 3, [1.0] * 3, [0.0, 1.0])  # the domain that is meant without a word
_KEYS = {
    "LUT_3D_SIZE": "{grid}",
    "LUT_1D_SIZE": "{grid}",
    "DOMAIN_MIN": "{low}",
    "DOMAIN_MAX": "{high}",
    "LUT_3D_INPUT_RANGE": "{range}",
    "LUT_1D_INPUT_RANGE": "{range}",
}


def _split(data: bytes) -> tuple[str, list[bytes], bool]:
    newline = "\r\n" if b"\r\n" in data[: 1 << 16] else "\n" if b"\n" in data else "\r"
    mark = newline.encode()
    ends = data.endswith(mark)
    lines = data.split(mark)
    return newline, lines[:-1] if ends else lines, ends


def _rows(lines: list[bytes]) -> tuple[int, int, int]:
    """Return where the longest run of rows of three or more numbers begins and ends, and how many stand in one."""
    best, start, count = (0, 0, 0), 0, 0
    for i, line in enumerate([*lines, b""]):
        if i % _AT_ONCE == 0:
            breathe()
        parts = line.split()
        size = len(parts) if parts and all(map(_NUMBER.fullmatch, parts)) else 0
        if size != count:
            if count >= 3 and i - start > best[1] - best[0]:
                best = (start, i, count)
            start, count = i, size
    return best


def learnt(data: bytes, key: str) -> Style | None:
    """Return the layout of a text LUT of a format, None where there are no rows to learn from."""
    bom = data.startswith(_BOM)
    newline, lines, ends = _split(data[len(_BOM) :] if bom else data)
    first, last, _count = _rows(lines[:_LOOKED])
    if last - first < 2:
        return None
    rows = lines[first : min(last, first + 2000)]
    numbers, digits, width = _numbers([p for row in rows for p in row.split()], rows)
    row = rows[0].decode("latin-1")
    stripped = row.strip()
    gaps = re.findall(r"\s+", stripped)
    header: tuple[str, ...] = ()
    if key == "cube":
        header = tuple(_templates([x.decode("utf-8", "replace") for x in lines[:first]]))
    return Style(
        newline,
        ends,
        numbers,
        digits,
        width,
        "" if width else row[: len(row) - len(row.lstrip())],
        (gaps[0] if gaps else " ") if not width else "",
        row[len(row.rstrip()) :],
        header,
        bom,
    )


def _numbers(tokens: list[bytes], rows: list[bytes]) -> tuple[str, int, int]:
    """Return kind, digits and padded width of numbers."""
    cells = {len(m[0]) for row in rows for m in re.finditer(rb"\s*\S+", row.rstrip())}
    widths = {len(t) for t in tokens}
    width = cells.pop() if len(cells) == 1 and len(widths) > 1 else 0
    if all(b"e" in t.lower() for t in tokens):
        digits = {len(t.lower().partition(b"e")[0].partition(b".")[2]) for t in tokens}
        return POWER, max(digits), width
    if not any(b"." in t or b"e" in t.lower() for t in tokens):
        return WHOLE, 0, width
    behind = {len(t.partition(b".")[2]) for t in tokens if b"e" not in t.lower()}
    if len(behind) == 1 and not any(b"e" in t.lower() for t in tokens):
        return FIXED, behind.pop(), width
    return SHORTEST, 0, width


def _templates(lines: list[str]) -> Iterator[str]:
    """Yield header lines of a cube file with what is the LUT's own taken out.

    The first comments give way to ours; later ones, and a domain of 0 to 1, belong to the dialect.
    """
    said = 0  # 1 within the first comments, 2 after them
    for line in lines[:MOST_HEADER]:
        word = line.split()[0] if line.split() else ""
        if said == 1 and not word.startswith("#"):
            said = 2
        title = _WORDS.match(line)
        if title is not None:
            quoted = title[3] or '"'
            yield f"{title[1]}{title[2]}{quoted}{{title}}{quoted}{title[6]}"
        elif word in _KEYS:
            rest = line[line.index(word) + len(word) :]
            numbers = [float(v) for v in rest.split() if _NUMBER.fullmatch(v.encode())]
            if _KEYS[word] != "{grid}" and numbers in _USUAL:
                yield line[:LONGEST]
            else:
                gap = rest[: len(rest) - len(rest.lstrip())] or " "
                yield f"{line[: line.index(word)]}{word}{gap}{_KEYS[word]}"
        elif word.startswith("#"):
            if said == 0:
                start = re.match(r"\s*#+\s*", line)
                yield f"{start[0] if start else '# '}{{comment}}"
                said = 1
            elif said == 2:
                yield line[:LONGEST]
        elif not line.strip():
            yield line[:LONGEST]


def styled(data: bytes, style: Style) -> bytes:
    """Return a text LUT of ours in another layout.

    Raises:
        ValueRefused: there are no rows in it.
    """
    _newline, lines, _ends = _split(data)
    first, last, count = _rows(lines)
    if last - first < 2:
        raise ValueRefused("this format has no rows of numbers", hint="forget the layout")
    head = [x.decode() for x in lines[:first]]
    tail = [x.decode() for x in lines[last:]]
    if style.header:
        head = _filled(style.header, head)
    rows = (
        _formatted(b" ".join(lines[at : min(at + _AT_ONCE, last)]).decode().split(), count, style)
        for at in range(first, last, _AT_ONCE)
    )
    mark = style.newline
    whole = mark.join([*head, *rows, *tail]) + (mark if style.ends else "")
    return (_BOM if style.bom else b"") + whole.encode()


def _formatted(numbers: list[str], count: int, style: Style) -> str:
    """Return some rows; of all at once the window would wait for the interpreter a tenth of a second."""
    breathe()
    kinds = {FIXED: f"%.{style.digits}f", POWER: f"%.{style.digits}e", WHOLE: "%s", SHORTEST: "%s"}
    one = kinds[style.numbers]
    if style.width:
        one = one.replace("%", f"%{style.width}")
    row = style.indent + style.between.join([one] * count) + style.after
    cells: tuple[Any, ...] = tuple(numbers)
    if style.numbers in (FIXED, POWER):
        places = style.digits + (0 if style.numbers == FIXED else 40)
        # What rounds to 0 from below is written without a minus.
        cells = tuple(round(float(v), places) + 0.0 if v[0] == "-" else float(v) for v in numbers)
    return style.newline.join([row] * (len(cells) // count)) % cells


def _filled(template: tuple[str, ...], own: list[str]) -> list[str]:
    """Return the header of a template with what our header says."""
    words: dict[str, str] = {}
    comments: list[str] = []
    for line in own:
        word, _, rest = line.partition(" ")
        if line.startswith("#"):
            comments.append(line.lstrip("# "))
        elif word == "TITLE":
            words["title"] = rest.strip().strip('"')
        elif word in _KEYS:
            words[_KEYS[word].strip("{}")] = rest
    needed = {"low": "0 0 0", "high": "1 1 1", "range": "0 1", "title": "", **words}
    out: list[str] = []
    used = set[str]()
    for line in template:
        field = next((f for f in ("comment", *needed, "grid") if f"{{{f}}}" in line), "")
        if field == "comment":
            out += [line.replace("{comment}", c) for c in comments]
        elif field:
            out.append(line.replace(f"{{{field}}}", needed.get(field, "")))
        elif _key_of(line) not in words or _key_of(line) == "grid":
            out.append(line)
        used.add(field)
    missing = [line for line in own if _key_of(line) and _key_of(line) not in used]
    return [*out, *missing]


def _key_of(line: str) -> str:
    """Return the field of a header line that a reader needs, "" for others."""
    return _KEYS.get((line.split() or [""])[0], "").strip("{}")
