"""Clips through a colour function: numbers, range, matrix, depth, times, sound; whole or not there."""

from __future__ import annotations

import itertools
import signal
import subprocess
import sys
import time
from fractions import Fraction
from itertools import product
from pathlib import Path

import av
import numpy as np
import pytest
from av.filter import Graph
from click.testing import CliRunner
from conftest import ROOT, scene

import sfumato
from sfumato.cli.main import cli
from sfumato.core.compiled import load_kernels
from sfumato.core.errors import ExportError, MediaError, ValueRefused
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.study.shot import Shot
from sfumato.media import clip as media_clip
from sfumato.media.clip import Clip
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.results.applied_proof import clip_proof
from sfumato.work.results.clip_line import ClipWish
from sfumato.work.results.clips import graded_clip
from sfumato.work.results.codecs import CODECS, codec_for, out_layout
from sfumato.work.results.planes import (
    Layout,
    frame_of,
    graded_planes,
    planes_of,
    to_planes,
    to_rgb,
)
from sfumato.work.results.stills import chain_of
from sfumato.work.results.timecode import later
from sfumato.work.stores.study_store import open_study

LUT = ROOT / "demo" / "luts" / "kiln_balance.clf"


def same(rgb: np.ndarray) -> np.ndarray:
    return rgb


def _made(
    file: Path,
    layout: Layout,
    frames: int = 3,
    *,
    times: list[int] | None = None,
    sound: bool = False,
    size: tuple[int, int] = (96, 64),
) -> Path:
    """Write frames of a made-up scene, losslessly, with a tone when it is wanted."""
    with av.open(str(file), "w") as out:
        video = out.add_stream("ffv1", rate=25)
        context = video.codec_context
        context.width, context.height, context.pix_fmt = *size, layout.format
        context.color_range = 2 if layout.full else 1
        context.colorspace = layout.matrix
        context.options = {"level": "3"}
        context.time_base = video.time_base = Fraction(1, 1000)
        audio = out.add_stream("pcm_s16le", rate=48000) if sound else None
        for i in range(frames):
            picture = np.roll(scene(*size) * 0.9 + 0.03, 5 * i, axis=1).astype(np.float32)
            frame = frame_of(to_planes(picture, layout), layout)
            frame.pts, frame.time_base = (times or range(0, 40 * frames, 40))[i], Fraction(1, 1000)
            out.mux(video.encode(frame))
            if audio is not None:
                wave = (8000 * np.sin(np.arange(1920) * 0.05 * (i + 1))).astype(np.int16)
                tone = av.AudioFrame.from_ndarray(wave[None], format="s16", layout="mono")
                tone.sample_rate, tone.pts = 48000, 1920 * i
                tone.time_base = Fraction(1, 48000)
                out.mux(audio.encode(tone))
        out.mux(video.encode())
        if audio is not None:
            out.mux(audio.encode())
    return file


def _planes_of(file: Path) -> tuple[list[list[np.ndarray]], list[Layout], list[int]]:
    with av.open(str(file)) as container:
        frames = list(container.decode(video=0))
        layouts = [Layout.of(f) for f in frames]
        planes = [
            [np.array(p[:, : q.width]) for p, q in zip(planes_of(f, g), f.planes, strict=True)]
            for f, g in zip(frames, layouts, strict=True)
        ]
        begin = frames[0].time
        return planes, layouts, [round((f.time - begin) * 1000) for f in frames]


