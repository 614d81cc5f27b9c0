"""Tables at 1920 x 1080, one thread, against FFmpeg's lut3d and the OpenColorIO library."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import PyOpenColorIO as ocio
import pytest
from av.filter import Graph
from conftest import ROOT

from sfumato.core.lut.sample import apply_packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.formats.cube import write
from sfumato.formats.parts.contract import WriteOptions
from sfumato.media.parts.registry import read
from sfumato.work.luts.lut_files import read_lut

FORMATS = {"float32": "gbrpf32le", "uint8": "rgb24", "uint16": "rgb48le"}


def _table(n: int) -> Table3D:
    x = lattice_colours(n)
    return Table3D(
        np.stack([x[..., 0] ** 1.2 * 0.9, x[..., 1] ** 0.9, x[..., 2] * 0.8 + 0.1 * x[..., 0]], -1)
    )


class Ffmpeg:
    """One lut3d graph on one thread, fed the same frame again and again."""

    def __init__(self, path: Path, pixels: np.ndarray, interp: str) -> None:
        height, width = pixels.shape[:2]
        self.graph = Graph()
        self.graph.threads = 1
        kind = FORMATS[pixels.dtype.name]
        source = self.graph.add_buffer(
            width=width, height=height, format=kind, time_base=Fraction(1, 25)
        )
        lut = self.graph.add("lut3d", file=str(path), interp=interp)
        sink = self.graph.add("buffersink")
        source.link_to(lut)
        lut.link_to(sink)
        self.graph.configure()
        self.frame = av.VideoFrame.from_ndarray(pixels, format=kind)
        self.frame.time_base = Fraction(1, 25)
        self.count = 0

    def __call__(self) -> None:
        self.frame.pts = self.count
        self.count += 1
        self.graph.push(self.frame)
        self.graph.pull()


@pytest.mark.parametrize(
    ("n", "kind", "interp"),
    [
        (33, "float32", "tetrahedral"),
        (65, "float32", "tetrahedral"),
        (33, "float32", "trilinear"),
        (33, "uint8", "tetrahedral"),
        (33, "uint16", "tetrahedral"),
    ],
)
def test_1080p(n: int, kind: str, interp: str, turns, tmp_path: Path) -> None:
    picture = read((ROOT / "demo/furnace.tif").read_bytes(), "furnace.tif").pixels
    pixels = {
        "uint16": picture,
        "uint8": (picture >> 8).astype(np.uint8),
        "float32": (picture / 65535).astype(np.float32),
    }[kind]
    table = _table(n)
    file = tmp_path / "t.cube"
    file.write_bytes(write(Transform((table,)), WriteOptions()))
    lattice, out = packed(table), np.empty_like(pixels)
    how = ocio.INTERP_TETRAHEDRAL if interp == "tetrahedral" else ocio.INTERP_LINEAR
    processor = ocio.Config.CreateRaw().getProcessor(
        ocio.FileTransform(str(file), interpolation=how)
    )
    depth = {
        "uint8": ocio.BIT_DEPTH_UINT8,
        "uint16": ocio.BIT_DEPTH_UINT16,
        "float32": ocio.BIT_DEPTH_F32,
    }[kind]
    cpu = processor.getOptimizedCPUProcessor(depth, depth, ocio.OPTIMIZATION_DEFAULT)
    theirs = pixels.copy()
    turns(
        sfumato=lambda: apply_packed(lattice, pixels, out, interp),
        ffmpeg=Ffmpeg(file, pixels, interp),
        opencolorio=lambda: cpu.applyRGB(theirs),
    )


def test_cube_65(turns, tmp_path: Path) -> None:
    """Reading and writing a 65-point cube file; OpenColorIO writes through its baker."""
    transform = Transform((_table(65),))
    data = write(transform, WriteOptions())
    file = tmp_path / "t.cube"
    file.write_bytes(data)
    config = ocio.Config.CreateRaw()
    how = ocio.FileTransform(str(file))
    for name, transform_to in (("in", None), ("out", how)):
        space = ocio.ColorSpace(name=name)
        if transform_to:
            space.setTransform(transform_to, ocio.COLORSPACE_DIR_FROM_REFERENCE)
        config.addColorSpace(space)
    baker = ocio.Baker()
    baker.setConfig(config)
    baker.setFormat(next(name for name, suffix in baker.getFormats() if suffix == "cube"))
    baker.setInputSpace("in")
    baker.setTargetSpace("out")
    baker.setCubeSize(65)

    def theirs() -> None:
        ocio.ClearAllCaches()
        ocio.Config.CreateRaw().getProcessor(ocio.FileTransform(str(file)))

    turns(
        rounds=7,
        sfumato=lambda: read_lut(file),
        opencolorio=theirs,
        sfumato_write=lambda: write(transform, WriteOptions()),
        opencolorio_write=baker.bake,
    )
