"""Caches: bounded by bytes, and an answer that two ask for at once is made once."""

from __future__ import annotations

import re
import threading
import time
import tracemalloc
from pathlib import Path

import attrs
import numba
import numpy as np
import pytest
from conftest import scene

from sfumato.core.borrow.matched import matched
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.nodes import smoothed_nodes
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.work import memory
from sfumato.work.bench.engines import as_frame
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.luts.batch import Recipe, made_by_recipe
from sfumato.work.memory import Kept, held
from sfumato.work.preview.asks import to_bytes
from sfumato.work.preview.glass import shown
from sfumato.work.results.stills import rounded


def test_answers_are_kept_within_a_memory() -> None:
    kept = Kept(3000, 8)
    made: list[int] = []

    def make(i: int) -> np.ndarray:
        made.append(i)
        return np.zeros(1000, np.uint8)

    for i in (0, 1, 2, 0, 3, 1):
        kept.get(i, lambda i=i: make(i))
    assert made == [0, 1, 2, 3, 1]  # 1 was the oldest when 3 came
    assert Kept(10).get(0, lambda: make(9)).nbytes == 1000  # the newest stays, however large
    few = Kept(1 << 20, 2)
    for i in range(3):
        few.get(i, lambda i=i: i)
    assert (few.peek(0), few.peek(2)) == (None, 2)


def test_bytes_are_counted_in_records_and_collections() -> None:
    @attrs.frozen
    class Record:
        table: Transform
        more: tuple[np.ndarray, dict[str, np.ndarray]]

    cube = Table3D(lattice_colours(9))
    value = Record(Transform((cube,)), (np.zeros(100), {"a": np.zeros(50, np.float32)}))
    assert held(value, 8) == cube.values.nbytes + 800 + 200
    assert held(b"12345") == 5
    assert held("text") == 0


