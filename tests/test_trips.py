"""Round trips with real files: carriers out, other programs' work on them, looks back."""

from __future__ import annotations

import json
from pathlib import Path

import av
import numpy as np
import pytest
from av.filter import Graph
from conftest import ROOT
from PIL import Image, ImageFilter
from scipy import ndimage
from test_cli import run

import sfumato
from sfumato.core.carrier.corners import projection
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import cube_colours, difference_of
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.raster import png, tiff
from sfumato.work.frames import open_still
from sfumato.work.trip.returns import read_return

FRAME = ROOT / "demo" / "portrait.tif"


def look(x):
    """A look that no other test has: crossed channels, a soft curve, a tint in the shadows."""
    x = np.clip(np.asarray(x, np.float64), 0, 1)
    mixed = x @ np.array([[0.9, 0.02, 0.04], [0.06, 0.9, 0.06], [0.04, 0.08, 0.9]]).T
    curved = mixed**1.15 * (1.6 - 0.6 * mixed)
    return np.clip(curved * 0.93 + 0.03 + 0.02 * (1 - mixed) * [0.2, 0.6, 1.0], 0, 1)


def off(transform) -> float:
    """Return the mean difference of a LUT from the look over the cube, ΔE."""
    colours = cube_colours(8000)
    seen = np.clip(transform.apply(colours), 0, 1)
    return difference_of((look(colours), seen), colours, encoding("BT.1886")).mean


def other(source: Path, target: Path, change=None, **how) -> Path:
    """Stand in for another program: its look on the codes of a picture, perhaps more, saved its way."""
    graded = look(read_return(source).pixels)
    if change is not None:
        graded = np.clip(change(graded), 0, 1)
    if target.suffix == ".tif":
        target.write_bytes(tiff.encode((graded * 65535 + 0.5).astype(np.uint16)))
    elif how.pop("deep", False):
        target.write_bytes(png.encode((graded * 65535 + 0.5).astype(np.uint16)))
    else:
        Image.fromarray((graded * 255 + 0.5).astype(np.uint8)).save(target, **how)
    return target


@pytest.fixture
def hald(tmp_path: Path) -> Path:
    run("carrier", tmp_path / "hald.tif")
    return tmp_path / "hald.tif"


@pytest.mark.parametrize(
    ("words", "out", "back", "how", "most"),
    [
        ((), "c.tif", "b.tif", {}, 0.02),
        (("--strip", 32), "c.png", "b.png", {"deep": True}, 0.02),
        (("--strip", 25, "--layout", "square, green up"), "c.exr", "b.tif", {}, 0.02),
        (("--frame", FRAME), "c.tif", "b.tif", {}, 0.02),
        (("--bits", 8), "c.png", "b.png", {}, 0.05),
        (("--bits", 8), "c.png", "b.jpg", {"quality": 90, "subsampling": 0}, 0.55),
        (("--bits", 8), "c.png", "b.jpg", {"quality": 90, "subsampling": 2}, 0.85),
        (("--frame", FRAME), "c.png", "b.jpg", {"quality": 90, "subsampling": 2}, 0.55),
    ],
)
def test_a_look_comes_back(tmp_path, words, out, back, how, most) -> None:
    run("carrier", tmp_path / out, *words)
    returned = other(tmp_path / out, tmp_path / back, **how)
    told = run("recover", returned, tmp_path / "look.cube", "--of", tmp_path / out, "--json")
    (answer,) = json.loads(told.stdout)["results"]
    assert answer["covered"] == 1
    assert answer["kind"] in ("hald", "strip", "frame")
    assert off(sfumato.read(tmp_path / "look.cube")) < most
    keys = {f["key"] for f in answer["faults"]}
    lossy, eight = back.endswith("jpg"), "--bits" in words and not back.endswith("jpg")
    assert ("jpeg" in keys, "8_bit" in keys) == (lossy, eight)
    assert ("chroma_subsampled" in keys) == (how.get("subsampling") == 2)
    assert not keys - {"jpeg", "8_bit", "chroma_subsampled", "sharpened", "blurred", "spatial"}
    if not lossy:
        assert not keys - {"8_bit"}
    if "--frame" in words:
        assert answer["witness"]["mean"] < (1.2 if lossy else 0.05)


UNSHARP = ImageFilter.UnsharpMask(1.0, 60, 0)


def vignette(v):
    y, x = np.mgrid[: v.shape[0], : v.shape[1]]
    radius = (x / v.shape[1] - 0.5) ** 2 + (y / v.shape[0] - 0.5) ** 2
    return v * (1 - 0.5 * radius)[..., None]


