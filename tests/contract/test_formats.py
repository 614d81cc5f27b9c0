"""One battery over every table format, and the dialects of each."""

from __future__ import annotations

import gzip
import io
import itertools
import re
import struct
import time
import tracemalloc
import zipfile
import zlib

import numpy as np
import peers
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageCms

from sfumato.core.carrier import arrange
from sfumato.core.compiled import load_kernels
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.kernels import digits
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.recast import curves_of
from sfumato.core.lut.stages import HalfCurve
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.cdl import corrections
from sfumato.formats.parts import text
from sfumato.formats.parts.contract import QUANTUM, Sniff, WriteOptions
from sfumato.formats.parts.registry import formats, read
from sfumato.work.luts.target import Target, encoded, held

ALL = pytest.mark.parametrize("spec", formats().values(), ids=lambda s: s.key)
CASES = pytest.mark.parametrize("case", peers.cases(), ids=str)


def _depth(case: peers.Case) -> str:
    return formats()[case.key].depth_of(WriteOptions(depth=case.depth, suffix=case.ending))


@CASES
def test_what_is_written_reads_back_to_the_quantum_of_its_depth(case: peers.Case) -> None:
    spec, transform, data = formats()[case.key], case.transform, case.data()
    found = read(data, "x" + case.ending)
    assert found.key == spec.key
    if spec.sniff(data[:4096]) is Sniff.SURE:
        assert read(data, "lies.xyz").transform.apply([0.3, 0.6, 0.1]).tolist() == (
            found.transform.apply([0.3, 0.6, 0.1]).tolist()
        )
    if spec.is_text:
        assert b"\r" not in data
        assert max(map(len, data.decode("utf-8").splitlines())) <= spec.most_line
    if "abstract" in case.layout:
        return  # a Lab lattice of its own: measured against LittleCMS
    colours = peers.COLOURS if not spec.clips else peers.INSIDE
    before, after = (t.apply(colours) for t in (transform, found.transform))
    depth = _depth(case)
    quantum = QUANTUM[depth]
    tables = [s for s in transform.stages if isinstance(s, Table1D | Table3D | HalfCurve)]
    if quantum and tables:
        clip = (lambda v: np.clip(v, 0, 1)) if not depth.endswith("f") else (lambda v: v)
        stored = [s for s in found.transform.stages if isinstance(s, type(tables[-1]))][-1].values
        wanted = tables[-1].values if spec.clips is False else clip(tables[-1].values)
        # A half float keeps 11 bits of whatever size; below 1 that is the quantum.
        allowed = 2.0**-11 * np.abs(wanted) if depth == "16f" else quantum * 1.001
        assert (np.abs(stored - wanted) <= allowed + 1e-6).all()
        again = spec.write(
            found.transform,
            WriteOptions(depth=case.depth, layout=case.layout, suffix=case.ending),
        )
        twice = read(again, "x" + case.ending).transform.apply(colours)
        np.testing.assert_allclose(twice, after, atol=3e-7)
    elif not quantum:
        if case.sample == "knots" and case.key == "clf":
            np.testing.assert_allclose(after, before, atol=2e-4)  # sampled at every half
        else:
            np.testing.assert_allclose(after, before, rtol=3e-6, atol=3e-6)
    assert not any("None" in words for words in spec.not_kept(transform))
    if case.depth == "" and transform.title and spec.keeps_title and case.key != "csp":
        assert transform.title in (found.transform.title, *found.transform.comments)


PAIRS = [(a, b) for a in formats() for b in formats() if formats()[a].bakes]


@pytest.mark.parametrize(("first", "second"), PAIRS, ids=lambda k: k)
def test_a_lut_through_every_pair_of_formats(first: str, second: str) -> None:
    """A grade of 16 points goes into one format, is read, goes into the other, and comes back."""
    transform = peers.SAMPLES["16"]
    spec = formats()[second]
    allowed = 2e-6
    for key in (first, second):
        target = Target(key)
        if not formats()[key].bakes:
            if formats()[key].holds(curves_of(transform)):
                with pytest.raises(ValueRefused):
                    held(transform, target)
                return
            transform = curves_of(transform)
        found = held(transform, target)
        assert found.said == ()
        data, _ = encoded(found.transform, target)
        transform = read(data, f"x{target.ending}", key=key).transform
        allowed += QUANTUM[formats()[key].depths[0]] * 1.01
    assert spec.holds(transform) == ""
    exact = peers.SAMPLES["16"] if spec.bakes else curves_of(peers.SAMPLES["16"])
    colours = cube_colours(2000)
    np.testing.assert_allclose(transform.apply(colours), exact.apply(colours), atol=allowed)


