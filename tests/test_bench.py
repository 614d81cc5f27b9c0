"""The stand-ins of devices: the monitor's arithmetic against its definition and FFmpeg, and the command."""

from __future__ import annotations

import json
from pathlib import Path

import av
import numpy as np
import pytest
from conftest import ROOT
from PIL import Image
from test_cli import run

import sfumato
from sfumato.core.bench import monitor as core
from sfumato.core.bench.signal import from_signal, to_signal
from sfumato.core.lut.sample import apply_table
from sfumato.core.lut.table import Table3D

LOOK = ROOT / "demo" / "luts" / "low_tide_33.cube"
SHOT = ROOT / "demo" / "sill_photo.png"


def picture(seed: int = 3, high: int = 12, wide: int = 17) -> np.ndarray:
    return np.random.default_rng(seed).random((high, wide, 3)).astype(np.float32)


def as_defined(rgb: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Y', Cb and Cr of BT.709 as 10-bit codes in float64; colour differences (1, 2, 1) / 4 on even pixels."""
    r, g, b = np.moveaxis(rgb.astype(np.float64), -1, 0)
    y = 0.2126 * r + 0.7152 * g + 0.0722 * b
    halves = []
    for plane in ((b - y) / 1.8556, (r - y) / 1.5748):
        rows = []
        for row in plane:
            n = len(row)
            at = range(0, n, 2)
            rows.append(
                [(row[max(i - 1, 0)] + 2 * row[i] + row[min(i + 1, n - 1)]) / 4 for i in at]
            )
        halves.append(512 + 896 * np.array(rows))
    return 64 + 876 * y, *halves


def test_the_signal_is_what_the_standard_says() -> None:
    rgb = picture()
    signal = to_signal(rgb)
    for codes, wanted in zip((signal.y, signal.cb, signal.cr), as_defined(rgb), strict=True):
        assert codes.dtype == np.uint16
        assert np.abs(codes - np.clip(wanted, 4, 1019)).max() <= 0.5 + 1e-3
    assert signal.size == (17, 12)
    smooth = np.linspace(0.1, 0.9, 34, dtype=np.float32)[None, :, None] * np.float32([1, 0.8, 0.6])
    back = from_signal(to_signal(smooth))
    assert np.abs(back - smooth)[:, :-2].max() < 3 / 876  # at the edge the last difference goes on


def test_ffmpeg_reads_the_picture_in_our_codes() -> None:
    """A frame of our codes, read to RGB by FFmpeg, is the picture."""
    rgb = np.full((16, 32, 3), 0.0, np.float32) + np.float32([0.7, 0.35, 0.2])
    signal = to_signal(rgb)
    frame = av.VideoFrame(32, 16, "yuv422p10le")
    for plane, codes in zip(frame.planes, (signal.y, signal.cb, signal.cr), strict=True):
        rows = np.zeros((plane.height, plane.line_size // 2), np.uint16)
        rows[:, : codes.shape[1]] = codes
        plane.update(rows.tobytes())
    frame.colorspace, frame.color_range = 1, 1  # BT.709, legal
    seen = frame.reformat(format="rgb48le").to_ndarray().astype(np.float64) / 65535
    assert np.abs(seen - rgb).max() < 3 / 876  # its own rounding is coarse


@pytest.mark.parametrize("key", core.MONITORS)
def test_a_monitor_is_its_definition(key: str) -> None:
    device = core.MONITORS[key]
    table = sfumato.read(LOOK).table
    assert table is not None
    signal = to_signal(picture(5))
    most = 2**device.bits - 1
    held = Table3D((np.rint(np.clip(table.values, 0, 1) * most) / most).astype(np.float32))
    wanted = to_signal(apply_table(held, np.clip(from_signal(signal), 0, 1), device.interp))
    made = core.through_monitor(device, core.held(device, table), signal)
    assert np.array_equal(made.y, wanted.y)
    assert np.array_equal(made.cb, wanted.cb)
    half = core.half_and_half(signal, made, 0.5)
    assert np.array_equal(half.y[:, :8], signal.y[:, :8])
    assert np.array_equal(half.cr[:, 4:], made.cr[:, 4:])


@pytest.mark.parametrize(
    ("key", "name", "size", "format", "points", "word"),
    [
        ("stubborn", "LOWTIDE", 9000, "cube", 33, ""),
        ("stubborn", "low tide", 9000, "cube", 33, "BAD NAME"),
        ("stubborn", "LOWTIDE", 9000, "cube", 17, "WRONG SIZE"),
        ("stubborn", "LOWTIDE", 2 << 20, "cube", 33, "TOO LARGE"),
        ("stubborn", "LOWTIDE", 9000, "3dl", 33, "FILE ERROR"),
        ("usual", "low tide", 9000, "3dl", 33, ""),
        ("usual", "brück", 9000, "cube", 33, "BAD NAME"),
        ("generous", "low.tide (2)", 9000, "cube", 65, ""),
        ("generous", "x" * 25, 9000, "cube", 33, "BAD NAME"),
    ],
)
def test_devices_take_what_they_say(key, name, size, format, points, word) -> None:
    found = core.refusal(core.MONITORS[key], name, size, format, points)
    assert ("" if found is None else found.word) == word


def test_the_command_shows_records_and_refuses(tmp_path: Path) -> None:
    lut = tmp_path / "LOWTIDE.cube"
    lut.write_bytes(LOOK.read_bytes())
    shot = tmp_path / "shot.png"
    Image.open(SHOT).convert("RGB").resize((320, 180)).save(shot)
    command = ("bench", "monitor", "--lut", lut, "--on", shot)
    answer = json.loads(
        run(*command, tmp_path / "screen.png", "--device", "usual", "--json").stdout
    )
    assert answer["refused"] is None
    assert list(answer["shares"]) == ["interpolation", "lattice", "bits", "sampling"]
    off = answer["from_look"]
    assert sum(answer["shares"].values()) == pytest.approx(off["mean"], abs=1e-3)
    assert 0 < off["mean"] < 2 < off["worst"]  # 4:2:2 at sharp edges
    for use in ("half", "recording"):
        run(*command, tmp_path / f"{use}.png", "--use", use)
    natural, screen, half, kept = (
        np.asarray(Image.open(f).convert("RGB"), np.int16)
        for f in (shot, *(tmp_path / f"{n}.png" for n in ("screen", "half", "recording")))
    )
    assert np.abs(half[:, 170:] - screen[:, 170:]).max() <= 1
    assert np.abs(half[:, :150] - natural[:, :150]).mean() < 2
    assert np.abs(kept - screen).max() <= 1
    poor = tmp_path / "low_tide.cube"
    poor.write_bytes(LOOK.read_bytes())
    refused = run(
        "bench", "monitor", tmp_path / "no.png", "--lut", poor, "--on", shot, "--device", "stubborn"
    )
    assert "BAD NAME" in refused.stdout
    assert "8 capitals" in refused.stdout
    broken = tmp_path / "BROKEN.cube"
    broken.write_bytes(LOOK.read_bytes()[:5000])
    said = run("bench", "monitor", tmp_path / "b.jpg", "--lut", broken, "--on", shot).stdout
    assert "FILE ERROR" in said
    gone = run(
        "bench",
        "monitor",
        tmp_path / "c.png",
        "--lut",
        tmp_path / "gone.cube",
        "--on",
        shot,
        status=1,
    )
    assert len(gone.stderr.strip().splitlines()) == 1
    again = run(*command, shot, status=1)
    assert "read in this run" in again.stderr
