"""Readers and writers that are not ours: what each makes of our files, and we of theirs.

`measure` gives the table of docs/formats.md, which `./dev formats` writes; the tests hold its limits.
"""

from __future__ import annotations

import ctypes
import io
import tempfile
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path

import attrs
import av
import imagecodecs
import numpy as np
import PyOpenColorIO as ocio
from attrs import frozen
from av.filter import Graph
from PIL import Image, ImageCms

from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.stages import (
    MIRROR,
    PASS,
    CdlStage,
    Exponent,
    HalfCurve,
    Knots1D,
    Log,
    Matrix,
    Range,
    half_inputs,
)
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts.contract import DEPTH_WORDS, WriteOptions
from sfumato.formats.parts.registry import formats, read
from sfumato.work.luts.reading import ffmpeg, ffmpeg_hald, opencolorio

RNG = np.random.default_rng(11)


def grade(n: int) -> Table3D:
    """Return a smooth made-up grade that stays within 0..1 and has no symmetry."""
    x = lattice_colours(n).astype(np.float64)
    y = x ** [1.1, 1.0, 0.9] * 0.9 + 0.05 + 0.04 * np.sin(5 * x[..., ::-1])
    return Table3D(y @ np.array([[0.9, 0.05, 0.05], [0.05, 0.85, 0.1], [0.02, 0.08, 0.9]]).T)


WILD = Table3D(lattice_colours(4) * 1.2 - 0.1 + RNG.normal(0, 0.02, (4, 4, 4, 3)))
SHAPER = Table1D(np.linspace(0, 1, 20)[:, None] ** [0.5, 0.6, 0.7], ((-0.5,) * 3, (2.0,) * 3))
CURVE = Knots1D(
    [[0, 0.1, 1.5], [0, 1], [-0.2, 0.3, 0.5, 2]], [[0, 0.5, 1], [0, 1], [0, 0.2, 0.3, 1]]
)
MIX = Matrix(((1.1, -0.1, 0.0), (0.2, 0.7, 0.1), (0.0, 0.3, 0.6)), (0.1, 0.0, -0.05))
CDL = CdlStage((1.2, 1, 0.9), (0.1, 0, -0.1), (1.1, 1, 0.8), 1.3)
HALVES = HalfCurve(
    np.repeat(np.clip(half_inputs(), -2, 8)[:, None], 3, axis=1) ** 2 * [1, 0.9, 0.8]
)
CAMERA = Log(False, 10.0, (0.25,) * 3, (0.4,) * 3, (5.5,) * 3, (0.05,) * 3, (0.01, 0.01, 0.012))
SAMPLES = {
    "3D": Transform((WILD,), "A title", ("a comment",)),
    "1D": Transform((SHAPER,)),
    "1D 0..1": Transform((Table1D(np.linspace(0, 1, 65)[:, None] ** [0.8, 1.0, 1.3]),)),
    "1D + 3D": Transform((SHAPER, WILD), "Both"),
    "1D + 3D, domain": Transform((SHAPER, Table3D(WILD.values, ((0.0,) * 3, (0.9,) * 3)))),
    "1D + 3D, 0..1": Transform((Table1D(np.linspace(0, 1, 500)[:, None] ** [0.8, 1, 1.2]), grade(9))),
    "domain": Transform((Table3D(WILD.values, ((-1.0, -0.5, 0.0), (2.0, 3.0, 4.0))),)),
    "9": Transform((grade(9),), "Nine"),
    "16": Transform((grade(16),), "Sixteen"),
    "17": Transform((grade(17),), "Seventeen"),
    "33": Transform((grade(33),), "Thirty-three"),
    "knots": Transform((CURVE, WILD), "Knots"),
    "matrix": Transform((MIX,)),
    "CDL": Transform((CDL,), "one"),
    "CDL, inverse, not clamped": Transform(
        (CdlStage((1.2, 1, 0.9), (0.1, 0, -0.1), (1.1, 1, 0.8), 1.3, False, True),)
    ),
    "range": Transform((Range((0.1, 0.0), (0.9, 1.2)), Range((0.2, 0.2)), Range(None, (0.9, 0.9)))),
    "range, not clamped": Transform((Range((0.1, 0.0), (0.9, 1.2), False),)),
    "log": Transform((Log(False, 10.0), Log(True, 10.0, (0.5,) * 3), Log(False, 2.0, lin_offset=(0.1, 0.2, 0.3)))),
    "camera log": Transform((CAMERA, attrs.evolve(CAMERA, inverse=True, linear_slope=(5.0,) * 3))),
    "exponent": Transform((Exponent((2.2, 1.0, 1.8)), Exponent((2.4,) * 3, (0.055,) * 3, True))),
    "exponent, mirror": Transform(
        (Exponent((2.4,) * 3, (0.055, 0.1, 0.05), False, MIRROR), Exponent((2.2,) * 3, None, True, PASS))
    ),
    "half curve": Transform((HALVES,)),
    "long chain": Transform((Range((0.0, 0.0), (1.0, 1.0)), MIX, SHAPER, WILD, CDL)),
}  # fmt: skip