def test_every_format_holds_something_and_refuses_the_rest_in_words() -> None:
    assert {c.key for c in peers.cases()} == set(formats())
    for spec in formats().values():
        assert spec.limits
        for sample in peers.SAMPLES.values():
            if spec.holds(sample):
                with pytest.raises(ValueRefused, match=r"hold|has"):
                    spec.write(sample, WriteOptions())
            else:
                assert all(spec.not_kept(sample))
        for wrong in (WriteOptions(depth="7"), WriteOptions(layout="diagonal")):
            check = spec.depth_of if wrong.depth else spec.layout_of
            with pytest.raises(ValueRefused):
                check(wrong)


@pytest.fixture(scope="module")
def measured(tmp_path_factory) -> list[peers.Row]:
    folder = tmp_path_factory.mktemp("peers")
    return [*peers.reading_rows(folder), *peers.foreign_rows(folder)]


@pytest.mark.parametrize("key", formats())
def test_others_read_what_we_write_and_we_what_they_write(key: str, measured) -> None:
    rows = [r for r in measured if r.key == key]
    assert bool(rows) != bool(formats()[key].no_reader)
    assert [r for r in rows if not r.worst <= r.limit] == []


def test_the_page_of_formats_is_up_to_date(measured) -> None:
    """Every format and every measured pair stands in docs/formats.md; figures are as of its writing."""
    text = peers.PAGE.read_text(encoding="utf-8")
    for spec in formats().values():
        assert f"(`{spec.key}`)" in text
    pairs = {(r.key, r.peer, r.does) for r in measured}
    lines = {tuple(line.split(" | ")[:3]) for line in text.replace("| ", "", 1).splitlines()}
    told = {(k.removeprefix("| "), p, d) for k, p, d in (x for x in lines if len(x) == 3)}
    assert pairs <= told


def test_a_ktx2_file_byte_by_byte() -> None:
    """Every field of a half-float texture of 5 points, as the standards lay it down."""
    nodes = lattice_colours(5) * 0.5
    data = formats()["ktx2"].write(Transform((Table3D(nodes),), "Tide"), WriteOptions(depth="16f"))
    assert data[:12] == b"\xabKTX 20\xbb\r\n\x1a\n"
    assert struct.unpack("<9I", data[12:48]) == (97, 2, 5, 5, 5, 0, 1, 1, 0)
    dfd, dfd_size, kvd, kvd_size = struct.unpack("<4I", data[48:64])
    assert (dfd, dfd_size, kvd) == (104, 92, 196)
    assert data[64:80] == bytes(16)  # no global data
    start, size, plain = struct.unpack("<3Q", data[80:104])
    assert (size, plain, start % 8, len(data)) == (1000, 1000, 0, start + 1000)
    assert struct.unpack("<I", data[104:108]) == (92,)
    vendor, version, block = struct.unpack("<IHH", data[108:116])
    assert (vendor, version, block) == (0, 2, 88)
    assert data[116:132] == bytes([1, 1, 1, 0, 0, 0, 0, 0, 8, 0, 0, 0, 0, 0, 0, 0])
    for i, channel in enumerate((0, 1, 2, 15)):
        sample = struct.unpack("<HBB4B2I", data[132 + 16 * i : 148 + 16 * i])
        assert sample == (16 * i, 15, channel | 0xC0, 0, 0, 0, 0, 0xBF800000, 0x3F800000)
    pairs, at = [], kvd
    while at < kvd + kvd_size:
        (length,) = struct.unpack("<I", data[at : at + 4])
        pairs.append(data[at + 4 : at + 4 + length])
        at += 4 + length + -length % 4
    assert pairs == [b"KTXorientation\0rdi\0", b"KTXwriter\0Sfumato\0", b"title\0Tide\0"]
    texels = np.frombuffer(data[start:], "<f2").reshape(5, 5, 5, 4)  # z, y, x
    np.testing.assert_allclose(texels[1, 2, 3, :3], [0.375, 0.25, 0.125])
    assert (texels[..., 3] == 1).all()
    packed = formats()["ktx2"].write(Transform((Table3D(nodes),)), WriteOptions(depth="10"))
    assert struct.unpack("<2I", packed[12:20]) == (64, 4)
    (first,) = struct.unpack("<Q", packed[80:88])
    last = np.frombuffer(packed[first:], "<u4")[4]  # red 4/4, green 0, blue 0
    assert (last & 1023, last >> 10 & 1023, last >> 20 & 1023, last >> 30) == (512, 0, 0, 3)