def pillow(change):
    return lambda v: np.asarray(change(Image.fromarray((v * 255 + 0.5).astype(np.uint8)))) / 255


@pytest.mark.parametrize("kind", ["hald", "frame"])
@pytest.mark.parametrize(
    ("key", "change"),
    [
        ("sharpened", pillow(lambda i: i.filter(UNSHARP))),
        ("blurred", pillow(lambda i: i.filter(ImageFilter.GaussianBlur(0.8)))),
        ("grain", lambda v: v + np.random.default_rng(1).normal(0, 4 / 255, (*v.shape[:2], 1))),
        ("vignette", vignette),
        ("local_contrast", lambda v: v + 0.4 * (v - ndimage.gaussian_filter(v, (25, 25, 0)))),
    ],
)
def test_what_was_done_besides_the_look_is_named(tmp_path, kind, key, change) -> None:
    out = tmp_path / "c.tif"
    run("carrier", out, *(("--frame", FRAME) if kind == "frame" else ()))
    returned = other(out, tmp_path / "b.tif", change)
    told = run("recover", returned, tmp_path / "x.cube", "--of", out, "--json")
    (answer,) = json.loads(told.stdout)["results"]
    fault = next(f for f in answer["faults"] if f["key"] == key)
    if kind == "hald":  # the words are the same in both
        plain = run("recover", returned, tmp_path / "y.cube", "--of", out).stdout
        assert fault["words"] in plain
        assert fault["avoid"] in plain


def ffmpeg(source: Graph, node, filters, fmt: str = "rgb24"):
    """Run filters of FFmpeg's on what a node gives."""
    for name, words in filters:
        following = source.add(name, words)
        node.link_to(following)
        node = following
    last, end = source.add("format", f"pix_fmts={fmt}"), source.add("buffersink")
    node.link_to(last)
    last.link_to(end)
    return end


@pytest.mark.parametrize(
    "filters",
    [
        [],
        [("curves", "preset=vintage")],
        [("colorbalance", "rs=.3:gm=-.2:bh=.2")],
        [("huesaturation", "saturation=.5")],
        [("format", "pix_fmts=yuv444p"), ("hue", "h=40:s=1.2")],
    ],
)
def test_ffmpegs_own_hald_through_its_own_filters(tmp_path, filters) -> None:
    graph = Graph()
    end = ffmpeg(graph, graph.add("haldclutsrc", "level=8"), filters)
    graph.configure()
    Image.fromarray(end.pull().to_ndarray(format="rgb24")).save(tmp_path / "graded.png")
    found = sfumato.recover(tmp_path / "graded.png")
    pixels = np.random.default_rng(0).integers(0, 256, (64, 64, 3), dtype=np.uint8)
    graph = Graph()
    source = graph.add_buffer(width=64, height=64, format="rgb24", time_base=1)
    end = ffmpeg(graph, source, filters)
    graph.configure()
    source.push(av.VideoFrame.from_ndarray(pixels, format="rgb24"))
    truth = end.pull().to_ndarray(format="rgb24").astype(float)
    seen = np.clip(found.transform.apply(pixels / np.float32(255)), 0, 1) * 255
    assert np.abs(seen - truth).mean() < 0.75  # codes; 8 bit of Y'CbCr lie between
    assert np.percentile(np.abs(seen - truth), 99) < 3


def test_many_returns_of_one_carrier(tmp_path, hald) -> None:
    (tmp_path / "more").mkdir()
    files = [other(hald, tmp_path / f"{name}.tif") for name in ("dusk", "noon")]
    files.append(other(hald, tmp_path / "more" / "dusk.tif"))
    broken = tmp_path / "broken.tif"
    broken.write_bytes(files[0].read_bytes()[:2000])
    told = run("recover", *files, broken, tmp_path / "looks", "--json", status=1)
    answers = json.loads(told.stdout)["results"]
    names = [Path(a["out"]).name for a in answers if "out" in a]
    assert names == ["dusk.cube", "noon.cube", "dusk 2.cube"]
    assert str(broken) in answers[3]["error"]
    assert "damaged" in answers[3]["error"]
    assert all(off(sfumato.read(tmp_path / "looks" / n)) < 0.02 for n in names)
    again = run("recover", *files, tmp_path / "looks", status=1)
    assert "exists already" in again.stderr
    run("recover", files[0], files[0], "--force", status=1)  # never in place of what it reads


