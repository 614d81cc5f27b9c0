"""Profiles put together by hand, tag by tag: both forms of description, curves of every kind."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from sfumato.core.errors import FormatError
from sfumato.core.lut.table import lattice_colours
from sfumato.formats.icc import read

X = np.random.default_rng(1).random((60, 3)).astype(np.float32)
OLD = b"desc\0\0\0\0" + struct.pack(">I", 10) + b"Low tide!\0" + b"\0" * 30
NEW = (
    b"mluc\0\0\0\0"
    + struct.pack(">II4sII", 1, 12, b"enGB", 18, 28)
    + "Low tide!".encode("utf-16-be")
)


def profile(table: bytes, description: bytes = OLD, claimed: int | None = None) -> bytes:
    tags = {b"desc": description, b"A2B0": table}
    head = bytearray(128)
    head[8], head[12:24], head[36:40] = 4, b"linkRGB RGB ", b"acsp"
    at, index, body = 132 + 12 * len(tags), b"", b""
    for name, data in tags.items():
        index += struct.pack(">4sII", name, at + len(body), len(data))
        body += data + b"\0" * (-len(data) % 4)
    return bytes(head) + struct.pack(">I", len(tags) if claimed is None else claimed) + index + body


def curve(function: int, *numbers: float) -> bytes:
    fixed = (round(v * 65536) for v in numbers)
    return b"para\0\0\0\0" + struct.pack(f">HH{len(numbers)}i", function, 0, *fixed)


def mab(curves: list[bytes], width: int = 2) -> bytes:
    """Return a lutAToBType: three A curves and an identity lattice of 3 points, B curves straight."""
    flat = np.round(lattice_colours(3) * (256**width - 1)).astype(f">u{width}").tobytes()
    flat += b"\0" * (-len(flat) % 4)
    lattice = bytes([3, 3, 3]) + b"\0" * 13 + bytes([width, 0, 0, 0]) + flat
    straight = (b"curv\0\0\0\0" + struct.pack(">I", 0)) * 3
    places = (32, 0, 0, 32 + len(straight), 32 + len(straight) + len(lattice))
    head = b"mAB \0\0\0\0" + struct.pack(">BBH5I", 3, 3, 0, *places)
    return head + straight + lattice + b"".join(curves)


def test_both_forms_of_description_are_read() -> None:
    for words in (OLD, NEW):
        found = read(profile(mab([curve(0, 1.0)] * 3), words))
        assert found.transform.title == "Low tide!"
    assert read(profile(mab([curve(0, 1.0)] * 3), b"desc")).transform.title == ""


def _line(x: np.ndarray) -> np.ndarray:
    return np.where(x >= 0.04045, ((x + 0.055) / 1.055) ** 2.4, x / 12.92)


@pytest.mark.parametrize("width", [1, 2])
@pytest.mark.parametrize(
    ("made", "meant"),
    [
        (curve(0, 2.2), lambda x: x**2.2),
        (curve(1, 2.0, 0.8, 0.1), lambda x: (0.8 * x + 0.1) ** 2),
        (curve(2, 2.0, 0.8, -0.08, 0.1), lambda x: np.maximum(0.8 * x - 0.08, 0) ** 2 + 0.1),
        (curve(3, 2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045), _line),
        (
            curve(4, 2.0, 0.7, 0.1, 0.3, 0.25, 0.1, 0.05),
            lambda x: np.where(x >= 0.25, (0.7 * x + 0.1) ** 2 + 0.1, 0.3 * x + 0.05),
        ),
        (
            b"curv\0\0\0\0" + struct.pack(">I3HH", 3, 0, 20000, 65535, 0),
            lambda x: np.interp(x, [0, 0.5, 1], [0, 20000 / 65535, 1]),
        ),
        (b"curv\0\0\0\0" + struct.pack(">IHH", 1, 512, 0), lambda x: x**2.0),
    ],
)
def test_curves_of_every_kind(made: bytes, meant, width: int) -> None:
    found = read(profile(mab([made] * 3, width))).transform
    np.testing.assert_allclose(found.apply(X), meant(X.astype(np.float64)), atol=2e-3)


def test_what_cannot_be_is_refused_in_words() -> None:
    good = profile(mab([curve(0, 1.0)] * 3))
    for wrong, words in (
        (profile(mab([curve(9, 1.0)] * 3)), "no known kind"),
        (profile(mab([b"sign" + b"\0" * 12] * 3)), "no known kind"),
        (profile(mab([curve(0, 1.0)] * 3).replace(b"\3\3\3", b"\3\4\3", 1)), "not cubic"),
        (profile(b"what" + b"\0" * 40), "of the kind .what"),
        (profile(mab([]), claimed=201), "201 tags"),
        (good[:-4], "tag lies outside|ends|short"),
        (good.replace(b"acsp", b"acsq"), "not an ICC profile"),
        (good.replace(b"link", b"prtr"), "no LUT"),
    ):
        with pytest.raises(FormatError, match=words):
            read(wrong)
