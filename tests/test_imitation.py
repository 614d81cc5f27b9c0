"""An outlet by example: files as others write them, imitated, and compared with the values blanked."""

from __future__ import annotations

import re
from pathlib import Path

import attrs
import numpy as np
import pytest

from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.text_style import Style
from sfumato.core.lut.transform import Transform
from sfumato.core.study import outlet as outlets
from sfumato.core.study.look import Look
from sfumato.core.study.study import Study
from sfumato.formats.parts.registry import formats
from sfumato.formats.parts.style import styled
from sfumato.work.frames import Frames
from sfumato.work.luts.target import Target, encoded
from sfumato.work.outlets.imitate import like
from sfumato.work.outlets.looks import of_study
from sfumato.work.outlets.sending import WRITTEN, send

LUT = Transform(
    (Table3D(np.clip(lattice_colours(17) ** 1.2 * 0.9 + 0.05, 0, 1)),), "Their look", ("a note",)
)


def cube(
    n: int, rows: str = "%.6f %.6f %.6f", head: str = "LUT_3D_SIZE {n}\n", line: str = "\n"
) -> bytes:
    values = (lattice_colours(n) ** 1.2 * 0.9).transpose(2, 1, 0, 3).reshape(-1, 3)
    text = head.format(n=n) + "\n".join(rows % tuple(v) for v in values) + "\n"
    return text.replace("\n", line).encode()


HEADS = {
    "plain": "LUT_3D_SIZE {n}\n",
    "titled": 'TITLE "Their look"\nLUT_3D_SIZE {n}\n',
    "domain": 'TITLE "Their look"\n\nLUT_3D_SIZE {n}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n\n',
    "commented": '# made there\n# on a Monday\nTITLE "Their look"\n#size\nLUT_3D_SIZE {n}\n',
    "range": "LUT_3D_SIZE   {n}\nLUT_3D_INPUT_RANGE 0.0 1.0\n",
    "size first": 'LUT_3D_SIZE\t{n}\nTITLE  "Their look"\n\n\n',
}
ROWS = (
    "%.6f %.6f %.6f",
    "%.10f %.10f %.10f",
    "%.4f\t%.4f\t%.4f",
    "  %.5f  %.5f  %.5f",
    "%9.6f %9.6f %9.6f",
    "%.7e %.7e %.7e",
)
SAMPLES: dict[str, bytes] = {
    **{f"cube {k}.cube": cube(17, head=h) for k, h in HEADS.items()},
    **{f"cube rows {i}.cube": cube(9, rows=r) for i, r in enumerate(ROWS)},
    "cube crlf.cube": cube(17, head=HEADS["domain"], line="\r\n"),
    "cube cr.cube": cube(5, line="\r"),
    "cube bom.cube": b"\xef\xbb\xbf" + cube(9),
    "cube no end.cube": cube(9)[:-1],
    "CAMERA_7.cube": cube(33),
}


def ours(name: str, key: str, points: int = 17, **target) -> None:
    table = Table3D(np.clip(lattice_colours(points) ** 1.2 * 0.9 + 0.05, 0, 1))
    SAMPLES[name] = encoded(
        Transform((table,), "Their look"), Target(key, suffix=Path(name).suffix, **target)
    )[0]


ours("mesh.3dl", "3dl", layout="with header")
ours("plain.3dl", "3dl")
ours("deep.3dl", "3dl", depth="16")
ours("ten.3dl", "3dl", depth="10", points=33)
SAMPLES["crlf.3dl"] = styled(SAMPLES["plain.3dl"], Style("\r\n", numbers="whole"))
ours("a.csp", "csp")
ours("a.spi3d", "spi3d")
SAMPLES["six.spi3d"] = styled(SAMPLES["a.spi3d"], Style(numbers="shortest"))
ours("a.clf", "clf")
ours("ten.clf", "clf", depth="10")
ours("half.clf", "clf", depth="16f")
ours("level 6.png", "hald", points=36, depth="8")
ours("level 6.tif", "hald", points=36, depth="16")
ours("strip.png", "strip", points=16, depth="8", layout="row")
ours("tiles.png", "strip", points=16, depth="16", layout="square")
ours("up.png", "strip", points=16, depth="8", layout="row, green up")
ours("g.ktx2", "ktx2", depth="8")
ours("h.ktx2", "ktx2", depth="32f")
ours("link.icc", "icc", layout="device link, version 2")
ours("link4.icc", "icc", layout="device link")
ours("n.npy", "npy", depth="16f")


