"""From the command to the window, to the first picture, and until its kernels and all others are there.

In a fresh process: with kernels in the cache, and once for the very first time.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from conftest import DEMO

CODE = """
import json, sys, time
start = time.perf_counter()
from pathlib import Path
from sfumato.work.warm import choose_cache; choose_cache()
from sfumato.app.main import application
from sfumato.app import theme
from sfumato.app.services.settings import Settings
from sfumato.app.window.main_window import MainWindow
from sfumato.core.compiled import KERNELS
from PySide6.QtCore import QTimer
app = application(); theme.install(app)
window = MainWindow(Settings(Path(sys.argv[2])))
window.files.open_file(Path(sys.argv[1]))
window.show()
app.processEvents()
up = time.perf_counter() - start
times = {}
window.desk.shown.connect(lambda s: times.setdefault("picture", time.perf_counter() - start))
def look():
    if KERNELS.are_loaded: times.setdefault("its kernels", time.perf_counter() - start)
timer = QTimer(); timer.timeout.connect(look); timer.start(20)
def warmed():
    look()
    print(json.dumps({"window": up, **times, "all kernels": time.perf_counter() - start}))
    window.close(); app.quit()
window.desk.warmed.connect(warmed)
app.exec()
"""


def _started(folder: Path, **more: str) -> dict[str, float]:
    state = {"XDG_STATE_HOME": str(folder), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", CODE, str(DEMO), str(folder / "s.ini")],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, **state, **more},
    )
    return json.loads(done.stdout.splitlines()[-1])


def _said(runs: list[dict[str, float]]) -> None:
    for name in runs[0]:
        print(f"\n  {name}: {sorted(r[name] for r in runs)[len(runs) // 2]:.2f} s", end="")
    print()


def test_start(benchmark, tmp_path) -> None:
    runs: list[dict[str, float]] = []
    benchmark.pedantic(lambda: runs.append(_started(tmp_path)), rounds=3)
    _said(runs)


def test_the_very_first_start(benchmark, tmp_path) -> None:
    runs: list[dict[str, float]] = []
    cache = str(tmp_path / "kernels")
    benchmark.pedantic(lambda: runs.append(_started(tmp_path, NUMBA_CACHE_DIR=cache)), rounds=1)
    _said(runs)