LAYOUTS = [
    Layout(bits, *sampling, full, matrix)
    for bits, sampling, full, matrix in product(
        (8, 10), ((2, 2), (2, 1), (1, 1)), (False, True), (1, 6, 9)
    )
]


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda g: f"{g.format}-{g.full}-{g.matrix}")
def test_range_matrix_depth_and_sampling_come_back_truly(layout: Layout, tmp_path: Path) -> None:
    """Every kind of stream, through nothing and through a change that is known."""
    source = _made(tmp_path / "in.mkv", layout)
    graded_clip(source, tmp_path / "same.mkv", same)
    before, stated, _ = _planes_of(source)
    after, kept, _ = _planes_of(tmp_path / "same.mkv")
    assert kept == stated == [layout] * 3
    for one, two in zip(before, after, strict=True):
        for c, (a, b) in enumerate(zip(one, two, strict=True)):
            apart = b.astype(float) - a
            assert abs(apart.mean()) < 0.2  # codes
            assert np.abs(apart).max() <= (1 if c == 0 or layout.across == 1 else 24)
    # Our own fast planes agree with the plain arithmetic of the reader.
    with av.open(str(source)) as container:
        frame = next(container.decode(video=0))
        plain, _said, _remarks = media_clip.to_rgb(frame)
        fast = to_rgb(frame, layout)
    np.testing.assert_allclose(fast, plain, atol=2e-6)
    darker = tmp_path / "darker.mkv"
    graded_clip(source, darker, lambda rgb: rgb * np.float32(0.5))
    whole = Clip(str(source)).frame(1).pixels
    half = Clip(str(darker)).frame(1).pixels
    assert abs(float((half - whole * 0.5).mean())) < 0.5 / (
        1 << layout.bits
    )  # flat parts round as one


@pytest.mark.parametrize("reach", [(0.0, 1.0), (-0.2, 1.3)])
@pytest.mark.parametrize("layout", LAYOUTS[::3], ids=lambda g: f"{g.format}-{g.full}-{g.matrix}")
def test_one_look_up_from_planes_to_planes_is_the_same(
    layout: Layout, reach: tuple[float, float], tmp_path: Path
) -> None:
    """Also on odd sizes, into another layout, and with nodes that have to be clipped."""
    load_kernels()
    low, high = reach
    nodes = (lattice_colours(17) ** np.float32([1.2, 1.0, 0.8])) * (high - low) + low
    chain = chain_of(
        [Transform((Table3D(nodes.astype(np.float32), np.array([[-0.1] * 3, [1.1] * 3])),))]
    )
    assert chain.only is not None
    source = _made(tmp_path / "in.mkv", layout, 1, size=(1030, 64 if layout.down == 1 else 62))
    with av.open(str(source)) as container:
        frame = next(container.decode(video=0))
    other = Layout(layout.bits, 1, 1, not layout.full, 9)
    for held in (layout, other):
        fast = graded_planes(frame, layout, held, chain)
        plain = graded_planes(frame, layout, held, lambda rgb: chain(rgb))
        for a, b in zip(fast, plain, strict=True):
            apart = np.abs(a.astype(int) - b)
            assert apart.max() <= 1
            assert (apart > 0).mean() < 0.002


def test_a_look_on_a_clip_equals_the_path(tmp_path: Path) -> None:
    study = open_study(ROOT / "demo" / "saltglass.sfumato")
    shot = Shot(str(ROOT / "demo/jetty.mov"), "jetty", "Tarn Log")

    def look(rgb: np.ndarray) -> np.ndarray:
        code = path.to_working(shot, study, rgb)
        return path.through_view(study, path.through_look(study, code))

    made = graded_clip(shot.path, tmp_path / "jetty.mkv", look, ClipWish(first=3, last=12))
    assert made.frames == 10
    source, result = Clip(shot.path), Clip(str(tmp_path / "jetty.mkv"))
    assert result.count == 10
    for number in (0, 4, 9):
        meant = np.clip(look(source.frame(3 + number).pixels), 0, 1)
        layout = Layout.of(next(av.open(str(tmp_path / "jetty.mkv")).decode(video=0)))
        planes = to_planes(np.ascontiguousarray(meant), layout)
        with av.open(str(tmp_path / "jetty.mkv")) as container:
            frame = list(container.decode(video=0))[number]
            stored = planes_of(frame, layout)
            for a, b in zip(planes, stored, strict=True):
                assert np.abs(a.astype(int) - b[:, : a.shape[1]]).max() <= 1
    for each in (source, result):
        each.close()


