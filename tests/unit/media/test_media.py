"""Pictures: real files through the real readers, true ones and broken ones."""

from __future__ import annotations

import io
import struct
import zlib
from fractions import Fraction
from pathlib import Path

import av
import imagecodecs
import numpy as np
import pytest
import tifffile
from conftest import ROOT, scene
from PIL import Image, ImageCms

from sfumato.core.colour.encodings import Family, convert, encoding, encodings
from sfumato.core.errors import MediaError
from sfumato.media.clip import Clip
from sfumato.media.parts.contract import H273, FrameFacts, Saving, Still
from sfumato.media.parts.registry import media, read
from sfumato.work.frames import WHOLE, scaled, small_size

WRITERS = [(m, d) for m in media().values() if m.write for d in m.depths]
TYPES = {
    "8 bit": (np.uint8, 255),
    "16 bit": (np.uint16, 65535),
    "16 bit float": (np.float16, 1),
    "32 bit float": (np.float32, 1),
}


@pytest.mark.parametrize(("kind", "depth"), WRITERS, ids=lambda v: getattr(v, "key", v))
def test_what_is_written_reads_back(kind, depth: str) -> None:
    dtype, peak = TYPES[depth]
    pixels = (scene(64, 40) * peak).astype(dtype)
    profile = imagecodecs.cms_profile("srgb")
    still = read(kind.write(pixels, Saving(profile=profile)), f"x{kind.suffixes[0]}")
    assert still.pixels.dtype == (dtype if "float" not in depth else np.float32)
    limit = 6 if kind.key == "jpeg" else 0
    assert np.abs(still.pixels.astype(float) - pixels).max() <= limit
    if "float" not in depth:
        assert still.facts.encoding == "sRGB"


DISPLAYS = [n for n, e in encodings().items() if e.family is Family.DISPLAY and not e.is_view]


@pytest.mark.parametrize("name", DISPLAYS)
@pytest.mark.parametrize("kind", [m for m in media().values() if m.write], ids=lambda m: m.key)
def test_files_say_what_they_mean_or_that_they_do_not(kind, name: str) -> None:
    depth = kind.depths[0]
    dtype, peak = TYPES[depth]
    saving = Saving(name)
    still = read(kind.write((scene(16, 9) * peak).astype(dtype), saving), f"x{kind.suffixes[0]}")
    if kind.is_linear:
        space = encoding(name)
        points = {(e.primaries, e.white) for e in encodings().values() if e.family is Family.LINEAR}
        assert (still.facts.encoding is not None) == ((space.primaries, space.white) in points)
        if still.facts.encoding:
            assert encoding(still.facts.encoding).primaries == space.primaries
    elif kind.unkept(saving):
        assert still.facts.encoding is None
    else:
        assert still.facts.encoding == name


def test_code_points_are_those_of_the_standard() -> None:
    """ITU-T H.273, tables 2 and 3: colour primaries and transfer characteristics."""
    assert {name: numbers for numbers, name in H273.items()} == {
        "sRGB": (1, 13),
        "BT.1886": (1, 1),
        "Display P3": (12, 13),
        "BT.2100 PQ": (9, 16),
        "BT.2100 HLG": (9, 18),
        "BT.2020": (9, 14),
    }


def test_floats_that_are_no_numbers_become_ones() -> None:
    wild = np.float32([[[np.nan, np.inf, -np.inf]]])
    assert Still(wild, FrameFacts("32")).as_float().tolist() == [[[0.0, 65504.0, -65504.0]]]
    assert Still(np.full((1, 1, 3), 255, np.uint8), FrameFacts("8")).as_float().max() == 1.0
    assert Still(np.full((1, 1, 3), 65535, np.uint16), FrameFacts("16")).as_float().max() == 1.0


NAME = "Ída Wrén"  # UTF-8, as cameras write it into a field that is ASCII by the letter


def _exif() -> bytes:
    exif = Image.Exif()
    exif[315], exif[33432], exif[271], exif[274] = NAME.encode(), "Saltglass Pictures", "Tarn", 6
    exif[0x8769] = {0x829A: 0.02, 0x8827: 800, 0x9003: "2026:09:01 10:20:30", 0x927C: b"x" * 90}
    exif[0x8825] = {1: "N", 2: (56.0, 4.0, 30.0)}
    return exif.tobytes()


