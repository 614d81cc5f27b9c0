"""Pictures cut short anywhere are refused, whatever the container and its packing; so are flipped bytes
wherever the file has a checksum."""

from __future__ import annotations

import io

import numpy as np
import OpenEXR
import pytest
import tifffile
from conftest import scene
from PIL import Image

from sfumato.core.errors import FormatError, MediaError
from sfumato.formats.parts import picture
from sfumato.media.parts import registry
from sfumato.raster import exr, jpeg, png, tiff

PICTURE = scene(70, 45).astype(np.float32)
BYTES = (PICTURE * 255).round().astype(np.uint8)
WORDS = (PICTURE * 65535).round().astype(np.uint16)


def _any_size(_width: int, _height: int) -> None:
    pass


def _pil(mode: str, kind: str, **more) -> bytes:
    out = io.BytesIO()
    Image.fromarray(BYTES).convert(mode).save(out, kind, **more)
    return out.getvalue()


def _tiff(packing: str | None, pixels: np.ndarray = BYTES, **more) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, pixels, photometric="rgb", compression=packing, **more)
    return out.getvalue()


def _exr(packing: str, kind: type = np.float32, **channels: np.ndarray) -> bytes:
    header = {
        "compression": getattr(OpenEXR, f"{packing}_COMPRESSION"),
        "type": OpenEXR.scanlineimage,
    }
    out = io.BytesIO()
    OpenEXR.File(header, channels or {"RGB": PICTURE.astype(kind)}).write(out)
    return out.getvalue()


def _tiled(packing: str) -> bytes:
    header = {
        "compression": getattr(OpenEXR, f"{packing}_COMPRESSION"),
        "type": OpenEXR.tiledimage,
        "tiles": OpenEXR.TileDescription(),
    }
    out = io.BytesIO()
    OpenEXR.File(header, {"RGB": PICTURE}).write(out)
    return out.getvalue()


def _two_parts() -> bytes:
    turned = PICTURE[::-1].copy()  # the writer reads a view as if its rows lay one after the other
    parts = [
        OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"RGB": PICTURE}, name="one"),
        OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"RGB": turned}, name="two"),
    ]
    out = io.BytesIO()
    OpenEXR.File(parts).write(out)
    return out.getvalue()


FILES: dict[str, tuple[bytes, str]] = {
    **{f"png {mode}": (_pil(mode, "png"), "x.png") for mode in ("RGB", "RGBA", "L", "P", "1")},
    "png 16": (png.encode(WORDS), "x.png"),
    "jpeg": (_pil("RGB", "jpeg"), "x.jpg"),
    "jpeg in passes": (_pil("RGB", "jpeg", progressive=True), "x.jpg"),
    "jpeg grey": (_pil("L", "jpeg"), "x.jpg"),
    **{
        f"tiff {packing} {'tiles' if tile else 'strips'}": (
            _tiff(packing, **({"tile": (32, 32)} if tile else {"rowsperstrip": 16})),
            "x.tif",
        )
        for packing in (None, "deflate", "lzw", "packbits")
        for tile in (False, True)
    },
    "tiff large": (_tiff("deflate", bigtiff=True), "x.tif"),
    "tiff planes": (_tiff("lzw", np.moveaxis(BYTES, -1, 0).copy(), planarconfig="separate"), "x.tif"),
    "tiff float": (tiff.encode(PICTURE), "x.tif"),
    **{
        f"exr {packing}": (_exr(packing), "x.exr")
        for packing in ("NO", "RLE", "ZIPS", "ZIP", "PIZ", "PXR24", "B44", "DWAA", "DWAB")
    },
    "exr half": (_exr("ZIP", np.float16), "x.exr"),
    "exr B44 half": (_exr("B44", np.float16), "x.exr"),
    "exr tiles": (_tiled("ZIP"), "x.exr"),
    "exr two parts": (_two_parts(), "x.exr"),
}  # fmt: skip
CHECKED = ("png", "tiff deflate", "exr ZIP", "exr PXR24", "exr half", "exr two parts")


def _decode(data: bytes, name: str) -> np.ndarray:
    return registry.read(data, name).pixels


@pytest.mark.parametrize("name", FILES)
def test_pictures_cut_short_anywhere_are_refused(name: str) -> None:
    data, file = FILES[name]
    _decode(data, file)
    places = {*range(len(data) - 40, len(data)), *np.linspace(0, len(data) - 1, 60).astype(int)}
    for place in sorted(places):
        with pytest.raises(MediaError):
            _decode(data[:place], file)
        with pytest.raises(FormatError):
            picture.decoded(data[:place], _any_size)


