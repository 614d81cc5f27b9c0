"""Parts of pictures at another size lie where they lay; a picture is decoded once for all that is small."""

from __future__ import annotations

import gc
import os
from collections import Counter
from pathlib import Path

import attrs
import numpy as np
import pytest
from conftest import ROOT, scene
from PIL import Image

from sfumato.core.compiled import KERNELS
from sfumato.core.study.shot import Shot
from sfumato.work import frames as frames_module
from sfumato.work import memory
from sfumato.work.frames import WHOLE, Frames, open_still, scaled

WIDE, HIGH = 100, 60
Y, X = np.mgrid[0:HIGH, 0:WIDE]
RAMPS = np.stack([X / WIDE, Y / HIGH, np.full(X.shape, 0.5)], -1).astype(np.float32)


@pytest.mark.parametrize("size", [(10, 6), (40, 30), (300, 240)])
@pytest.mark.parametrize("region", [(0.0, 0.0, 1.0, 1.0), (0.159, 0.265, 0.659, 0.765)])
def test_each_pixel_shows_what_lies_at_its_place(region, size: tuple[int, int]) -> None:
    """Both ramps come out as the place of each pixel's middle, to half a pixel of the source."""
    x0, y0, x1, y1 = region
    width, height = size
    out = scaled(RAMPS, region, width, height)
    assert out.shape == (height, width, 3)
    across = x0 + (np.arange(width) + 0.5) / width * (x1 - x0) - 0.5 / WIDE
    down = y0 + (np.arange(height) + 0.5) / height * (y1 - y0) - 0.5 / HIGH
    assert np.abs(out[..., 0] - across).max() <= 0.55 / WIDE
    assert np.abs(out[..., 1] - down[:, None]).max() <= 0.55 / HIGH
    assert abs(float((out[..., 0] - across).mean())) < 0.25 / WIDE
    assert abs(float((out[..., 1] - down[:, None]).mean())) < 0.25 / HIGH


def test_larger_pictures_repeat_pixels_and_smaller_ones_average_areas() -> None:
    bars = np.zeros((4, 8, 3), np.uint8)
    bars[:, ::2] = 255
    assert set(np.unique(scaled(bars, (0, 0, 1, 1), 64, 32))) == {0.0, 1.0}
    np.testing.assert_allclose(scaled(bars, (0, 0, 1, 1), 4, 2), 0.5, atol=1e-3)
    same = scaled(RAMPS, (0.1, 0.0, 0.6, 0.5), 50, 30)
    np.testing.assert_array_equal(same, RAMPS[:30, 10:60])


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_smaller_copies_are_the_same_before_the_kernels_are_there(kind: type, monkeypatch) -> None:
    pixels = (scene(301, 173) * np.iinfo(kind).max).astype(kind)
    pixels.flags.writeable = False  # as some decoders give them
    for region, size in (
        (WHOLE, (150, 86)),
        (WHOLE, (7, 171)),
        (WHOLE, (150, 400)),  # narrower and taller than it is
        ((0.3, 0.9, 0.9, 0.99), (100, 90)),
        ((0.11, 0.2, 0.83, 0.97), (90, 61)),
    ):
        quick = scaled(pixels, region, *size)
        with monkeypatch.context() as before:
            before.setattr(KERNELS, "areas", None)  # Pillow makes them then
            np.testing.assert_allclose(quick, scaled(pixels, region, *size), atol=2e-7)
    assert scaled(pixels, WHOLE, 1, 1).mean() == pytest.approx(
        pixels.mean() / np.iinfo(kind).max, rel=1e-6
    )


def test_walking_over_many_shots_decodes_each_once(tmp_path: Path, monkeypatch) -> None:
    """Small pictures, and what files say, stay while large ones push one another out."""
    decoded: Counter[str] = Counter()

    def counted(path: str, *given: object):
        decoded[Path(path).name] += 1
        return open_still(path, *given)

    monkeypatch.setattr(frames_module, "open_still", counted)
    monkeypatch.setattr(memory, "STILLS", 200_000)  # of one picture
    monkeypatch.setattr(memory, "PROXIES", 300_000)
    monkeypatch.setattr(memory, "TOGETHER", 400_000)
    shots = []
    for i in range(6):
        file = tmp_path / f"{i}.png"
        Image.fromarray((scene(320, 180 + i) * 255).astype(np.uint8)).save(file)
        shots.append(Shot(str(file), file.stem, "sRGB"))
    frames = Frames()
    assert frames.known_size(shots[0]) is None
    for _walk in range(3):
        for i, shot in enumerate(shots):
            assert frames.sample(shot).shape == (round((180 + i) * 0.75), 240, 3)
            assert (frames.told(shot).is_float, frames.is_plated(shot)) == (False, False)
            assert frames.size(shot) == frames.known_size(shot) == (320, 180 + i)
            assert "8" in frames.told(shot).facts.bits
    assert set(decoded.values()) == {1}
    frames.proxy(shots[0], 500, 300)  # a large one is made of the picture itself
    assert decoded["0.png"] == 2
    Image.fromarray((scene(100, 50) * 255).astype(np.uint8)).save(shots[1].path)
    os.utime(shots[1].path, ns=(1, 1))
    assert frames.size(shots[1]) == (100, 50), "a file that has changed is read again"


def test_clips_that_nobody_looks_at_are_closed_at_once() -> None:
    """The collector of cycles comes by seldom in the window: the decoders of each had stayed till then."""
    clips = [ROOT / "demo" / name for name in ("walk.mov", "furnace.mov", "causeway.mov")]
    shots = [Shot(str(file), file.stem, "sRGB") for file in clips]
    frames, counts = Frames(), list[int]()
    gc.collect()
    before = _threads()
    gc.disable()
    try:
        for number, shot in enumerate(shots * 4):
            assert frames.rgb8(attrs.evolve(shot, frame=number), 96, 54).any()
            counts.append(_threads())
        del frames
        assert before < counts[0] < counts[1] == max(counts), "two clips are kept open"
        assert _threads() == before
    finally:
        gc.enable()


def _threads() -> int:
    return len(os.listdir("/proc/self/task"))
