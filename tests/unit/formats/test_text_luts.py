"""Small faults of text LUTs that used to pass in silence."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from sfumato.core.errors import FormatError
from sfumato.core.lut.recast import legal_in, legal_out, sampled
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.cube import FULL, STORED
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import WriteOptions
from sfumato.formats.parts.registry import formats, read
from sfumato.work.luts.target import Target, held

BENT = Transform((Table3D(lattice_colours(9) ** np.float32(1.3)),))


def written(key: str, lut: Transform = BENT, **more: str) -> bytes:
    return formats()[key].write(lut, WriteOptions(**more))


def test_a_text_without_a_last_line_end_is_remarked_upon() -> None:
    """Cut inside the last number nothing else tells it: 0.75 became 0.7."""
    for key in ("cube", "3dl", "csp", "spi3d"):
        data = written(key)
        assert not any("last line" in r for r in read(data, f"x.{key}").remarks)
        data = data[:-1] + b"25\n" if key != "3dl" else data  # the last number: 125, 1.25 …
        cut = read(data[:-2], f"x.{key}")
        assert any("last line has no end" in r for r in cut.remarks)


def test_values_beyond_the_stated_depth_are_told() -> None:
    data = written("3dl", sampled(BENT, 17), depth="12", layout="with header")
    assert not any("beyond" in r for r in read(data, "x.3dl").remarks)
    wrong = data.replace(b"Mesh 4 12", b"Mesh 4 10")
    assert any("to 4095, beyond the 10 bit" in r for r in read(wrong, "x.3dl").remarks)


def test_trailers_and_rows_after_the_end() -> None:
    data = written("3dl", sampled(BENT, 17))
    same = read(data, "x.3dl").transform.table.values
    for tail in (b"LUT8\ngamma 1.0\n", b"\n# end\n\n", b"gamma 1.0"):
        np.testing.assert_array_equal(read(data + tail, "x.3dl").transform.table.values, same)
    for tail in (b"0 0 0\n", b"LUT8\n0 0 0\n"):
        with pytest.raises(FormatError):
            read(data + tail, "x.3dl")
    curve = Transform((Table1D(np.linspace(0, 1, 5)[:, None].repeat(3, 1)),))
    with pytest.raises(FormatError, match="stands after"):
        read(written("spi1d", curve) + b"0 0 0\n", "x.spi1d")


@pytest.mark.parametrize("size", [2, 3])
def test_grids_that_no_reader_of_3dl_takes_are_not_written(size: int) -> None:
    small = Transform((Table3D(lattice_colours(size) ** np.float32(1.2)),))
    assert "4 points" in formats()["3dl"].holds(small)
    made = held(small, Target("3dl"))
    assert made.transform.table.size == 4
    back = read(written("3dl", made.transform), "x.3dl").transform
    colours = np.random.default_rng(2).random((100, 3)).astype(np.float32)
    np.testing.assert_allclose(back.apply(colours), small.apply(colours), atol=0.05)


@pytest.mark.parametrize("ends", [("in",), ("out",), ("in", "out")])
def test_a_cube_that_states_video_range_is_carried_to_full(ends: tuple[str, ...]) -> None:
    """Written for legal range with the keyword, it does on full range what it did before."""
    made = BENT
    made = sampled(legal_in(made), 65) if "in" in ends else made
    made = sampled(legal_out(made), 65) if "out" in ends else made
    words = b"".join(f"LUT_{e.upper()}_VIDEO_RANGE\n".encode() for e in ends)
    data = words + written("cube", made)
    found = read(data, "x.cube")
    assert (found.reading, found.readings) == (FULL, (FULL, STORED))
    assert any("video range" in r for r in found.remarks)
    colours = np.random.default_rng(3).uniform(0.05, 0.95, (200, 3)).astype(np.float32)
    np.testing.assert_allclose(found.transform.apply(colours), BENT.apply(colours), atol=0.02)
    stored = read(data, "x.cube", reading=STORED)
    np.testing.assert_allclose(stored.transform.apply(colours), made.apply(colours), atol=1e-6)


def test_a_texture_of_another_length_is_refused() -> None:
    data = bytearray(written("ktx2"))
    at = 12 + 9 * 4 + 4 * 4 + 2 * 8 + 8  # behind the header: offset, then length of the level
    (length,) = struct.unpack_from("<Q", data, at)
    assert length == 9**3 * 8
    for wrong in (length + 8, length - 8, 2**40):
        struct.pack_into("<2Q", data, at, wrong, wrong)
        with pytest.raises(FormatError, match="the texture"):
            read(bytes(data + b"\0" * 64), "x.ktx2")


def test_rows_are_counted_and_found_wherever_blanks_and_comments_stand() -> None:
    body = b"head\n0 0 0\n\n  1 1 1\n# no\n\t2 2 2\n 3 3 3"
    assert text.row_count(body, 5) == 4
    assert [text.line_of_row(body, 5, 2, i) for i in range(4)] == [2, 4, 6, 7]
    values = text.rows(body, 2, 4, at=5)
    assert values[:, 0].tolist() == [0, 1, 2, 3]
    long = b"# a\n" + b"".join(b"%d 0.0 0\n" % i for i in range(700_000))
    assert len(long) > 2 * (4 << 20)
    assert text.row_count(long) == 700_000
    assert text.line_of_row(long, 0, 1, 699_999) == 700_001
    np.testing.assert_array_equal(text.rows(long, 1, 700_000)[:, 0], np.arange(700_000))
    with pytest.raises(FormatError) as told:
        text.rows(long.replace(b"654321 0.0 0", b"654321 0.0 x"), 1, 700_000)
    assert told.value.line == 654_323


def test_numbers_that_the_compiled_reader_leaves_are_read_by_the_other_in_between() -> None:
    random = np.random.default_rng(4)
    texts = [f"{v:.7g}" for v in random.random(30_000)]
    for place in random.integers(0, len(texts), 40):
        texts[place] = random.choice(
            ["1e-30", "0.1234567890123456789012", "+00000000000000000000000.5"]
        )
    lines = [" ".join(texts[i : i + 3]) for i in range(0, len(texts), 3)]
    lines[5000:5000] = ["# a comment", ""]
    values = text.rows("\n".join(lines).encode(), 1, 10_000)
    np.testing.assert_array_equal(values.reshape(-1), np.array(texts, float).astype(np.float32))
    lines[7000] = "0 0"
    with pytest.raises(FormatError) as told:
        text.rows("\n".join(lines).encode(), 1, 10_000)
    assert told.value.line == 7001
