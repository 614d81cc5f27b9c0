"""CLF as others write it: what stands in files in circulation is read rightly, or refused in words."""

from __future__ import annotations

import numpy as np
import pytest

from sfumato.core.errors import FormatError
from sfumato.core.lut.recast import sampled
from sfumato.core.lut.stages import HalfCurve, half_inputs
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.clf import read, write
from sfumato.formats.parts.contract import WriteOptions
from sfumato.formats.parts.registry import formats

X = np.random.default_rng(1).uniform(-0.2, 1.2, (50, 3)).astype(np.float32)
SMPTE = 'xmlns="http://www.smpte-ra.org/ns/2136-1/2024"'


def clf(nodes: str, head: str = 'id="a" compCLFversion="3"', before: str = "") -> bytes:
    return f"<ProcessList {head}>{before}{nodes}</ProcessList>".encode()


def node(tag: str, inside: str, more: str = "") -> str:
    return f'<{tag} inBitDepth="32f" outBitDepth="32f" {more}>{inside}</{tag}>'


MATRIX = node("Matrix", '<Array dim="3 3">2 0 0 0 2 0 0 0 2</Array>')


def test_an_identifier_as_an_element_is_one() -> None:
    identifier = "<Id>urn:uuid:8cb76bcc-2d40-4bb4-a8a7-1c2fbd7c1c2e</Id>"
    found = read(clf(MATRIX, f'{SMPTE} compCLFversion="ST2136-1:2024"', identifier))
    assert found.remarks == ()
    np.testing.assert_allclose(found.transform.apply(X), 2 * X)
    assert any("no id" in r for r in read(clf(MATRIX, 'compCLFversion="3"')).remarks)


def half_table(odd: dict[int, str], more: str = "") -> bytes:
    values = [f"{v:.9g}" for v in half_inputs()]
    for code in range(65536):
        if code & 0x7C00 == 0x7C00:  # inputs that are infinite or no number
            values[code] = "nan" if code & 0x3FF else "-inf" if code & 0x8000 else "inf"
    for code, text in odd.items():
        values[code] = text
    array = f'<Array dim="65536 1">{" ".join(values)}</Array>'
    return clf(node("LUT1D", array, f'halfDomain="true" {more}'))


def test_half_domains_hold_infinity_where_inputs_do() -> None:
    found = read(half_table({}))
    assert isinstance(found.transform.stages[0], HalfCurve)
    assert found.remarks == ()
    np.testing.assert_allclose(found.transform.apply(X), X, atol=1e-6)
    log = read(half_table({0: "-inf"}))  # a logarithm of 0
    assert "infinite entries are held" in log.remarks[0]
    assert log.transform.apply([[0.0] * 3])[0, 0] == -65504
    with pytest.raises(FormatError, match="no number"):
        read(half_table({0x3C00: "nan"}))
    with pytest.raises(FormatError, match="a value is"):
        read(clf(node("LUT1D", '<Array dim="2 1">0 inf</Array>')))


@pytest.mark.parametrize("pairs", ["64@0 940@1", "64 @ 0  940 @ 1", " 64@ 0\n 940 @1 "])
def test_blanks_in_an_index_map_say_nothing(pairs: str) -> None:
    table = f'<IndexMap dim="2">{pairs}</IndexMap><Array dim="2 1">0 1</Array>'
    text = f'<LUT1D inBitDepth="10i" outBitDepth="32f">{table}</LUT1D>'
    found = read(clf(text, 'id="a" compCLFversion="2.0"')).transform
    np.testing.assert_allclose(found.stages[0].domain, [[64 / 1023] * 3, [940 / 1023] * 3])


UNKNOWN = {
    "hue kept": node("LUT1D", '<Array dim="2 1">0 1</Array>', 'hueAdjust="dw3"'),
    "another interpolation": node("LUT1D", '<Array dim="2 1">0 1</Array>', 'interpolation="cubic"'),
    "in a lattice": node(
        "LUT3D", f'<Array dim="2 2 2 3">{"0 " * 24}</Array>', 'interpolation="prism"'
    ),
    "of a log": node("Log", '<LogParams gamma="0.6" refWhite="685"/>', 'style="linToLog"'),
    "a break in a plain log": node("Log", '<LogParams linSideBreak="0.1"/>', 'style="linToLog"'),
    "parameters of a fixed log": node("Log", '<LogParams base="10"/>', 'style="log10"'),
    "an offset of a power": node(
        "Exponent", '<ExponentParams exponent="2" offset="0.1"/>', 'style="basicFwd"'
    ),
    "a thing inside": node("Matrix", '<Array dim="3 3">1 0 0 0 1 0 0 0 1</Array><Dynamic/>'),
    "of an array": node("Matrix", '<Array dim="3 3" order="bgr">1 0 0 0 1 0 0 0 1</Array>'),
    "of a range": node("Range", "<minInValue>0</minInValue><minOutValue>0</minOutValue>", 'gamma="2"'),
}  # fmt: skip


@pytest.mark.parametrize("name", UNKNOWN)
def test_what_might_change_colours_is_not_skipped(name: str) -> None:
    with pytest.raises(FormatError) as told:
        read(clf(UNKNOWN[name]))
    assert told.value.line == 1
    assert told.value.hint


def test_what_others_add_for_themselves_is_passed_over() -> None:
    own = 'xmlns:lab="urn:lab" lab:operator="Ida"'
    text = node(
        "Matrix", '<Array dim="3 3">2 0 0 0 2 0 0 0 2</Array>', f'{own} name="gain" id="m1"'
    )
    np.testing.assert_allclose(read(clf(text)).transform.apply(X), 2 * X)


def test_the_relative_of_the_format_is_refused_by_name() -> None:
    with pytest.raises(FormatError, match="CTF file"):
        read(clf(MATRIX, 'id="a" version="1.4"'))


def test_trilinear_that_another_format_cannot_ask_for_is_said() -> None:
    nodes = lattice_colours(5) ** np.float32(2.2)
    tri = Transform((Table3D(nodes, interp="trilinear"),))
    kept = read(write(tri, WriteOptions())).transform
    assert kept.table.interp == "trilinear"
    for spec in formats().values():
        if spec.write is None or spec.holds(tri):
            continue
        said = [w for w in spec.not_kept(tri) if "trilinear" in w]
        assert bool(said) != spec.keeps_interp
        assert not [w for w in spec.not_kept(sampled(tri, 5)) if "trilinear" in w]