@frozen
class Case:
    """One way to write one sample: format, sample, options."""

    key: str
    sample: str
    depth: str = ""
    layout: str = ""
    suffix: str = ""

    @property
    def transform(self) -> Transform:
        return SAMPLES[self.sample]

    @property
    def ending(self) -> str:
        return self.suffix or formats()[self.key].suffixes[0]

    def data(self) -> bytes:
        t = self.transform
        options = WriteOptions(t.title, t.comments, self.depth, self.layout, self.ending)
        return formats()[self.key].write(t, options)

    def __str__(self) -> str:
        extra = [w for w in (self.sample, self.depth, self.layout, self.suffix) if w]
        return f"{self.key} {', '.join(extra)}"


def cases() -> list[Case]:
    """Return every sample in every format that holds it, in every depth and layout."""
    found = []
    for spec in formats().values():
        for sample, transform in SAMPLES.items():
            if spec.holds(transform):
                continue
            found.append(Case(spec.key, sample))
            found += [Case(spec.key, sample, depth=d) for d in spec.depths[1:3]]
        first = next(s for s in reversed(SAMPLES) if not spec.holds(SAMPLES[s]))
        found += [
            Case(spec.key, first, depth=d) for d in spec.depths[3:] if d not in ("16f", "32f")
        ]
        first = next((s for s in ("17", "9", "CDL") if not spec.holds(SAMPLES[s])), "")
        found += [Case(spec.key, first, layout=layout) for layout in spec.layouts[1:]]
    pictures = [(".tif", "32f"), (".exr", "16f"), (".exr", "32f")]
    found = [c for c in found if not (c.key in ("hald", "strip") and c.depth in ("16f", "32f"))]
    for key in ("hald", "strip"):
        found += [Case(key, "9", d, suffix=s) for s, d in pictures]
    return found


COLOURS = cube_colours(4000) * 1.3 - 0.15
INSIDE = cube_colours(4000)


# The other side


def colour_science(file: Path, rgb: np.ndarray) -> np.ndarray:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour

        lut = colour.read_LUT(str(file))
        three = list(lut) if isinstance(lut, colour.LUTSequence) else [lut]
        out = np.asarray(rgb, np.float64)
        for each in three:
            if isinstance(each, colour.LUT3D):
                out = each.apply(out, interpolator=colour.algebra.table_interpolation_tetrahedral)
            else:
                out = each.apply(out)
    return out


def _identity_link() -> bytes:
    unit = Transform((Table3D(lattice_colours(2)),))
    return formats()["icc"].write(unit, WriteOptions(layout="device link, version 2"))


def littlecms_link(file: Path, rgb: np.ndarray) -> np.ndarray:
    return imagecodecs.cms_transform(
        np.ascontiguousarray(rgb[None], np.float32),
        file.read_bytes(),
        _identity_link(),
        colorspace="rgb",
        outcolorspace="rgb",
        outdtype="f4",
        flags=0x100,
    )[0]