def test_pictures_say_how_they_were_read_and_can_be_read_otherwise() -> None:
    for n, layout in itertools.product((16, 17, 32), formats()["strip"].layouts):
        data = formats()["strip"].write(
            Transform((peers.grade(n),)), WriteOptions(layout=layout, depth="16", suffix=".png")
        )
        found = read(data, "x.png")
        assert (found.key, found.reading, found.depth) == ("strip", layout, "16")
        np.testing.assert_allclose(found.transform.table.values, peers.grade(n).values, atol=1e-5)
    square = formats()["strip"].write(
        Transform((peers.grade(16),)), WriteOptions(layout="square", suffix=".png")
    )
    assert "HALD" in read(square, "x.png").readings
    forced = read(square, "x.png", reading="HALD")
    assert (forced.key, forced.reading) == ("hald", "HALD")
    assert np.abs(forced.transform.table.values - peers.grade(16).values).max() > 0.3
    with pytest.raises(FormatError, match="cannot be read as"):
        read(square, "x.png", reading="row")


def test_jpeg_halds_profiles_and_alpha_are_told() -> None:
    values = arrange.arranged(peers.grade(16).values, arrange.HALD)
    image = Image.fromarray((values * 255 + 0.5).astype(np.uint8))
    out = io.BytesIO()
    image.save(out, "jpeg", quality=95, subsampling=0)
    found = read(out.getvalue(), "x.jpg")
    assert (found.key, found.lossy) == ("hald", True)
    assert "JPEG" in " ".join(found.remarks)
    out = io.BytesIO()
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    image.convert("RGBA").save(out, "png", icc_profile=profile)
    found = read(out.getvalue(), "x.png")
    assert "alpha" in " ".join(found.remarks)
    assert "profile was ignored" in " ".join(found.remarks)
    np.testing.assert_allclose(found.transform.table.values, peers.grade(16).values, atol=0.002)
    for mode in ("L", "P"):
        out = io.BytesIO()
        image.convert(mode).save(out, "png")
        with pytest.raises(FormatError, match="palette or grey"):
            read(out.getvalue(), "x.png")


# Damage


SLOW_SECONDS, MOST_MEGABYTES = 2.0, 500


def _survives(data: bytes, name: str) -> None:
    """Reading gives a transform or one clear refusal, in bounded time and memory."""
    start = time.thread_time()
    tracemalloc.start()
    try:
        found = read(data, name)
        assert np.isfinite(found.transform.apply([[0.2, 0.5, 0.9], [0, 0, 0]])).all()
    except FormatError as error:
        assert error.where
        assert error.summary
        assert len(error.sentence()) < 600
        if formats_of(name) - BINARY and error.line == 0:
            assert "file" in error.sentence() or "correction" in error.sentence()
    finally:
        _, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
    assert time.thread_time() - start < SLOW_SECONDS  # of this thread: others disturb less
    assert peak < MOST_MEGABYTES << 20


BINARY = {f.key for f in formats().values() if not f.is_text}


def formats_of(name: str) -> set[str]:
    suffix = name[name.rindex(".") :]
    return {f.key for f in formats().values() if suffix in f.suffixes}


def _smallest(spec) -> tuple[bytes, str]:
    sample = next(s for s in ("9", "1D 0..1", "matrix", "CDL") if not spec.holds(peers.SAMPLES[s]))
    case = peers.Case(spec.key, sample)
    return case.data(), f"x{case.ending}"


@ALL
@given(
    cut=st.floats(0, 1),
    flips=st.lists(st.tuples(st.floats(0, 0.1) | st.floats(0, 1), st.integers(0, 255)), max_size=4),
    twice=st.booleans(),
)
def test_damage_gives_one_clear_refusal(spec, cut: float, flips, twice: bool) -> None:
    data, name = _smallest(spec)
    damaged = bytearray(data)
    for place, byte in flips:
        damaged[int(place * (len(damaged) - 1))] = byte
    damaged = damaged[: int(cut * len(damaged))] if not twice else damaged + damaged
    _survives(bytes(damaged), name)