def test_metadata_go_from_kind_to_kind_and_stay_true() -> None:
    packet = (
        b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf'
        b'-syntax-ns#"><rdf:Description tiff:Orientation="6"/></rdf:RDF></x:xmpmeta>'
    )
    out = io.BytesIO()
    Image.fromarray((scene(40, 24) * 255).astype(np.uint8)).save(
        out, "JPEG", exif=_exif(), xmp=packet
    )
    still = read(out.getvalue(), "x.jpg")
    for key in ("tiff", "png", "jpeg"):  # each written from what the one before it kept
        kind = media()[key]
        data = kind.write(
            np.zeros((40, 24, 3), np.uint8),
            Saving("sRGB", exif=still.facts.exif, xmp=still.facts.xmp),
        )
        with Image.open(io.BytesIO(data)) as image:
            exif = image.getexif()
            assert exif[315].encode("latin-1").decode() == NAME
            assert (exif[33432], exif[271]) == ("Saltglass Pictures", "Tarn")
            assert exif.get(274, 1) == 1
            folder = exif.get_ifd(0x8769)
            assert (folder[0x829A], folder[0x8827], folder[0x9003]) == (
                0.02,
                800,
                "2026:09:01 10:20:30",
            )
            assert folder[0xA001] == 1
            assert 0x927C not in folder
            assert exif.get_ifd(0x8825)[2] == (56, 4, 30)
        still = read(data, f"x{kind.suffixes[0]}")
        assert b'tiff:Orientation="1"' in still.facts.xmp
    broken = media()["jpeg"].write(np.zeros((8, 8, 3), np.uint8), Saving())
    assert read(broken, "x.jpg").facts.exif == b""


def _dng(planes: np.ndarray, extra: tuple = ()) -> bytes:
    """Return a DNG of an RGGB sensor that sees linear sRGB light (h, w, 3) in 0..1, white as it is."""
    mosaic = np.empty(planes.shape[:2], np.float64)
    for (y, x), c in {(0, 0): 0, (0, 1): 1, (1, 0): 1, (1, 1): 2}.items():
        mosaic[y::2, x::2] = planes[y::2, x::2, c]
    to_srgb = np.linalg.inv(encoding("sRGB").to_xyz)  # colour matrices go from XYZ to the camera
    rationals = [int(v) for n in to_srgb.ravel() for v in (round(n * 10000), 10000)]
    out = io.BytesIO()
    tifffile.imwrite(
        out,
        (mosaic * 15000 + 512).round().astype(np.uint16),
        photometric=32803,
        extratags=[
            (33421, "H", 2, (2, 2), True),
            (33422, "B", 4, bytes([0, 1, 1, 2]), True),
            (50706, "B", 4, bytes([1, 4, 0, 0]), True),
            (50708, "s", 0, "Tarn One", True),
            (50714, "H", 1, 512, True),
            (50717, "H", 1, 15512, True),
            (50721, "2i", 9, tuple(rationals), True),
            (50728, "2I", 3, (1, 1, 1, 1, 1, 1), True),
            (50778, "H", 1, 21, True),
            (271, "s", 0, "Tarn", True),
            (272, "s", 0, "One", True),
            *extra,
        ],
    )
    return out.getvalue()


def test_a_negative_that_was_cut_short_is_refused() -> None:
    data = _dng(np.random.default_rng(1).random((60, 80, 3)))
    for place in (*np.linspace(0, len(data) - 1, 20).astype(int), len(data) - 2):
        with pytest.raises(MediaError):
            read(data[:place], "x.dng")