def test_a_converted_profile_is_carried_back(tmp_path) -> None:
    out = tmp_path / "c.png"
    run("carrier", out, "--profile", "sRGB")
    graded = look(read_return(out).pixels)
    wide = np.clip(sfumato.to_encoding(graded.astype(np.float32), "sRGB", "Display P3"), 0, 1)
    from sfumato.media.parts.contract import Saving
    from sfumato.media.parts.registry import media

    data = media()["png"].write((wide * 65535 + 0.5).astype(np.uint16), Saving("Display P3"))
    (tmp_path / "b.png").write_bytes(data)
    found = sfumato.recover(tmp_path / "b.png", of=out)
    assert [(f.key, f.mended) for f in found.faults] == [("profile_converted", True)]
    assert off(found.transform) < 0.03
    assert off(sfumato.recover(tmp_path / "b.png").transform) > 1
    run("carrier", out, "--profile", "none", "--force")
    assert not read_return(out).profile


def broken_returns(folder: Path):
    dice = np.random.default_rng(3)
    photo = np.asarray(open_still(FRAME).as_float())

    def saved(name: str, pixels, mode: str | None = None) -> Path:
        image = Image.fromarray((np.clip(pixels, 0, 1) * 255).astype(np.uint8))
        (image.convert(mode) if mode else image).save(folder / name)
        return folder / name

    yield saved("photo.png", photo), "no carrier"
    yield saved("size.png", photo[:512, :512]), "do not follow"
    yield saved("noise.png", dice.random((64, 64, 3))), "do not follow"
    yield saved("plain.png", np.full((512, 512, 3), 0.4)), "do not follow"
    yield saved("half.png", dice.random((43, 43, 3))), "no carrier"
    yield saved("cmyk.jpg", photo[:512, :512], "CMYK"), "CMYK"
    yield saved("grey.png", photo[:512, :512], "L"), "grey"
    huge = bytearray(saved("huge.png", photo[:8, :8]).read_bytes())
    huge[16:24] = (20_000).to_bytes(4, "big") * 2
    (folder / "huge.png").write_bytes(huge)
    yield folder / "huge.png", "20000 × 20000"
    (folder / "text.png").write_text("no picture")
    yield folder / "text.png", "not a picture"


def test_broken_returns_get_one_clear_sentence_each(tmp_path) -> None:
    cases = list(broken_returns(tmp_path))
    for file, words in cases:
        told = run("recover", file, tmp_path / "x.cube", status=1)
        (line,) = told.stderr.splitlines()
        assert words in line
        assert str(file) in line
        assert "; " in line
    assert not (tmp_path / "x.cube").exists()
    assert len(cases) == 9


def test_what_carriers_cannot_be_is_said(tmp_path) -> None:
    for words, said in (
        (("c.gif",), "PNG, TIFF, JPEG or EXR"),
        (("c.jpg", "--bits", 16), "does not hold"),
        (("c.png", "--profile", "Nowhere"), "no encoding"),
        (("c.png", "--frame", tmp_path / "none.tif"), "no such file"),
        (("c.png", "--frame", FRAME, "--strip", 2), "beside a frame"),
    ):
        told = run("carrier", tmp_path / words[0], *words[1:], status=1)
        assert said in told.stderr
        assert not list(tmp_path.glob("c.*"))
    run("carrier", tmp_path / "c.png", "--strip", 8, "--hald", 4, status=2)
    run("carrier", tmp_path / "c.png", "--layout", "row", status=2)


@pytest.fixture
def strip(tmp_path: Path) -> Path:
    """A graded strip of 32, as codes in a PNG of 16 bit."""
    run("carrier", tmp_path / "strip.png", "--strip", 32)
    return other(tmp_path / "strip.png", tmp_path / "graded.png", deep=True)


def _screenshot(strip: np.ndarray) -> np.ndarray:
    shown = np.array(open_still(FRAME).as_float()[:900, :1400])
    shown[612 : 612 + 32, 153 : 153 + 1024] = strip
    return shown


@pytest.mark.parametrize(
    ("cut", "most"),
    [
        (_screenshot, 0.02),
        (lambda s: np.pad(s, ((3, 5), (9, 2), (0, 0)), constant_values=0.9), 0.02),
        (lambda s: s[1:, :-1], 0.05),  # a pixel too tight
        (lambda s: s.repeat(2, 0).repeat(2, 1), 0.05),  # a screen of twice as many pixels
        (lambda s: ndimage.zoom(s, (1.5, 1.5, 1), order=1), 0.5),
    ],
    ids=["screenshot", "margin", "tight", "double", "scaled"],
)
def test_a_strip_cut_out_by_hand_is_found(tmp_path, strip, cut, most) -> None:
    """Alone and with the carrier that went out; a photograph instead of it is refused."""
    codes = cut(read_return(strip).pixels)
    (tmp_path / "back.tif").write_bytes(tiff.encode((codes * 65535 + 0.5).astype(np.uint16)))
    for words in ((), ("--of", tmp_path / "strip.png")):
        run("recover", tmp_path / "back.tif", tmp_path / "look.cube", "--force", *words)
        assert off(sfumato.read(tmp_path / "look.cube")) < most
    run("recover", FRAME, tmp_path / "no.cube", status=1)


