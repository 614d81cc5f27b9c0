"""The rules of the house that no linter knows."""

from __future__ import annotations

import ast
import importlib
import inspect
import os
import pkgutil
import subprocess
import sys
from pathlib import Path

import platformdirs
import pytest
import strategies
from conftest import ROOT

import sfumato.app
from sfumato.core import controls
from sfumato.core.controls import Kind

PACKAGE = ROOT / "sfumato"
FILES = sorted(PACKAGE.rglob("*.py"))
RUNNERS = {"app/services/jobs.py", "app/guard.py"}


def _trees():
    for file in FILES:
        yield str(file.relative_to(PACKAGE)), ast.parse(file.read_text())


def test_the_models_import_no_widgets() -> None:
    widgets = {f"app/services/{n}.py" for n in ("ports", "room", "services")}  # what is passed on
    for name, tree in _trees():
        if name.endswith("_model.py") or (name.startswith("app/services/") and name not in widgets):
            modules = {n.module for n in ast.walk(tree) if isinstance(n, ast.ImportFrom)}
            assert "PySide6.QtWidgets" not in modules, name


def test_tests_write_into_no_folder_of_the_person(tmp_path: Path) -> None:
    for kind in ("config", "state", "data", "cache", "log"):
        folder = getattr(platformdirs, f"user_{kind}_dir")("sfumato", appauthor=False)
        assert Path(folder).is_relative_to(tmp_path), kind
    assert Path.home() == tmp_path


def test_wide_excepts_live_in_the_runners_alone() -> None:
    for name, tree in _trees():
        for node in ast.walk(tree):
            if isinstance(node, ast.ExceptHandler):
                wide = node.type is None or (
                    isinstance(node.type, ast.Name)
                    and node.type.id in ("Exception", "BaseException")
                )
                assert not wide or name in RUNNERS, f"{name}:{node.lineno}"


def test_files_are_looked_for_in_one_way() -> None:
    """`Path.exists` raises for a name that is too long for the disk; `work.files.exists` does not."""
    for name, tree in _trees():
        calls = {
            node.func.attr
            for node in ast.walk(tree)
            if isinstance(node, ast.Call)
            and isinstance(node.func, ast.Attribute)
            and not ast.unparse(node.func.value).startswith("os.path")
        }
        assert not calls & {"exists", "is_file", "is_dir"}, name


def test_the_core_opens_no_files() -> None:
    for name, tree in _trees():
        if name.startswith("core/"):
            calls = {
                n.func.id
                for n in ast.walk(tree)
                if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)
            }
            assert "open" not in calls, name


def test_a_room_is_known_to_its_own_folder_alone() -> None:
    """Rail, pages, drops, undo and closing derive from the rooms that are found."""
    rooms = {d.name for d in (PACKAGE / "app/rooms").iterdir() if (d / "room.py").exists()}
    assert len(rooms) >= 4
    for name, tree in _trees():
        modules = {n.module or "" for n in ast.walk(tree) if isinstance(n, ast.ImportFrom)}
        for room in rooms:
            if not name.startswith(f"app/rooms/{room}/"):
                assert not any(m.startswith(f"sfumato.app.rooms.{room}") for m in modules), name
    window = (PACKAGE / "app/window/main_window.py").read_text()
    assert len(window.splitlines()) < 300
    words = {n.value for n in ast.walk(ast.parse(window)) if isinstance(n, ast.Constant)}
    assert not words & rooms


def test_long_modules_say_why_they_are_not_divided() -> None:
    for file in FILES:
        text = file.read_text()
        if text.count("\n") > 400:
            assert "Not divided: " in text.split("\n", 1)[0], file


def test_the_luma_weights_stand_in_one_place() -> None:
    """Other files may show them in a docstring; numbers to count with come from `core.luma`."""
    for name, tree in _trees():
        numbers = {n.value for n in ast.walk(tree) if isinstance(n, ast.Constant)}
        assert 0.7152 not in numbers or name == "core/luma.py", name


def test_every_folder_says_what_it_holds_and_nothing_else() -> None:
    for file in PACKAGE.rglob("__init__.py"):
        tree = ast.parse(file.read_text())
        assert ast.get_docstring(tree), file
        if file.parent != PACKAGE:
            assert len(tree.body) == 1, file