def littlecms_abstract(file: Path, rgb: np.ndarray) -> np.ndarray:
    srgb = imagecodecs.cms_profile("srgb")
    lab_profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    lab = imagecodecs.cms_transform(
        np.ascontiguousarray(rgb[None], np.float32), srgb, file.read_bytes(),
        colorspace="rgb", outcolorspace="lab", outdtype="f8", flags=0x100,
    )  # fmt: skip
    return imagecodecs.cms_transform(
        lab, lab_profile, srgb, colorspace="lab", outcolorspace="rgb", outdtype="f4", flags=0x100
    )[0]


def pillow_strip(file: Path, rgb: np.ndarray) -> np.ndarray:
    """Look nodes up by the arithmetic of a row of slices: x = red + N blue, y = green."""
    with Image.open(file) as image:
        pixels = np.asarray(image.convert("RGB")).astype(np.float64) / 255
    n = len(pixels)
    r, g, b = np.round(rgb * (n - 1)).astype(int).T
    return pixels[g, r + n * b]


def numpy_load(file: Path, rgb: np.ndarray) -> np.ndarray:
    nodes = np.load(file)
    n = len(nodes)
    return nodes[tuple(np.round(rgb * (n - 1)).astype(int).T)]


@frozen
class Peer:
    """A reader that is not ours: what of our files it is asked to read, and how near it must come."""

    name: str
    reads: Callable[[Path, np.ndarray], np.ndarray]
    wants: Callable[[Case], bool]
    limit: Callable[[Case], float]
    colours: np.ndarray = COLOURS
    nodes: bool = False  # compared at nodes only


def _ocio_wants(case: Case) -> bool:
    if case.key not in ("cube", "3dl", "csp", "spi1d", "spi3d", "spimtx", "cdl", "clf"):
        return False
    # It guesses the depth of a 3dl from the largest value, and takes no grid under 4.
    return not (case.key == "3dl" and case.sample == "3D" and case.depth in ("16", "10"))


def _ocio_limit(case: Case) -> float:
    if case.key == "csp" and case.sample in ("knots", "1D + 3D", "1D + 3D, 0..1"):
        return 2e-4  # it reads preludes by a cubic
    return 4e-6


def _simple_cube(case: Case) -> bool:
    table = case.transform.table
    return case.key == "cube" and table is not None and case.sample != "domain"


PEERS = (
    Peer("OpenColorIO", opencolorio, _ocio_wants, _ocio_limit),
    Peer(
        "FFmpeg",
        ffmpeg,
        lambda c: _simple_cube(c)
        or (c.key == "csp" and c.sample in ("3D", "17", "33"))
        or (c.key == "3dl" and c.sample == "17" and not c.depth and not c.layout),
        lambda c: 3e-4 if c.key == "3dl" else 1e-6,
    ),
    Peer("FFmpeg", ffmpeg_hald, lambda c: c.key == "hald", lambda c: 1e-6),
    Peer(
        "colour-science",
        colour_science,
        lambda c: (_simple_cube(c) and c.sample != "3D")
        or (c.key in ("csp", "spi1d", "spi3d", "spimtx") and c.sample in ("9", "17", "1D 0..1", "matrix")),
        lambda c: 1e-6,
        INSIDE,
    ),
    Peer(
        "LittleCMS",
        littlecms_link,
        lambda c: c.key == "icc" and "abstract" not in c.layout,
        lambda c: 5e-5,
        INSIDE,
    ),
    Peer(
        "LittleCMS",
        littlecms_abstract,
        lambda c: c.key == "icc" and "abstract" in c.layout,
        lambda c: 0.06,
        INSIDE,
    ),
    Peer(
        "Pillow and arithmetic",
        pillow_strip,
        lambda c: c.key == "strip" and not c.layout and not c.suffix and c.depth != "16",
        lambda c: 1e-6,
        nodes=True,
    ),
    Peer("NumPy", numpy_load, lambda c: c.key == "npy" and c.sample == "17", lambda c: 0.0, nodes=True),
)  # fmt: skip


