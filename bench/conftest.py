"""Benchmarks print ratios against references measured in turns within the same run."""

from __future__ import annotations

import os
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
sys.path.append(str(Path(__file__).parent))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from sfumato.work.warm import choose_cache, warm

choose_cache()


@pytest.fixture(scope="session", autouse=True)
def kernels() -> None:
    warm()


@pytest.fixture
def turns(request: pytest.FixtureRequest, benchmark):
    """Run several functions in turns (A B C A B C) and print the median of each as a ratio."""

    def measure(rounds: int = 11, **functions: Callable[[], object]) -> dict[str, float]:
        spent: dict[str, list[float]] = {name: [] for name in functions}
        for _ in range(rounds):
            for name, run in functions.items():
                start = time.perf_counter()
                run()
                spent[name].append(time.perf_counter() - start)
        medians = {name: statistics.median(times) for name, times in spent.items()}
        first = next(iter(medians))
        benchmark.extra_info.update({k: v / medians[first] for k, v in medians.items()})
        benchmark.pedantic(functions[first], rounds=3)
        print(f"\n{request.node.name}")
        for name, value in medians.items():
            ratio = f"{value / medians[first]:6.2f} x {first}" if name != first else ""
            print(f"  {name:<22}{value * 1000:8.1f} ms {ratio}")
        return medians

    return measure
