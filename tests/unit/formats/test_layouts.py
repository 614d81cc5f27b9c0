"""Pictures of lattices come back as they were laid out: by what the file says, else by its colours."""

from __future__ import annotations

import io
import itertools
import zlib

import numpy as np
import pytest
from PIL import Image

from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.contract import WriteOptions
from sfumato.formats.parts.registry import formats, read

X = lattice_colours(16).astype(np.float64)
LUMA = (X @ [0.2126, 0.7152, 0.0722])[..., None]
LOOKS = {
    "contrast": np.clip(X + 0.5 * (X * X * (3 - 2 * X) - X), 0, 1),
    "negative": 1 - X,
    "film negative": np.clip(1 - X**1.6, 0, 1),
    "hue turned by 180°": np.clip(2 * LUMA - X, 0, 1),
    "hue turned by 120°": X[..., [1, 2, 0]],
    "monochrome": np.repeat(LUMA, 3, -1),
    "posterised": np.round(X * 5) / 5,
    "through a blue filter": np.repeat(X[..., 2:], 3, -1),
}
LAYOUTS = [("hald", ""), *(("strip", layout) for layout in formats()["strip"].layouts)]


def written(look: str, key: str, layout: str, suffix: str) -> bytes:
    lut = Transform((Table3D(LOOKS[look].astype(np.float32)),))
    depth = "32f" if suffix == ".exr" else "16"
    return formats()[key].write(lut, WriteOptions(layout=layout, depth=depth, suffix=suffix))


def silent(data: bytes) -> bytes:
    """Return a 16 bit PNG without its texts, as another program writes it."""
    at = data.index(b"tEXt") - 4
    return data[:at] + data[at + 12 + int.from_bytes(data[at : at + 4], "big") :]


@pytest.mark.parametrize("suffix", [".png", ".tif", ".exr"])
@pytest.mark.parametrize("look", ["negative", "monochrome", "hue turned by 180°"])
def test_a_file_of_ours_says_how_it_lies(look: str, suffix: str) -> None:
    for key, layout in LAYOUTS:
        found = read(written(look, key, layout, suffix), f"x{suffix}")
        assert (found.key, found.reading) == (key, layout or "HALD")
        np.testing.assert_allclose(found.transform.table.values, LOOKS[look], atol=1e-5)
        assert not any("tell" in words for words in found.remarks)


@pytest.mark.parametrize("look", LOOKS)
@pytest.mark.parametrize(("key", "layout"), [p for p in LAYOUTS if "," not in p[1]])
def test_without_a_word_the_usual_way_up_is_found(look: str, key: str, layout: str) -> None:
    found = read(silent(written(look, key, layout, ".png")), "x.png")
    right = np.abs(found.transform.table.values - LOOKS[look]).max() < 1e-4
    asked = any("look which is right" in words for words in found.remarks)
    assert right or asked
    if (
        look != "through a blue filter"
    ):  # red and green do nothing there: their sense is not to be seen
        assert right


@pytest.mark.parametrize("look", [n for n in LOOKS if "filter" not in n])
def test_without_a_word_turned_ones_are_found_or_asked_about(look: str) -> None:
    for key, layout in LAYOUTS:
        found = read(silent(written(look, key, layout, ".png")), "x.png")
        right = np.abs(found.transform.table.values - LOOKS[look]).max() < 1e-4
        asked = any("look which is right" in words for words in found.remarks)
        assert right or asked
        assert right or "negative" in look  # a turned negative is like a positive turned otherwise


def test_what_a_file_says_is_believed_only_where_its_size_allows_it() -> None:
    data = written("contrast", "strip", "row, green up", ".png")
    wrong = data.replace(b"row, green up", b"HALD         ")
    found = read(silent(data), "x.png")
    at = wrong.index(b"tEXt")
    length = int.from_bytes(wrong[at - 4 : at], "big")
    crc = zlib.crc32(wrong[at : at + 4 + length]).to_bytes(4, "big")
    lying = wrong[: at + 4 + length] + crc + wrong[at + 8 + length :]
    assert read(lying, "x.png").reading == found.reading == "row, green up"


def test_an_editor_that_keeps_texts_keeps_the_layout() -> None:
    data = written("negative", "strip", "column, mirrored", ".png")
    with Image.open(io.BytesIO(data)) as image:
        assert image.text == {"LUT layout": "column, mirrored"}
    tiff = written("negative", "strip", "column, mirrored", ".tif")
    with Image.open(io.BytesIO(tiff)) as image:
        assert image.tag_v2[270] == "LUT layout: column, mirrored"


def test_layouts_are_all_different() -> None:
    pictures = {
        layout: written("contrast", "strip", layout, ".exr") for _key, layout in LAYOUTS[1:]
    }
    for a, b in itertools.combinations(pictures, 2):
        assert pictures[a] != pictures[b]