@frozen
class Row:
    """One line of the table: who reads what, the largest difference of any channel, and its limit."""

    case: str
    peer: str
    does: str
    worst: float
    limit: float
    key: str = ""


def reading_rows(folder: Path) -> Iterator[Row]:
    """Write every case, let every peer that can read it, and compare with what we read back."""
    for i, case in enumerate(cases()):
        file = folder / f"case{i}{case.ending}"
        file.write_bytes(case.data())
        ours = read(file.read_bytes(), file.name, key=case.key).transform
        for peer in PEERS:
            if not peer.wants(case):
                continue
            colours = peer.colours
            if peer.nodes:
                n = ours.table.size
                colours = np.round(INSIDE * (n - 1)) / (n - 1)
            theirs = np.asarray(peer.reads(file, colours), np.float64)
            own = ours.apply(np.asarray(colours, np.float32)).astype(np.float64)
            if "abstract" in case.layout:
                theirs, own = np.clip(theirs, 0, 1), np.clip(own, 0, 1)
            scale = np.maximum(np.abs(own), 1)
            worst = float((np.abs(theirs - own) / scale).max())
            yield Row(str(case), peer.name, "reads ours", worst, peer.limit(case), case.key)


# Files that others write


def _baked(key: str) -> bytes:
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v2.1.0_aces-v1.3_ocio-v2.3")
    baker = ocio.Baker()
    baker.setConfig(config)
    baker.setFormat(next(name for name, suffix in baker.getFormats() if suffix == key))
    baker.setInputSpace("ACEScct")
    baker.setTargetSpace("ACEScg" if key == "spi1d" else "sRGB - Texture")
    baker.setCubeSize(17)
    return baker.bake().encode()


def _group(key: str) -> bytes:
    """Let OpenColorIO write the CLF of one of its own groups of transforms."""
    group = ocio.GroupTransform()
    group.appendTransform(
        ocio.MatrixTransform(
            [1.1, -0.1, 0, 0, 0, 0.9, 0.1, 0, 0, 0, 1, 0, 0, 0, 0, 1], [0.01, 0, -0.02, 0]
        )
    )
    group.appendTransform(ocio.RangeTransform(0.0, 1.0, 0.1, 0.9))
    group.appendTransform(
        ocio.LogCameraTransform([0.01] * 3, 10, [0.25] * 3, [0.4] * 3, [5.5] * 3, [0.05] * 3)
    )
    group.appendTransform(
        ocio.ExponentWithLinearTransform([2.4, 2.4, 2.4, 1], [0.055, 0.055, 0.055, 0])
    )
    group.appendTransform(ocio.CDLTransform([1.1, 1, 0.9], [0.01, 0, 0], [1, 1.1, 1.2], 1.2))
    table = ocio.Lut3DTransform(5)
    table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    table.setData(grade(5).values.reshape(-1))
    group.appendTransform(table)
    name = next(n for n, suffix in ocio.GroupTransform.GetWriteFormats() if suffix == key)
    return group.write(name, ocio.Config.CreateRaw()).encode()  # fmt: skip


def _colour_written(key: str, folder: Path) -> bytes:
    file = folder / f"theirs.{key}"
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour

        if key == "spi1d":
            lut = colour.LUT1D(np.linspace(0, 1, 33) ** 1.7)
        elif key == "spimtx":
            lut = colour.LUTOperatorMatrix(np.array(MIX.rows), np.array(MIX.offset))
        else:
            lut = colour.LUT3D(grade(9).values.astype(np.float64))
        colour.write_LUT(lut, str(file), decimals=9)
    return file.read_bytes()