@ALL
@pytest.mark.parametrize("what", ["truncated", "wrapped", "text", "numbers", "renamed"])
def test_files_that_are_something_else(spec, what: str) -> None:
    data, name = _smallest(spec)
    binary = spec.key in BINARY
    trials: list[tuple[bytes, str]] = []
    if what == "truncated":
        edges = [*range(0, 200, 7), *np.linspace(0, len(data) - 1, 40).astype(int)]
        trials = [(data[:n], name) for n in edges]
    elif what == "wrapped":
        packed = gzip.compress(gzip.compress(data))
        archive = io.BytesIO()
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as z:
            z.writestr(name, bytes(1 << 20))
        trials = [(packed, name), (archive.getvalue(), name), (b"\x1f\x8b" + data, name)]
    elif what == "text" and not binary:
        words = data.decode("utf-8")
        trials = [
            (words.encode("utf-16"), name),
            (words.replace("\n", "\r\n").encode(), name),
            (words.replace("\n", "\r").encode(), name),
            (words.replace(" ", "\t").encode(), name),
            (words.replace(".", ",").encode(), name),
            (b"\xef\xbb\xbf" + words.encode(), name),
            (b"\xff\xfe\x00" + words.encode(), name),
            (words.encode().replace(b"0", b"\x00", 1), name),
        ]
    elif what == "numbers" and not binary:
        for huge in (b"1e999", b"nan", b"-inf", b"99999999999999999999", b"0x10", b"--1"):
            for place in re.finditer(rb"\d+", data[:170]):
                trials.append((data[: place.start()] + huge + data[place.end() :], name))
    elif what == "renamed":
        suffixes = {s for f in formats().values() for s in f.suffixes}
        trials = [(data, f"x{s}") for s in sorted(suffixes)]
    for blob, named in trials:
        if what == "text" and blob[:2] in (b"\xff\xfe", b"\xfe\xff"):
            with pytest.raises(FormatError):
                read(blob, named)
        _survives(blob, named)


def _png_of(width: int, height: int) -> bytes:
    """A PNG that claims a size and holds next to nothing."""
    out = io.BytesIO()
    Image.new("RGB", (8, 8)).save(out, "png")
    data = bytearray(out.getvalue())
    data[16:24] = struct.pack(">II", width, height)
    data[29:33] = struct.pack(">I", zlib.crc32(data[12:29]))
    return bytes(data)


def _claims(key: str, at: int, value: bytes) -> bytes:
    data = bytearray(_smallest(formats()[key])[0])
    data[at : at + len(value)] = value
    return bytes(data)


_NPY = b"\x93NUMPY\x01\0\x76\0"
ABSURD = {
    "png": _png_of(60000, 60000),
    "hald.png": _png_of(4096, 4096),
    "tiff": b"II*\0\x08\0\0\0" + b"\xff" * 64,
    "exr": b"v/1\x01\x02\0\0\0dataWindow\0box2i\0\x10\0\0\0" + struct.pack("<4i", 0, 0, 2**30, 2**30),
    "npy": _NPY + b"{'descr': '<f4', 'fortran_order': False, 'shape': (256, 256, 256, 3)}".ljust(118),
    "npy.npy": _NPY + (b"[" * 110).ljust(118),
    "ktx2": _claims("ktx2", 20, struct.pack("<3I", 2**31, 2**31, 2**31)),
    "icc": _claims("icc", 128, struct.pack(">I", 10**9)),
    "csp": b"CSPLUTV100\n3D\n0\n0\n0\n256 256 256\n0 0 0\n",
    "spi3d": b"SPILUT 1.0\n3 3\n256 256 256\n0 0 0 0 0 0\n",
    "3dl": b" ".join(b"%d" % i for i in range(257)) + b"\n1 1 1\n",
    "cube": b"LUT_1D_SIZE 1048576\n0 0 0\n",
}  # fmt: skip


@pytest.mark.parametrize("name", ABSURD)
def test_absurd_sizes_are_refused_before_memory_is_asked_for(name: str) -> None:
    tracemalloc.start()
    with pytest.raises(FormatError) as caught:
        read(ABSURD[name], f"x.{name}")
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert caught.value.hint
    assert peak < 200 << 20  # a HALD of level 16 may ask for its pixels