def blank(data: bytes, name: str) -> bytes:
    """Return a text file with what is the LUT's own taken out: values, title and notes.

    Digits count where all numbers have as many; a byte before the rest tells the line ends.
    """
    ends = b"2" if b"\r\n" in data else b"1" if b"\r" in data else b"0"
    text = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    text = re.sub(rb'TITLE(\s+)".*?"', rb'TITLE\1""', text)
    text = re.sub(rb"(?s)<Description>.*?</Description>\s*", b"", text)
    text = re.sub(rb' (id|name)="[^"]*"', b"", text)
    text = re.sub(rb"(?s)BEGIN METADATA.*?END METADATA", b"", text)
    behind = {len(m[1]) for m in re.finditer(rb"\d\.(\d+)", text)}
    whole = len(behind) != 1 or b"e" in text.splitlines()[-1]
    number = rb"[+-]?\d+(?:\.\d+)?(?:e[+-]?\d+)?" if whole else rb"\d"
    rows = re.compile(rb"(?m)^[ \t]*[+-]?[\d.][^\n]*$")
    text = rows.sub(lambda m: re.sub(number, b"0", m[0]), text)
    return ends + re.sub(rb"(?m)\A(^#.*\n)+", b"#\n", text)


@pytest.mark.parametrize("name", SAMPLES)
def test_an_outlet_is_made_like_a_file(name: str, tmp_path: Path) -> None:
    file = tmp_path / name
    file.write_bytes(SAMPLES[name])
    outlet, said = like(file)
    assert said
    out = tmp_path / "out"
    out.mkdir()
    outlet = attrs.evolve(outlet, folder=str(out))
    assert outlets.load(outlets.dump(outlet)) == outlet
    study = Study(look=Look("Their look"))
    ((row, _look),) = send([of_study(study)], [outlet], Frames(), "2026-03-09T14:05")
    assert (row.state, row.words) == (WRITTEN, "")
    made = row.files[0]
    assert made.suffix == file.suffix
    data = made.read_bytes()
    if file.suffix in (".png", ".tif", ".icc", ".ktx2", ".npy"):
        one, two = (formats()[outlet.format].read(d) for d in (data, SAMPLES[name]))
        assert (one.depth, one.columns) == (two.depth, two.columns)
        assert one.transform.table.size == two.transform.table.size
        if file.suffix in (".ktx2", ".npy", ".icc"):
            assert data[:24] == SAMPLES[name][:24] or file.suffix == ".icc"
            assert abs(len(data) - len(SAMPLES[name])) < 200
        return
    assert blank(data, name) == blank(SAMPLES[name], name)


def test_names_are_like_the_file_s(tmp_path: Path) -> None:
    found = {}
    for name in ("CAMERA_7.cube", "warm dusk 33.cube", "warm_dusk-17.cube", "Warm Dusk.cube"):
        (tmp_path / name).write_bytes(
            cube(int(re.findall(r"33|17", name)[0]) if re.findall(r"33|17", name) else 9)
        )
        outlet, _ = like(tmp_path / name)
        found[name] = (outlet.names, outlet.letters, outlet.longest)
    assert found == {
        "CAMERA_7.cube": ("{look}", "capitals", 8),
        "warm dusk 33.cube": ("{look} {grid}", "any", 0),
        "warm_dusk-17.cube": ("{look}-{grid}", "plain", 0),
        "Warm Dusk.cube": ("{look}", "any", 0),
    }
