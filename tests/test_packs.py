"""Packs: made by the command, checked by their own sums, the same bytes again, opened in the Swatchbook."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from pathlib import Path

import attrs
import pytest
from conftest import DEMO, ROOT
from PIL import Image
from test_cli import run

from sfumato.core.errors import FormatError
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.outlets.packs import INDEX, SUMS, unpacked
from sfumato.work.stores.study_store import open_study, save_study

LOOKS = sorted((ROOT / "sfumato" / "looks").glob("*.look"))[:2]


@pytest.fixture
def study(tmp_path: Path) -> Path:
    whole = open_study(DEMO)
    save_study(attrs.evolve(whole, shots=whole.shots[:1], fit=False), tmp_path / "s.sfumato")
    return tmp_path / "s.sfumato"


def packed(study: Path, out: Path, *more: object):
    (study.parent / "licence.txt").write_text("Yours for a smile.\n")
    outlets = ("--outlet", "engine16", "--outlet", "monitor17")
    words = ("--name", "Salt & glass", "--licence", study.parent / "licence.txt")
    return run("pack", study, *LOOKS, out, *outlets, *words, *more)


def test_a_pack_holds_all_that_it_says(study: Path, tmp_path: Path) -> None:
    told = json.loads(packed(study, tmp_path / "p.zip", "--json").stdout)
    assert {r["state"] for r in told["rows"]} == {"written"}
    data = (tmp_path / "p.zip").read_bytes()
    folder = unpacked(tmp_path / "p.zip", tmp_path / "open")
    files = {str(f.relative_to(folder)) for f in folder.rglob("*") if f.is_file()}
    assert len(files) == told["files"]
    sums = dict(line.split("  ", 1)[::-1] for line in (folder / SUMS).read_text().splitlines())
    assert set(sums) == files - {SUMS}
    for name, digest in sums.items():
        assert hashlib.sha256((folder / name).read_bytes()).hexdigest() == digest
    index = json.loads((folder / INDEX).read_text())
    assert index["looks"][0]["name"] == "Low tide"
    assert len(index["files"]) == 2 * 3
    for entry in index["files"]:
        (file,) = entry["files"]
        assert read_lut(folder / file).transform.table.size in (16, 17)
    for look in index["looks"]:
        with Image.open(folder / look["picture"]) as picture:
            assert picture.width > 2 * 600
    with Image.open(folder / "contact sheet.png") as sheet:
        assert sheet.width > 1500
    assert (folder / "contact sheet.pdf").read_bytes().startswith(b"%PDF")
    assert (folder / "LICENCE.txt").read_text() == "Yours for a smile.\n"
    notes = (folder / "READ ME.txt").read_text()
    assert notes.startswith("Salt & glass")
    assert "real-time engine" in notes
    assert str(tmp_path) not in notes

    assert "exists already" in packed_again(study, tmp_path)
    packed(study, tmp_path / "p.zip", "--force")
    assert (tmp_path / "p.zip").read_bytes() == data
    packed(study, tmp_path / "as folder")
    assert {
        str(f.relative_to(tmp_path / "as folder"))
        for f in (tmp_path / "as folder").rglob("*")
        if f.is_file()
    } == files
    assert not [f for f in tmp_path.iterdir() if f.name.startswith(".")]


def packed_again(study: Path, tmp_path: Path) -> str:
    words = ("--outlet", "engine16")
    return run("pack", study, tmp_path / "p.zip", *words, status=1).stderr


def zipped(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for name, data in files.items():
            pack.writestr(name, data)
    return out.getvalue()


def test_zips_that_are_no_packs_leave_nothing(tmp_path: Path) -> None:
    whole = zipped(**{"p/index.json": b"{}", "p/a.cube": b"x" * 100_000})
    cases = {
        "no index": (zipped(**{"a.cube": b"x"}), "not a pack"),
        "leads out": (zipped(**{"p/index.json": b"{}", "../../a.cube": b"x"}), "leads out"),
        "cut": (whole[: len(whole) // 2], "damaged"),
        "not a zip": (b"LUT_3D_SIZE 2\n", "damaged"),
        "many": (zipped(**{"index.json": b""}, **{f"{i}": b"" for i in range(5001)}), "larger"),
        "broken": (whole.replace(b"index", b"jndex", 1), "damaged"),
    }
    for name, (data, words) in cases.items():
        file = tmp_path / f"{name}.zip"
        file.write_bytes(data)
        with pytest.raises(FormatError, match=words):
            unpacked(file, tmp_path / "open")
        left = tmp_path / "open"
        assert not left.exists() or not any(left.iterdir())
