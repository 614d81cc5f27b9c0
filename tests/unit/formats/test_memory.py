"""Hostile files of the greatest size that is read are refused within half a gigabyte, all told."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from conftest import ROOT

_READ = """
import sys
from sfumato.core.errors import FormatError
from sfumato.work.luts.lut_files import read_lut
try:
    read_lut(sys.argv[1])
    print("read")
except FormatError as error:
    print("refused", error.sentence()[:160])
status = open("/proc/self/status").read()
print(int(status.split("VmHWM:")[1].split()[0]) // 1024)
"""
_SIZE = 150 << 20
_CLF = (
    b'<ProcessList id="a" compCLFversion="3"><LUT1D inBitDepth="32f" outBitDepth="32f">'
    b'<Array dim="1048576 3">'
)


def _filled(head: bytes, piece: bytes, tail: bytes = b"", size: int = _SIZE) -> bytes:
    return head + piece * ((size - len(head)) // len(piece)) + tail


HOSTILE = {
    "a number of digits.cube": (b"LUT_3D_SIZE 129\n0.", b"1"),
    "numbers of 100,000 digits.cube": (b"LUT_3D_SIZE 129\n", b"1" * 100_000 + b" 1 1\n"),
    "one line.cube": (b"LUT_3D_SIZE 129\n", b"1 "),
    "blank lines.cube": (b"", b"\n"),
    "comments.cube": (b"", b"#\n"),
    "keywords.cube": (b"", b"K\n"),
    "too many rows.cube": (b"LUT_3D_SIZE 17\n", b"1 1 1\n"),
    "rows and a word.cube": (b"LUT_3D_SIZE 200\n", b"0.5 0.5 0.5\n"),
    "rows.3dl": (b"0 64 128 192 256\n", b"1 1 1\n"),
    "blank lines.3dl": (b"0 64 128 192 256\n", b"\n"),
    "positions.3dl": (b"", b"1 "),
    "rows.spi3d": (b"SPILUT 1.0\n3 3\n200 200 200\n", b"0 0 0 1 1 1\n"),
    "blank lines.spi3d": (b"SPILUT 1.0\n", b"\n"),
    "rows.spi1d": (b"Version 1\nFrom 0 1\nLength 9\nComponents 1\n{\n", b"1\n"),
    "words.spi1d": (b"Version 1\n", b"a b c\n"),
    "a prelut.csp": (b"CSPLUTV100\n3D\n\n2\n", b"1 "),
    "metadata.csp": (b"CSPLUTV100\n3D\nBEGIN METADATA\n", b"a\n"),
    "numbers.spimtx": (b"", b"1 "),
    "numbers.clf": (_CLF, b"1 ", b"</Array>", 94 << 20),
    "digits.clf": (_CLF, b"1", b"</Array>", 94 << 20),
    "elements.clf": (b'<ProcessList id="a" compCLFversion="3">', b"<a/>", b"", 94 << 20),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_refused_in_bounded_memory(name: str, tmp_path: Path) -> None:
    file = tmp_path / name.replace(" ", "_")
    file.write_bytes(_filled(*HOSTILE[name]))
    done = subprocess.run(
        [sys.executable, "-c", _READ, str(file)],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    file.unlink()
    words, megabytes = done.stdout.strip().splitlines() or (done.stderr[-300:], "0")
    assert words.startswith("refused"), words
    assert 0 < int(megabytes) < 512  # the largest, spi3d, takes 498, under load 500
