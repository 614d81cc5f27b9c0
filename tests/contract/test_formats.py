"""One battery over every table format, and the dialects of each."""

from __future__ import annotations

import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.measure import cube_colours
from sfumato.core.table import Table1D, Table3D, lattice_colours
from sfumato.core.transform import Transform
from sfumato.formats.contract import Sniff, WriteOptions
from sfumato.formats.registry import formats, read

ALL = pytest.mark.parametrize("spec", formats().values(), ids=lambda s: s.key)
RNG = np.random.default_rng(11)
CUBE3 = Table3D(lattice_colours(4) * 1.2 - 0.1 + RNG.normal(0, 0.02, (4, 4, 4, 3)))
SHAPER = Table1D(np.linspace(0, 1, 20)[:, None] ** [0.5, 0.6, 0.7], ((-0.5,) * 3, (2.0,) * 3))
WIDE = Table3D(CUBE3.values, ((-1.0, -0.5, 0.0), (2.0, 3.0, 4.0)))
SAMPLES = (
    Transform((CUBE3,), "A title", ("a comment",)),
    Transform((SHAPER,)),
    Transform((SHAPER, Table3D(CUBE3.values, ((0.0,) * 3, (0.9,) * 3))), "Both"),
    Transform((WIDE,)),
)


@ALL
@pytest.mark.parametrize("transform", SAMPLES, ids=["3D", "1D", "1D+3D", "domain"])
def test_what_is_written_reads_back_equal(spec, transform: Transform) -> None:
    assert spec.holds(transform) == ""
    data = spec.write(transform, WriteOptions(transform.title, transform.comments))
    assert spec.sniff(data[:4096]) is Sniff.SURE
    found = read(data, "x" + spec.suffixes[0])
    assert found.key == spec.key
    assert found.transform.stages == transform.stages
    assert read(data, "lies.xyz").transform.stages == transform.stages
    text = data.decode("ascii")
    assert "\r" not in text
    assert max(map(len, text.splitlines())) <= 511
    colours = cube_colours(500)
    np.testing.assert_array_equal(found.transform.apply(colours), transform.apply(colours))


@ALL
@given(
    cut=st.floats(0, 1), flips=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=4)
)
def test_damage_gives_one_clear_refusal(spec, cut: float, flips) -> None:
    data = bytearray(spec.write(SAMPLES[0], WriteOptions("t")))
    for place, byte in flips:
        data[int(place * (len(data) - 1))] = byte
    data = bytes(data[: int(cut * len(data))])
    start = time.monotonic()
    try:
        read(data, "x" + spec.suffixes[0])
    except FormatError as error:
        assert error.where
        assert len(error.sentence()) < 400
    assert time.monotonic() - start < 2


HEAD = "LUT_3D_SIZE 2\n"
ROWS = "0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n"
REFUSED = {
    "text": ("this is a shopping list\nmilk 2\n", 2),
    "huge": ("LUT_3D_SIZE 100000\n" + ROWS, 1),
    "large": ("LUT_3D_SIZE 200\n" + ROWS, 9),
    "one": ("LUT_3D_SIZE 1\n0 0 0\n", 1),
    "half": ("LUT_3D_SIZE 3.5\n" + ROWS, 1),
    "nan": (HEAD + ROWS.replace("1 1 0", "nan 1 0"), 5),
    "inf": (HEAD + ROWS.replace("1 1 0", "1e400 1 0"), 5),
    "hex": (HEAD + ROWS.replace("1 1 0", "0x1p0 1 0"), 5),
    "two dots": (HEAD + ROWS.replace("1 1 0", "0.1.2 1 0"), 5),
    "missing": (HEAD + ROWS[:-6], 8),
    "surplus": (HEAD + ROWS + "0 0 0\n", 10),
    "four": (HEAD + ROWS.replace("1 1 0", "1 1 0 0"), 5),
    "two numbers": (HEAD + ROWS.replace("1 1 0", "1 1"), 5),
    "decimal commas": (HEAD + ROWS.replace("0 0 0", "0,5 0,25 1", 1), 2),
    "two sizes": ("LUT_3D_SIZE 2\nLUT_3D_SIZE 3\n" + ROWS, 2),
    "fallen domain": (HEAD + "DOMAIN_MIN 1 1 1\nDOMAIN_MAX 0 0 0\n" + ROWS, 4),
    "nan domain": (HEAD + "DOMAIN_MIN nan 0 0\n" + ROWS, 2),
    "both domains": (HEAD + "DOMAIN_MIN 0 0 0\nLUT_3D_INPUT_RANGE 0 1\n" + ROWS, 4),
    "NUL": (HEAD + ROWS.replace("1 1 0", "1 \0 1 0"), 5),
}


@pytest.mark.parametrize("name", REFUSED)
def test_cube_refusals_name_the_line(name: str) -> None:
    text, line = REFUSED[name]
    with pytest.raises(FormatError) as caught:
        read(text.encode(), "bad.cube")
    assert caught.value.line == line, caught.value.sentence()
    assert caught.value.sentence().startswith(f"bad.cube:{line}: ")
    assert caught.value.hint


ACCEPTED = {
    "CRLF": (HEAD + ROWS).replace("\n", "\r\n").encode(),
    "CR": (HEAD + ROWS).replace("\n", "\r").encode(),
    "BOM": b"\xef\xbb\xbf" + (HEAD + ROWS).encode(),
    "comments": ("# a\n\n" + HEAD + ROWS.replace("1 1 0", "# b\n\n1 1 0")).encode(),
    "lower case": (HEAD.lower() + ROWS).encode(),
    "tabs": (HEAD + ROWS).replace(" ", "\t").encode(),
    "exponents": (HEAD + ROWS.replace("1 1 0", "+1e0 .1E1 0.")).encode(),
    "latin": b'TITLE "caf\xe9"\n' + (HEAD + ROWS).encode(),
    "unknown keyword": ("LUT_IN_VIDEO_RANGE\n" + HEAD + ROWS).encode(),
    "domain before": ("DOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n" + HEAD + ROWS).encode(),
    "no last line end": (HEAD + ROWS).strip().encode(),
}


@pytest.mark.parametrize("name", ACCEPTED)
def test_cube_dialects_in_circulation(name: str) -> None:
    found = read(ACCEPTED[name], "x.cube")
    np.testing.assert_array_equal(found.transform.stages[0].values, lattice_colours(2))
    if name in ("CR", "BOM", "unknown keyword"):
        assert found.remarks
    if name == "latin":
        assert found.transform.title == "café"


def test_utf16_archives_and_empty_files_are_said_to_be_that() -> None:
    for data, words in (
        ((HEAD + ROWS).encode("utf-16"), "UTF-16"),
        (b"", "empty"),
        (b"\x1f\x8b" + bytes(80), "LUT"),
    ):
        with pytest.raises(FormatError, match=words):
            read(data, "x.cube")


def test_digits_do_not_depend_on_what_others_do_to_numpy() -> None:
    plain = formats()["cube"].write(SAMPLES[0], WriteOptions())
    with np.printoptions(legacy="1.13", precision=2):
        assert formats()["cube"].write(SAMPLES[0], WriteOptions()) == plain


def test_a_chain_that_no_cube_holds_is_refused() -> None:
    spec = formats()["cube"]
    with pytest.raises(ValueRefused, match="holds one"):
        spec.write(Transform((CUBE3, CUBE3)), WriteOptions())