BOMB = (
    '<!DOCTYPE l [<!ENTITY a "aaaaaaaaaa">'
    + "".join(
        f'<!ENTITY {chr(98 + i)} "{"&" + chr(97 + i) + ";"}{"&" + chr(97 + i) + ";"}">'
        for i in range(20)
    )
    + "]>"
)
CLF = (
    '<ProcessList xmlns="urn:x" id="a" compCLFversion="3">'
    '<{0} inBitDepth="32f" outBitDepth="32f">{1}</{2}></ProcessList>'
)


def _clf(tag: str, inside: str, more: str = "") -> str:
    return CLF.format(tag + more, inside, tag)


MONSTERS = {
    "entity bomb": (BOMB + _clf("LUT3D", '<Array dim="2 2 2 3">&u;</Array>'), "entities"),
    "external entity": (
        '<!DOCTYPE l [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + _clf("Matrix", "&a;"),
        "entities",
    ),
    "huge lattice": (_clf("LUT3D", '<Array dim="100000 100000 100000 3">0 0 0</Array>'), "dimensions"),
    "huge curve": (_clf("LUT1D", '<Array dim="4000000000 3">0 0 0</Array>'), "dimensions"),
    "negative size": (_clf("LUT1D", '<Array dim="-4 3">0 0 0</Array>'), "dimensions"),
    "unknown node": (_clf("Sparkle", ""), "not part of the standard"),
    "no style": (_clf("Exponent", '<ExponentParams exponent="2"/>'), "no exponent style"),
    "base one": (_clf("Log", '<LogParams base="1"/>', ' style="linToLog"'), "base"),
    "range pairs": (_clf("Range", "<minInValue>0</minInValue>"), "pairs"),
    "one-sided range": (
        _clf("Range", "<minInValue>0</minInValue><minOutValue>0.5</minOutValue>"),
        "same",
    ),
    "half domain": (
        _clf("LUT1D", '<Array dim="4 1">0 1 2 3</Array>', ' halfDomain="true"'),
        "65536",
    ),
    "power zero": (
        _clf("ASC_CDL", "<SOPNode><Slope>1 1 1</Slope><Offset>0 0 0</Offset><Power>0 1 1</Power></SOPNode>"),
        "above 0",
    ),
    "nothing": ('<ProcessList id="a" compCLFversion="3"></ProcessList>', "no process node"),
    "deep": ("<ProcessList>" + "<a>" * 100000, "too many elements"),
    "depth": (_clf("Matrix", "").replace('"32f"', '"24i"'), "inBitDepth"),
}  # fmt: skip


@pytest.mark.parametrize("name", MONSTERS)
def test_clf_monsters_are_refused_with_their_line(name: str) -> None:
    text, words = MONSTERS[name]
    _survives(text.encode(), "x.clf")
    with pytest.raises(FormatError, match=words) as caught:
        read(b"\n" + text.encode(), "x.clf")
    assert caught.value.line == 2, caught.value.sentence()


def test_clf_dialects() -> None:
    neighbours = (
        '<ProcessList id="a" compCLFversion="3"><Matrix inBitDepth="10i" outBitDepth="12i">'
        '<Array dim="3 3">4 0 0 0 4 0 0 0 4</Array></Matrix><Range inBitDepth="{}" outBitDepth="32f">'
        "<minInValue>409.5</minInValue><minOutValue>0.1</minOutValue></Range></ProcessList>"
    )
    found = read(neighbours.format("12i").encode(), "x.clf").transform
    np.testing.assert_allclose(found.apply([[0.5] * 3]), [[4 * 1023 / 4095 * 0.5] * 3], rtol=1e-6)
    with pytest.raises(FormatError, match="neighbouring"):
        read(neighbours.format("10i").encode(), "x.clf")
    mapped = (
        '<ProcessList id="a" compCLFversion="{}"><LUT1D inBitDepth="10i" outBitDepth="10i">'
        '<IndexMap dim="2">64@0 940@2</IndexMap><Array dim="3 1">0 500 1023</Array></LUT1D></ProcessList>'
    )
    table = read(mapped.format("2.0").encode(), "x.clf").transform.stages[0]
    np.testing.assert_allclose(table.domain, [[64 / 1023] * 3, [940 / 1023] * 3])
    newer = read(mapped.format("3.0").encode(), "x.clf")
    assert newer.transform.stages[0].domain == ((0.0,) * 3, (1.0,) * 3)
    assert "IndexMap" in newer.remarks[0]
    raw = _clf("LUT1D", '<Array dim="2 1">0 15360</Array>', ' rawHalfs="true"')
    assert read(raw.encode(), "x.clf").transform.apply([[0.25] * 3]).tolist() == [[0.25] * 3]
    other = read(
        _clf("Matrix", '<Array dim="3 3">1 0 0 0 1 0 0 0 1</Array>').replace('"3"', '"9"').encode(),
        "x.clf",
    )
    assert "version" in other.remarks[0]
    lattice = read(
        _clf("LUT3D", '<Array dim="2 2 2 3">' + "0 0 0 " * 8 + "</Array>").encode(), "x.clf"
    )
    assert lattice.transform.table.interp == "trilinear"


