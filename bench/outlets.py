"""Sending and Accord: `python -m bench.outlets [send|accord]`.

`send` writes thirty looks to five outlets and says how long that takes and how much memory; `accord`
compares eight targets on the demo study.
"""

from __future__ import annotations

import itertools
import resource
import sys
import tempfile
import time
from pathlib import Path

import attrs

ROOT = Path(__file__).resolve().parents[1]
_FIVE = ("editing33", "photo_hald", "engine32", "pipeline_clf", "gpu_ktx2")
_EIGHT = (*_FIVE, "monitor33", "monitor17", "shader_glsl")


def _peak() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10


def send() -> None:
    from sfumato.work.frames import Frames
    from sfumato.work.outlets import sending
    from sfumato.work.outlets.looks import of_file
    from sfumato.work.outlets.templates import TEMPLATES
    from sfumato.work.stores.study_store import demo_study, open_study

    place = demo_study()
    assert place is not None
    study = open_study(place)
    files = sorted((ROOT / "sfumato" / "looks").glob("*.look"))
    looks = [of_file(study, f) for _i, f in zip(range(30), itertools.cycle(files), strict=False)]
    looks = [
        attrs.evolve(s, study=s.study.with_look(name=f"{s.name} {i}")) for i, s in enumerate(looks)
    ]
    folder = tempfile.mkdtemp()
    outlets = [attrs.evolve(TEMPLATES[k], folder=folder) for k in _FIVE]
    start, cpu = time.perf_counter(), time.process_time()
    rows = [row for row, _look in sending.send(looks, outlets, Frames(), "2026-01-01T00:00")]
    good = sum(row.state == sending.WRITTEN for row in rows)
    took, work = time.perf_counter() - start, time.process_time() - cpu
    print(f"{good} of {len(rows)} files: {took:.1f} s, {work:.1f} s of CPU, {_peak()} MB at most")


def accord() -> None:
    from sfumato.work.frames import Frames
    from sfumato.work.outlets.accord import accord as compared
    from sfumato.work.outlets.templates import TEMPLATES
    from sfumato.work.stores.study_store import demo_study, open_study

    place = demo_study()
    assert place is not None
    study = open_study(place)
    outlets = [TEMPLATES[k] for k in _EIGHT]
    start = time.perf_counter()
    found = compared(study, outlets, Frames(), study.shots[0])
    print(f"Accord of {len(found.targets)} targets on {len(found.shots)} shots: ", end="")
    print(f"{time.perf_counter() - start:.1f} s, {_peak()} MB at most")


def main() -> None:
    from sfumato.core.compiled import load_kernels

    load_kernels()
    ways = {"send": send, "accord": accord}
    for name in sys.argv[1:] or list(ways):
        ways[name]()


if __name__ == "__main__":
    main()
