"""A whole clip job, decode to encode, beside the same job by FFmpeg's own lut3d filter in the same run."""

from __future__ import annotations

import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.filter import Graph

import sfumato
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.work.results.clip_line import ClipWish
from sfumato.work.results.clips import graded_clip
from sfumato.work.results.codecs import EFFORTS
from sfumato.work.results.stills import chain_of
from sfumato.work.warm import warm

FRAMES = 48


def _source(file: Path, bits: int) -> None:
    """Encode a moving made-up picture as 1080p H.264."""
    y, x = np.mgrid[0:1080, 0:1920].astype(np.float32)
    with av.open(str(file), "w") as out:
        stream = out.add_stream("libx264", rate=25)
        context = stream.codec_context
        context.width, context.height = 1920, 1080
        context.pix_fmt = "yuv420p" if bits == 8 else "yuv420p10le"
        context.options = {"crf": "16", "preset": "veryfast"}
        for i in range(FRAMES):
            wave = np.stack([np.sin(x / (90 + 20 * c) + y / 70 + i / 6) for c in range(3)], -1)
            pixels = ((wave * 0.4 + 0.5) * 65535).astype(np.uint16)
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb48le")
            frame.pts, frame.time_base = i, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())


def _by_ffmpeg(source: Path, target: Path, cube: Path, preset: str) -> int:
    """Do the job with FFmpeg's filter graph, as simple scripts do."""
    done = 0
    with av.open(str(source)) as container, av.open(str(target), "w") as out:
        video = container.streams.video[0]
        video.thread_type = "AUTO"
        stream = out.add_stream("libx264", rate=25)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = 1920, 1080, video.codec_context.pix_fmt
        context.options = {"crf": "16", "preset": preset}
        graph = Graph()
        start = graph.add_buffer(template=video)
        lut = graph.add("lut3d", file=str(cube), interp="tetrahedral")
        back = graph.add("format", context.pix_fmt)
        end = graph.add("buffersink")
        start.link_to(lut)
        lut.link_to(back)
        back.link_to(end)
        graph.configure()
        for frame in container.decode(video):
            graph.push(frame)
            graded = graph.pull()
            graded.pts, graded.time_base = done, Fraction(1, 25)
            out.mux(stream.encode(graded))
            done += 1
        out.mux(stream.encode())
    return done


@pytest.mark.parametrize("effort", EFFORTS)
@pytest.mark.parametrize("bits", [8, 10])
def test_a_whole_clip(benchmark, tmp_path: Path, bits: int, effort: str) -> None:
    warm()
    _source(tmp_path / "in.mp4", bits)
    nodes = np.clip(lattice_colours(33) ** np.float32([1.1, 1.0, 0.9]), 0, 1)
    sfumato.write(Transform((Table3D(nodes),)), tmp_path / "look.cube")
    look = Transform((Table3D(nodes),))
    colour = chain_of([look])

    def ours(i: int) -> float:
        start = time.perf_counter()
        wish = ClipWish("h264", 16, effort)
        made = graded_clip(tmp_path / "in.mp4", tmp_path / f"o{i}.mp4", colour, wish)
        assert made.frames == FRAMES
        return FRAMES / (time.perf_counter() - start)

    def theirs(i: int) -> float:
        start = time.perf_counter()
        target = tmp_path / f"t{i}.mp4"
        cube, preset = tmp_path / "look.cube", EFFORTS[effort]
        assert _by_ffmpeg(tmp_path / "in.mp4", target, cube, preset) == FRAMES
        return FRAMES / (time.perf_counter() - start)

    ours(9)  # the kernels are compiled or loaded
    pairs = [(ours(i), theirs(i)) for i in range(3)]
    mine, other = (sorted(p[k] for p in pairs)[1] for k in (0, 1))
    ratio = sorted(a / b for a, b in pairs)[1]
    print(
        f"\n1080p H.264 {bits} bit, {effort}: {mine:.1f} fps, FFmpeg's graph {other:.1f} fps, {ratio:.2f}x"
    )
    benchmark.extra_info["ratio"] = ratio
    benchmark.pedantic(lambda: None, rounds=1)
