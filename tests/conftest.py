"""Shared fixtures: folders of the test's own, loaded kernels, pictures that are not the demo's."""

from __future__ import annotations

import os
import sys
import threading
from pathlib import Path

import hypothesis
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

from sfumato.work.warm import choose_cache, warm

ROOT = Path(__file__).resolve().parents[1]
os.environ.setdefault("NUMBA_CACHE_DIR", str(ROOT / ".numba_cache"))
choose_cache()
DEMO = ROOT / "demo" / "saltglass.sfumato"

hypothesis.settings.register_profile("ci", derandomize=True, deadline=None, max_examples=40)
hypothesis.settings.register_profile("everyday", deadline=None, max_examples=40)
hypothesis.settings.load_profile("ci" if os.environ.get("CI") else "everyday")


@pytest.fixture(scope="session", autouse=True)
def kernels() -> None:
    """Load the compiled kernels once, so that all tests run what users run."""
    warm()


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Keep settings, autosaves, caches and all else away from the person's own."""
    monkeypatch.setenv("HOME", str(tmp_path))
    for kind in ("CONFIG", "STATE", "DATA", "CACHE"):
        monkeypatch.setenv(f"XDG_{kind}_HOME", str(tmp_path / kind.lower()))


@pytest.fixture
def no_threads_left():
    """Fail when a test leaves a thread behind (the shared tile pool may stay)."""
    before = {t.ident for t in threading.enumerate()}
    yield
    left = [t for t in threading.enumerate() if t.ident not in before and t.is_alive()]
    assert [t.name for t in left if not t.name.startswith("tile")] == []


def scene(width: int = 320, height: int = 200) -> np.ndarray:
    """Return a made-up picture, float64 (h, w, 3) 0..1: ramps, hues and a dark corner."""
    y, x = np.mgrid[0:height, 0:width]
    u, v = x / (width - 1), y / (height - 1)
    hue = np.stack([np.cos(2 * np.pi * (u - p)) * 0.5 + 0.5 for p in (0, 1 / 3, 2 / 3)], -1)
    grey = u[..., None]
    return np.clip((hue * 0.8 + 0.1) * (1 - v[..., None]) + grey * v[..., None], 0, 1)


@pytest.fixture
def jpeg(tmp_path: Path) -> Path:
    """A JPEG with an sRGB profile."""
    path = tmp_path / "holiday.jpg"
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    pixels = (scene() * 255 + 0.5).astype(np.uint8)
    Image.fromarray(pixels).save(path, quality=92, icc_profile=profile)
    return path


@pytest.fixture
def tiff16(tmp_path: Path) -> Path:
    """A 16-bit TIFF that states nothing."""
    path = tmp_path / "flat.tif"
    tifffile.imwrite(path, (scene() * 0.6 * 65535 + 9000).astype(np.uint16), photometric="rgb")
    return path