@pytest.mark.parametrize("name", [n for n in FILES if n.startswith(CHECKED) and n != "exr ZIPS"])
def test_flipped_bytes_are_refused_where_there_is_a_checksum(name: str) -> None:
    data, file = FILES[name]
    good = _decode(data, file)
    random = np.random.default_rng(1)
    refused = 0
    for place in random.integers(len(data) // 3, len(data) - 16, 60):
        wrong = bytearray(data)
        wrong[place] ^= 1 << random.integers(8)
        try:
            found = _decode(bytes(wrong), file)
        except MediaError:
            refused += 1
        else:  # a byte of a header that says nothing of the pixels
            np.testing.assert_array_equal(found, good)
    assert refused > 40


@pytest.mark.parametrize("packing", ["B44", "DWAA", "DWAB", "PXR24", "ZIP", "PIZ"])
@pytest.mark.parametrize("kind", [np.float16, np.float32])
def test_packings_that_alter_values_are_said(packing: str, kind: type) -> None:
    data = _exr(packing, kind)
    found = exr.decode(data, lambda _w, _h: None)
    is_same = np.array_equal(found.pixels, PICTURE.astype(kind))
    told = f"the {packing} compression has altered the values"
    assert (told in exr.remarks(found.header)) == (not is_same)
    assert (told in registry.read(data, "x.exr").facts.remarks) == (not is_same)
    assert picture.decoded(data, _any_size).lossy == (not is_same)


def test_layers_and_channels_are_read_or_refused_in_words() -> None:
    red, green, blue = (np.ascontiguousarray(PICTURE[..., c]) for c in range(3))
    half = green.astype(np.float16)
    mixed = _exr("ZIP", R=red, G=half, B=blue)
    np.testing.assert_array_equal(_decode(mixed, "x.exr")[..., 1], half.astype(np.float32))
    layer = _exr("ZIP", **{"key.R": red, "key.G": green, "key.B": blue, "Z": blue})
    still = registry.read(layer, "x.exr")
    np.testing.assert_array_equal(still.pixels, PICTURE)
    assert "the layer “key” was read" in still.facts.remarks
    beside = _exr("ZIP", R=red, G=green, B=blue, **{"key.R": blue, "key.G": blue, "key.B": blue})
    np.testing.assert_array_equal(_decode(beside, "x.exr"), PICTURE)
    for channels, words in (
        ({f"{n}.{c}": red for n in ("key", "fill") for c in "RGB"}, "2 layers .*: fill, key"),
        ({"Y": red, "RY": red, "BY": red}, "luma and chroma"),
        ({"R": red, "G": green}, "no R, G and B"),
        ({c: (red * 9).astype(np.uint32) for c in "RGB"}, "not light"),
        ({"R": red, "G": green, "B": (red * 9).astype(np.uint32)}, "not light"),
    ):
        with pytest.raises(MediaError, match=words):
            _decode(_exr("ZIP", **channels), "x.exr")


def test_values_that_no_lut_holds_are_refused() -> None:
    wild = PICTURE.copy()
    wild[3, 4, 1] = 5.7e26
    with pytest.raises(FormatError, match=r"5\.7e\+26"):
        picture.decoded(_exr("NO", RGB=wild), _any_size)


def _in_one_place(data: bytes) -> bytes:
    """Return an EXR whose table of places names the first chunk for all."""
    count = -(-PICTURE.shape[0] // 16)
    at = next(
        at
        for at in range(data.index(b"screenWindowWidth"), len(data))
        if int.from_bytes(data[at : at + 8], "little") == at + 8 * count
    )
    return data[:at] + data[at : at + 8] * count + data[at + 8 * count :]


def test_chunks_that_all_lie_in_one_place_are_refused() -> None:
    with pytest.raises(MediaError, match="damaged"):
        _decode(_in_one_place(_exr("ZIP")), "x.exr")


def test_the_plain_decoders_say_which_kind_is_damaged() -> None:
    for module, name in (
        (png, "png RGB"),
        (jpeg, "jpeg"),
        (tiff, "tiff lzw strips"),
        (exr, "exr ZIP"),
    ):
        data, _file = FILES[name]
        with pytest.raises(MediaError, match="damaged or cut short"):
            module.decode(data[: len(data) * 2 // 3], lambda _w, _h: None)