HEAD = "LUT_3D_SIZE 2\n"
ROWS = "0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n"
REFUSED = {
    "text": ("this is a shopping list\nmilk 2\n", 2),
    "huge": ("LUT_3D_SIZE 100000\n" + ROWS, 1),
    "large": ("LUT_3D_SIZE 200\n" + ROWS, 9),
    "one": ("LUT_3D_SIZE 1\n0 0 0\n", 1),
    "half": ("LUT_3D_SIZE 3.5\n" + ROWS, 1),
    "nan": (HEAD + ROWS.replace("1 1 0", "nan 1 0"), 5),
    "beyond float": (HEAD + ROWS.replace("1 1 0", "1e39 1 0"), 5),
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
    "two domains": (HEAD + "DOMAIN_MAX 1 1 1\nDOMAIN_MAX 2 2 2\n" + ROWS, 3),
    "two ranges": (HEAD + "LUT_3D_INPUT_RANGE 0 1\nLUT_3D_INPUT_RANGE 0 2\n" + ROWS, 3),
    "narrow domain": (HEAD + "DOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1e-7\n" + ROWS, 4),
    "digits": (HEAD + ROWS.replace("1 1 0", "0." + "1" * 3000 + " 1 0"), 5),
    "a line of numbers": (HEAD + ROWS.replace("1 1 0", "1 " * 90000), 5),
    "trailer": (HEAD + ROWS + "\nEND\n", 11),
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
    "unknown keyword": ("LUT_OF_THE_YEAR\n" + HEAD + ROWS).encode(),
    "domain before": ("DOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n" + HEAD + ROWS).encode(),
    "no last line end": (HEAD + ROWS).strip().encode(),
}


@pytest.mark.parametrize("name", ACCEPTED)
def test_cube_dialects_in_circulation(name: str) -> None:
    found = read(ACCEPTED[name], "x.cube")
    np.testing.assert_array_equal(found.transform.stages[0].values, lattice_colours(2))
    if name in ("CR", "BOM", "unknown keyword", "no last line end"):
        assert found.remarks
    if name == "latin":
        assert found.transform.title == "café"


OTHERS = {
    "csp falling prelut": (
        b"CSPLUTV100\n3D\n3\n0 2 1\n0 1 2\n2\n0 1\n0 1\n2\n0 1\n0 1\n2 2 2\n",
        4,
    ),
    "csp no size": (b"CSPLUTV100\n1D\n2\n0 1\n0 1\n2\n0 1\n0 1\n2\n0 1\n0 1\n", 11),
    "csp unequal": (b"CSPLUTV100\n3D\n0\n0\n0\n2 3 4\n", 6),
    "spi3d repeated": (b"SPILUT 1.0\n3 3\n2 2 2\n" + b"0 0 0 0 0 0\n" * 8, 5),
    "spi3d outside": (b"SPILUT 1.0\n3 3\n2 2 2\n" + b"0 0 9 0 0 0\n" * 8, 4),
    "spi3d short": (b"SPILUT 1.0\n3 3\n2 2 2\n0 0 0 0 0 0\n", 4),
    "spi1d short": (b"Version 1\nFrom 0 1\nLength 4\nComponents 1\n{\n0\n1\n}\n", 7),
    "spi1d huge": (b"Version 1\nFrom 0 1\nLength 1e9\nComponents 1\n{\n0\n1\n}\n", 3),
    "spi1d no brace": (b"Version 1\nFrom 0 1\nLength 2\nComponents 1\n0\n1\n", 6),
    "3dl float text": (b"0 341 682 1023\n" + b"0.5 0 0\n" * 64, 2),
    "3dl no lattice": (b"0 341 682 1023\n" + b"1 0 0\n" * 60, 61),
    "spimtx eleven": (b"1 0 0 0 0 1 0 0 0 0 1\n", 1),
}