def _lcms_link() -> bytes:
    """Let LittleCMS write a device link of its own: sRGB to a profile with other primaries."""
    import PIL

    library = next(Path(PIL.__file__).parent.parent.glob("pillow.libs/liblcms2*"))
    lib = ctypes.CDLL(str(library))
    for name in (
        "cmsCreate_sRGBProfile",
        "cmsCreateRGBProfile",
        "cmsBuildGamma",
        "cmsCreateTransform",
        "cmsTransform2DeviceLink",
    ):
        getattr(lib, name).restype = ctypes.c_void_p
    xyy = ctypes.c_double * 3
    white = xyy(0.3127, 0.3290, 1.0)
    primaries = (ctypes.c_double * 9)(0.68, 0.32, 1, 0.265, 0.69, 1, 0.15, 0.06, 1)
    gamma = ctypes.c_void_p(lib.cmsBuildGamma(None, ctypes.c_double(2.2)))
    curves = (ctypes.c_void_p * 3)(gamma, gamma, gamma)
    wide = ctypes.c_void_p(lib.cmsCreateRGBProfile(white, primaries, curves))
    srgb = ctypes.c_void_p(lib.cmsCreate_sRGBProfile())
    rgb16 = (4 << 16) | (3 << 3) | 2
    turn = ctypes.c_void_p(lib.cmsCreateTransform(srgb, rgb16, wide, rgb16, 1, 0))
    link = ctypes.c_void_p(lib.cmsTransform2DeviceLink(turn, ctypes.c_double(4.3), 0))
    size = ctypes.c_uint32(0)
    lib.cmsSaveProfileToMem(link, None, ctypes.byref(size))
    out = ctypes.create_string_buffer(size.value)
    lib.cmsSaveProfileToMem(link, out, ctypes.byref(size))
    return out.raw  # fmt: skip


def _ffmpeg_hald() -> bytes:
    """Let FFmpeg make a HALD of level 6 and encode it as PNG."""
    graph = Graph()
    source = graph.add("haldclutsrc", "level=6")
    plain = graph.add("format", "pix_fmts=rgb24")
    sink = graph.add("buffersink")
    source.link_to(plain)
    plain.link_to(sink)
    graph.configure()
    out = io.BytesIO()
    Image.fromarray(graph.pull().to_ndarray()).save(out, "png")
    return out.getvalue()


@frozen
class Foreign:
    """A file that a peer writes, and what it means by it."""

    key: str
    what: str
    peer: str
    data: Callable[[Path], bytes]
    means: Callable[[Path, np.ndarray], np.ndarray]
    limit: float
    colours: np.ndarray = INSIDE


def _identity(_file: Path, rgb: np.ndarray) -> np.ndarray:
    return np.round(rgb * 35) / 35


FOREIGN = (
    *(
        Foreign(k, "baked, 17 points", "OpenColorIO", lambda _f, k=k: _baked(k), opencolorio, 4e-6)
        for k in ("cube", "csp", "3dl", "spi3d")
    ),
    Foreign("spi1d", "baked", "OpenColorIO", lambda _f: _baked("spi1d"), opencolorio, 4e-6),
    Foreign("clf", "six kinds of node", "OpenColorIO", lambda _f: _group("clf"), opencolorio, 3e-5),
    *(
        Foreign(k, "its own", "colour-science", lambda f, k=k: _colour_written(k, f), colour_science, 2e-6)
        for k in ("cube", "csp", "spi1d", "spi3d", "spimtx")
    ),
    Foreign("icc", "device link", "LittleCMS", lambda _f: _lcms_link(), littlecms_link, 6e-5),
    Foreign("hald", "level 6, 8 bit, truncated by it", "FFmpeg", lambda _f: _ffmpeg_hald(), _identity, 1 / 255),
)  # fmt: skip


def foreign_rows(folder: Path) -> Iterator[Row]:
    """Let every peer write, read it, and compare with what the peer itself makes of it."""
    for i, each in enumerate(FOREIGN):
        ending = formats()[each.key].suffixes[0]
        file = folder / f"foreign{i}{ending}"
        file.write_bytes(each.data(folder))
        found = read(file.read_bytes(), file.name)
        assert found.key == each.key, (each, found.key)
        colours = each.colours
        if each.means is _identity:
            colours = np.round(colours * 35) / 35
        theirs = np.asarray(each.means(file, colours), np.float64)
        ours = found.transform.apply(np.asarray(colours, np.float32)).astype(np.float64)
        worst = float((np.abs(ours - theirs) / np.maximum(np.abs(theirs), 1)).max())
        yield Row(
            f"{each.key} {each.what}", each.peer, "writes, we read", worst, each.limit, each.key
        )


