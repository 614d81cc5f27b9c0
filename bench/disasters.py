"""What is lost when the program is killed, or a disk is full or read-only? `python -m bench.disasters [ROUNDS]`

A window edits, saves, exports and sends without rest. First it is killed (SIGKILL) at a random moment, 30
times: the study and every LUT must be whole, and the recovery copy no older than five seconds. Then
each of its folders in turn lies on a disk that is full or read-only (small file systems in memory,
which only root can mount): nothing may end, and it must be said in words. Ends with 1 on a fault.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import attrs

from bench.opened import ROOT, opened, own_folders

MOST_LOST = 5.0  # seconds of work
PLACES = ("study", "export", "state", "cache", "tmp")


# --- the one that works, in a process of its own -------------------------------------------------------
def work(folder: Path, rounds: int) -> None:
    """Edit, save and export; every edit is numbered in the Look's name and in a log."""
    _application, hand = opened(folder, fast=False)
    from sfumato.app.rooms.look.export_sheet import ExportWish
    from sfumato.work.luts.target import Target
    from sfumato.work.outlets.templates import TEMPLATES

    window = hand.window
    hand.ports.save = folder / "study" / "mine.sfumato"
    window.files.open_demo()
    hand.wait(3000)
    window.files.save_study_as()
    outlets = tuple(
        attrs.evolve(TEMPLATES[key], folder=str(folder / "export"), grid=17)
        for key in ("editing33", "shader_glsl", "ocio_config")
    )
    window.model.commit("outlets", attrs.evolve(window.model.study, outlets=outlets))
    window.rooms["send"].model.ask()
    ledger = window.rooms["look"].ledger.edits
    with (folder / "log.txt").open("a") as log:
        for count in range(1, rounds + 1):
            ledger.look_name(f"edit {count}")
            ledger.release()
            log.write(f"{count} {time.time()}\n")
            log.flush()
            if count % 23 == 0:
                window.files.save_study()
            if count % 9 == 0:
                file = folder / "export" / f"look {count}.cube"
                wish = ExportWish(file, Target("cube", 33), "", False)
                window.rooms["look"].exports.export(wish)
            if count % 9 == 5:
                window.rooms["send"].edits.send_all()
            hand.wait(120)
    hand.settle()
    window.files.autosave_now()
    hand.settle()
    print("SAID " + json.dumps(hand.notices), flush=True)
    os._exit(0)


@contextlib.contextmanager
def working(folder: Path, rounds: int) -> Iterator[subprocess.Popen[str]]:
    command = [sys.executable, "-m", "bench.disasters", "--work", str(folder), str(rounds)]
    environment = os.environ | {"TMPDIR": str(folder / "tmp")}
    with subprocess.Popen(
        command, cwd=ROOT, env=environment, stdout=-1, stderr=subprocess.STDOUT, text=True
    ) as process:
        yield process


# --- killed ----------------------------------------------------------------------------------------------
def killed(dice: random.Random) -> tuple[float, list[str]]:
    """Kill it once; return the seconds of work that are lost, and what is wrong."""
    with tempfile.TemporaryDirectory(prefix="sfumato-killed-") as name:
        folder = Path(name)
        for place in PLACES:
            (folder / place).mkdir()
        log = folder / "log.txt"
        with working(folder, 10_000) as process:
            while not log.exists():
                time.sleep(0.05)
            time.sleep(dice.uniform(0.3, 9.0))
            process.send_signal(signal.SIGKILL)
            end = time.time()
        return left(folder, end)