@pytest.mark.parametrize("name", OTHERS)
def test_refusals_of_the_other_formats_name_the_line(name: str) -> None:
    data, line = OTHERS[name]
    with pytest.raises(FormatError) as caught:
        read(data, f"bad.{name.split()[0]}")
    assert caught.value.line == line, caught.value.sentence()
    assert caught.value.hint


CC = '<ColorCorrection id="{0}"><SOPNode><Slope>1 1 {1}</Slope><Offset>0, 0, 0</Offset>'
CC += "<Power>1\n1 1</Power></SOPNode></ColorCorrection>"


def test_cdl_collections_dialects_and_refusals() -> None:
    many = f"<ColorCorrectionCollection>{CC.format('a', 2)}{CC.format('b', 3)}</ColorCorrectionCollection>"
    found = read(many.encode(), "x.ccc")
    assert found.transform.stages[0].slope == (1.0, 1.0, 2.0)
    assert found.transform.title == "a"
    assert "first of 2" in found.remarks[0]
    assert [c.name for c in corrections(many.encode())] == ["a", "b"]
    spaced = f'<c:ColorDecisionList xmlns:c="urn:ASC:CDL:v1.2"><c:ColorDecision>{CC.format("z", 1)}'
    spaced += "</c:ColorDecision></c:ColorDecisionList>"
    assert read(spaced.encode(), "x.cdl").transform.title == "z"
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + CC.format("&b;", 1)
    outside = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/hostname">]>' + CC.format("&a;", 1)
    for bad, words in (
        (bomb, "entities"),
        (outside, "entities"),
        (CC.format("a", "x"), "not a number"),
        (CC.format("a", "1 1"), "4 numbers"),
        (CC.format("a", -1), "below 0"),
        (CC.format("a", 1)[:-9], "well-formed"),
        ("<ColorCorrection><SOPNode/></ColorCorrection>", "no Slope"),
        ("<ColorCorrectionCollection/>", "no ColorCorrection"),
    ):
        with pytest.raises(FormatError, match=words):
            read(bad.encode(), "x.cc")


def test_a_3dl_says_what_it_had_to_guess() -> None:
    rows = b"".join(b"%d %d %d\n" % p for p in itertools.product((0, 511, 1022), repeat=3))
    plain = read(rows, "x.3dl")
    assert "10 bit" in " ".join(plain.remarks)
    assert "no line of node positions" in " ".join(plain.remarks)
    stated = read(b"3DMESH\nMesh 1 12\n" + rows + b"LUT8\ngamma 1.0\n", "x.3dl")
    assert stated.transform.table.values.max() == pytest.approx(1022 / 4095)
    uneven = read(b"# c\n0 100 600 1023\n" + b"7 8 9\n" * 64, "x.3dl")
    assert "not evenly spaced" in " ".join(uneven.remarks)


def test_utf16_archives_and_empty_files_are_said_to_be_that() -> None:
    for data, words in (
        ((HEAD + ROWS).encode("utf-16"), "UTF-16"),
        (b"", "empty"),
        (b"\x1f\x8b" + bytes(80), "LUT"),
    ):
        with pytest.raises(FormatError, match=words):
            read(data, "x.cube")


def test_digits_do_not_depend_on_what_others_do_to_numpy() -> None:
    plain = formats()["cube"].write(peers.SAMPLES["3D"], WriteOptions())
    with np.printoptions(legacy="1.13", precision=2):
        assert formats()["cube"].write(peers.SAMPLES["3D"], WriteOptions()) == plain


@pytest.mark.parametrize("share", [0.0, 0.01, 0.5])
def test_numbers_that_need_an_exponent_lie_among_the_others(share: float) -> None:
    load_kernels()
    random = np.random.default_rng(3)
    values = random.normal(size=(1500, 3)).astype(np.float32)
    odd = [3e-17, -1e-20, 2e9, -3e38, 1e-45, 1e-13]
    spoilt = random.random(values.shape) < share
    values[spoilt] = random.choice(odd, spoilt.sum()).astype(np.float32)
    values[[0, -1, -2]] = np.float32(1e-30) if share else 0
    out = io.BytesIO()
    text.write_rows(out, values)
    rows = out.getvalue().split(b"\n")
    assert rows.pop() == b""
    back = np.array([[float(v) for v in row.split(b" ")] for row in rows]).astype(np.float32)
    np.testing.assert_array_equal(back, values)


