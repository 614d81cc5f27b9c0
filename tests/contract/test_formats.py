"""One battery over every table format, and the dialects of each."""

from __future__ import annotations

import itertools
import time

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.kernels import digits
from sfumato.core.measure import cube_colours
from sfumato.core.stages import CdlStage, Knots1D, Matrix
from sfumato.core.table import Table1D, Table3D, lattice_colours
from sfumato.core.transform import Transform
from sfumato.formats.cdl import corrections
from sfumato.formats.contract import Sniff, WriteOptions
from sfumato.formats.registry import formats, read

ALL = pytest.mark.parametrize("spec", formats().values(), ids=lambda s: s.key)
RNG = np.random.default_rng(11)
CUBE3 = Table3D(lattice_colours(4) * 1.2 - 0.1 + RNG.normal(0, 0.02, (4, 4, 4, 3)))
SHAPER = Table1D(np.linspace(0, 1, 20)[:, None] ** [0.5, 0.6, 0.7], ((-0.5,) * 3, (2.0,) * 3))
WIDE = Table3D(CUBE3.values, ((-1.0, -0.5, 0.0), (2.0, 3.0, 4.0)))
CURVE = Knots1D(
    [[0, 0.1, 1.5], [0, 1], [-0.2, 0.3, 0.5, 2]], [[0, 0.5, 1], [0, 1], [0, 0.2, 0.3, 1]]
)
MIX = Matrix(((1.1, -0.1, 0.0), (0.2, 0.7, 0.1), (0.0, 0.3, 0.6)), (0.1, 0.0, -0.05))
SAMPLES = {
    "3D": Transform((CUBE3,), "A title", ("a comment",)),
    "1D": Transform((SHAPER,)),
    "1D + 3D": Transform((SHAPER, CUBE3), "Both"),
    "1D + 3D, domain": Transform((SHAPER, Table3D(CUBE3.values, ((0.0,) * 3, (0.9,) * 3)))),
    "domain": Transform((WIDE,)),
    "17": Transform((Table3D(np.clip(lattice_colours(17) ** 1.2, 0, 1)),), "Seventeen"),
    "knots": Transform((CURVE, CUBE3), "Knots"),
    "matrix": Transform((MIX,)),
    "CDL": Transform((CdlStage((1.2, 1, 0.9), (0.1, 0, -0.1), (1.1, 1, 0.8), 1.3),), "one"),
}
HELD = [
    pytest.param(spec, sample, id=f"{spec.key}-{name}")
    for spec in formats().values()
    for name, sample in SAMPLES.items()
    if spec.holds(sample) == ""
]
QUANTUM = {"3dl": 0.5 / 4095}


@pytest.mark.parametrize(("spec", "transform"), HELD)
def test_what_is_written_reads_back_equal(spec, transform: Transform) -> None:
    data = spec.write(transform, WriteOptions(transform.title, transform.comments))
    found = read(data, "x" + spec.suffixes[0])
    assert found.key == spec.key
    if spec.sniff(data[:4096]) is Sniff.SURE:
        assert read(data, "lies.xyz").transform.stages == found.transform.stages
    text = data.decode("ascii")
    assert "\r" not in text
    if spec.key == "cube":
        assert max(map(len, text.splitlines())) <= 511
    colours = cube_colours(500) * 1.4 - 0.2
    before, after = (t.apply(colours) for t in (transform, found.transform))
    if spec.key in QUANTUM:
        assert np.abs(
            found.transform.table.values - np.clip(transform.table.values, 0, 1)
        ).max() <= (QUANTUM[spec.key] + 1e-6)
        again = spec.write(found.transform, WriteOptions(transform.title))
        assert read(again, "x" + spec.suffixes[0]).transform.stages == found.transform.stages
    else:
        np.testing.assert_allclose(after, before, atol=3e-7)


