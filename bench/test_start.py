"""From the command to the window and to the first picture, in a fresh process, warm cache."""

from __future__ import annotations

import json
import os
import subprocess
import sys

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
app = application(); theme.install(app)
window = MainWindow(Settings(Path(sys.argv[2])))
window.files.open_file(Path(sys.argv[1]))
window.show()
app.processEvents()
up = time.perf_counter() - start
times = {}
window.desk.shown.connect(lambda s: times.setdefault("picture", time.perf_counter() - start))
def warmed():
    print(json.dumps({"window": up, **times, "kernels": time.perf_counter() - start}))
    window.close(); app.quit()
window.desk.warmed.connect(warmed)
app.exec()
"""


def test_start(benchmark, tmp_path) -> None:
    env = {**os.environ, "XDG_STATE_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    runs = []

    def once() -> None:
        done = subprocess.run(
            [sys.executable, "-c", CODE, str(DEMO), str(tmp_path / "s.ini")],
            capture_output=True,
            text=True,
            check=True,
            env=env,
        )
        runs.append(json.loads(done.stdout.splitlines()[-1]))

    benchmark.pedantic(once, rounds=3)
    for name in runs[0]:
        print(f"\n  {name}: {sorted(r[name] for r in runs)[1]:.2f} s", end="")
    print()