def test_camera_raw_is_developed_to_linear_light() -> None:
    light = np.zeros((120, 160, 3))
    patches = [(0.18, 0.18, 0.18), (0.6, 0.3, 0.1), (0.1, 0.3, 0.6), (0.9, 0.9, 0.9)]
    for i, patch in enumerate(patches):
        light[:, 40 * i : 40 * i + 40] = patch
    data = _dng(light, ((315, "s", 0, "Ida Wren", True),))
    still = read(data, "shot.dng")
    assert still.facts.encoding == "Linear BT.2020"
    w, h = still.size
    srgb = convert(still.as_float(), "Linear BT.2020", "Linear BT.709")
    for i, patch in enumerate(patches):
        seen = srgb[h // 2, int((40 * i + 20) / 160 * w)]
        np.testing.assert_allclose(seen, patch, atol=0.012, rtol=0.02)
    exif = Image.Exif()
    exif.load(still.facts.exif)
    assert exif[315] == "Ida Wren"
    for damaged in (data[: len(data) // 2], data[:200], b"II*\0" + bytes(60)):
        with pytest.raises(MediaError):
            read(damaged, "shot.dng")
    with pytest.raises(MediaError, match="neither RGB nor grey"):  # it is none by another name
        read(data, "shot.tif")


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("suffix", [".jpg", ".png", ".tif"])
def test_pictures_come_upright(orientation: int, suffix: str) -> None:
    corner = np.zeros((40, 64, 3), np.uint8)
    corner[:8, :16] = 255  # top left, wider than high
    undo = {1: 0, 2: 0, 3: 0, 4: 0, 5: 1, 6: 1, 7: 1, 8: 1}[orientation]
    stored = {
        1: corner,
        2: corner[:, ::-1],
        3: corner[::-1, ::-1],
        4: corner[::-1],
        5: corner.transpose(1, 0, 2),
        6: corner[:, ::-1].transpose(1, 0, 2),
        7: corner[::-1, ::-1].transpose(1, 0, 2),
        8: corner[::-1].transpose(1, 0, 2),
    }[orientation]
    assert (stored.shape != corner.shape) == bool(undo)
    out = io.BytesIO()
    if suffix == ".tif":
        tifffile.imwrite(
            out,
            np.ascontiguousarray(stored),
            photometric="rgb",
            extratags=[(274, "H", 1, orientation, True)],
        )
    else:
        exif = Image.Exif()
        exif[274] = orientation
        how = {"quality": 95} if suffix == ".jpg" else {}
        Image.fromarray(np.ascontiguousarray(stored)).save(
            out, Image.registered_extensions()[suffix], exif=exif, **how
        )
    still = read(out.getvalue(), f"x{suffix}")
    assert still.size == (64, 40)
    assert still.pixels[3, 8].min() > 200
    assert still.pixels[30, 50].max() < 50


def _png(
    width: int, height: int, bits: int, colour: int, rows: bytes, *more: tuple[bytes, bytes]
) -> bytes:
    def chunk(kind: bytes, body: bytes) -> bytes:
        return (
            struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
        )

    head = struct.pack(">IIBBBBB", width, height, bits, colour, 0, 0, 0)
    parts = [
        chunk(b"IHDR", head),
        *(chunk(k, b) for k, b in more),
        chunk(b"IDAT", zlib.compress(rows)),
        chunk(b"IEND", b""),
    ]
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)


def test_sixteen_bit_png_keeps_its_bits_and_says_what_it_states() -> None:
    row = b"\x00" + struct.pack(">6H", 1, 2, 3, 65535, 40000, 257)
    still = read(_png(2, 1, 16, 2, row, (b"cICP", bytes([9, 16, 0, 1]))), "x.png")
    assert still.pixels.tolist() == [[[1, 2, 3], [65535, 40000, 257]]]
    assert still.facts.encoding == "BT.2100 PQ"
    assert read(_png(2, 1, 16, 2, row), "x.png").facts.encoding is None
    assert read(_png(2, 1, 16, 2, row, (b"sRGB", b"\0")), "x.png").facts.encoding == "sRGB"


def test_grey_palette_and_alpha_become_rgb() -> None:
    for mode, remark in (("L", False), ("P", False), ("LA", True), ("RGBA", True), ("1", False)):
        out = io.BytesIO()
        Image.fromarray((scene(20, 12) * 255).astype(np.uint8)).convert(mode).save(out, "PNG")
        still = read(out.getvalue(), "x.png")
        assert still.pixels.shape == (12, 20, 3), mode
        assert bool(still.facts.remarks) >= remark, mode


def test_a_strange_profile_is_converted_and_said() -> None:
    out = io.BytesIO()
    profile = imagecodecs.cms_profile(
        "rgb",
        whitepoint=(0.3127, 0.329, 1.0),
        primaries=(0.72, 0.28, 1.0, 0.21, 0.71, 1.0, 0.15, 0.06, 1.0),
        gamma=2.2,
    )
    pixels = np.full((8, 8, 3), (200, 80, 60), np.uint8)
    Image.fromarray(pixels).save(out, "PNG", icc_profile=profile)
    still = read(out.getvalue(), "x.png")
    assert still.facts.encoding == "sRGB"
    assert "converted" in still.facts.remarks[0]
    assert still.pixels[0, 0, 0] > 205  # the wider red lies further out in sRGB


BROKEN = {
    "cut png": (ROOT / "demo/sill_photo.png", lambda d: d[: len(d) // 2]),
    "cut jpeg": (ROOT / "demo/sill_photo.jpg", lambda d: d[: len(d) // 3]),
    "cut tiff": (ROOT / "demo/fog.tif", lambda d: d[: len(d) // 2]),
    "cut clip": (ROOT / "demo/jetty.mov", lambda d: d[: len(d) // 8]),
    "text": (ROOT / "LICENSE", lambda d: d),
    "huge": (ROOT / "LICENSE", lambda _d: _png(65000, 65000, 8, 2, b"\0" * 100)),
    "nothing": (ROOT / "LICENSE", lambda _d: b""),
}


@pytest.mark.parametrize("name", BROKEN)
def test_broken_pictures_are_refused_in_words(name: str) -> None:
    file, damage = BROKEN[name]
    with pytest.raises(MediaError) as caught:
        read(damage(file.read_bytes()), "holiday")
    assert caught.value.where == "holiday"
    assert caught.value.hint


@pytest.mark.parametrize("clip", ["furnace.mov", "causeway.mov", "jetty.mov"])
def test_clips_decode_to_the_values_that_were_shot(clip: str) -> None:
    data = (ROOT / "demo" / clip).read_bytes()
    still = read(data, clip)
    assert still.size == (960, 540)
    assert "full range, BT.709" in still.facts.bits
    assert still.facts.frames == 48
    theirs = _by_ffmpeg(data)
    assert (
        np.abs(still.pixels.mean(axis=(0, 1)) - theirs.mean(axis=(0, 1))).max() < 1 / 1023
    )  # the scaler shifts 10 bit to 16
    assert np.abs(read(data, clip, 20).pixels - still.pixels).max() > 0.01
    with pytest.raises(MediaError, match="no frame 99"):
        read(data, clip, 99)


@pytest.mark.parametrize("name", ["furnace.mov", "causeway.mov", "jetty.mov"])
def test_frames_found_by_seeking_are_those_found_in_order(name: str, tmp_path) -> None:
    file = ROOT / "demo" / name
    in_order = Clip(str(file))
    frames = [in_order.frame(i) for i in range(44)]
    assert (in_order.count, in_order.rate, in_order.size) == (48, 25.0, (960, 540))
    jumping = Clip(str(file))
    for number in (40, 3, 17, 18, 43, 0):
        np.testing.assert_array_equal(jumping.frame(number).pixels, frames[number].pixels)
    quick = jumping.quick(25, 480, 270)
    assert quick.facts.frames == 48
    exact = scaled(frames[25].pixels, WHOLE, 480, 270)
    apart = np.abs(quick.pixels / 65535 - np.clip(exact, 0, 1))
    assert apart.mean() < 2 / 255
    assert np.abs(apart.mean(axis=(0, 1))).max() < 2 / 255
    with pytest.raises(MediaError, match="no frame 48"):
        jumping.frame(48)
    assert jumping.frame(5).size == (960, 540)  # it goes on after a refusal
    for each in (in_order, jumping):
        each.close()


def _by_ffmpeg(data: bytes) -> np.ndarray:
    """The first frame as FFmpeg's own scaler turns it into RGB."""
    import av

    with av.open(io.BytesIO(data)) as container:
        frame = next(container.decode(video=0))
        rgb = frame.reformat(format="rgb48le", src_colorspace="ITU709", dst_color_range="JPEG")
        return rgb.to_ndarray().astype(np.float32) / 65535


def test_scaling_averages_down_and_repeats_up() -> None:
    picture = (scene(60, 40) * 65535).astype(np.uint16)
    small = scaled(picture, WHOLE, 30, 20)
    mean = (picture / 65535).reshape(20, 2, 30, 2, 3).mean(axis=(1, 3))
    np.testing.assert_allclose(small, mean, atol=1e-5)
    large = scaled(picture, (0.5, 0.5, 1.0, 1.0), 60, 40)
    np.testing.assert_allclose(
        large, (picture[20:, 30:] / 65535).repeat(2, 0).repeat(2, 1), atol=1e-6
    )


@pytest.mark.parametrize("size", [(1, 10_000), (10_000, 1), (3, 5000), (1920, 1080), (800, 1200)])
def test_small_pictures_are_small_whatever_their_shape(size: tuple[int, int]) -> None:
    width, height = small_size(size, 240)
    assert width * height <= 4.1 * 240 * 240
    assert min(width, height) >= 1
    if size[1] <= 4 * size[0]:
        assert (width, height) == (240, max(1, round(240 * size[1] / size[0])))
    picture = np.random.default_rng(1).integers(0, 255, (*size[::-1], 3)).astype(np.uint8)
    assert scaled(picture, WHOLE, width, height).mean() == pytest.approx(
        picture.mean() / 255, abs=0.02
    )


def test_large_pictures_are_made_smaller_in_stripes(monkeypatch) -> None:
    picture = np.random.default_rng(2).integers(0, 65535, (900, 700, 3)).astype(np.uint16)
    for region in (WHOLE, (0.11, 0.23, 0.93, 0.87)):
        whole = scaled(picture, region, 61, 43)
        with monkeypatch.context() as in_parts:
            in_parts.setattr("sfumato.work.frames._AT_ONCE", 50_000)
            np.testing.assert_allclose(scaled(picture, region, 61, 43), whole, atol=2e-6)


def test_profile_in_a_written_png_is_where_readers_look(tmp_path: Path) -> None:
    profile = imagecodecs.cms_profile("srgb")  # with the second in which it is made
    data = media()["png"].write(np.zeros((4, 4, 3), np.uint8), Saving(profile=profile))
    with Image.open(io.BytesIO(data)) as image:
        assert image.info["icc_profile"] == profile


def _written(path: Path, times: list[int], turned: bool = False) -> None:
    """Write frames whose grey tells their number, shown at these milliseconds; bright at the top left."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("ffv1" if path.suffix == ".mkv" else "libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        if path.stem == "turned":
            stream.codec_context.color_trc = 18
        stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        for i, at in enumerate(times):
            pixels = np.full((64, 96, 3), 40 + 6 * i, np.uint8)
            pixels[:16, :24] = 235
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            frame.pts, frame.time_base = at, Fraction(1, 1000)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    if turned:  # a quarter turn in the track header, as phones write it
        data = path.read_bytes()
        at = data.index(b"tkhd") + 4 + 40
        one, none = (1 << 16).to_bytes(4, "big"), bytes(4)
        quarter = none + one + none + (0xFFFF0000).to_bytes(4, "big") + none * 2
        path.write_bytes(data[:at] + quarter + data[at + 24 :])


def test_frames_of_changing_length_are_counted_as_they_are(tmp_path: Path) -> None:
    times = [0, 40, 80, 400, 420, 440, 1000, 1040, 1500, 1540]
    _written(tmp_path / "uneven.mkv", times)
    clip = Clip(str(tmp_path / "uneven.mkv"))
    assert clip.count == len(times)
    for number in (9, 0, 6, 3, 8, 4):
        grey = clip.frame(number).pixels[40, 60].mean() * 255
        assert abs(grey - (40 + 6 * number)) < 2.5, number
    clip.close()


def test_a_turned_clip_stands_upright(tmp_path: Path) -> None:
    _written(tmp_path / "plain.mov", [0, 40, 80])
    _written(tmp_path / "turned.mov", [0, 40, 80], turned=True)
    plain, turned = (Clip(str(tmp_path / f"{n}.mov")) for n in ("plain", "turned"))
    assert (plain.turns, plain.size) == (0, (96, 64))
    assert turned.size == (64, 96)
    still = turned.frame(0)
    assert still.facts.encoding == "BT.2100 HLG"
    assert "states" in still.facts.evidence
    assert plain.frame(0).facts.encoding is None
    upright = still.pixels
    assert upright.shape[:2] == (96, 64)
    bright = upright.mean(axis=-1) > 0.7  # the quarter turn is clockwise: top left goes top right
    rows, columns = np.nonzero(bright)
    assert rows.mean() < 24
    assert columns.mean() > 44
    quick = turned.quick(0, 64, 96).pixels / 65535
    assert quick.shape[:2] == (96, 64)
    assert np.abs(quick - np.clip(upright, 0, 1)).mean() < 0.03
    plain.close()
    turned.close()


STILLS = {m.key: m for m in media().values() if m.write} | {"raw": media()["raw"]}


@pytest.mark.filterwarnings("ignore::UserWarning")  # of Pillow, on damaged tags
@pytest.mark.parametrize("key", STILLS)
def test_damaged_bytes_are_refused_or_read_but_never_more(key: str) -> None:
    kind = STILLS[key]
    if kind.write is None:
        data = _dng(np.random.default_rng(0).random((60, 80, 3)))
    else:
        dtype, peak = TYPES[kind.depths[0]]
        data = kind.write((scene(64, 40) * peak).astype(dtype), Saving("sRGB", exif=_exif()))
    rng, refused = np.random.default_rng(7), 0
    for i in range(120):
        broken = bytearray(data)
        for _ in range(rng.integers(1, 6)):
            broken[rng.integers(0, len(data) if i % 2 else 300)] = rng.integers(0, 256)
        if i % 5 == 0:
            broken = broken[: rng.integers(12, len(data))]
        try:
            assert read(bytes(broken), f"x{kind.suffixes[0]}").pixels.ndim == 3
        except MediaError as error:
            refused += 1
            assert error.summary
    assert refused > 5


@pytest.mark.parametrize("name", ["Display P3", "BT.1886", "Gamma 2.2", "BT.2020"])
@pytest.mark.parametrize("key", ["png", "jpeg", "tiff"])
def test_littlecms_sees_the_colours_that_were_meant(key: str, name: str) -> None:
    """A reader that knows profiles only turns the result into sRGB as we do."""
    code = scene(48, 32)
    data = media()[key].write((code * 255 + 0.5).astype(np.uint8), Saving(name))
    with Image.open(io.BytesIO(data)) as image:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
        seen = ImageCms.profileToProfile(
            image.convert("RGB"), profile, ImageCms.createProfile("sRGB"), renderingIntent=1
        )
        stored = np.asarray(image.convert("RGB")) / np.float32(255)
    ours = np.clip(convert(stored, name, "sRGB"), 0, 1) * 255
    apart = np.abs(np.asarray(seen).astype(float) - ours)
    inside = (ours > 1).all(-1) & (ours < 254).all(-1)
    assert np.percentile(apart[inside], 99) <= 2


@pytest.mark.parametrize("dtype", [np.float16, np.float32])
def test_ffmpeg_reads_the_exr_that_is_written(dtype, tmp_path: Path) -> None:
    light = (scene(64, 40) * 4).astype(dtype)
    file = tmp_path / "x.exr"
    file.write_bytes(media()["exr"].write(light, Saving("ACEScg")))
    with av.open(str(file)) as container:
        frame = next(container.decode(video=0))
        planes = [np.frombuffer(p, dtype).reshape(40, -1)[:, :64] for p in frame.planes]
    assert frame.format.name == ("gbrpf16le" if dtype is np.float16 else "gbrpf32le")
    theirs = np.stack([planes[2], planes[0], planes[1]], axis=-1)
    np.testing.assert_array_equal(theirs, light)


def test_grey_with_white_at_zero_is_turned() -> None:
    for grey in (np.arange(256, dtype=np.uint8), np.arange(0, 65536, 300, dtype=np.uint16)):
        files = {}
        for way in ("minisblack", "miniswhite"):
            out = io.BytesIO()
            tifffile.imwrite(out, grey[None], photometric=way)
            files[way] = read(out.getvalue(), "grey.tif").pixels
        top = np.iinfo(grey.dtype).max
        assert (files["minisblack"][0, :, 1] == grey).all()
        assert (files["miniswhite"][0, :, 1] == top - grey).all()


def test_a_palette_has_an_alpha_only_where_the_file_gives_one() -> None:
    picture = Image.fromarray((scene(32, 20) * 255).astype(np.uint8)).quantize(16)
    for extra, said in (({}, ()), ({"transparency": 3}, ("the alpha channel was left out",))):
        out = io.BytesIO()
        picture.save(out, "PNG", **extra)
        still = read(out.getvalue(), "p.png")
        assert still.facts.remarks == said
        assert (still.pixels == np.asarray(picture.convert("RGB"))).all()


def test_avif_is_a_picture() -> None:
    pixels = (scene(64, 40) * 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "AVIF", quality=95, subsampling="4:4:4")
    assert media()["avif"].sniff(out.getvalue()[:64])
    still = read(out.getvalue(), "x.avif")
    assert np.abs(still.pixels * 255 - pixels).mean() < 2
    with pytest.raises(MediaError):
        read(out.getvalue()[:200], "x.avif")


def test_an_exr_that_states_no_primaries_is_taken_for_bt709_light() -> None:
    """What the format's documents say of a file without chromaticities."""
    light = scene(8, 6).astype(np.float16)
    for name, evidence in (("", "usual for EXR"), ("ACEScg", "stated in the file")):
        facts = media()["exr"].read(media()["exr"].write(light, Saving(name)), 0).facts
        assert facts.encoding == (name or "Linear BT.709")
        assert evidence in facts.evidence
