"""The guides are followed to the letter: what they tell to write is put there, and the tests are run."""

from __future__ import annotations

import importlib
import importlib.util
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import ROOT

PLACES = {
    "add-a-glaze.md": ("core/glazes/lift_blacks.py",),
    "add-a-format.md": ("formats/plaingrid.py",),
    "add-a-room.md": ("app/rooms/notes/room.py", "app/views/instruments/brightest.py"),
}


def _laid_out(guide: str, folder: Path) -> None:
    text = (ROOT / "docs" / guide).read_text()
    blocks = re.findall(r"```python\n(.*?)```", text, re.S)
    for place, code in zip(PLACES[guide], blocks, strict=True):
        file = folder / place
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(code)
        if file.name == "room.py":
            (file.parent / "__init__.py").write_text('"""The Notes room."""\n')


def _run(folder: Path, *words: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-p", "extending", *words],
        cwd=ROOT,
        env={
            **os.environ,
            "EXTENSION": str(folder),
            "PYTHONPATH": str(ROOT / "tests"),
            "QT_QPA_PLATFORM": "offscreen",
        },
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-500:]
    return done.stdout


@pytest.mark.parametrize(
    ("guide", "tests"),
    [
        ("add-a-glaze.md", ("tests/contract/test_glazes.py", "-k", "lift_blacks or defined")),
        (
            "add-a-format.md",
            # The page of formats is written by ./dev formats, as the guide says.
            ("tests/contract/test_formats.py", "-k", "plaingrid and not page or holds_something"),
        ),
        ("add-a-room.md", ("tests/gui/test_extended.py",)),
    ],
)
def test_what_a_guide_tells_to_write_passes_the_battery(guide: str, tests, tmp_path: Path) -> None:
    _laid_out(guide, tmp_path)
    _run(tmp_path, *tests)


def test_the_code_of_the_guides_is_clean(tmp_path: Path) -> None:
    for guide in PLACES:
        _laid_out(guide, tmp_path)
    for words in (["ruff", "check"], ["ruff", "format", "--check"]):
        done = subprocess.run(
            [sys.executable, "-m", *words, "--config", str(ROOT / "pyproject.toml"), str(tmp_path)],
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0, done.stdout


def test_the_readme_links_every_picture_and_is_short() -> None:
    text = (ROOT / "README.md").read_text()
    assert len(text.splitlines()) <= 120
    pictures = sorted(p.name for p in (ROOT / "docs/screenshots").glob("*.png"))
    assert 3 <= len(pictures) < 20
    assert [p for p in pictures if f"docs/screenshots/{p}" not in text] == []
    for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
        for name in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / name).exists(), f"{page.name}: {name}"


def test_every_word_is_explained_where_it_is() -> None:
    """Each place that the page of words names is a module, or a name in one."""
    rows = [r for r in (ROOT / "docs/words.md").read_text().splitlines() if r.startswith("| ")]
    assert len(rows) > 50
    for row in rows:
        for place in re.findall(r"`(sfumato\.[\w.]+)`", row.split("|")[-2]):
            if importlib.util.find_spec(place.rpartition(".")[0]) is None:
                pytest.fail(f"{place} is not there")
            try:
                importlib.import_module(place)
            except ModuleNotFoundError:
                module, _, name = place.rpartition(".")
                assert hasattr(importlib.import_module(module), name), place
