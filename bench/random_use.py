"""Random use for hours: `python -m bench.random_use [SEEDS] [EVENTS] [FIRST]`, each seed a process of its own.

Prints for each seed what should never be (errors, warnings of Qt, a study that is not what it was),
the longest stall of the window and the greatest memory; ends with 1 when a seed had faults.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
STALL, MEMORY = 0.2, 700  # seconds, MB: what is asked for


def run(seed: int, events: int) -> int:
    """Use the window at random in this process, and print what came of it."""
    sys.path.insert(0, str(ROOT / "tests"))
    import faulthandler

    faulthandler.enable()
    folder = Path(tempfile.mkdtemp(prefix="sfumato-random-"))
    os.environ["HOME"] = str(folder)
    for kind in ("CONFIG", "STATE", "DATA", "CACHE"):
        os.environ[f"XDG_{kind}_HOME"] = str(folder / kind.lower())
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from conftest import DEMO
    from gui.conftest import RESTS, Hand
    from PySide6.QtWidgets import QApplication
    from wander import AnyPorts, Wanderer

    from sfumato.app import theme
    from sfumato.app.rooms.swatchbook import swatch_edits
    from sfumato.app.services.settings import Settings
    from sfumato.app.window.main_window import MainWindow
    from sfumato.work.stores import presets
    from sfumato.work.warm import warm

    warm()
    application = QApplication([])
    theme.install(application)
    ports = AnyPorts(random.Random(seed), folder)
    for module in (presets, swatch_edits):  # files are moved and thrown away there too
        module.shipped_folder = lambda: ports.looks
    window = MainWindow(Settings(folder / "s.ini"), ports, DEMO, RESTS)
    window.resize(1280, 800)
    window.show()
    start = time.perf_counter()
    with Wanderer(Hand(window, ports), seed) as wanderer:
        wanderer.start()
        wanderer.stall = 0.0
        wanderer.run(events)
        stall, where = wanderer.stall, wanderer.stalled_in
        wanderer.way_back()
        window.close()
    for fault in dict.fromkeys(wanderer.faults):
        print(fault, flush=True)
    marks = f"{'' if stall < STALL else ' !'}, {wanderer.peak:.0f} MB"
    print(
        f"seed {seed}: {events} events in {time.perf_counter() - start:.0f} s, "
        f"{len(wanderer.faults)} faults, longest stall {1000 * stall:.0f} ms ({where}){marks}"
        f"{'' if wanderer.peak < MEMORY else ' !'}",
        flush=True,
    )
    return min(len(wanderer.faults), 1)


def main() -> int:
    if sys.argv[1:2] == ["--one"]:
        code = run(int(sys.argv[2]), int(sys.argv[3]))
        sys.stdout.flush()
        os._exit(code)
    given = [int(a) for a in sys.argv[1:]]
    seeds, events, first = [*given, *(20, 4000, 1)[len(given) :]]
    bad = 0
    for seed in range(first, first + seeds):
        command = [sys.executable, "-m", "bench.random_use", "--one", str(seed), str(events)]
        code = subprocess.run(command, cwd=ROOT, check=False).returncode
        if code < 0:
            print(f"seed {seed}: ended by signal {-code}", flush=True)
        bad += code != 0
    print(f"{seeds - bad} of {seeds} seeds without a fault")
    return min(bad, 1)


if __name__ == "__main__":
    sys.exit(main())
