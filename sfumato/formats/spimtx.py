"""The .spimtx text matrix: three rows of three coefficients and an offset, offsets times 65535."""

from __future__ import annotations

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.stages import Matrix
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_SCALE = 65535.0
_MOST_BYTES = 1 << 16


def sniff(_head: bytes) -> Sniff:
    return Sniff.NO  # twelve numbers: only the suffix says what they are


def read(data: bytes) -> Read:
    """Read an .spimtx file.

    Raises:
        FormatError: there are not exactly twelve finite numbers.
    """
    body, remarks = text.unwrapped(data)
    numbers: list[float] = []
    if len(body) > _MOST_BYTES:
        raise FormatError("the file is too long for a matrix", hint="choose another", line=1)
    for i, raw in enumerate(body.split(b"\n")):
        if not raw.lstrip().startswith(b"#"):
            numbers += [text.number(t, i + 1, "a coefficient") for t in raw.split()]
        if len(numbers) > 12:
            break
    if len(numbers) != 12:
        count = f"{len(numbers)}" if len(numbers) < 12 else "more than 12"
        raise FormatError(
            f"there are {count} numbers instead of 12", hint="export the matrix again", line=1
        )
    rows = tuple((r[0], r[1], r[2]) for r in (numbers[0:4], numbers[4:8], numbers[8:12]))
    offset = (numbers[3] / _SCALE, numbers[7] / _SCALE, numbers[11] / _SCALE)
    return Read(Transform((Matrix(rows, offset),)), tuple(remarks))


def holds(transform: Transform) -> str:
    one = len(transform.stages) == 1 and isinstance(transform.stages[0], Matrix)
    return "" if one else "an spimtx file holds one matrix and nothing else"


def write(transform: Transform, _options: WriteOptions) -> bytes:
    """Write one matrix.

    Raises:
        ValueRefused: the transform is something else.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="choose a LUT format")
    (matrix,) = transform.stages
    assert isinstance(matrix, Matrix)
    lines = [
        " ".join(f"{v:.17g}" for v in (*row, offset * _SCALE))
        for row, offset in zip(matrix.rows, matrix.offset, strict=True)
    ]
    return ("\n".join(lines) + "\n").encode("ascii")


SPEC = FormatSpec(
    key="spimtx",
    title="spimtx text matrix",
    suffixes=(".spimtx",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    bakes=False,
    limits={"matrix": "3 × 3 with offsets"},
)
