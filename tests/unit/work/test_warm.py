"""Kernels compiled by a process of its own, and kept for the next."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from sfumato.core import kernels
from sfumato.work import warm

SOURCES = Path(kernels.__path__[0])


def test_what_is_missing_is_compiled_apart_and_then_kept(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))
    warm.choose_cache()
    place = os.environ["NUMBA_CACHE_DIR"]
    assert not warm._is_kept("bend", place)
    warm._compile_apart((("bend",),))
    assert warm._is_kept("bend", place)
    kept = [*Path(place).glob("*/bend.*.nbi")]
    monkeypatch.setattr(warm.subprocess, "Popen", None)
    warm._compile_apart((("bend",),))  # nothing is started
    assert kept
    assert all(k.is_file() for k in kept)


def test_kernels_of_another_version_lie_apart_and_old_ones_go(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.delenv("NUMBA_CACHE_DIR")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    warm.choose_cache()
    first = Path(os.environ["NUMBA_CACHE_DIR"])
    elsewhere = shutil.copytree(SOURCES, tmp_path / "another installation")
    with monkeypatch.context() as there:
        there.setattr(warm, "_SOURCES", elsewhere)
        assert warm._version() != first.name, "Numba would find none of them there"
    sources = tmp_path / "kernels of tomorrow"
    sources.mkdir()
    (sources / "powers.py").write_text("# a change in what others take in")
    monkeypatch.setattr(warm, "_SOURCES", sources)
    for age, is_there in ((3, True), (40, False)):
        os.utime(first, (first.stat().st_atime, first.stat().st_mtime - age * 86400))
        monkeypatch.delenv("NUMBA_CACHE_DIR")
        warm.choose_cache()
        second = Path(os.environ["NUMBA_CACHE_DIR"])
        assert second.parent == first.parent
        assert second != first
        assert second.is_dir()
        assert first.is_dir() is is_there
    warm.choose_cache()  # again: as it is
    assert Path(os.environ["NUMBA_CACHE_DIR"]) == second


def test_every_kernel_is_in_a_step() -> None:
    named = {name for step in warm._STEPS for group in step for name in group}
    modules = {p.stem for p in SOURCES.glob("*.py")} - {"__init__", "powers"}
    assert named == modules