@pytest.mark.parametrize(("full", "matrix"), [*product((False, True), (1, 6, 9))])
@pytest.mark.parametrize("codec", CODECS)
def test_every_codec_keeps_colours_and_says_truly_how(
    codec: str, full: bool, matrix: int, tmp_path: Path
) -> None:
    """As our reader sees the result, and as FFmpeg's own scaler does."""
    layout = Layout(10, 2, 1, full, matrix)
    source = _made(tmp_path / "in.mkv", layout, 3, size=(256, 128))
    target = tmp_path / f"out{CODECS[codec].suffixes[0]}"
    wish = ClipWish(codec=codec, quality=10, encoding="BT.1886")
    made = graded_clip(source, target, same, wish)
    held, remarks = out_layout(layout, CODECS[codec], 640, 360)
    assert made.remarks == remarks
    proof = clip_proof(source, target, same, (0, None), "BT.1886")
    assert proof.is_true, proof
    assert proof.pixels_mean < 0.5
    with av.open(str(target)) as container:
        frame = next(container.decode(video=0))
        assert Layout.of(frame) == held
        assert (int(frame.color_primaries), int(frame.color_trc)) == (1, 1)
        theirs = frame.reformat(format="gbrpf32le", dst_color_range=2)
        theirs = theirs.to_ndarray()[..., :3]
    ours = Clip(str(target)).frame(0).pixels
    apart = np.abs(theirs - ours)
    assert np.abs((theirs - ours).mean((0, 1))).max() < 0.004
    assert np.median(apart) < 0.006


@pytest.mark.parametrize("key", CODECS)
@pytest.mark.parametrize("size", [(321, 241), (51, 37), (8, 8)])
@pytest.mark.parametrize("chroma", [(2, 2), (2, 1), (1, 1)])
def test_odd_and_small_sizes_are_held_or_refused_in_words(key, size, chroma, tmp_path) -> None:
    layout = Layout(8, *chroma, False, 1)
    codec = CODECS[key]
    source = tmp_path / "in.mkv"
    with av.open(str(source), "w") as out:
        video = out.add_stream("ffv1", rate=25)
        context = video.codec_context
        context.width, context.height, context.pix_fmt = *size, layout.format
        picture = (scene(*size) * 0.9).astype(np.float32)
        frame = frame_of(to_planes(picture, layout), layout)
        frame.pts, frame.time_base = 0, Fraction(1, 25)
        out.mux(video.encode(frame))
        out.mux(video.encode())
    target = tmp_path / f"out{codec.suffixes[0]}"
    if size < codec.least:
        with pytest.raises(ExportError, match="holds no pictures under") as refused:
            graded_clip(source, target, same, ClipWish(codec=key))
        assert refused.value.where == str(target)
        return
    made = graded_clip(source, target, same, ClipWish(codec=key))
    shape = Clip(str(target)).frame(0).pixels.shape
    assert shape == (size[1], size[0], 3)
    odd = size[0] % chroma[0] or size[1] % chroma[1]
    assert any("odd size" in r for r in made.remarks) == bool(odd and not codec.odd)


@pytest.mark.parametrize("count", [1, 2])
def test_clips_of_one_and_two_frames_have_sound_decode_times(count: int, tmp_path: Path) -> None:
    """Ten times each: what the encoder leaves unset is whatever lay in memory."""
    source = _made(tmp_path / "in.mkv", Layout(8, 2, 2, False, 1), count)
    for _ in range(10):
        graded_clip(source, tmp_path / "out.mp4", same, ClipWish(codec="hevc"), force=True)
        with av.open(str(tmp_path / "out.mp4")) as container:
            stream = container.streams.video[0]
            times = [(p.pts, p.dts) for p in container.demux(stream) if p.pts is not None]
        assert len(times) == count
        assert all(0 <= (pts - dts) * stream.time_base <= 1 for pts, dts in times)