def test_everything_below_the_window_runs_without_qt() -> None:
    code = (
        "import sys, pkgutil, importlib\n"
        "sys.modules['PySide6'] = None\n"
        "import sfumato\n"
        "for m in pkgutil.walk_packages(sfumato.__path__, 'sfumato.'):\n"
        "    if not m.name.startswith(('sfumato.app', 'sfumato.__main__')):\n"
        "        importlib.import_module(m.name)\n"
        "print(len(sfumato.glazes()), len(sfumato.encodings()))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    glazes = len(list((PACKAGE / "core/glazes").glob("[a-z]*.py")))
    assert done.stdout.split()[0] == str(glazes)


@pytest.mark.parametrize("words", [["--version"], ["--help"], ["bake", "--help"]])
def test_help_answers_without_the_heavy_libraries(words: list[str]) -> None:
    code = (
        f"import sys; sys.argv = ['sfumato', *{words!r}]\n"
        "from sfumato.cli.main import run\n"
        "try: run()\n"
        "except SystemExit: pass\n"
        "print(sorted({'PySide6', 'scipy', 'numba', 'av', 'numpy'} & set(sys.modules)))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip().endswith("[]")


def test_matrices_are_multiplied_in_the_thread_that_asks() -> None:
    code = (
        "import os, sys; sys.argv = ['sfumato', '--version']\n"
        "from sfumato.cli.main import run\n"
        "try: run()\n"
        "except SystemExit: pass\n"
        "import numpy, scipy.linalg\n"
        "print(os.listdir('/proc/self/task') == [str(os.getpid())])\n"
    )
    own = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"}
    done = subprocess.run([sys.executable, "-c", code], env=own, stdout=subprocess.PIPE, check=True)
    assert done.stdout.split()[-1] == b"True"


def test_every_kind_of_control_has_an_editor_and_a_strategy() -> None:
    from sfumato.app.controls.record_panel import EDITORS

    kinds = {
        c
        for c in vars(controls).values()
        if isinstance(c, type) and issubclass(c, Kind) and c is not Kind
    }
    assert kinds == set(EDITORS)
    for kind in kinds:
        extra = {"options": ("a",)} if kind is controls.Choice else {}
        if kind in (controls.Number, controls.Triple, controls.Pad):
            extra = {"least": 0.0, "most": 1.0}
        if kind is controls.Pad:
            extra["span"] = 0.5
        assert strategies.of(kind(title="x", **extra)) is not None


def test_qt_keeps_its_hands_off_none() -> None:
    """One release of the bindings took a reference from None with every paint call."""
    from PySide6.QtGui import QImage, QPainter

    image = QImage(8, 8, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    before = sys.getrefcount(None)
    for _ in range(1000):
        painter.drawLine(0, 0, 7, 7)
    painter.end()
    assert abs(sys.getrefcount(None) - before) < 200


def test_benches_can_be_collected() -> None:
    words = [
        sys.executable,
        "-m",
        "pytest",
        "bench",
        "--collect-only",
        "-q",
        "-p",
        "no:cacheprovider",
    ]
    alone = {k: v for k, v in os.environ.items() if not k.startswith("PYTEST_")}  # by no worker
    done = subprocess.run(words, cwd=ROOT, env=alone, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-2000:]
    for name in ("accuracy", "memory", "mutants"):
        importlib.import_module(f"bench.{name}")


def test_no_machine_paths_in_the_tree() -> None:
    listed = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=False
    ).stdout.split()
    home = str(Path.home()) + "/"
    for name in listed:
        if name.endswith((".py", ".md", ".toml", ".sfumato", ".json")):
            text = (ROOT / name).read_text(errors="ignore")
            assert str(ROOT.parent) + "/" not in text, name
            assert home == "/" or home not in text, name


def test_every_method_that_qt_calls_is_guarded() -> None:
    """An error that leaves an override can end the process; see `sfumato.app.guard`."""
    count = 0
    for info in pkgutil.walk_packages(sfumato.app.__path__, "sfumato.app."):
        module = importlib.import_module(info.name)
        for cls in vars(module).values():
            if not inspect.isclass(cls) or cls.__module__ != module.__name__:
                continue
            above = [b for b in cls.__mro__[1:] if b.__module__.startswith("PySide6")]
            for name, method in vars(cls).items():
                if not inspect.isfunction(method) or name.startswith("__"):
                    continue
                if any(name in vars(base) for base in above):
                    assert hasattr(method, "is_guarded"), f"{cls.__qualname__}.{name}"
                    count += 1
    assert count > 150


def test_a_painter_ends_before_what_it_paints_on() -> None:
    """Where painting is cancelled, its picture goes before a painter that is not ended: the process with it."""
    found = 0
    for name, tree in _trees():
        ended = {
            id(i.context_expr) for n in ast.walk(tree) if isinstance(n, ast.With) for i in n.items
        }
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and ast.unparse(node.func) == "QPainter":
                on = ast.unparse(node.args[0])
                found += 1
                assert on in ("self", "self.viewport()") or id(node) in ended, (
                    f"{name}:{node.lineno}"
                )
    assert found > 30