def test_every_format_holds_something_and_refuses_the_rest_in_words() -> None:
    assert {p.values[0].key for p in HELD} == set(formats())
    for spec in formats().values():
        assert spec.limits
        for sample in SAMPLES.values():
            if spec.holds(sample):
                with pytest.raises(ValueRefused, match=r"hold|has"):
                    spec.write(sample, WriteOptions())
            else:
                assert all(spec.not_kept(sample))


@pytest.mark.parametrize(("spec", "transform"), HELD)
def test_opencolorio_reads_what_we_write(spec, transform: Transform, tmp_path) -> None:
    file = tmp_path / f"x{spec.suffixes[0]}"
    file.write_bytes(spec.write(transform, WriteOptions(transform.title, transform.comments)))
    theirs = np.ascontiguousarray(cube_colours(2000) * 1.3 - 0.1)
    ours = read(file.read_bytes(), file.name).transform.apply(theirs)
    _processor(file).applyRGB(theirs)
    atol = {"csp": 2e-4, "cdl": 2e-5}.get(spec.key, 3e-6)  # cubic preludes, a quick power
    np.testing.assert_allclose(ours, theirs, atol=atol)


def _processor(file):
    ocio.ClearAllCaches()
    how = ocio.FileTransform(str(file), interpolation=ocio.INTERP_TETRAHEDRAL)
    how.setCDLStyle(ocio.CDL_ASC)
    return ocio.Config.CreateRaw().getProcessor(how).getDefaultCPUProcessor()


@pytest.mark.parametrize("key", ["cube", "csp", "3dl"])
def test_we_read_what_opencolorio_writes(key: str, tmp_path) -> None:
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v2.1.0_aces-v1.3_ocio-v2.3")
    baker = ocio.Baker()
    baker.setConfig(config)
    baker.setFormat(next(name for name, suffix in baker.getFormats() if suffix == key))
    baker.setInputSpace("ACEScct")
    baker.setTargetSpace("sRGB - Texture")
    baker.setCubeSize(17)
    file = tmp_path / f"x.{key}"
    file.write_text(baker.bake())
    found = read(file.read_bytes(), file.name)
    assert found.key == key
    theirs = cube_colours(2000).copy()
    _processor(file).applyRGB(theirs)
    np.testing.assert_allclose(
        found.transform.apply(cube_colours(2000)), theirs, rtol=1e-6, atol=3e-6
    )


@ALL
@given(
    cut=st.floats(0, 1), flips=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=4)
)
def test_damage_gives_one_clear_refusal(spec, cut: float, flips) -> None:
    sample = next(s for s in SAMPLES.values() if spec.holds(s) == "")
    data = bytearray(spec.write(sample, WriteOptions("t")))
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
    plain = formats()["cube"].write(SAMPLES["3D"], WriteOptions())
    with np.printoptions(legacy="1.13", precision=2):
        assert formats()["cube"].write(SAMPLES["3D"], WriteOptions()) == plain


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
    rows = "\n".join(" ".join(texts[i : i + 3]) for i in range(0, len(texts), 3)).encode()
    quick = digits.read(rows, len(texts) // 3)
    if quick is not None:
        expected = np.array([float(v) for v in texts]).astype(np.float32)
        np.testing.assert_array_equal(quick.astype(np.float32).reshape(-1), expected)


ODD = (
    "1 2|1 2 3 4|1 2 3\n4 5|1 2 x|1 2 0x1|1 2 nan|1 2 1e|1 2 .|1 2 3\n4 5 6|1, 2 3|1.2.3 1 1|- 1 1"
)


@pytest.mark.parametrize("rows", ODD.split("|"))
def test_the_compiled_reader_steps_aside_for_what_is_not_plain(rows: str) -> None:
    assert digits.read(rows.encode(), 1) is None
    assert digits.read(b"# c\n\n 1\t2 3 \r\n", 1).tolist() == [[1, 2, 3]]


def test_a_chain_that_no_cube_holds_is_refused() -> None:
    spec = formats()["cube"]
    with pytest.raises(ValueRefused, match="holds one"):
        spec.write(Transform((CUBE3, CUBE3)), WriteOptions())