def test_times_and_sound_are_kept(tmp_path: Path) -> None:
    times = [0, 40, 80, 400, 420, 900]
    layout = Layout(8, 2, 2, False, 1)
    source = _made(tmp_path / "in.mkv", layout, 6, times=times, sound=True)
    graded_clip(source, tmp_path / "out.mkv", same)
    assert _planes_of(tmp_path / "out.mkv")[2] == times

    def sound(file: Path) -> bytes:
        with av.open(str(file)) as container:
            return b"".join(bytes(p) for p in container.demux(audio=0))

    assert sound(tmp_path / "out.mkv") == sound(source) != b""
    cut = graded_clip(source, tmp_path / "cut.mkv", same, ClipWish(first=2, last=4))
    assert cut.frames == 3
    assert _planes_of(tmp_path / "cut.mkv")[2] == [0, 320, 340]
    whole = sound(source)
    assert sound(tmp_path / "cut.mkv") == whole[len(whole) // 3 :]  # from 80 ms on, as the picture
    with av.open(str(tmp_path / "cut.mkv")) as container:
        begins = [p.pts * p.time_base * 1000 for p in container.demux(audio=0) if p.size]
    assert begins == [0, 40, 80, 120]


def test_nothing_is_written_over_or_left_half(tmp_path: Path) -> None:
    source = _made(tmp_path / "in.mkv", Layout(8, 2, 2, False, 1), 8)
    target = tmp_path / "out.mkv"
    target.write_bytes(b"precious")
    with pytest.raises(ExportError, match="exists already"):
        graded_clip(source, target, same)
    assert target.read_bytes() == b"precious"
    cancel, seen = Cancel(), []

    def slow(rgb: np.ndarray) -> np.ndarray:
        seen.append(1)
        if len(seen) == 3:
            cancel.set()
        return rgb

    with pytest.raises(Cancelled):
        graded_clip(source, tmp_path / "never.mkv", slow, cancel=cancel)

    def broken(rgb: np.ndarray) -> np.ndarray:
        raise MediaError("frame 3 is damaged")

    with pytest.raises(MediaError, match="frame 3"):
        graded_clip(source, tmp_path / "never.mkv", broken)
    junk = tmp_path / "junk.mov"
    junk.write_bytes(b"no clip at all" * 100)
    with pytest.raises(MediaError):
        graded_clip(junk, tmp_path / "never.mkv", same)
    with pytest.raises(MediaError, match="no frame in that range"):
        graded_clip(source, tmp_path / "never.mkv", same, ClipWish(first=90))
    assert sorted(p.name for p in tmp_path.iterdir()) == ["in.mkv", "junk.mov", "out.mkv"]
    graded_clip(source, target, same, force=True)
    assert Clip(str(target)).count == 8


def _many(file: Path, codec: str, kind: str, frames: int = 40) -> bytes:
    """Write a clip of noise, which no coder makes small, and return its bytes."""
    random = np.random.default_rng(1)
    with av.open(str(file), "w") as out:
        stream = out.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 96, kind
        if codec == "ffv1":
            stream.codec_context.options = {"level": "3", "slicecrc": "1"}
        for _ in range(frames):
            picture = random.integers(0, 255, (96, 160, 3)).astype(np.uint8)
            out.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        out.mux(stream.encode())
    return file.read_bytes()


DAMAGED = {
    "cut matroska": ("ffv1", "yuv444p10le", "in.mkv", lambda d: d[: len(d) * 6 // 10], "ends early"),
    "flipped matroska": ("ffv1", "yuv444p10le", "in.mkv", None, "damaged in the source: frame"),
    "flipped prores": ("prores_ks", "yuv422p10le", "in.mov", None, "damaged in the source: frame"),
    "flipped h264": ("libx264", "yuv420p", "in.mp4", None, "damaged in the source: frame"),
    "cut prores": ("prores_ks", "yuv422p10le", "in.mov", "missing", "ends early"),
}  # fmt: skip


@pytest.mark.parametrize("name", DAMAGED)
def test_a_clip_that_lost_frames_gets_no_result_unless_asked(name: str, tmp_path: Path) -> None:
    codec, kind, file, damage, words = DAMAGED[name]
    source, target = tmp_path / file, tmp_path / f"out{Path(file).suffix}"
    data = _many(source, codec, kind)
    assert graded_clip(source, target, same).remarks == ()  # whole, it is not accused
    target.unlink()
    if damage == "missing":  # the index tells of forty frames, the last of which are not there
        source.write_bytes(data[: data.index(b"moov") - 4] if data.index(b"moov") < 99 else data)
        wrong = bytearray(data)
        start = wrong.index(b"mdat") + 4
        length = int.from_bytes(wrong[start - 8 : start - 4], "big") - 8
        wrong[start + length * 6 // 10 : start + length] = bytes(length - length * 6 // 10)
        words = "ends early|damaged in the source|cannot be decoded"
    elif damage is None:
        wrong = bytearray(data)
        random = np.random.default_rng(3)
        for at in random.integers(len(data) // 4, len(data) * 3 // 4, 5):
            wrong[at : at + 12] = random.bytes(12)
    else:
        wrong = damage(data)
    source.write_bytes(bytes(wrong))
    with pytest.raises(MediaError, match=words) as told:
        graded_clip(source, target, same)
    assert told.value.where == str(source)
    assert sorted(p.name for p in tmp_path.iterdir()) == [file]
    if damage == "missing":
        return
    made = graded_clip(source, target, same, ClipWish(damaged=True))
    assert any(words in remark for remark in made.remarks)
    assert target.exists()
    result = CliRunner().invoke(cli, ["apply", str(LUT), str(source), str(tmp_path / "cli.mkv")])
    assert result.exit_code == 1
    assert words in result.stderr
    assert not (tmp_path / "cli.mkv").exists()


def test_a_full_disk_is_the_results_fault(tmp_path: Path) -> None:
    """With a limit on the size of files, as a full disk has one: the source is not blamed."""
    source = tmp_path / "in.mkv"
    _many(source, "ffv1", "yuv444p10le")
    code = (
        "import resource, signal, sys\n"
        "from sfumato.core.errors import SfumatoError\n"
        "from sfumato.work.results.clips import graded_clip\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))\n"
        "try:\n"
        "    graded_clip(sys.argv[1], sys.argv[2], lambda rgb: rgb)\n"
        "except SfumatoError as error:\n"
        "    print(type(error).__name__, error.where, error.summary)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(source), str(tmp_path / "out.mkv")],
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=False,
    )
    assert done.stdout.startswith(f"ExportError {tmp_path / 'out.mkv'} "), done.stdout + done.stderr
    assert [p.name for p in tmp_path.iterdir()] == ["in.mkv"]


def test_codecs_are_chosen_and_refused() -> None:
    assert codec_for(Path("a.mkv")).key == "ffv1"
    assert codec_for(Path("a.mov")).key == "prores"
    assert codec_for(Path("a.mp4"), "hevc").key == "hevc"
    with pytest.raises(ExportError, match="does not hold FFV1"):
        codec_for(Path("a.mp4"), "ffv1")
    with pytest.raises(ExportError, match="cannot be written"):
        codec_for(Path("a.avi"))
    with pytest.raises(ValueRefused, match="no codec"):
        codec_for(Path("a.mov"), "vhs")
    held, remarks = out_layout(Layout(12, 1, 1, True, 9), CODECS["h264"], 640, 360)
    assert held == Layout(10, 1, 1, True, 9)
    assert "10 bit of 12" in remarks[0]
    held, remarks = out_layout(Layout(8, 2, 2, False, 1), CODECS["prores"], 640, 360)
    assert held == Layout(10, 2, 1, False, 1)
    assert remarks == ()


TIMECODES = [
    ("01:00:00:00", 25, 25, "01:00:01:00"),
    ("00:00:59;29", 1, Fraction(30000, 1001), "00:01:00;02"),
    ("00:09:59;29", 1, Fraction(30000, 1001), "00:10:00;00"),
    ("00:00:00;00", 17982, Fraction(30000, 1001), "00:10:00;00"),
    ("00:00:00;00", 107892, Fraction(30000, 1001), "01:00:00;00"),
    ("00:00:59;59", 1, Fraction(60000, 1001), "00:01:00;04"),
    ("23:59:59:23", 1, 24, "00:00:00:00"),
    ("none", 5, 24, "none"),
]


@pytest.mark.parametrize(("before", "frames", "rate", "after"), TIMECODES)
def test_timecode_counts_on(before: str, frames: int, rate: Fraction, after: str) -> None:
    assert later(before, frames, Fraction(rate)) == after


@pytest.mark.parametrize("codec", ["prores", "h264"])
def test_timecode_rotation_and_names_of_the_source_are_kept(codec: str, tmp_path: Path) -> None:
    file = tmp_path / "turned.mov"
    with av.open(str(file), "w") as out:
        stream = out.add_stream("libx264", rate=25)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = 96, 64, "yuv420p"
        stream.metadata["timecode"] = "10:11:12:13"
        stream.set_display_rotation(-90)
        out.metadata["title"] = "Saltglass, reel 3"
        for i in range(8):
            frame = av.VideoFrame.from_ndarray(
                (np.roll(scene(96, 64), 4 * i, axis=1) * 255).astype(np.uint8), format="rgb24"
            )
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    target = tmp_path / "out.mov"
    graded_clip(file, target, same, ClipWish(codec, first=3))
    with av.open(str(file)) as before, av.open(str(target)) as after:
        a, b = (next(c.decode(video=0)) for c in (before, after))
        assert a.rotation == b.rotation != 0
        assert (b.width, b.height) == (96, 64)
        assert after.streams.video[0].metadata["timecode"] == "10:11:12:16"
        assert after.metadata["title"] == "Saltglass, reel 3"
    # Seen upright, both.
    x, y = Clip(str(file)).frame(4).pixels, Clip(str(target)).frame(1).pixels
    assert x.shape == y.shape == (96, 64, 3)
    assert np.abs(x - y).mean() < 0.02


KILLED = """
import sys, time
from pathlib import Path
import numpy as np
from sfumato.work.results import clips
source, target, seen = map(Path, sys.argv[1:])
def slow(rgb):
    seen.write_text("begun")
    time.sleep(0.05)
    return rgb
clips.graded_clip(source, target, slow)
"""


def test_a_killed_run_leaves_no_half_file_and_the_next_one_goes_on(tmp_path: Path) -> None:
    source = _made(tmp_path / "in.mkv", Layout(8, 2, 2, False, 1), 40)
    folder, seen = tmp_path / "out", tmp_path / "seen"
    folder.mkdir()
    (folder / "other.mkv").write_bytes(b"whole")
    target = folder / "result.mkv"
    run = subprocess.Popen([sys.executable, "-c", KILLED, source, target, seen], cwd=ROOT)
    while not seen.exists():
        time.sleep(0.02)
    time.sleep(0.3)
    run.send_signal(signal.SIGKILL)
    run.wait()
    assert not target.exists()
    assert len(list(folder.iterdir())) == 2  # the other one, and the part that was under way
    made = graded_clip(source, target, same)
    assert made.frames == 40
    assert sorted(p.name for p in folder.iterdir()) == ["other.mkv", "result.mkv"]
    assert (folder / "other.mkv").read_bytes() == b"whole"


@pytest.mark.parametrize("bits", [8, 10])
def test_h264_is_no_worse_than_ffmpegs_own_graph_with_the_same_settings(
    bits: int, tmp_path: Path
) -> None:
    source = _made(tmp_path / "in.mkv", Layout(bits, 2, 2, False, 1), 12, size=(320, 180))
    nodes = np.clip(lattice_colours(33) ** np.float32([1.15, 1.0, 0.9]), 0, 1)
    look = Transform((Table3D(nodes),))
    cube = tmp_path / "look.cube"
    sfumato.write(look, cube)
    ours, theirs = tmp_path / "ours.mp4", tmp_path / "theirs.mp4"
    graded_clip(source, ours, chain_of([look]), ClipWish("h264", 16, encoding="BT.1886"))
    with av.open(str(source)) as container, av.open(str(theirs), "w") as out:
        video = container.streams.video[0]
        stream = out.add_stream("libx264", rate=25)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = 320, 180, video.codec_context.pix_fmt
        context.color_range, context.colorspace = 1, 1
        context.options = {"crf": "16", "preset": "veryfast"}
        graph = Graph()
        chain = [
            graph.add_buffer(template=video),
            graph.add("lut3d", file=str(cube), interp="tetrahedral"),
            graph.add("format", context.pix_fmt),
            graph.add("buffersink"),
        ]
        for a, b in itertools.pairwise(chain):
            a.link_to(b)
        graph.configure()
        for number, frame in enumerate(container.decode(video)):
            graph.push(frame)
            graded = graph.pull()
            graded.pts, graded.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(graded))
        out.mux(stream.encode())
    before = Clip(str(source))
    meant = [np.clip(look.apply(before.frame(i).pixels), 0, 1) for i in range(12)]

    def error(file: Path) -> float:
        clip = Clip(str(file))
        return float(
            np.mean([np.abs(clip.frame(i).pixels - m).mean() for i, m in enumerate(meant)])
        )

    assert error(ours) <= error(theirs) * 1.01
    assert ours.stat().st_size < theirs.stat().st_size * 1.1
