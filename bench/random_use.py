"""Random use for hours: `python -m bench.random_use [SEEDS] [EVENTS] [FIRST]`, each seed a process of its own.

Prints for each seed what should never be (errors, warnings of Qt, a study that is not what it was),
the longest stall of the window and the greatest memory; ends with 1 when a seed had faults.

The host of a shared machine takes its processors away at times. Linux counts that; stalls during which it
had a tenth of them or more say nothing of the program, and are counted apart.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from pathlib import Path

from bench.opened import ROOT, opened, own_folders

STALL, MEMORY = 0.2, 700  # seconds, MB: what is asked for
_TAKEN = 0.1  # of the time of a stall
_MORE = 100  # MB between two tellings of what holds the memory


def teller() -> Callable[[float], None]:
    """Return what tells of much memory what holds it, at every 100 MB more."""
    from bench.held import Held

    held, told = Held(), [float(MEMORY) - _MORE]

    def on_peak(now: float) -> None:
        if now > told[0] + _MORE:
            told[0] = now
            print(f"{now:.0f} MB:")
            held.tell()

    return on_peak


def run(seed: int, events: int) -> int:
    """Use the window at random in this process, and print what came of it."""
    import faulthandler

    faulthandler.enable()
    folder = Path(tempfile.mkdtemp(prefix="sfumato-random-"))
    here = folder / "started here"  # nothing may be written where the program was started
    here.mkdir()
    os.chdir(here)
    os.environ.update(own_folders(folder))
    sys.path.insert(0, str(ROOT / "tests"))
    from wander import AnyPorts, Wanderer

    from sfumato.app.rooms.swatchbook import swatch_edits
    from sfumato.work.stores import presets

    ports = AnyPorts(random.Random(seed), folder)
    for module in (presets, swatch_edits):  # files are moved and thrown away there too
        module.shipped_folder = lambda: ports.looks
    _application, hand = opened(folder, ports)
    window = hand.window
    start = time.perf_counter()
    with Wanderer(hand, seed) as wanderer:
        wanderer.start()
        hand.until(lambda: len(list(window.rooms)) == len(window.rooms.specs))  # at rest
        wanderer.on_peak = teller()
        wanderer.work = 0.0
        wanderer.gaps.clear()
        wanderer.run(events)
        own = [(g, doing) for g, taken, doing in wanderer.gaps if taken < _TAKEN * g]
        stall, where = max(own, default=(0.0, "none was longer than 100 ms"))
        hosts = [g for g, taken, _doing in wanderer.gaps if taken >= _TAKEN * g and g > STALL]
        work, worked = wanderer.work, wanderer.worked_in
        try:
            wanderer.way_back()
        except AssertionError:  # not at rest: say where every thread is
            faulthandler.dump_traceback(all_threads=True)
            print(*wanderer.faults, sep="\n", flush=True)
            raise
        window.close()
    wanderer.faults += [f"written where it was started: {f.name}" for f in here.iterdir()]
    for fault in dict.fromkeys(wanderer.faults):
        print(fault, flush=True)
    marks = f"{'' if stall < STALL else ' !'}, {wanderer.peak:.0f} MB"
    print(
        f"seed {seed}: {events} events in {time.perf_counter() - start:.0f} s, "
        f"{len(wanderer.faults)} faults, longest stall {1000 * stall:.0f} ms ({where}; "
        f"{len(hosts)} more over 200 ms while the host had the processors), "
        f"of own work {1000 * work:.0f} ms ({worked}){marks}"
        f"{'' if wanderer.peak < MEMORY else f' ! in {wanderer.peaked_in}'}",
        flush=True,
    )
    return min(len(wanderer.faults), 1)


def main() -> int:
    if sys.argv[1:2] == ["--one"]:
        code = 1
        try:
            code = run(int(sys.argv[2]), int(sys.argv[3]))
        except Exception:  # a window that is still at work would keep the process
            traceback.print_exc()
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