@pytest.mark.parametrize("key", [k for k, s in formats().items() if s.bakes])
def test_of_a_large_table_little_is_there_twice(key: str) -> None:
    """A HALD of 256 points took 1.3 GB to write and to check, a CLF of 129 points 0.35."""
    load_kernels()
    target = Target(key, formats()[key].grid_for(120))
    look = peers.SAMPLES["3D"]
    tracemalloc.start()
    whole = held(look, target).transform
    data, _lost = encoded(whole, target)
    back = read(data, f"x{target.ending}", key=key).transform
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    table = back.table.values.nbytes
    assert back.table.size == target.grid
    tables = (
        4.6 if key in ("clf", "icc", "spi3d") else 3.2
    )  # text apart from its marks, float64, indices
    assert peak < tables * table + 1.2 * len(
        data
    )  # what was written, what comes back, and that turned


def test_rows_are_made_some_at_a_time() -> None:
    """Numbers that need exponents took 1.2 GB for a table of 129 points."""
    load_kernels()
    values = np.random.default_rng(4).random((120_000, 3), np.float32) * np.float32(1e-30)
    tracemalloc.start()
    out = io.BytesIO()
    text.write_rows(
        out, values, lambda first, part: np.column_stack([np.full(len(part), first), part])
    )
    rows = out.getvalue()
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert peak < 1.2 * len(rows) + 25e6  # bytes; the buffer grows by an eighth
    lines = rows.split(b"\n")
    assert len(lines) == len(values) + 1
    for place in (0, 32767, 32768, 119_999):  # at the ends of parts
        first, *row = np.array(lines[place].split(), np.float32)
        np.testing.assert_array_equal(row, values[place])
        assert first == place // 32768 * 32768


TOKENS = [
    "0",
    "1",
    "-1",
    "0.5",
    ".5",
    "5.",
    "+.25",
    "1e0",
    "1E-3",
    "-1.5e+2",
    "0.1",
    "0.3",
    "123456789",
    "0.000000001",
    "1e-22",
    "1e22",
    "3.4028234e38",
    "1.17549435e-38",
    "1e-45",
    "0.1234567890123456789",
    "16777217",
    "33554435",
    "0.30000001192092896",
    "0.300000026822090148925781250",
    "9007199254740993",
    "1.00000005960464477539062",
    "1e-300",
    "00000000000000000000001.5",
]
PLAIN = st.floats(-1e30, 1e30).map(repr) | st.floats(-2, 2).map(repr)


@given(st.lists(PLAIN | st.sampled_from(TOKENS), min_size=3, max_size=9))
def test_the_compiled_reader_is_exact_or_steps_aside(values) -> None:
    texts = [*values, *["0"] * (-len(values) % 3)]
    lines = [" ".join(texts[i : i + 3]) for i in range(0, len(texts), 3)]
    rows = ("\n".join(lines) + "\n").encode()
    out = np.zeros(len(texts), np.float32)
    end, count = digits.read(rows, out)
    with np.errstate(over="ignore"):
        expected = np.array([float(v) for v in texts]).astype(np.float32)
    np.testing.assert_array_equal(out[:count], expected[:count])
    assert rows[:end].count(b"\n") * 3 == count
    assert end == len(rows) or any(t in lines[count // 3] for t in (*TOKENS, *values))


ODD = (
    "1 2|1 2 3 4|1 2 3\n4 5|1 2 x|1 2 0x1|1 2 nan|1 2 1e|1 2 .|1 2 3\n4 5 6|1, 2 3|1.2.3 1 1|- 1 1"
)


@pytest.mark.parametrize("rows", ODD.split("|"))
def test_the_compiled_reader_steps_aside_for_what_is_not_plain(rows: str) -> None:
    data = rows.encode() + b"\n"
    end, count = digits.read(data, np.zeros(3, np.float32))
    assert (end, count) == (data.index(b"\n") + 1 if rows[:6] == "1 2 3\n" else 0, end // 2)
    out = np.zeros(3, np.float32)
    assert digits.read(b"head\n# c\n\n 1\t2 3 \r\n", out, 3, 5) == (19, 3)
    assert out.tolist() == [1, 2, 3]


def test_a_chain_that_no_cube_holds_is_refused() -> None:
    spec = formats()["cube"]
    with pytest.raises(ValueRefused, match="holds one"):
        spec.write(Transform((peers.WILD, peers.WILD)), WriteOptions())