def measure() -> list[Row]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        return [*reading_rows(folder), *foreign_rows(folder)]


PAGE = Path(__file__).resolve().parents[1] / "docs" / "formats.md"
_HEAD = """\
# LUT formats

This page is written by `./dev formats`, which measures what it says. What each file is, and which readers take
it otherwise, is told in the reader's own module under `sfumato/formats`.

## What is read and written

"Depths" are those that can be written, the first unless another is asked for; "keeps" says what survives
besides the table.

| format | suffixes | what it holds | depths | keeps |
|---|---|---|---|---|
"""
_PAIRS = """
## Others read what we write, and we what they write

Largest difference of any channel, 1.0 = full scale (relative above 1), over 4000 colours, of what the other reader
makes of the file and what ours does. Each line sums up several files: samples of every kind that the format holds,
in its depths and layouts. Readers: OpenColorIO {ocio}, FFmpeg's libraries through PyAV {av}, colour-science
{colour}, LittleCMS {lcms}, Pillow {pillow}, NumPy {numpy}. {alone}.

| format | with | direction | files | worst | note |
|---|---|---|---|---|---|
"""
_NOTES = {
    ("csp", "OpenColorIO", "reads ours"): "it draws a cubic through the curve in front",
    ("3dl", "FFmpeg", "reads ours"): "it takes 4096 for white; 17 points, 12 bit only",
    ("hald", "FFmpeg", "writes, we read"): "it truncates its 8 bit identity",
    (
        "icc",
        "LittleCMS",
        "reads ours",
    ): "device links {link:.1e}; abstract profiles err at the gamut's edge",
}


def page(rows: list[Row]) -> str:
    """Return docs/formats.md for measured rows."""
    import colour
    import PIL

    out = _HEAD
    for spec in formats().values():
        holds = "; ".join(f"{k}: {v}" for k, v in spec.limits.items())
        depths = (
            ", ".join(DEPTH_WORDS[d] for d in spec.depths) if len(spec.depths) > 1 else "as it is"
        )
        flags = (
            (spec.keeps_title, "title"),
            (spec.domain, "domain"),
            (spec.shaper, "shaper"),
            (not spec.clips, "values beyond 0..1"),
        )
        keeps = ", ".join(words for true, words in flags if true) or "nothing else"
        layouts = f"; layouts: {', '.join(spec.layouts)}" if len(spec.layouts) > 1 else ""
        suffixes = " ".join(spec.suffixes)
        out += f"| {spec.title} (`{spec.key}`) | {suffixes} | {holds}{layouts} | {depths} | {keeps} |\n"
    out += _PAIRS.format(
        ocio=ocio.__version__,
        av=av.__version__,
        colour=colour.__version__,
        lcms=ImageCms.core.littlecms_version,
        pillow=PIL.__version__,
        numpy=np.__version__,
        alone="; ".join(
            f"{s.title} has no other reader at hand: {s.no_reader}"
            for s in formats().values()
            if s.no_reader
        ),
    )
    link = max(r.worst for r in rows if r.key == "icc" and "abstract" not in r.case)
    groups: dict[tuple[str, str, str], list[Row]] = {}
    for row in rows:
        groups.setdefault((row.key, row.peer, row.does), []).append(row)
    for (key, peer, does), found in groups.items():
        worst = max(r.worst for r in found)
        note = _NOTES.get((key, peer, does), "").format(link=link)
        out += f"| {key} | {peer} | {does} | {len(found)} | {worst:.1e} | {note} |\n"
    return out


if __name__ == "__main__":
    from sfumato.core.compiled import load_kernels

    load_kernels()
    measured = measure()
    for row in measured:
        if not row.worst <= row.limit:
            print(f"{row.case}: {row.peer} {row.does} {row.worst:.2e}, limit {row.limit:.0e}")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        PAGE.write_text(page(measured), encoding="utf-8")
    print(PAGE)
