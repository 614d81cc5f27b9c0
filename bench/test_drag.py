"""Dragging each control of each glaze of the demo study in the real window, 1280 x 800."""

from __future__ import annotations

import statistics
import time

import attrs
import pytest
from conftest import DEMO
from heavy import heavy_coats
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from sfumato.app import theme
from sfumato.app.services.settings import Settings
from sfumato.app.window.main_window import MainWindow
from sfumato.core.controls import Curve, HueCurve, Number, Pad, Pairs, Ramp, Triple, kinds

STEPS = 12


@pytest.fixture
def window(qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    theme.install(QApplication.instance())
    window = MainWindow(Settings(tmp_path / "s.ini"), demo=DEMO)
    window.resize(1280, 800)
    window.show()
    window.view.set(mode="split")
    window.files.open_demo()
    _wait(window)
    yield window
    window.model.undo_stack.setClean()
    window.close()


def _loop(ms: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    loop.exec()


def _wait(window) -> None:
    for _ in range(1000):
        _loop(20)
        if not window.desk.is_busy:
            return


def _nudged(kind, value, step: int):
    if isinstance(kind, Number):
        low, high = kind.soft or (kind.least, kind.most)
        return min(max(value + (high - low) * 0.004 * step, kind.least), kind.most)
    if isinstance(kind, Triple | Pad):
        return (value[0] + 0.004 * step, *value[1:])
    if isinstance(kind, Curve):
        x, y = value[-1]
        return (*value[:-1], (x, y - 0.004 * step))
    if isinstance(kind, HueCurve) and value:
        x, y = value[0]
        return ((x, y + 0.004 * step), *value[1:])
    if isinstance(kind, Ramp) and value:
        tone, hue, chroma, width = value[0]
        return ((tone, hue + step, chroma, width), *value[1:])
    if isinstance(kind, Pairs) and value:
        light, a, b = value[0].target
        return (attrs.evolve(value[0], target=(light, a + 0.001 * step, b)), *value[1:])
    return None


@pytest.mark.parametrize("look", ["demo", "twelve heavy glazes"])
def test_every_control(window, benchmark, look: str) -> None:
    """From the edit to the painted Easel and Instruments, median and worst over all controls."""
    if look != "demo":
        study = window.model.study
        window.model.commit("Heavy", study.with_look(coats=heavy_coats()))
        _wait(window)
    study = window.model.study
    spent: list[tuple[float, str]] = []
    parts: dict[str, list[float]] = {}
    painted: list[float] = []
    answers: list = []
    waiting = QEventLoop()  # releases the interpreter lock, as the event loop of the program does

    def is_painted() -> None:
        painted.append(time.perf_counter())
        waiting.quit()

    def on_shown(shown) -> None:
        answers.append(shown)
        QTimer.singleShot(0, is_painted)  # Qt paints what is dirty before it fires timers

    window.desk.shown.connect(on_shown)
    for coat in (*study.shots[0].ground, *study.look.coats):
        window.view.set(coat=coat.id)
        _wait(window)
        for field, kind in kinds(coat.parameters).items():
            for step in range(1, STEPS + 1):
                value = _nudged(kind, getattr(coat.parameters, field), step)
                if value is None:
                    break
                painted.clear()
                start = time.perf_counter()
                window.rooms["look"].ledger.edits.field(coat.id, field, value)
                waiting.exec()
                if not answers[-1].ask.dragging:
                    continue
                spent.append((painted[0] - start, f"{coat.key}.{field}"))
                for name, seconds in answers[-1].seconds.items():
                    parts.setdefault(name, []).append(seconds)
                inside = sum(answers[-1].seconds.values())
                parts.setdefault("convert, paint, queue", []).append(painted[0] - start - inside)
            window.rooms["look"].ledger.edits.release()
            _wait(window)
    times = [s for s, _ in spent]
    worst = max(spent)
    report = {k: round(statistics.median(v) * 1000, 1) for k, v in parts.items()}
    benchmark.extra_info.update(report)
    benchmark.pedantic(lambda: None, rounds=1)
    print(f"\n{len(times)} steps: median {statistics.median(times) * 1000:.1f} ms", end=", ")
    print(f"95 % {sorted(times)[int(len(times) * 0.95)] * 1000:.1f} ms", end=", ")
    print(f"worst {worst[0] * 1000:.1f} ms ({worst[1]})")
    print("  medians in ms:", report)
    print("  slowest:", [f"{s * 1000:.0f} {name}" for s, name in sorted(spent)[-6:]])
