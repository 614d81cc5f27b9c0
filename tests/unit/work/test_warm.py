"""Kernels compiled by a process of its own, and kept for the next."""

from __future__ import annotations

import os
from pathlib import Path

from sfumato.core import kernels
from sfumato.work import warm

SOURCES = Path(kernels.__path__[0])


def test_what_is_missing_is_compiled_apart_and_then_kept(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))
    assert not warm._is_kept("bend", SOURCES, str(tmp_path))
    warm._compile_apart((("bend",),), SOURCES)
    assert warm._is_kept("bend", SOURCES, str(tmp_path))
    (kept,) = tmp_path.glob("*/bend.*.nbi")
    os.utime(kept, (0, 0))  # older than the source
    assert not warm._is_kept("bend", SOURCES, str(tmp_path))
    monkeypatch.setattr(warm.sys, "executable", "/nowhere/python")
    warm._compile_apart((("bend",),), SOURCES)  # then it is compiled here, when it is loaded


def test_every_kernel_is_in_a_step() -> None:
    named = {name for step in warm._STEPS for group in step for name in group}
    modules = {p.stem for p in SOURCES.glob("*.py")} - {"__init__", "powers"}
    assert named == modules