def left(folder: Path, end: float) -> tuple[float, list[str]]:
    """Look at what a killed one has left behind."""
    code = (
        "import json, sys; from pathlib import Path; import sfumato\n"
        "from sfumato.work.stores import study_store\n"
        "folder = Path(sys.argv[1]); faults = []\n"
        "names = [study_store.read_study(folder / 'study/mine.sfumato').opened().look.name]\n"
        "copies, damaged = study_store.recoverable()\n"
        "faults += [f'damaged copy {d}' for d in damaged]\n"
        "names += [c.study.look.name for c in copies]\n"
        "files = [f for f in (folder / 'export').rglob('*') if f.suffix in ('.cube', '.ktx2', '.clf')]\n"
        "files = [f for f in files if not any(p.startswith('.') for p in f.parts[-3:])]\n"
        "for file in files: sfumato.read(file)\n"
        "configs = [f for f in (folder / 'export').glob('[!.]*_config')]\n"
        "faults += [f'half a config {c}' for c in configs if len(list(c.rglob('*.*'))) < 4]\n"
        "print(json.dumps([names, faults]))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(folder)],
        cwd=ROOT,
        env=os.environ | own_folders(folder),
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        return 0.0, [done.stderr.strip().splitlines()[-1]]
    names, faults = json.loads(done.stdout)
    kept = (
        max(int(n.removeprefix("edit ")) for n in names if n.startswith("edit "))
        if any(n.startswith("edit ") for n in names)
        else 0
    )
    edits = [line.split() for line in (folder / "log.txt").read_text().splitlines()]
    lost = [float(at) for count, at in edits if int(count) > kept]
    seconds = end - lost[0] if lost else 0.0
    if seconds > MOST_LOST:
        faults.append(f"{seconds:.1f} s of work are lost: edit {kept} of {len(edits)} was kept")
    return seconds, faults


# --- full and read-only disks ----------------------------------------------------------------------------
@contextlib.contextmanager
def disk(place: Path, how: str) -> Iterator[None]:
    """Lay a small file system over a folder: full, or read-only."""
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=256k", "tmpfs", place], check=True)
    try:
        if how == "full":
            with contextlib.suppress(OSError), (place / "filler").open("wb", 0) as file:
                while True:
                    file.write(bytes(4096))
        else:
            subprocess.run(["mount", "-o", "remount,ro", place], check=True)
        yield
    finally:
        subprocess.run(["umount", "-l", place], check=True)


def on_a_bad_disk(kind: str, how: str) -> list[str]:
    """Work with one folder on a bad disk; return what is wrong."""
    with tempfile.TemporaryDirectory(prefix="sfumato-disk-") as name:
        folder = Path(name)
        for place in PLACES:
            (folder / place).mkdir()
        with disk(folder / kind, how), working(folder, 30) as process:
            out, _ = process.communicate(timeout=300)
            half = [f.name for f in (folder / kind).rglob("*") if f.suffix in (".cube", ".sfumato")]
    faults = [line for line in out.splitlines() if "Traceback" in line or "fault inside" in line]
    said = next((line for line in out.splitlines() if line.startswith("SAID ")), "")
    if process.returncode or not said:
        faults.append(f"ended with {process.returncode}: {out[-300:]}")
    words = {"full": "full", "read-only": "read-only"}[how]
    if kind in ("study", "export", "state") and words not in said:
        faults.append(f"nothing is said of it: {said[:400]}")
    faults += [f"half a file: {each}" for each in half]
    return faults


def main() -> int:
    if sys.argv[1:2] == ["--work"]:
        work(Path(sys.argv[2]), int(sys.argv[3]))
    rounds, bad = int(sys.argv[1]) if len(sys.argv) > 1 else 30, 0
    dice, most = random.Random(1), 0.0
    for number in range(rounds):
        lost, faults = killed(dice)
        most, bad = max(most, lost), bad + bool(faults)
        print(f"killed {number + 1}: {lost:.1f} s lost {' '.join(faults)}", flush=True)
    print(f"{rounds} kills: at most {most:.1f} s of work lost")
    for how in ("full", "read-only"):
        for kind in PLACES:
            faults = on_a_bad_disk(kind, how)
            bad += bool(faults)
            print(
                f"{kind} on a {how} disk: {'; '.join(faults) or 'said, nothing lost'}", flush=True
            )
    return min(bad, 1)


if __name__ == "__main__":
    sys.exit(main())