def test_what_two_ask_for_at_once_is_made_once() -> None:
    kept, count = Kept(1 << 20), []

    def make() -> int:
        count.append(1)
        time.sleep(0.05)
        return 7

    found: list[int] = []
    threads = [threading.Thread(target=lambda: found.append(kept.get("a", make))) for _ in range(5)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (found, len(count)) == ([7] * 5, 1)


def test_one_that_fails_leaves_the_next_to_try() -> None:
    kept = Kept(1 << 20)

    def broken() -> int:
        raise ValueError("not now")

    with pytest.raises(ValueError, match="not now"):
        kept.get("a", broken)
    assert kept.get("a", lambda: 3) == 3


def test_all_caches_together_have_one_bound(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "_ALL", set())
    monkeypatch.setattr(memory, "TOGETHER", 3500)
    quiet, used = Kept(1 << 20), Kept(1 << 20)
    for i in range(2):
        quiet.get(i, lambda: np.zeros(1000, np.uint8))
    used.get(0, lambda: np.zeros(1000, np.uint8))
    quiet.get(0, lambda: 0)  # asked for again: 1 is the oldest now
    used.get(1, lambda: np.zeros(1000, np.uint8))
    assert quiet.peek(1) is None  # what was asked for longest ago, in whichever it lay
    assert all(c.peek(k) is not None for c, k in ((quiet, 0), (used, 0), (used, 1)))
    used.get(2, lambda: np.zeros(9000, np.uint8))
    assert used.peek(2) is not None
    assert quiet.peek(0) is not None  # the newest of each stays


def test_pages_of_a_library_go_and_it_still_works() -> None:
    """The compiler's, which nobody needs once the kernels are loaded; what it computes stays right."""

    def of_file() -> int:
        parts = re.split(
            r"^(?=[0-9a-f]+-[0-9a-f]+ )", Path("/proc/self/smaps").read_text(), flags=re.M
        )
        kept = [p for p in parts if "libllvmlite" in p.partition("\n")[0]]
        return sum(int(n) for p in kept for n in re.findall(r"^Rss: +(\d+) kB", p, re.M)) >> 10

    twice = numba.njit("float64(float64)")(lambda x: 2 * x)
    assert of_file() > 20
    gone = memory.let_pages_go("libllvmlite")
    assert gone > 15 << 20
    assert of_file() < 15
    assert twice(3.0) == 6
    assert numba.njit("float64(float64)")(lambda x: x + 0.5)(3.0) == 3.5
    assert memory.let_pages_go("no such library") == 0


def test_heavy_work_takes_turns_and_gives_up_when_it_is_dropped(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(memory, "_HEAVY", memory._Turns(1))
    cancel, order = Cancel(), []

    def second() -> None:
        try:
            with memory.heavy(cancel.check):
                order.append("in")
        except Cancelled:
            order.append("given up")

    def first() -> None:
        with memory.heavy(lambda: None):
            inside.set()
            done.wait(5)

    inside, done = threading.Event(), threading.Event()
    holder = threading.Thread(target=first)
    holder.start()
    inside.wait(5)
    other = threading.Thread(target=second)
    other.start()
    other.join(0.3)
    assert order == []
    with memory.heavy(cancel.check):  # the window's own thread waits for nobody
        order.append("window")
    cancel.set()
    other.join(5)
    done.set()
    holder.join(5)
    assert order == ["window", "given up"]
    with pytest.raises(ZeroDivisionError), memory.heavy(lambda: None):
        raise ZeroDivisionError
    again = threading.Thread(target=lambda: order.append(_in_turn()))
    again.start()
    again.join(5)
    assert order[-1] == "free again"


def test_who_waits_for_heavy_work_comes_before_who_asks_again(monkeypatch) -> None:
    monkeypatch.setattr(memory, "_HEAVY", memory._Turns(1))
    order: list[str] = []
    begun, asked = threading.Event(), threading.Event()

    def folder() -> None:
        for i in range(50):
            with memory.heavy(lambda: None):
                order.append("file")
                begun.set()
                if i == 0:
                    asked.wait(5)
                    time.sleep(0.2)  # until the other stands in line

    def export() -> None:
        begun.wait(5)
        asked.set()
        with memory.heavy(lambda: None):
            order.append("export")

    both = [threading.Thread(target=t) for t in (folder, export)]
    for thread in both:
        thread.start()
    for thread in both:
        thread.join(10)
    assert order[:2] == ["file", "export"]


def test_an_inversion_waits_for_its_turn(monkeypatch) -> None:
    """Of 65 points it takes 157 MB: a batch made one while an export was fitted."""
    monkeypatch.setattr(memory, "_HEAVY", memory._Turns(1))
    soft = Transform((Table3D(np.sqrt(lattice_colours(5))),))
    made: list[str] = []

    def invert() -> None:
        made.append(made_by_recipe("soft", soft, Recipe(invert=True, grid=5))[0].notes[0])

    memory._HEAVY.take(lambda: None)
    worker = threading.Thread(target=invert)
    worker.start()
    worker.join(0.5)
    assert made == []
    memory._HEAVY.give_back()
    worker.join(10)
    assert len(made) == 1


def _in_turn() -> str:
    with memory.heavy(lambda: None):
        return "free again"


_CASES = {  # what is done with a picture of floats, and how much it may take beside it, in its own bytes
    "bytes": (to_bytes, 0.4),
    "on the screen": (
        lambda p: shown(p, encoding("sRGB"), encoding("Display P3"), quick=False),
        0.4,
    ),
    "a frame of an engine": (as_frame, 0.4),
    "a frame as painted": (
        lambda p: shown(to_bytes(p), encoding("BT.1886"), encoding("sRGB"), quick=True),
        0.9,
    ),
    "numbers of a file": (lambda p: rounded(p, 16), 0.7),
    "laid over another": (lambda p: matched(p, p[8:-8, 8:-8]), 6.5),
    "smoothed nodes": (
        lambda p: smoothed_nodes(np.resize(p, (64, 64, 64, 3)), np.ones((64, 64, 64)), 1e-7),
        3.7,
    ),
}


@pytest.mark.parametrize("name", _CASES)
def test_whole_pictures_are_worked_on_in_little_memory(name: str) -> None:
    """Computed whole, each took about twice to ten times as much."""
    run, most = _CASES[name]
    tiles = np.random.default_rng(3).normal(0, 0.2, (64, 96, 3)).repeat(16, 0).repeat(16, 1)
    pixels = np.clip(scene(1536, 1024) + tiles, 0, 1).astype(np.float32)
    run(pixels[:128, :128])  # what is made once
    tracemalloc.start()
    run(pixels)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert peak <= most * pixels.nbytes, peak / pixels.nbytes