def test_four_corners_say_where_nodes_lie(tmp_path, strip) -> None:
    """A strip on a wall, seen from aside: read through a projection, corners two pixels off."""
    codes = read_return(strip).pixels
    wide = codes.repeat(3, 0)  # 1024 x 96
    height, width = wide.shape[:2]
    at = ((40.0, 30.0), (1160.0, 64.0), (1150.0, 190.0), (44.0, 160.0))
    y, x = np.mgrid[:240, :1200] + 0.5
    back = np.linalg.inv(projection(at))
    u, v, w = np.moveaxis(np.stack([x, y, np.ones_like(x)], -1) @ back.T, -1, 0)
    places = (v / w * height - 0.5, u / w * width - 0.5)
    wall = np.stack(
        [ndimage.map_coordinates(wide[..., c], places, order=1, cval=0.4) for c in range(3)], -1
    )
    (tmp_path / "wall.tif").write_bytes(tiff.encode((wall * 65535 + 0.5).astype(np.uint16)))
    told = run("recover", tmp_path / "wall.tif", tmp_path / "a.cube", status=1)
    assert "set its corners by hand" in told.stderr
    corners = [f"{cx + 1.5},{cy - 1.5}" for cx, cy in at]
    known = ("--of", tmp_path / "strip.png")  # stretched as it is, its shape alone does not tell
    run("recover", tmp_path / "wall.tif", tmp_path / "a.cube", "--corners", *corners, *known)
    assert off(sfumato.read(tmp_path / "a.cube")) < 1.0  # at a pixel a node
    crossed = [corners[i] for i in (0, 2, 1, 3)]
    words = ("recover", tmp_path / "wall.tif", tmp_path / "b.cube", "--corners")
    assert "clockwise" in run(*words, *crossed, status=1).stderr
    assert "x,y four times" in run(*words, "1,2", "a,b", "3,4", "5,6", status=1).stderr


def test_a_vignette_is_kept_out_of_the_look(tmp_path) -> None:
    """A frame carrier tells it from the look, also where its middle lies aside and it is scaled down."""
    run("carrier", tmp_path / "frame.png", "--frame", FRAME, "--strip", 33)

    def darker(x):
        y, across = np.mgrid[: x.shape[0], : x.shape[1]]
        far = (across / x.shape[1] - 0.46) ** 2 + (y / x.shape[0] - 0.55) ** 2
        return x * (1 - 0.5 * far)[..., None]

    other(tmp_path / "frame.png", tmp_path / "back.tif", darker)
    words = ("recover", tmp_path / "back.tif", tmp_path / "look.cube", "--json")
    told = json.loads(run(*words, "--of", tmp_path / "frame.png").output)["results"][0]
    faults = {f["key"]: f for f in told["faults"]}
    assert faults["vignette"]["mended"]
    assert off(sfumato.read(tmp_path / "look.cube")) < 0.15  # 3.0 when it is taken for the look's
    assert told["witness"]["worst"] > 5  # the picture shows what no LUT holds


def test_the_picture_tells_that_a_table_stood_behind_the_look(tmp_path) -> None:
    """Of as many points as the carrier: made finer it would bend where the table does not."""
    rough = np.random.default_rng(3).normal(0, 0.01, (33, 33, 33, 3))
    values = np.clip(look(lattice_colours(33)) + rough, 0, 1).astype(np.float32)
    table = Transform((Table3D(values),))
    run("carrier", tmp_path / "frame.tif", "--frame", FRAME, "--strip", 33)
    graded = table.apply(read_return(tmp_path / "frame.tif").pixels)
    back = tiff.encode((np.clip(graded, 0, 1) * 65535 + 0.5).astype(np.uint16))
    (tmp_path / "back.tif").write_bytes(back)
    words = ("recover", tmp_path / "back.tif", tmp_path / "look.cube", "--json")
    run(*words, "--of", tmp_path / "frame.tif")
    found = sfumato.read(tmp_path / "look.cube").table
    assert found.size == 33
    assert np.abs(found.values - values).max() < 1e-4
